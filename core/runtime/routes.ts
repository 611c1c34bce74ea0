import type { MockAnswer } from '../contract/mocks'
import { conditionsText, fulfils, type Condition, type Values } from './conditions'
import type { Described } from './described'
import type { Lifecycle } from './lifecycle'
import { joinPaths, type KeyDigest, type Prefix } from './placement'
import type { Policies, PolicyName } from './policies'
import type { Face, FaceCall } from './rest-face'
import { messageText, soapMatches, type SoapMatch, type SoapMessage } from './soap'
import { grouped } from '../text/grouped'
import { plainSegment } from './target'
import { parseTemplate, segmentMatches, splitPath, type Segment } from './template'

/** Where a gateway sends requests of a backend. */
export interface WeightedTarget {
  url: string
  weight: number
}

/** A backend as a gateway reaches it. */
export interface BackendTarget {
  name: string
  targets: WeightedTarget[]
  timeoutMs: number
}

/** Where a redirect sends to; what it leaves out stays as it was asked (Gateway API v1, HTTPRequestRedirectFilter). */
export interface Redirect {
  status: number
  scheme?: Scheme
  host?: string
  port?: number
  path?: { kind: 'whole' | 'prefix'; with: string }
}

export type Scheme = 'http' | 'https'

export type RouteTarget =
  | ({ kind: 'backend' } & BackendTarget)
  | ({ kind: 'redirect' } & Redirect)
  | { kind: 'mock'; name: string; answers: MockAnswer[] }
  /** An operation that is not served here, although the template of another one would take its requests. */
  | { kind: 'withheld' }

/** One route as a gateway runs it, read from its configuration. */
export interface Route {
  /** The placement whose resources it came from; empty where somebody else wrote it. */
  placement: string
  version: string
  revision: number
  name: string
  host: string
  /** The one listener that it is attached to; absent where it takes requests of every one. */
  listener?: Scheme
  method: string
  /** The outside path template, base path included. */
  path: string
  open: boolean
  /** What a request has to say besides. */
  conditions: readonly Condition[]
  /** How it is called by SOAP; empty where it is not. Routes of one path are told apart by it. */
  soap: readonly SoapMatch[]
  /** How it is called for somebody who speaks JSON, where it is an operation of SOAP that is served so. */
  face: { of: Face; call: FaceCall } | undefined
  target: RouteTarget
  /** Where a share of its requests goes, as its policy says. */
  share: BackendTarget | undefined
  rewrite: { from: string; prefix: Prefix } | undefined
  /** What holds for its requests. Routes that have the same may share one object. */
  policies: Policies
  /** Policies that hold for this route alone, and are counted for it alone. */
  own: readonly PolicyName[]
  /** The keys that are known here. */
  credentials: readonly KeyDigest[]
  /** What the definition says of requests and responses, where they are held against it. */
  described: Described | undefined
  /** Alternatives of scopes that the definition asks for. */
  scopes: readonly (readonly string[])[]
  /** What callers are told of its end. */
  lifecycle: Lifecycle | undefined
  /** So many of a hundred callers get it, in the place of the other version at its placement; all where absent. */
  portion: number | undefined
}

/** Whether a route answers requests, instead of keeping them from another. */
export const isServed = (route: Route) => route.target.kind !== 'withheld'

/** The segments of a base path: none for `/`. */
const baseSegments = (base: string) => (base === '/' ? [] : splitPath(base.replace(/\/$/, '')))

/**
 * The inside path of an outside path on a route. The base path goes segment by segment, however its letters were
 * encoded; the rest stays byte for byte.
 */
export function rewritePath(route: Pick<Route, 'rewrite'>, outside: string): string {
  if (!route.rewrite || route.rewrite.prefix.kind === 'keep') return outside
  const { from, prefix } = route.rewrite
  const below = splitPath(outside).slice(baseSegments(from).length)
  if (prefix.kind === 'strip') return `/${below.join('/')}`
  return below.length === 0 ? prefix.with : joinPaths(prefix.with, below.join('/'))
}

/** The outside path of an inside path on a route: the inverse of {@link rewritePath} for paths it produced. */
export function restorePath(route: Pick<Route, 'rewrite'>, inside: string): string {
  if (!route.rewrite || route.rewrite.prefix.kind === 'keep') return inside
  const { from, prefix } = route.rewrite
  const base = prefix.kind === 'replace' ? prefix.with : '/'
  const below = base === '/' ? inside : inside.slice(base.length)
  return below === '' || below === '/' ? (from === '/' ? '/' : from) : joinPaths(from, below)
}

