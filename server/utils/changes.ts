import { configuration } from '../configuration'
import { listenOn } from '../db/listen'

type Listener = (topic: string) => void

const listeners = new Set<Listener>()
let listening = false

/** Calls back with the topic of every change any process announces. Returns the way to stop. */
export function listenForChanges(listener: Listener): () => void {
  listeners.add(listener)
  if (!listening) {
    listening = true
    listenOn(configuration().databaseUrl, (topic) => {
      for (const tell of listeners) tell(topic)
    })
  }
  return () => listeners.delete(listener)
}
