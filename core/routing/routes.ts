import type { MockAnswer } from '../contract/samples'
import { joinPaths, type KeyDigest, type Prefix, type RateLimit } from './placement'
import {
  parseTemplate,
  segmentMatches,
  splitPath,
  type PathTemplate,
  type Segment,
} from './template'

export type RouteTarget =
  | { kind: 'backend'; name: string; url: string; timeoutMs: number }
  | { kind: 'mock'; name: string; answer: MockAnswer }

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

/** The inside path of an outside path on a route. */
export function rewritePath(route: Pick<Route, 'rewrite'>, outside: string): string {
  if (!route.rewrite || route.rewrite.prefix.kind === 'keep') return outside
  const { from, prefix } = route.rewrite
  const below = from === '/' ? outside : outside.slice(from.length)
  if (prefix.kind === 'strip') return below === '' ? '/' : below
  return below === '' ? prefix.with : joinPaths(prefix.with, below)
}

/** The outside path of an inside path on a route: the inverse of {@link rewritePath} for paths it produced. */
export function restorePath(route: Pick<Route, 'rewrite'>, inside: string): string {
  if (!route.rewrite || route.rewrite.prefix.kind === 'keep') return inside
  const { from, prefix } = route.rewrite
  const base = prefix.kind === 'replace' ? prefix.with : '/'
  const below = base === '/' ? inside : inside.slice(base.length)
  return below === '' || below === '/' ? (from === '/' ? '/' : from) : joinPaths(from, below)
}

interface Entry {
  route: Route
  template: PathTemplate
}

interface Node {
  literals: Map<string, Node>
  mixed: { segment: Segment; node: Node }[]
  parameter: Node | undefined
  here: Entry[]
  below: Entry[]
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
  | { kind: 'path'; nearest: Route | undefined }
  | { kind: 'method'; allowed: string[] }

/**
 * Matches requests to routes. Precedence follows HTTPRoute (Gateway API v1, HTTPRouteRule): literal text before
 * parameters, longer before shorter, earlier before later.
 */
export class Router {
  private readonly hosts = new Map<string, Node>()

  constructor(private readonly routes: Route[]) {
    for (const route of routes) {
      let node = this.hosts.get(route.host)
      if (!node) this.hosts.set(route.host, (node = newNode()))
      const template = parseTemplate(route.path, route.open)
      for (const segment of template.segments) node = descend(node, segment)
      ;(route.open ? node.below : node.here).push({ route, template })
    }
  }

  match({ host, method, path }: RouteRequest): Match {
    const root = this.hosts.get(host.toLowerCase())
    if (!root) return { kind: 'host' }
    const methods = new Set<string>()
    const route = find(root, splitPath(path), 0, method, methods)
    if (route) return { kind: 'route', route }
    if (methods.size > 0) return { kind: 'method', allowed: [...methods].sort() }
    return { kind: 'path', nearest: this.nearest({ host, method, path }) }
  }

  /** The route of this host that comes closest to a path nothing matches: most segments agreeing, then method. */
  private nearest({ host, method, path }: RouteRequest): Route | undefined {
    const parts = splitPath(path)
    let best: { route: Route; score: number } | undefined
    for (const route of this.routes) {
      if (route.host !== host.toLowerCase()) continue
      const { segments } = parseTemplate(route.path)
      const agree = agreement(segments, parts)
      const score =
        agree * 10 - Math.abs(segments.length - parts.length) + (route.method === method ? 0.5 : 0)
      if (agree > 0 && (!best || score > best.score)) best = { route, score }
    }
    return best?.route
  }
}

/** Segments in common, in order, whether or not one path has more in front. */
function agreement(segments: Segment[], parts: string[]): number {
  let previous = new Array<number>(parts.length + 1).fill(0)
  for (const segment of segments) {
    const row = [0]
    parts.forEach((part, i) => {
      const weight =
        segment.kind === 'literal'
          ? likeness(segment.text, part)
          : segmentMatches(segment, part)
            ? 0.4
            : 0
      row.push(Math.max(previous[i + 1]!, row[i]!, previous[i]! + weight))
    })
    previous = row
  }
  return previous.at(-1)!
}

/** 1 for the same word; less for words that only begin alike, as a typing mistake does. */
function likeness(a: string, b: string): number {
  if (a === b) return 1
  let alike = 0
  while (alike < a.length && a[alike] === b[alike]) alike++
  return (0.6 * alike) / Math.max(a.length, b.length)
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

function byMethod(entries: Entry[], method: string, methods: Set<string>): Route | undefined {
  for (const { route } of entries) {
    if (route.method === method || route.method === '*') return route
    methods.add(route.method)
  }
  return undefined
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
