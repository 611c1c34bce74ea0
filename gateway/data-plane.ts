import { createHash, randomUUID } from 'node:crypto'
import http, { type IncomingMessage, type ServerResponse } from 'node:http'
import https from 'node:https'
import { routeStep, type Step } from '../core/routing/explain'
import { limitText } from '../core/routing/placement'
import { rewritePath, type Route, type RouteTarget } from '../core/routing/routes'
import type { Configuration } from './configuration'
import { Limiter } from './limiter'
import type { AccessLog } from './log'

const agents = {
  'http:': new http.Agent({ keepAlive: true, maxSockets: 256 }),
  'https:': new https.Agent({ keepAlive: true, maxSockets: 256 }),
}

/** Headers that belong to one connection (RFC 9110, section 7.6.1) and are never passed on. */
const hopByHop = [
  'connection',
  'keep-alive',
  'proxy-authenticate',
  'proxy-authorization',
  'te',
  'trailer',
  'transfer-encoding',
  'upgrade',
]

/** One request on its way through the gateway. */
interface Passage {
  id: string
  started: number
  request: IncomingMessage
  response: ServerResponse
  host: string
  path: string
  query: string
  steps: Step[]
  route: Route | undefined
  consumer: string
}

/** Serves traffic: matches, admits, limits, rewrites, and sends on or mocks. */
export function dataPlane(configuration: Configuration, log: AccessLog): http.Server {
  const limiter = new Limiter()

  const server = http.createServer({ keepAliveTimeout: 30_000 }, (request, response) => {
    const passage = begin(request, response)
    response.once('close', () => finish(passage, log))
    serve(passage)
  })

  function serve(passage: Passage): void {
    const { request, steps } = passage
    const asked = { host: passage.host, method: request.method ?? 'GET', path: passage.path }
    const match = configuration.current.router.match(asked)
    steps.push(...routeStep(asked, match))
    if (match.kind === 'method') {
      passage.response.setHeader('Allow', match.allowed.join(', '))
      return problem(passage, 405, 'This method is not served here')
    }
    if (match.kind !== 'route') return problem(passage, 404, 'No route')
    passage.route = match.route
    if (!admitKey(passage, match.route)) return
    if (!admitRate(passage, match.route)) return
    forward(passage, match.route, match.route.target)
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
    passage.response.setHeader('WWW-Authenticate', `ApiKey header="${key.header}"`)
    problem(passage, 401, 'A key is needed')
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
    passage.response.setHeader('Retry-After', String(admission.retryAfter))
    problem(passage, 429, 'Too many requests')
    return false
  }

  return server
}

function begin(request: IncomingMessage, response: ServerResponse): Passage {
  const url = request.url ?? '/'
  const question = url.indexOf('?')
  const id = randomUUID()
  response.setHeader('X-Request-Id', id)
  return {
    id,
    started: performance.now(),
    request,
    response,
    host: (request.headers.host ?? '').replace(/:\d+$/, '').toLowerCase(),
    path: question === -1 ? url : url.slice(0, question),
    query: question === -1 ? '' : url.slice(question),
    steps: [],
    route: undefined,
    consumer: '',
  }
}

function finish(passage: Passage, log: AccessLog): void {
  log.add({
    id: passage.id,
    at: new Date().toISOString(),
    method: passage.request.method ?? 'GET',
    host: passage.host,
    path: passage.path,
    status: passage.response.statusCode,
    ms: Math.round((performance.now() - passage.started) * 10) / 10,
    consumer: passage.consumer,
    placement: passage.route?.placement ?? '',
    steps: passage.steps,
  })
}

/** Answers with problem details (RFC 9457). */
function problem({ response, steps }: Passage, status: number, title: string): void {
  const detail = steps.at(-1)?.text
  response.writeHead(status, { 'Content-Type': 'application/problem+json' })
  response.end(JSON.stringify({ type: 'about:blank', title, status, detail }))
}

function forward(passage: Passage, route: Route, target: RouteTarget): void {
  if (target.kind === 'mock') return mock(passage, target)
  const inside = rewritePath(route, passage.path)
  const text =
    inside === passage.path
      ? `The path ${inside} is sent on as it came`
      : `${passage.path} becomes ${inside}`
  passage.steps.push({ name: 'rewrite', passed: true, text })
  const url = new URL(target.url + inside + passage.query)
  const { request, response } = passage
  const headers = { ...request.headers }
  for (const name of hopByHop) delete headers[name]
  if (route.key) delete headers[route.key.header.toLowerCase()]
  headers['host'] = url.host
  headers['x-forwarded-host'] = passage.host
  headers['x-forwarded-for'] = request.socket.remoteAddress ?? ''
  headers['x-request-id'] = passage.id
  const started = performance.now()
  const send = url.protocol === 'https:' ? https.request : http.request
  const upstream = send(
    url,
    {
      method: request.method,
      headers,
      agent: agents[url.protocol as keyof typeof agents],
      timeout: target.timeoutMs,
    },
    (answer) => {
      const ms = Math.round(performance.now() - started)
      const status = answer.statusCode ?? 502
      passage.steps.push({
        name: 'backend',
        passed: status < 500,
        text: `${target.name} at ${url.origin} answered ${status} in ${ms} ms`,
      })
      for (const name of hopByHop) delete answer.headers[name]
      response.writeHead(status, answer.headers)
      answer.pipe(response)
    },
  )
  upstream.on('timeout', () =>
    upstream.destroy(new Error(`no answer within ${target.timeoutMs} ms`)),
  )
  upstream.on('error', (error: NodeJS.ErrnoException) => {
    if (response.headersSent || response.destroyed) return void response.destroy()
    const why = error.code === 'ECONNREFUSED' ? 'nothing listens there' : error.message
    passage.steps.push({
      name: 'backend',
      passed: false,
      text: `${target.name} at ${url.origin} gave no answer: ${why}`,
    })
    problem(passage, 502, 'The backend gave no answer')
  })
  response.once('close', () => upstream.destroy())
  request.pipe(upstream)
}

function mock(
  { response, steps, request }: Passage,
  { answer }: RouteTarget & { kind: 'mock' },
): void {
  request.resume()
  steps.push({
    name: 'mock',
    passed: true,
    text: `Answered ${answer.status} from the definition’s own example; no backend was called`,
  })
  response.writeHead(answer.status, answer.mediaType ? { 'Content-Type': answer.mediaType } : {})
  response.end(answer.body)
}
