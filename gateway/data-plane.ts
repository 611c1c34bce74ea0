import { randomUUID } from 'node:crypto'
import type { IncomingMessage, RequestListener, ServerResponse } from 'node:http'
import { TLSSocket } from 'node:tls'
import { routeStep } from '../core/runtime/explain'
import type { Condition } from '../core/runtime/conditions'
import { canonicalName } from '../core/runtime/headers'
import type { Match, Route, RouteRequest } from '../core/runtime/routes'
import { BrokenOff, NoRoom } from './body'
import { TooLong } from './inspector'
import type { Certificates } from './certificates'
import type { Configuration } from './configuration'
import { readQuery } from './fields'
import { readHead, type RequestHead } from './framing'
import { entryOf, type AccessLog } from './log'
import { eventOf } from './events'
import type { Journal } from './journal'
import type { Metrics } from './metrics'
import { headerOf, type Passage } from './passage'
import { readMessage } from './soap'
import { callerSide } from './share'
import { forward, type Sender } from './steps/forward'
import { answerPreflight, isPreflight, refuse } from './steps/respond'
import { run, Ways, type Keeping } from './way'

/** Who hears of each request that ended. */
export interface Telling {
  log: AccessLog
  journal: Journal
  metrics: Metrics
}

/** Serves traffic: each request goes the way of the route that takes it. */
export function dataPlane(
  configuration: Configuration,
  telling: Telling,
  sender: Sender,
  keeping: Keeping,
  certificates: Certificates,
): RequestListener {
  const ways = new Ways(keeping)
  function listen(request: IncomingMessage, response: ServerResponse): void {
    const passage = begin(request, response)
    response.once('close', () => finish(passage, telling, keeping.now()))
    response.on('error', () => response.destroy())
    try {
      const served = serve(passage)
      if (served) served.catch((error: unknown) => fail(passage, error))
    } catch (error) {
      fail(passage, error)
    }
  }

  function serve(passage: Passage): void | Promise<void> {
    const head = readHead(passage.request)
    if ('refused' in head) {
      passage.steps.push({ name: 'listen', passed: false, text: head.refused })
      return refuse(passage, { status: head.status, title: 'The request was refused' })
    }
    passage.head = head
    if (isMisdirected(passage)) {
      const text = `The connection was made for another name than ${head.host}`
      passage.steps.push({ name: 'listen', passed: false, text })
      return refuse(passage, { status: 421, title: 'The request was misdirected', detail: text })
    }
    const asked = {
      host: head.host,
      scheme: passage.scheme,
      method: passage.request.method ?? 'GET',
      path: head.target.path,
      values: valuesOf(passage),
      side: callerSide(passage),
    }
    if (isPreflight(passage) && preflight(passage, asked)) return
    const match = configuration.current.router.match(asked)
    if (match.kind === 'message')
      return readMessage(passage).then((message) => {
        if ('title' in message) return refuse(passage, message)
        const soap = { ...asked, soap: message }
        return take(passage, soap, configuration.current.router.match(soap))
      })
    return take(passage, asked, match)
  }

  /** Sends a request the way of what was matched. */
  function take(passage: Passage, asked: RouteRequest, match: Match): void | Promise<void> {
    passage.steps.push(...routeStep(asked, match))
    if (match.kind === 'route' || match.kind === 'withheld') passage.matched = match.route
    if (match.kind === 'method') {
      return refuse(passage, {
        status: 405,
        title: 'This method is not served here',
        headers: { Allow: match.allowed.join(', ') },
      })
    }
    if (match.kind !== 'route')
      return refuse(passage, {
        status: 404,
        title: 'No route',
        detail: 'Nothing is served at this address',
      })
    const { route } = match
    passage.route = route
    const refusal = run(ways.of(route), passage)
    if (refusal instanceof Promise)
      return refusal.then((stopped) =>
        stopped ? refuse(passage, stopped) : onward(passage, route),
      )
    return refusal ? refuse(passage, refusal) : onward(passage, route)
  }

  /** Whether a certificate stands for the connection that is none for the host asked about. */
  function isMisdirected({ request: { socket }, head: { host } }: Passage): boolean {
    if (!(socket instanceof TLSSocket)) return false
    const { servername } = socket as { servername?: string | false }
    const name = typeof servername === 'string' ? servername.toLowerCase() : ''
    return !certificates.serve(name, host)
  }

  const onward = (passage: Passage, route: Route) => forward(passage, route, sender)

  /** Answers a preflight where scripts may call what it asks about. */
  function preflight(passage: Passage, asked: Omit<RouteRequest, 'method'>): boolean {
    const wanted = headerOf(passage, 'access-control-request-method') ?? ''
    const { router } = configuration.current
    const match = router.match({ ...asked, method: wanted })
    if (match.kind !== 'route' || !match.route.policies.cors) return false
    passage.route = match.route
    passage.matched = match.route
    passage.steps.push(...routeStep({ ...asked, method: wanted }, match))
    const other = router.match({ ...asked, method: '' })
    answerPreflight(
      passage,
      match.route.policies.cors,
      other.kind === 'method' ? other.allowed : [wanted],
    )
    return true
  }

  return listen
}

/** What a request says where a route asks. */
const valuesOf =
  ({ head }: Passage) =>
  (condition: Condition): readonly string[] => {
    if (condition.in === 'header') return head.fields.get(canonicalName(condition.name)) ?? []
    return readQuery(head.target.query)
      .filter(({ name }) => name === condition.name)
      .map(({ value }) => value)
  }

function fail(passage: Passage, error: unknown): void {
  const { response } = passage
  if (error instanceof BrokenOff) return void response.destroy()
  const busy =
    error instanceof NoRoom
      ? 'Too many bodies are held at once'
      : error instanceof TooLong
        ? 'Looking into the message took too long'
        : undefined
  if (busy !== undefined)
    return refuse(passage, {
      status: 503,
      title: 'The gateway is busy',
      detail: busy,
      headers: { 'Retry-After': '5' },
    })
  console.error('a request could not be served:', error)
  if (response.headersSent) response.destroy()
  else
    refuse(passage, {
      status: 500,
      title: 'The gateway could not serve this',
      detail: 'Something went wrong here',
    })
}

/** Until a head is understood: nobody knows where its body ends. */
const noHead: RequestHead = {
  host: '',
  target: { path: '', query: '' },
  framing: { kind: 'chunked' },
  fields: new Map(),
}

const begin = (request: IncomingMessage, response: ServerResponse): Passage => ({
  id: randomUUID(),
  started: performance.now(),
  request,
  response,
  head: noHead,
  address: request.socket.remoteAddress ?? '',
  scheme: request.socket instanceof TLSSocket ? 'https' : 'http',
  steps: [],
  route: undefined,
  matched: undefined,
  client: '',
  tried: '',
  claims: undefined,
  soap: undefined,
  body: undefined,
  fields: [],
  upstreamMs: undefined,
  responseType: '',
  members: [],
  breaks: { request: false, response: false },
  watching: undefined,
  ended: undefined,
  ends: [],
})

/** Tells of a request once its response has gone out, and all is known of it that somebody wants to know. */
function finish(passage: Passage, telling: Telling, at: number): void {
  for (const end of passage.ends) end()
  passage.ended = performance.now()
  if (passage.watching) void passage.watching.then(() => tell(passage, telling, at))
  else tell(passage, telling, at)
}

function tell(passage: Passage, { log, journal, metrics }: Telling, at: number): void {
  const event = eventOf(passage, at)
  journal.add(event)
  metrics.count(event)
  const entry = entryOf(passage)
  if (entry) log.add(entry)
}
