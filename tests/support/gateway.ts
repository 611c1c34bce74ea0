import { mkdtempSync, rmSync } from 'node:fs'
import http from 'node:http'
import net, { type AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { PlacementFacts, PlacementSpec, RouteRow } from '../../core/runtime/placement'
import { compilePlacement } from '../../core/runtime/compile'
import { writeResources } from '../../core/runtime/resources'
import { startGateway, type GatewayOptions } from '../../gateway/gateway'
import type { LogEntry } from '../../gateway/log'

export const listen = (server: net.Server, port = 0) =>
  new Promise<number>((resolve) =>
    server.listen(port, '127.0.0.1', () => resolve((server.address() as AddressInfo).port)),
  )

/** Below those that the system gives to outgoing connections, so that none of them takes it meanwhile. */
let lastPort = 10_000 + ((process.pid * 131) % 20_000)

/** A port that nobody listens on, and that this process is given once. */
export async function freePort(): Promise<number> {
  const port = ++lastPort
  const server = net.createServer()
  try {
    await new Promise<void>((resolve, reject) =>
      server.once('error', reject).listen(port, '127.0.0.1', resolve),
    )
  } catch {
    return freePort()
  }
  await new Promise<void>((resolve) => server.close(() => resolve()))
  return port
}

export interface TestGateway {
  dataPort: number
  adminPort: number
  directory: string
  options: GatewayOptions
  put(text: string, headers?: Record<string, string>): Promise<globalThis.Response>
  /** Takes a placement's resources in place of everything. */
  place(spec: PlacementSpec, facts?: Partial<PlacementFacts>): Promise<void>
  log(id: string): Promise<LogEntry & { nearest?: { placement: string; text: string } }>
  restart(): Promise<void>
  close(): Promise<void>
}

/** A gateway of its own on free ports, with the secret `s`. */
export async function testGateway(options: Partial<GatewayOptions> = {}): Promise<TestGateway> {
  const whole: GatewayOptions = {
    name: 'inner',
    dataPort: await freePort(),
    adminPort: await freePort(),
    secret: 's',
    directory: mkdtempSync(join(tmpdir(), 'elm-gw-')),
    ...options,
  }
  let running = await startGateway(whole)
  const admin = `http://127.0.0.1:${whole.adminPort}`
  const gateway: TestGateway = {
    dataPort: whole.dataPort,
    adminPort: whole.adminPort,
    directory: whole.directory,
    options: whole,
    put: (body, headers = {}) =>
      fetch(`${admin}/configuration`, {
        method: 'PUT',
        body,
        headers: { 'x-admin-secret': 's', ...headers },
      }),
    async place(spec, more = {}) {
      const facts = { name: 'p', gateway: whole.name, version: '1.0.0', revision: 1, keys: [] }
      const text = writeResources(compilePlacement(spec, { ...facts, mocks: new Map(), ...more }))
      const answer = await gateway.put(text)
      if (answer.status !== 200) throw new Error(await answer.text())
    },
    async log(id) {
      const answer = await fetch(`${admin}/log/${id}`, { headers: { 'x-admin-secret': 's' } })
      return (await answer.json()) as LogEntry
    },
    async restart() {
      await running.close()
      running = await startGateway(whole)
    },
    async close() {
      await running.close()
      rmSync(whole.directory, { recursive: true })
    },
  }
  return gateway
}

/** A placement at `a.example/v1` that strips its base path and sends everything to one backend. */
export const placed = (
  url: string,
  operations: string[],
  { policies, ...more }: Partial<PlacementSpec> = {},
): PlacementSpec => ({
  host: 'a.example',
  basePath: '/v1',
  prefix: { kind: 'strip' },
  backends: [{ name: 'main', url, timeoutMs: 1000 }],
  routes: operations.map((operation): RouteRow => {
    const [method = '', path = '', withheld] = operation.split(' ')
    const treatment = withheld
      ? ({ kind: 'withheld', reason: 'Not for outside' } as const)
      : ({ kind: 'route', backend: 'main' } as const)
    return { method, path, treatment }
  }),
  policies: { authentication: { kind: 'none', reason: 'a test' }, ...policies },
  ...more,
})

/**
 * Writes bytes to a port as they are and reads what comes back until the other side ends it, or for `waitMs` after the
 * last byte.
 */
export function exchange(port: number, bytes: string | Buffer, waitMs = 300): Promise<string> {
  return new Promise((resolve) => {
    const socket = net.connect(port, '127.0.0.1')
    let text = ''
    const done = () => {
      socket.destroy()
      resolve(text)
    }
    socket.setTimeout(waitMs, done)
    socket.on('data', (chunk) => (text += chunk.toString('latin1')))
    socket.on('error', done)
    socket.on('close', done)
    socket.write(bytes)
  })
}

/** The status of each response in what came back. */
export const statuses = (text: string) =>
  [...text.matchAll(/HTTP\/1\.1 (\d{3})/g)].map((match) => Number(match[1]))

export interface Seen {
  method: string
  url: string
  headers: http.IncomingHttpHeaders
  rawHeaders: string[]
  body: string
}

/** A backend that keeps what it saw and answers 200 with the path it was asked for. */
export async function recorder(): Promise<{
  url: string
  seen: Seen[]
  close: () => Promise<void>
}> {
  const seen: Seen[] = []
  const server = http.createServer((request, response) => {
    let body = ''
    request.on('data', (chunk: Buffer) => (body += chunk.toString('latin1')))
    request.on('end', () => {
      const { method = '', url = '', headers, rawHeaders } = request
      seen.push({ method, url, headers, rawHeaders, body })
      response.writeHead(200, { 'content-type': 'text/plain' }).end(`asked ${method} ${url}`)
    })
  })
  const port = await listen(server)
  return {
    url: `http://127.0.0.1:${port}`,
    seen,
    close: () =>
      new Promise((resolve) => {
        server.close(() => resolve())
        server.closeAllConnections()
      }),
  }
}

/** A backend that answers each connection's first bytes with bytes of ours, and may say more later. */
export async function liar(
  answer: (socket: net.Socket, asked: string) => void,
): Promise<{ url: string; close: () => Promise<void> }> {
  const sockets = new Set<net.Socket>()
  const server = net.createServer((socket) => {
    sockets.add(socket)
    socket.on('error', () => undefined)
    socket.on('close', () => sockets.delete(socket))
    socket.on('data', (chunk) => answer(socket, chunk.toString('latin1')))
  })
  const port = await listen(server)
  return {
    url: `http://127.0.0.1:${port}`,
    close: () =>
      new Promise((resolve) => {
        for (const socket of sockets) socket.destroy()
        server.close(() => resolve())
      }),
  }
}
