import type { MockResponse } from '../contract/samples'
import { isHostName } from './addresses'
import { readBackendAddress } from './backend-address'
import { whyNoTemplate } from './template'

/** What happens to one operation at a place. Nothing is left out by forgetting: undecided is its own state. */
export type Treatment =
  | { kind: 'undecided' }
  | { kind: 'route'; backend: string }
  | { kind: 'mock' }
  | { kind: 'withheld'; reason: string }

/** One row of a route table, keyed by the operation's name in the contract. */
export interface RouteRow {
  method: string
  path: string
  treatment: Treatment
}

/** An upstream service. `url` has no trailing slash; the time limit is in milliseconds. */
export interface Backend {
  name: string
  url: string
  timeoutMs: number
}

/** What becomes of the base path on the way in. */
export type Prefix = { kind: 'keep' } | { kind: 'strip' } | { kind: 'replace'; with: string }

export type KeyRequirement =
  { required: true; header: string } | { required: false; reason: string }

/** Requests allowed in a window of so many seconds, for each key, or for each address where no key is asked for. */
export interface RateLimit {
  requests: number
  seconds: number
}

/** The intent of a placement: everything that decides how a gateway should serve a version at one place. */
export interface PlacementSpec {
  host: string
  basePath: string
  prefix: Prefix
  backends: Backend[]
  routes: RouteRow[]
  key: KeyRequirement
  limit?: RateLimit
}

/** A consumer's key as gateways know it: the name for the log, and only a digest of the secret. */
export interface KeyDigest {
  name: string
  sha256: string
}

export const operationKey = ({ method, path }: { method: string; path: string }) =>
  `${method} ${path.replace(/\{[^}]*\}/g, '{}')}`

export const rowName = ({ method, path }: { method: string; path: string }) => `${method} ${path}`

/** The whole outside address of an operation. The stand-in gateways speak for an HTTPS listener. */
export const outsideAddress = (spec: Pick<PlacementSpec, 'host' | 'basePath'>, path: string) =>
  `https://${spec.host}${joinPaths(spec.basePath, path)}`

/** Joins two path parts with exactly one slash between them. */
export function joinPaths(base: string, path: string): string {
  const joined = base.replace(/\/+$/, '') + '/' + path.replace(/^\/+/, '')
  return joined === '' ? '/' : joined
}

export const windowName = (seconds: number) =>
  ({ 1: 'second', 60: 'minute', 3600: 'hour', 86400: 'day' })[seconds] ?? `${seconds} s`

export const limitText = (limit: RateLimit | undefined) =>
  limit ? `${limit.requests} / ${windowName(limit.seconds)}` : 'none'

export const keyText = (header: string | undefined) =>
  header === undefined ? 'no key' : `key in ${header}`

/**
 * Why a specification cannot be placed; empty when it can. Each complaint names its field. `reserved` are addresses that
 * no backend may have.
 */
export function complaintsOf(
  spec: PlacementSpec,
  reserved: string[] = [],
): { field: string; message: string }[] {
  const complaints: { field: string; message: string }[] = []
  const complain = (field: string, message: string) => complaints.push({ field, message })
  if (!isHostName(spec.host)) {
    complain('host', `"${spec.host}" is not a host name; write it without scheme, port or path`)
  }
  if (
    !/^\/([\w.~-]+(\/[\w.~-]+)*)?$/.test(spec.basePath) ||
    whyNoTemplate(spec.basePath) !== undefined
  ) {
    complain('basePath', 'The base path begins with a slash and has no slash at its end')
  }
  if (
    spec.prefix.kind === 'replace' &&
    (whyNoTemplate(spec.prefix.with) !== undefined || /[{}%]/.test(spec.prefix.with))
  ) {
    complain(
      'prefix',
      'The path put in place of the prefix begins with a slash and is a plain path',
    )
  }
  const names = new Set(spec.backends.map((backend) => backend.name))
  if (names.size < spec.backends.length) complain('backends', 'Two backends have the same name')
  for (const { name, url } of spec.backends) {
    const read = readBackendAddress(url, reserved)
    if ('refused' in read) complain('backends', `The address of ${name}, ${url}, ${read.refused}`)
  }
  for (const row of spec.routes) {
    const why = row.treatment.kind === 'withheld' ? undefined : whyNoTemplate(row.path)
    if (why) complain('routes', `The path of ${rowName(row)} ${why}, which no gateway can route`)
  }
  const undecided = spec.routes.filter((row) => row.treatment.kind === 'undecided')
  if (undecided.length > 0) {
    complain(
      'routes',
      `${undecided.length} of ${spec.routes.length} operations are undecided: ${undecided.slice(0, 3).map(rowName).join(', ')}${undecided.length > 3 ? ' …' : ''}. Route, mock or withhold each`,
    )
  }
  for (const row of spec.routes) {
    if (row.treatment.kind === 'withheld' && row.treatment.reason.trim() === '') {
      complain('routes', `${rowName(row)} is withheld without a reason`)
    }
    if (row.treatment.kind === 'route' && !names.has(row.treatment.backend)) {
      complain(
        'routes',
        `${rowName(row)} is routed to "${row.treatment.backend}", which is not a backend here`,
      )
    }
  }
  if (!spec.key.required && spec.key.reason.trim() === '') {
    complain('key', 'Say why no key is asked for')
  }
  return complaints
}

/** What compiling a placement needs beside the specification. */
export interface PlacementFacts {
  /** Unique name on the gateway; also the label that says which resources are the ledger's. */
  name: string
  gateway: string
  version: string
  revision: number
  keys: KeyDigest[]
  mocks: Map<string, MockResponse>
}