interface Node {
  literals: Map<string, Node>
  mixed: { segment: Segment; node: Node }[]
  parameter: Node | undefined
  here: Route[]
  below: Route[]
}

const newNode = (): Node => ({
  literals: new Map(),
  mixed: [],
  parameter: undefined,
  here: [],
  below: [],
})

export interface RouteRequest {
  host: string
  /** Whether it came by TLS; as addresses are given out, where absent. */
  scheme?: Scheme
  method: string
  /** Without query. */
  path: string
  /** What it says where a route has conditions; nothing where absent. */
  values?: Values
  /** What its message says, once that has been read. */
  soap?: SoapMessage
  /** Where whoever calls stands between 0 and 100, as a route tells callers apart; among those who get what all get where absent. */
  side?: (route: Route | undefined) => number
}

export type Match =
  | { kind: 'route'; route: Route }
  | { kind: 'host' }
  /** Nothing takes it; what comes by TLS may be taken. */
  | { kind: 'path'; byTls: boolean }
  | { kind: 'withheld'; route: Route }
  | { kind: 'method'; allowed: string[] }
  /** A SOAP message says which of several routes takes it. */
  | { kind: 'message' }

/**
 * Matches requests to routes. Precedence follows HTTPRoute (Gateway API v1, HTTPRouteRule): literal text before
 * parameters, longer before shorter, earlier before later. Segments are compared as they are once decoded.
 */
export class Router {
  private readonly hosts = new Map<string, Node>()
  /** Versions that a part of the callers gets. */
  private readonly portions: Portion[]

  constructor(readonly routes: Route[]) {
    const parted = grouped(
      routes.filter(({ portion }) => portion !== undefined),
      ({ placement, version }) => `${placement} ${version}`,
    )
    this.portions = [...parted.values()].map((next) => {
      const [{ placement, portion }] = next as [Route, ...Route[]]
      const whole = routes.filter((one) => one.placement === placement && one.portion === undefined)
      return {
        percent: portion!,
        whole: new Router(whole),
        next: new Router(next.map((route) => ({ ...route, portion: undefined }))),
      }
    })
    for (const route of routes) {
      if (route.portion !== undefined) continue
      let node = this.hosts.get(route.host)
      if (!node) this.hosts.set(route.host, (node = newNode()))
      for (const segment of parseTemplate(route.path, route.open).segments)
        node = descend(node, segment)
      const place = route.open ? node.below : node.here
      const after = place.findIndex((other) => precedence(other) < precedence(route))
      place.splice(after === -1 ? place.length : after, 0, route)
    }
  }

  /** What takes a request: of two versions of a placement the one that its caller gets. */
  match(request: RouteRequest): Match {
    const match = this.matchWhole(request)
    const { side } = request
    if (side === undefined) return match
    for (const { percent, whole, next } of this.portions) {
      const now = whole.matchWhole(request)
      const then = next.matchWhole(request)
      if (isNothing(now) && isNothing(then)) continue
      // What is only taken by TLS is sent on to there by the version that all others get.
      if (then.kind === 'path' && then.byTls) return match
      const known = routeIn(now) ?? routeIn(then) ?? whole.routes[0] ?? next.routes[0]
      return side(known) < percent ? then : match
    }
    return match
  }

  private matchWhole(request: RouteRequest): Match {
    const { host, scheme = 'https', method, path, values = () => [], soap } = request
    const root = this.hosts.get(host.toLowerCase())
    if (!root) return { kind: 'host' }
    const methods = new Set<string>()
    const asked: Asked = { scheme, method, values, methods, soap, waits: false }
    const route = find(root, splitPath(path).map(plainSegment), 0, asked)
    if (asked.waits) return { kind: 'message' }
    if (route && isServed(route)) return { kind: 'route', route }
    // Served by this method too, but not with what this request says: what was found keeps it.
    const isByCondition = methods.has(method) || methods.has('*')
    if (methods.size > 0 && !isByCondition) return { kind: 'method', allowed: [...methods].sort() }
    if (route) return { kind: 'withheld', route }
    const byTls =
      scheme === 'http' && this.matchWhole({ ...request, scheme: 'https' }).kind === 'route'
    return { kind: 'path', byTls }
  }
}

