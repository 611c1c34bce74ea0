import { createHash, randomUUID } from 'node:crypto'
import http, { type IncomingMessage, type ServerResponse } from 'node:http'
import type { Socket } from 'node:net'
import { routeStep, type Step } from '../core/routing/explain'
import { limitText } from '../core/routing/placement'
import { rewritePath, type Route, type RouteTarget } from '../core/routing/routes'
import type { Bounds } from './bounds'
import type { Configuration } from './configuration'
import { forwardedHeaders, readHead, type RequestHead } from './framing'
import { Limiter } from './limiter'
import type { AccessLog } from './log'
import { sendOn } from './upstream'

/** One request on its way through the gateway. */
interface Passage {
  id: string
  started: number
  request: IncomingMessage
  response: ServerResponse
  head: RequestHead
  steps: Step[]
  route: Route | undefined
  consumer: string
}

/** Serves traffic: matches, admits, limits, rewrites, and sends on or mocks. */
export function dataPlane(
  configuration: Configuration,
  log: AccessLog,
  bounds: Bounds,
): http.Server {
  const limiter = new Limiter()
  const server = http.createServer(
    {
      keepAliveTimeout: 30_000,
      headersTimeout: bounds.headersMs,
      requestTimeout: bounds.requestMs,
      connectionsCheckingInterval: Math.min(1000, bounds.headersMs),
    },
    (request, response) => {
      const passage = begin(request, response)
      response.once('close', () => finish(passage, log))
      response.on('error', () => response.destroy())
      try {
        serve(passage)
      } catch (error) {
        console.error('a request could not be served:', error)
        if (response.headersSent) response.destroy()
        else problem(passage, 500, 'The gateway could not serve this')
      }
    },
  )
  server.maxConnections = bounds.connections
  boundConnections(server, bounds.connectionsPerClient)

  function serve(passage: Passage): void {
    const head = readHead(passage.request)
    if ('refused' in head) {
      passage.steps.push({ name: 'request', passed: false, text: head.refused })
      return problem(passage, head.status, 'The request was refused')
    }
    passage.head = head
    const { steps } = passage
    const asked = {
      host: head.host,
      method: passage.request.method ?? 'GET',
      path: head.target.path,
    }
    const match = configuration.current.router.match(asked)
    steps.push(...routeStep(asked, match))
    if (match.kind === 'method') {
      return problem(passage, 405, 'This method is not served here', {
        Allow: match.allowed.join(', '),
      })
    }
    if (match.kind !== 'route')
      return problem(passage, 404, 'No route', {}, 'Nothing is served at this address')
    passage.route = match.route
    if (!admitKey(passage, match.route)) return
    if (!admitRate(passage, match.route)) return
    forward(passage, match.route, bounds)
  }

  function admitKey(passage: Passage, { key }: Route): boolean {
    if (!key) {
      passage.steps.push({ name: 'key', passed: true, text: 'No key is asked for here' })
      return true
    }
    const given = passage.request.headers[key.header.toLowerCase()]
    const digest = typeof given === 'string' ? createHash('sha256').update(given).digest('hex') : ''
    const known = key.keys.find((candidate) => candidate.sha256 === digest)
    if (known) {
      passage.consumer = known.name
      passage.steps.push({
        name: 'key',
        passed: true,
        text: `The key of ${known.name} is known here`,
      })
      return true
    }
    const text = digest
      ? `The key in ${key.header} is not known at this placement`
      : `The request has no key in the header ${key.header}`
    passage.steps.push({ name: 'key', passed: false, text })
    problem(passage, 401, 'A key is needed', {
      'WWW-Authenticate': `ApiKey header="${key.header}"`,
    })
    return false
  }

  function admitRate(passage: Passage, { limit, placement }: Route): boolean {
    if (!limit) return true
    const who = passage.consumer || (passage.request.socket.remoteAddress ?? '')
    const admission = limiter.admit(`${placement} ${limit.requests}/${limit.seconds} ${who}`, limit)
    if (admission.admitted) {
      const text = `${admission.remaining} of ${limitText(limit)} left for ${passage.consumer || 'this address'}`
      passage.steps.push({ name: 'limit', passed: true, text })
      return true
    }
    const text = `The limit of ${limitText(limit)} is used up; the next request is taken in ${admission.retryAfter} s`
    passage.steps.push({ name: 'limit', passed: false, text })
    problem(passage, 429, 'Too many requests', { 'Retry-After': String(admission.retryAfter) })
    return false
  }

  return server
}

