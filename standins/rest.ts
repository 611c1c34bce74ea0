import http from 'node:http'
import { Counter, Registry } from 'prom-client'

/** A request as a simulated service sees it. */
export interface Call {
  params: Record<string, string>
  query: URLSearchParams
  body: Record<string, unknown>
  /** The body as it came, for services that do not speak JSON. */
  text: string
}

export interface Reply {
  status: number
  body?: unknown
  mediaType?: string
}

export type Handler = (call: Call) => Reply

/** Handlers by `METHOD /path/{parameter}`. */
export type Handlers = Record<string, Handler>

export const reply = (body: unknown, status = 200): Reply => ({ status, body })
export const problem = (status: number, title: string, detail: string): Reply => ({
  status,
  mediaType: 'application/problem+json',
  body: { type: 'about:blank', title, status, detail },
})

/**
 * Serves several simulated services from one port, each below its own base path; what is mounted answers for itself.
 */
export function restServer(
  services: Record<string, Handlers>,
  mounted: Record<string, http.RequestListener> = {},
): http.Server {
  const routes = Object.entries(services).flatMap(([base, handlers]) =>
    Object.entries(handlers).map(([route, handler]) => {
      const [method, path] = route.split(' ') as [string, string]
      const names = [...path.matchAll(/\{(\w+)\}/g)].map((match) => match[1]!)
      const pattern = new RegExp(`^${base}${path.replace(/\{\w+\}/g, '([^/]+)')}$`)
      return { method, pattern, names, handler, literal: names.length === 0 }
    }),
  )
  routes.sort((a, b) => Number(b.literal) - Number(a.literal))

  const registry = new Registry()
  const replies = new Counter({
    name: 'standin_replies_total',
    help: 'What the simulated services answered.',
    labelNames: ['service', 'status'],
    registers: [registry],
  })

  return http.createServer((request, response) => {
    if (request.method === 'GET' && request.url === '/metrics') {
      void registry.metrics().then((text) => {
        response.writeHead(200, { 'Content-Type': registry.contentType })
        response.end(text)
      })
      return
    }
    response.once('finish', () => {
      const service = Object.keys(services).find((base) => request.url?.startsWith(base)) ?? ''
      replies.inc({ service, status: String(response.statusCode) })
    })
    const own = Object.keys(mounted).find((base) => request.url?.startsWith(`${base}/`))
    if (own !== undefined) {
      mounted[own]!(request, response)
      return
    }
    const url = new URL(request.url ?? '/', 'http://standin')
    const chunks: Buffer[] = []
    request.on('data', (chunk: Buffer) => chunks.push(chunk))
    request.on('end', () => {
      const {
        status,
        body,
        mediaType = 'application/json',
      } = answer(request.method ?? 'GET', url, Buffer.concat(chunks).toString())
      response.writeHead(status, body === undefined ? {} : { 'Content-Type': mediaType })
      response.end(
        body === undefined ? undefined : typeof body === 'string' ? body : JSON.stringify(body),
      )
    })
  })

  function answer(method: string, url: URL, text: string): Reply {
    for (const { method: wanted, pattern, names, handler } of routes) {
      const match = wanted === method ? pattern.exec(url.pathname) : null
      if (!match) continue
      let body: unknown = {}
      try {
        body = text === '' || text.startsWith('<') ? {} : JSON.parse(text)
      } catch {
        return problem(400, 'Bad request', 'The body is not JSON.')
      }
      const params = Object.fromEntries(
        names.map((name, i) => [name, decodeURIComponent(match[i + 1]!)]),
      )
      return handler({
        params,
        query: url.searchParams,
        body: body as Record<string, unknown>,
        text,
      })
    }
    return problem(404, 'Not found', `This service has no ${method} ${url.pathname}.`)
  }
}
