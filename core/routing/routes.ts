import type { MockResponse } from '../contract/samples'
import { joinPaths, type KeyDigest, type Prefix, type RateLimit } from './placement'
import { plainSegment } from './target'
import { parseTemplate, segmentMatches, splitPath, type Segment } from './template'

export type RouteTarget =
  | { kind: 'backend'; name: string; url: string; timeoutMs: number }
  | { kind: 'mock'; name: string; answer: MockResponse }
  /** An operation that is not served here, although the template of another one would take its requests. */
  | { kind: 'withheld' }

/** A key requirement as a gateway holds it. */
export interface KeyPolicy {
  header: string
  keys: KeyDigest[]
}

/** One route as a gateway runs it, read from its configuration. */
export interface Route {
  /** The placement whose resources it came from; empty where somebody else wrote it. */
  placement: string
  version: string
  revision: number
  name: string
  host: string
  method: string
  /** The outside path template, base path included. */
  path: string
  open: boolean
  target: RouteTarget
  rewrite: { from: string; prefix: Prefix } | undefined
  key: KeyPolicy | undefined
  limit: RateLimit | undefined
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
  method: string
  /** Without query. */
  path: string
}

export type Match =
  | { kind: 'route'; route: Route }
  | { kind: 'host' }
  | { kind: 'path' }
  | { kind: 'withheld'; route: Route }
  | { kind: 'method'; allowed: string[] }

/**
 * Matches requests to routes. Precedence follows HTTPRoute (Gateway API v1, HTTPRouteRule): literal text before
 * parameters, longer before shorter, earlier before later. Segments are compared as they are once decoded.
 */
export class Router {
  private readonly hosts = new Map<string, Node>()

  constructor(readonly routes: Route[]) {
    for (const route of routes) {
      let node = this.hosts.get(route.host)
      if (!node) this.hosts.set(route.host, (node = newNode()))
      for (const segment of parseTemplate(route.path, route.open).segments)
        node = descend(node, segment)
      ;(route.open ? node.below : node.here).push(route)
    }
  }

  match({ host, method, path }: RouteRequest): Match {
    const root = this.hosts.get(host.toLowerCase())
    if (!root) return { kind: 'host' }
    const methods = new Set<string>()
    const route = find(root, splitPath(path).map(plainSegment), 0, method, methods)
    if (route && isServed(route)) return { kind: 'route', route }
    if (methods.size > 0) return { kind: 'method', allowed: [...methods].sort() }
    return route ? { kind: 'withheld', route } : { kind: 'path' }
  }
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

function find(
  node: Node,
  parts: string[],
  depth: number,
  method: string,
  methods: Set<string>,
): Route | undefined {
  if (depth === parts.length) {
    const route = byMethod(node.here, method, methods)
    if (route) return route
  } else {
    const part = parts[depth]!
    const literal = node.literals.get(part)
    const nexts: Node[] = literal ? [literal] : []
    for (const { segment, node: next } of node.mixed)
      if (segmentMatches(segment, part)) nexts.push(next)
    if (node.parameter && part !== '') nexts.push(node.parameter)
    for (const next of nexts) {
      const route = find(next, parts, depth + 1, method, methods)
      if (route) return route
    }
  }
  return byMethod(node.below, method, methods)
}

function byMethod(routes: Route[], method: string, methods: Set<string>): Route | undefined {
  const found = routes.find((route) => route.method === method || route.method === '*')
  if (found && isServed(found)) return found
  for (const route of routes) if (isServed(route)) methods.add(route.method)
  return found
}

/** Two routes that would answer the same requests; the first named belongs to `mine`. */
export function conflicts(mine: Route[], others: Route[]): { mine: Route; other: Route }[] {
  const taken = new Map(others.map((route) => [identity(route), route]))
  return mine.flatMap((route) => {
    const other = taken.get(identity(route))
    return other ? [{ mine: route, other }] : []
  })
}

/** What makes two routes the same route: host, method and path, whatever their parameters are called. */
export const identity = ({ host, method, path }: Pick<Route, 'host' | 'method' | 'path'>) =>
  `${host} ${method} ${path.replace(/\{[^}]*\}/g, '{}')}`
