import { redirectTo } from '../../core/runtime/redirect'
import type { BackendTarget, Redirect, Route, WeightedTarget } from '../../core/runtime/routes'
import type { Dispatcher } from 'undici'
import type { Bounds } from '../bounds'
import { readBody } from '../body'
import { Bounded } from '../bounded'
import type { Inspector } from '../inspector'
import type { Passage } from '../passage'
import { takesShare } from '../share'
import type { Targets } from '../targets'
import { sendOn, type Outcome } from '../upstream'
import { responseWatch } from './contract'
import { translateRequest, translateResponse } from './face'
import { mock } from './mock'
import { refuse, responseFields } from './respond'
import { transform, type Inside } from './transform'

/** Methods that may be sent twice (RFC 9110, section 9.2.2). */
const idempotent = new Set(['GET', 'HEAD', 'OPTIONS', 'PUT', 'DELETE'])
/** Bodies up to this size are kept, so that they can be sent again; in bytes. */
const repeatable = 64 * 1024
const unavailable = new Set([502, 503, 504])

/** Sends a request on to its backend, or answers it from an example. */
export function forward(passage: Passage, route: Route, sender: Sender): void | Promise<void> {
  const { target } = route
  if (target.kind === 'mock') return mock(passage, target)
  if (target.kind === 'redirect') return redirect(passage, { ...route, target })
  // The router hands out served routes only.
  if (target.kind === 'withheld') return refuse(passage, { status: 404, title: 'No route' })
  const inside = transform(passage, route)
  if ('status' in inside) return refuse(passage, inside)
  if (!route.face) return sendTo(passage, route, target, inside, sender)
  return translateRequest(passage, route, inside, sender.inspector).then((message) =>
    'status' in message
      ? refuse(passage, message)
      : sendTo(passage, route, target, message, sender),
  )
}

/** Sends what a backend gets to one of its targets. */
function sendTo(
  passage: Passage,
  route: Route,
  target: BackendTarget,
  inside: Inside,
  sender: Sender,
): void | Promise<void> {
  const attempt = {
    target: chosenFor(passage, route, target),
    inside,
    sender,
    tried: new Set<string>(),
  }
  const repeats = mayRepeat(passage, route, inside.method)
  if (typeof repeats === 'number') return send(passage, route, { ...attempt, repeats })
  return repeats.then((times) => send(passage, route, { ...attempt, repeats: times }))
}

/** Sends a client elsewhere. */
function redirect(passage: Passage, route: Route & { target: Redirect }): void {
  const { scheme, head } = passage
  const location = redirectTo(route, { scheme, host: head.host, ...head.target })
  passage.steps.push({ name: 'forward', passed: true, text: `Sent to ${location}` })
  const { status } = route.target
  passage.request.resume()
  passage.response.writeHead(status, responseFields(passage, status, ['Location', location]))
  passage.response.end()
}

/** The backend that a request is for: the route's own, or the one that gets a share. */
function chosenFor(
  passage: Passage,
  { policies, share }: Route,
  own: BackendTarget,
): BackendTarget {
  if (!policies.share || !share) return own
  const why = takesShare(policies.share, passage)
  if (why === undefined) return own
  const text = `It is for ${share.name}${policies.share.version ? `, version ${policies.share.version}` : ''}: ${why}`
  passage.steps.push({ name: 'forward', policy: 'share', passed: true, text })
  return share
}

/** What sending on stands on. */
export interface Sender {
  targets: Targets
  bounds: Bounds
  inspector: Inspector
  agent: Dispatcher
}

interface Attempt {
  target: BackendTarget
  inside: Inside
  /** How often it may still be sent again. */
  repeats: number
  sender: Sender
  /** Addresses that were tried already. */
  tried: Set<string>
}

/** How often a request may be sent again; reads a short body, so that it can be. */
function mayRepeat(
  passage: Passage,
  { policies: { retry } }: Route,
  method: string,
): number | Promise<number> {
  if (!retry || !idempotent.has(method)) return 0
  const { framing } = passage.head
  if (framing.kind === 'none' || passage.body) return retry.attempts
  if (framing.kind !== 'length' || framing.length > repeatable) return 0
  return readBody(passage, repeatable).then(() => retry.attempts)
}

