import pg from 'pg'

/** The channel on which every change is announced. */
export const changesChannel = 'elm_changes'

/**
 * Calls back with the topic of every change any process announces, and with `reconnected` whenever some may have been
 * missed. One connection, opened again whenever it is lost.
 */
export function listenOn(url: string, heard: (topic: string) => void): void {
  const client = new pg.Client({ connectionString: url })
  const again = () => {
    client.removeAllListeners('end')
    setTimeout(() => listenOn(url, heard), 1000)
  }
  client.on('error', (error) => console.warn('change listener:', error.message))
  client.on('end', again)
  client.on('notification', ({ payload }) => heard(payload ?? ''))
  client
    .connect()
    .then(() => client.query(`LISTEN ${changesChannel}`))
    .then(() => heard('reconnected'))
    .catch(() => {
      client.end().catch(() => undefined)
      again()
    })
}
