import http from 'node:http'
import { request } from 'undici'
import { listen } from './gateway'

/** What happens to a call on its way to an admin port. */
export type Meddling =
  | 'nothing'
  /** It never gets there. */
  | 'lose the request'
  /** It is done, but nobody hears of it. */
  | 'lose the reply'
  /** It is refused as a configuration. */
  | 'refuse'

export interface Meddler {
  url: string
  /** Asked for every call. */
  decide: (method: string) => Meddling
  /** What it answers itself, by path. */
  says: Record<string, string>
  /** How long each call is held up, in milliseconds. */
  delayMs: number
  calls: { method: string; did: Meddling }[]
  close: () => Promise<void>
}

export const noMeddler: Meddler = {
  url: '',
  decide: () => 'nothing',
  says: {},
  delayMs: 0,
  calls: [],
  close: () => Promise.resolve(),
}

/**
 * A network between the server and a gateway that is slow, loses things and lies, as a test wants it. `headers` take the
 * place of those that come.
 */
export async function meddlerBefore(
  target: string,
  headers: Record<string, string> = {},
): Promise<Meddler> {
  const server = http.createServer((incoming, outgoing) => {
    void (async () => {
      const chunks: Buffer[] = []
      for await (const chunk of incoming as AsyncIterable<Buffer>) chunks.push(chunk)
      if (meddler.delayMs > 0) await new Promise((resolve) => setTimeout(resolve, meddler.delayMs))
      const method = incoming.method ?? 'GET'
      const did = meddler.decide(method)
      meddler.calls.push({ method, did })
      const said = meddler.says[incoming.url ?? '/']
      if (said !== undefined) return void outgoing.end(said)
      if (did === 'lose the request') return void incoming.socket.destroy()
      if (did === 'refuse') {
        return void outgoing
          .writeHead(422, { 'content-type': 'application/problem+json' })
          .end('{"detail":"HTTPRoute x: this gateway does not want it"}')
      }
      const answer = await request(target + (incoming.url ?? '/'), {
        method: method as 'GET',
        headers: {
          ...Object.fromEntries(
            Object.entries(incoming.headers).filter(
              ([name]) =>
                !['host', 'connection', 'content-length', 'transfer-encoding'].includes(name),
            ),
          ),
          ...headers,
        },
        ...(chunks.length > 0 && { body: Buffer.concat(chunks) }),
      })
      const body = await answer.body.text()
      if (did === 'lose the reply') return void incoming.socket.destroy()
      const { etag, 'content-type': type } = answer.headers
      outgoing
        .writeHead(answer.statusCode, {
          ...(typeof etag === 'string' && { etag }),
          ...(typeof type === 'string' && { 'content-type': type }),
        })
        .end(body)
    })().catch(() => incoming.socket.destroy())
  })
  const meddler: Meddler = {
    url: `http://127.0.0.1:${await listen(server)}`,
    decide: () => 'nothing',
    says: {},
    delayMs: 0,
    calls: [],
    close: () =>
      new Promise((resolve) => {
        server.close(() => resolve())
        server.closeAllConnections()
      }),
  }
  return meddler
}