/** A version that a part of the callers gets, in the place of the other one at its placement. */
interface Portion {
  percent: number
  /** The version that all others get. */
  whole: Router
  next: Router
}

const isNothing = ({ kind }: Match) => kind === 'host' || kind === 'path'
const routeIn = (match: Match) => ('route' in match ? match.route : undefined)

/** Among routes of one path: a method before any, then most conditions on headers, then on the query (HTTPRouteRule). */
function precedence({ method, conditions }: Route): number {
  const headers = conditions.filter((condition) => condition.in === 'header').length
  return (method === '*' ? 0 : 10_000) + headers * 100 + (conditions.length - headers)
}

/** A request while a route is looked for: the methods are those that are served at its path. */
interface Asked {
  scheme: Scheme
  method: string
  values: Values
  methods: Set<string>
  soap: SoapMessage | undefined
  /** Whether a route was met that only a message can decide about. */
  waits: boolean
}

function descend(node: Node, segment: Segment): Node {
  if (segment.kind === 'literal') {
    let next = node.literals.get(segment.text)
    if (!next) node.literals.set(segment.text, (next = newNode()))
    return next
  }
  if (segment.kind === 'parameter') return (node.parameter ??= newNode())
  const known = node.mixed.find(
    (m) => m.segment.kind === 'mixed' && m.segment.text === segment.text,
  )
  if (known) return known.node
  const next = newNode()
  node.mixed.push({ segment, node: next })
  return next
}

function find(node: Node, parts: string[], depth: number, asked: Asked): Route | undefined {
  if (depth === parts.length) {
    const route = chosen(node.here, asked)
    if (route) return route
  } else {
    const part = parts[depth]!
    const literal = node.literals.get(part)
    const nexts: Node[] = literal ? [literal] : []
    for (const { segment, node: next } of node.mixed)
      if (segmentMatches(segment, part)) nexts.push(next)
    if (node.parameter && part !== '') nexts.push(node.parameter)
    for (const next of nexts) {
      const route = find(next, parts, depth + 1, asked)
      if (route) return route
    }
  }
  return chosen(node.below, asked)
}

function chosen(routes: Route[], asked: Asked): Route | undefined {
  const { scheme, method, values, methods } = asked
  const listens = ({ listener }: Route) => listener === undefined || listener === scheme
  const found = routes.find(
    (route) =>
      listens(route) &&
      (route.method === method || route.method === '*') &&
      (route.conditions.length === 0 || fulfils(route.conditions, values)) &&
      (route.soap.length === 0 || isCalled(route, asked)),
  )
  if (found && isServed(found)) return found
  for (const route of routes)
    if (isServed(route) && listens(route) && route.conditions.length === 0)
      methods.add(route.method)
  return found
}

/** Whether a message calls a route; without a message nobody knows yet. */
function isCalled({ soap }: Route, asked: Asked): boolean {
  if (asked.soap) return soapMatches(soap, asked.soap)
  asked.waits = true
  return false
}

/** Two routes that would answer the same requests; the first named belongs to `mine`. */
export function conflicts(mine: Route[], others: Route[]): { mine: Route; other: Route }[] {
  const taken = new Map(others.map((route) => [identity(route), route]))
  return mine.flatMap((route) => {
    const other = taken.get(identity(route))
    return other ? [{ mine: route, other }] : []
  })
}

/**
 * What makes two routes the same route: host, method, path and conditions, whatever their parameters are called. What is
 * taken by TLS is the same whether it is taken without it too.
 */
export const identity = (
  route: Pick<Route, 'host' | 'listener' | 'method' | 'path' | 'open' | 'conditions' | 'soap'>,
) =>
  `${route.listener === 'http' ? 'plain ' : ''}${route.host} ${route.method} ${route.path.replace(/\{[^}]*\}/g, '{}')}${route.open ? '/…' : ''}${conditionsText(route.conditions)}${route.soap.map(messageText).join()}`

/** A route as people read it: `GET /supply/v2/notices with x-channel: field`. */
export const routeName = ({ listener, method, path, open, conditions, soap, name }: Route) =>
  soap.length > 0
    ? `${name.replace(/^\w+ \//, '')} of ${path}`
    : `${method === '*' ? 'any method' : method} ${path}${open ? ' and below' : ''}${conditionsText(conditions)}${listener === 'http' ? ' without TLS' : ''}`