/** Ends connections beyond so many from one address, before they cost anything. */
function boundConnections(server: http.Server, most: number): void {
  const open = new Map<string, number>()
  server.on('connection', (socket: Socket) => {
    const address = socket.remoteAddress ?? ''
    const count = (open.get(address) ?? 0) + 1
    open.set(address, count)
    socket.once('close', () => {
      const left = open.get(address)! - 1
      if (left === 0) open.delete(address)
      else open.set(address, left)
    })
    if (count > most) socket.destroy()
  })
}

/** Until a head is understood: nobody knows where its body ends. */
const noHead: RequestHead = {
  host: '',
  target: { path: '', query: '' },
  framing: { kind: 'chunked' },
}

const begin = (request: IncomingMessage, response: ServerResponse): Passage => ({
  id: randomUUID(),
  started: performance.now(),
  request,
  response,
  head: noHead,
  steps: [],
  route: undefined,
  consumer: '',
})

function finish({ head, ...passage }: Passage, log: AccessLog): void {
  log.add({
    id: passage.id,
    at: new Date().toISOString(),
    method: passage.request.method ?? 'GET',
    host: head.host,
    path: head.target.path || (passage.request.url ?? ''),
    status: passage.response.statusCode,
    ms: Math.round((performance.now() - passage.started) * 10) / 10,
    consumer: passage.consumer,
    placement: passage.route?.placement ?? '',
    steps: passage.steps,
  })
}

/** Answers with problem details (RFC 9457). A connection with a body that nobody read is not used again. */
function problem(
  { id, head, response, steps }: Passage,
  status: number,
  title: string,
  headers: http.OutgoingHttpHeaders = {},
  detail = steps.at(-1)?.text,
): void {
  if (head.framing.kind !== 'none') response.shouldKeepAlive = false
  response.writeHead(status, {
    'Content-Type': 'application/problem+json',
    'X-Request-Id': id,
    ...headers,
  })
  response.end(JSON.stringify({ type: 'about:blank', title, status, detail }))
}

function forward(passage: Passage, route: Route, bounds: Bounds): void {
  const { target } = route
  if (target.kind === 'mock') return mock(passage, target)
  // The router hands out served routes only.
  if (target.kind === 'withheld') return problem(passage, 404, 'No route')
  const { head, request, response, steps } = passage
  const { path, query } = head.target
  const inside = rewritePath(route, path)
  const rewritten =
    inside === path ? `The path ${inside} is sent on as it came` : `${path} becomes ${inside}`
  steps.push({ name: 'rewrite', passed: true, text: rewritten })
  const url = new URL(target.url)
  const base = url.pathname.replace(/\/$/, '')
  const started = performance.now()
  const where = `${target.name} at ${url.origin}`
  sendOn(
    {
      request,
      response,
      framing: head.framing,
      origin: url.origin,
      path: base + inside + query,
      headers: [
        ...forwardedHeaders(request.rawHeaders, route.key?.header),
        ...['host', url.host, 'x-forwarded-host', head.host, 'x-request-id', passage.id],
        ...['x-forwarded-for', request.socket.remoteAddress ?? '', 'x-forwarded-proto', 'http'],
      ],
      idleMs: target.timeoutMs,
      totalMs: Math.max(bounds.totalMs, target.timeoutMs),
      own: ['X-Request-Id', passage.id],
    },
    (outcome) => {
      if (outcome.kind === 'response') {
        const { status } = outcome
        const ms = Math.round(performance.now() - started)
        const text = `${where} answered ${status} in ${ms} ms`
        return void steps.push({ name: 'backend', passed: status < 500, text })
      }
      const text = `${where} gave no answer: ${outcome.why}`
      steps.push({ name: 'backend', passed: false, text })
      if (outcome.timeout) problem(passage, 504, 'The backend did not answer in time')
      else problem(passage, 502, 'The backend gave no answer')
    },
  )
}

function mock(
  { id, response, steps, request }: Passage,
  { answer }: RouteTarget & { kind: 'mock' },
): void {
  request.resume()
  steps.push({
    name: 'mock',
    passed: true,
    text: `Answered ${answer.status} from the definition’s own example; no backend was called`,
  })
  response.writeHead(answer.status, {
    'X-Request-Id': id,
    ...(answer.mediaType && { 'Content-Type': answer.mediaType }),
  })
  response.end(answer.body)
}