function send(passage: Passage, route: Route, attempt: Attempt): void {
  const { target, tried, inside } = attempt
  const { targets, bounds, inspector, agent } = attempt.sender
  const { steps, head, request, response } = passage
  const { retry, breaker, timeout } = route.policies
  const chosen = targets.choose(target.targets, tried)
  if ('seconds' in chosen) {
    const text = `${target.name} is left alone, since it kept failing; it is tried again in ${chosen.seconds} s`
    steps.push({ name: 'forward', policy: 'breaker', passed: false, text })
    return refuse(passage, {
      status: 503,
      title: 'The backend is not to be had',
      headers: { 'Retry-After': String(chosen.seconds) },
    })
  }
  const counted = `${route.placement} ${target.name}`
  if (tried.size === 0) targets.count(counted, false, 0)
  tried.add(chosen.url)
  const { origin, host, base } = addressOf(chosen.url)
  const started = performance.now()
  const inAll = timeout?.milliseconds ?? Math.max(bounds.totalMs, target.timeoutMs)
  const left = Math.max(1, inAll - (started - passage.started))
  const mayRetry = () =>
    attempt.repeats > 0 && retry !== undefined && targets.count(counted, true, retry.budgetPercent)
  sendOn(
    {
      agent,
      request,
      response,
      framing: head.framing,
      body: passage.body,
      origin,
      method: inside.method,
      path: insideOf(route, base, inside.path),
      headers: [...inside.headers, ...told(passage, host)],
      idleMs: Math.min(target.timeoutMs, left),
      totalMs: left,
      fields: (status, given) => responseFields(passage, status, given),
      watch: route.face ? undefined : responseWatch(passage, route, inspector),
      capture: route.face && translateResponse(passage, route, inspector),
      drops: (status) => attempt.repeats > 0 && retry!.statuses.includes(status) && mayRetry(),
    },
    (outcome) => {
      if (outcome.kind === 'gone') return targets.forget(chosen.url)
      passage.upstreamMs = (passage.upstreamMs ?? 0) + performance.now() - started
      targets.note(chosen.url, hasFailed(outcome), breaker)
      const repeat = outcome.kind === 'response' ? outcome.dropped : !outcome.timeout && mayRetry()
      note(passage, target.name, chosen, outcome, performance.now() - started, repeat)
      if (repeat) send(passage, route, { ...attempt, repeats: attempt.repeats - 1 })
      else if (outcome.kind === 'none') unanswered(passage, outcome)
    },
  )
}

const hasFailed = (outcome: Exclude<Outcome, { kind: 'gone' }>) =>
  outcome.kind === 'none' || unavailable.has(outcome.status)

/** What a backend is told about who asks and what for. */
const told = ({ head, address, id, scheme }: Passage, host: string): string[] => [
  'host',
  host,
  'x-forwarded-host',
  head.host,
  'x-request-id',
  id,
  'x-forwarded-for',
  address,
  'x-forwarded-proto',
  scheme,
]

/** SOAP is spoken at the address of the backend itself, which has no slash of the base path’s behind it. */
const insideOf = ({ soap, face }: Route, base: string, path: string) =>
  (soap.length > 0 || face) && base !== '' && /^\/(?:$|\?)/.test(path)
    ? base + path.slice(1)
    : base + path

interface Address {
  origin: string
  host: string
  /** Without a slash at its end. */
  base: string
}

const addresses = new Bounded<Address>(1000)

/** The parts of a target’s address, worked out once. */
function addressOf(url: string): Address {
  const known = addresses.get(url)
  if (known) return known
  const { origin, host, pathname } = new URL(url)
  const address = { origin, host, base: pathname.replace(/\/$/, '') }
  addresses.set(url, address)
  return address
}

function note(
  { steps }: Passage,
  name: string,
  { url }: WeightedTarget,
  outcome: Exclude<Outcome, { kind: 'gone' }>,
  ms: number,
  repeat: boolean,
): void {
  const where = `${name} at ${addressOf(url).origin}`
  const what =
    outcome.kind === 'response'
      ? `${where} answered ${outcome.status} in ${Math.round(ms)} ms`
      : `${where} gave no answer: ${outcome.why}`
  steps.push({
    name: 'forward',
    ...(repeat && { policy: 'retry' as const }),
    passed: repeat || (outcome.kind === 'response' && outcome.status < 500),
    text: repeat ? `${what}; it is tried again` : what,
  })
}

const unanswered = (passage: Passage, { timeout }: Outcome & { kind: 'none' }) =>
  refuse(
    passage,
    timeout
      ? { status: 504, title: 'The backend did not answer in time' }
      : { status: 502, title: 'The backend gave no answer' },
  )
