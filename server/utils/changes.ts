import pg from 'pg'
import { configuration } from '../configuration'
import { changesChannel } from '../services/ledger'

type Listener = (topic: string) => void

const listeners = new Set<Listener>()
let listening = false

/** Calls back with the topic of every change any process announces. Returns the way to stop. */
export function listenForChanges(listener: Listener): () => void {
  listeners.add(listener)
  if (!listening) void listen()
  return () => listeners.delete(listener)
}

/** One connection listens for the whole process, and is opened again whenever it is lost. */
async function listen(): Promise<void> {
  listening = true
  const client = new pg.Client({ connectionString: configuration().databaseUrl })
  const again = () => {
    client.removeAllListeners('end')
    setTimeout(() => void listen(), 1000)
  }
  client.on('error', (error) => console.warn('change listener:', error.message))
  client.on('end', again)
  client.on('notification', ({ payload }) => {
    for (const listener of listeners) listener(payload ?? '')
  })
  try {
    await client.connect()
    await client.query(`LISTEN ${changesChannel}`)
    for (const listener of listeners) listener('reconnected')
  } catch {
    client.end().catch(() => undefined)
    again()
  }
}
