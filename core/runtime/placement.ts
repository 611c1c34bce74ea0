import { canonicalName } from './headers'
import type { MockAnswer } from '../contract/mocks'
import { isHostName, overlaps } from './addresses'
import { readBackendAddress } from './backend-address'
import { conditionText, type Condition } from './conditions'
import type { Described } from './described'
import type { Misfit } from './fields'
import type { LifecycleFacts } from './lifecycle'
import { isOff, type PolicySet } from './policies'
import { overruledBy, resolvePolicies, type Scope } from './resolve'
import { whyNoToken } from './policies/checks'
import type { Face } from './rest-face'
import type { SoapMatch } from './soap'
import { hasControl, whyNoTemplate } from './template'

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
  /** What holds for this operation alone. */
  policies?: PolicySet
}

/**
 * A route beside those of the operations: for what the definition does not have, or for requests of an operation that
 * say something more. Where it takes whole paths, it is what unknown paths get.
 */
export interface FurtherRoute {
  name: string
  /** Any method where absent. */
  method?: string
  /** Below the base path. */
  path: string
  /** Whether everything below the path is taken too. */
  below?: boolean
  conditions?: Condition[]
  treatment: Extract<Treatment, { kind: 'route' | 'withheld' }>
}

/** The outside path of a further route: `/` is the base path itself. */
export const furtherPath = (base: string, path: string) =>
  path === '/' ? base : joinPaths(base, path)

/** What the definition of a REST face is called, below its base path. */
export const faceDocument = 'openapi.json'

/** Where a backend can be reached. */
export interface Target {
  /** Without a slash at its end. */
  url: string
  /** Its share of requests beside other targets; 1 where absent. */
  weight?: number
  /** The one gateway that uses it, in the place of those for all. */
  gateway?: string
}

/** An upstream service: its first target and what else it has. The timeout is in milliseconds. */
export interface Backend extends Target {
  name: string
  timeoutMs: number
  others?: Target[]
}

/** Where a gateway reaches a backend: its own targets, or else those that are for every gateway. */
export function targetsOf(backend: Backend, gateway: string): Target[] {
  const all = [backend, ...(backend.others ?? [])]
  const own = all.filter((target) => target.gateway === gateway)
  return own.length > 0 ? own : all.filter((target) => target.gateway === undefined)
}

/** What becomes of the base path on the way in. */
export type Prefix = { kind: 'keep' } | { kind: 'strip' } | { kind: 'replace'; with: string }

/** The intent of a placement: everything that decides how a gateway should serve a version at one place. */
export interface PlacementSpec {
  host: string
  basePath: string
  /** Further base paths at which the same is served. */
  otherBasePaths?: string[]
  prefix: Prefix
  backends: Backend[]
  routes: RouteRow[]
  furtherRoutes?: FurtherRoute[]
  /** Operations of SOAP are served as JSON over HTTP; by SOAP itself where absent. */
  face?: 'rest'
  policies: PolicySet
}

/** Every base path of a placement, the main one first. */
export const basePathsOf = ({
  basePath,
  otherBasePaths = [],
}: Pick<PlacementSpec, 'basePath' | 'otherBasePaths'>): string[] => [basePath, ...otherBasePaths]

/** A consumer's key as gateways know it: the name for the log, and only a digest of the secret. */
export interface KeyDigest {
  name: string
  sha256: string
}

export const operationKey = ({ method, path }: { method: string; path: string }) =>
  `${method} ${path.replace(/\{[^}]*\}/g, '{}')}`

export const rowName = ({ method, path }: { method: string; path: string }) => `${method} ${path}`

/** The whole outside address of an operation; of the base path itself, where SOAP is spoken, without one. */
export const outsideAddress = (
  { host, basePath }: Pick<PlacementSpec, 'host' | 'basePath'>,
  path?: string,
) => `https://${host}${path === undefined ? basePath : joinPaths(basePath, path)}`

/** Joins two path parts with exactly one slash between them. */
export function joinPaths(base: string, path: string): string {
  const joined = base.replace(/\/+$/, '') + '/' + path.replace(/^\/+/, '')
  return joined === '' ? '/' : joined
}

/**
 * Why a specification cannot be placed; empty when it can. Each complaint names its field. `reserved` are addresses that
 * no backend may have, `outer` the scopes around the placement.
 */
export function complaintsOf(
  spec: PlacementSpec,
  reserved: string[] = [],
  outer: readonly Scope[] = [],
): Misfit[] {
  const complaints: Misfit[] = []
  const complain = (field: string, message: string) => complaints.push({ field, message })
  if (!isHostName(spec.host)) {
    complain('host', `"${spec.host}" is not a host name; write it without scheme, port or path`)
  }
  if (!isBasePath(spec.basePath))
    complain('basePath', 'The base path begins with a slash and has no slash at its end')
  for (const [index, path] of (spec.otherBasePaths ?? []).entries())
    if (!isBasePath(path))
      complain(
        `otherBasePaths.${index}`,
        'A base path begins with a slash and has no slash at its end',
      )
  const bases = basePathsOf(spec)
  const within = bases.find((path, i) => bases.some((other, j) => i !== j && overlaps(path, other)))
  if (within !== undefined)
    complain('otherBasePaths', `${within} is the same as another base path, or inside of it`)
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
  for (const { name, url, others = [] } of spec.backends) {
    for (const address of [url, ...others.map((target) => target.url)]) {
      const read = readBackendAddress(address, reserved)
      if ('refused' in read)
        complain('backends', `The address of ${name}, ${address}, ${read.refused}`)
    }
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
  for (const [index, { policies }] of spec.routes.entries())
    if (policies?.transport)
      complain(
        `routes.${index}.policies.transport`,
        'Whether TLS is needed is the same for a whole placement: its operations share its address',
      )
  complaints.push(...furtherComplaints(spec, names))
  complaints.push(...policyComplaints(spec, outer), ...shareComplaints(spec, names, outer))
  return complaints
}

function furtherComplaints({ furtherRoutes = [] }: PlacementSpec, backends: Set<string>): Misfit[] {
  const seen = new Set<string>()
  return furtherRoutes.flatMap((route, index) => {
    const { name, path, conditions = [], treatment } = route
    const complain = (message: string) => [{ field: `furtherRoutes.${index}`, message }]
    if (!/^[a-z\d-]{1,40}$/.test(name))
      return complain(`"${name}": name a further route in lower case letters, digits and hyphens`)
    if (seen.has(name)) return complain(`Two further routes are called ${name}`)
    seen.add(name)
    if (route.method !== undefined && !/^[A-Z]{1,20}$/.test(route.method))
      return complain(`${name}: ${route.method} is no method`)
    const why = whyNoTemplate(path)
    if (why) return complain(`The path of ${name} ${why}`)
    if (route.below && path.includes('{'))
      return complain(`${name} takes everything below its path, which has a parameter`)
    const asked = conditions.map(
      (one) => `${one.in} ${one.in === 'header' ? canonicalName(one.name) : one.name}`,
    )
    if (new Set(asked).size < asked.length)
      return complain(`${name} asks twice about the same header or query parameter`)
    if (conditions.some((one) => one.name === '' || one.value === ''))
      return complain(`${name}: a condition needs a name and a value`)
    const unfit = conditions.find((one) => whyNoToken(one.name) ?? hasControl(one.value))
    if (unfit) return complain(`${name}: ${conditionText(unfit)} is nothing a request can say`)
    if (treatment.kind === 'withheld' && treatment.reason.trim() === '')
      return complain(`${name} is withheld without a reason`)
    if (treatment.kind === 'route' && !backends.has(treatment.backend))
      return complain(`${name} is routed to "${treatment.backend}", which is not a backend here`)
    return []
  })
}

const isBasePath = (path: string) =>
  /^\/([\w.~-]+(\/[\w.~-]+)*)?$/.test(path) && whyNoTemplate(path) === undefined

/** What is wrong with the policies of a placement and its operations, where they stand and inside of what is binding. */
function policyComplaints(spec: PlacementSpec, outer: readonly Scope[]): Misfit[] {
  const here = scopesOf(spec, outer)
  const resolved = resolvePolicies(here)
  const complaints = overruledBy(resolved).map(({ policy, message }) => ({
    field: `policies.${policy}`,
    message,
  }))
  const open = spec.routes.filter(({ treatment }) => treatment.kind !== 'withheld')
  const unsaid = (row: RouteRow) =>
    !row.policies?.authentication || isOff(row.policies.authentication)
  if (!resolved.authentication && open.some(unsaid))
    complaints.push({
      field: 'policies.authentication',
      message: 'Say which credential is asked for, or why none is',
    })
  for (const [index, row] of spec.routes.entries()) {
    if (!row.policies) continue
    const own = [...here, operationScope(row)]
    const known = new Set(overruledBy(resolved).map(({ message }) => message))
    for (const { policy, message } of overruledBy(resolvePolicies(own)))
      if (!known.has(message))
        complaints.push({
          field: `routes.${index}.policies.${policy}`,
          message: `${rowName(row)}: ${message}`,
        })
    const path =
      row.policies.rewrite && !isOff(row.policies.rewrite) ? row.policies.rewrite.path : undefined
    const foreign =
      path && parametersOf(path).find((name) => !parametersOf(row.path).includes(name))
    if (foreign !== undefined && foreign !== '')
      complaints.push({
        field: `routes.${index}.policies.rewrite`,
        message: `${rowName(row)} has no path parameter {${foreign}}`,
      })
  }
  const everywhere = spec.policies.rewrite
  if (everywhere && !isOff(everywhere) && everywhere.path !== undefined)
    complaints.push({
      field: 'policies.rewrite',
      message:
        'A path inside belongs to one operation; for all of them, say what becomes of the base path',
    })
  return complaints
}

/** A share of the traffic goes to a backend that there is. */
function shareComplaints(
  spec: PlacementSpec,
  backends: Set<string>,
  outer: readonly Scope[],
): Misfit[] {
  const here = scopesOf(spec, outer)
  const complain = (scopes: Scope[], field: string) => {
    const { share } = resolvePolicies(scopes)
    return share && !backends.has(share.config.backend)
      ? [
          {
            field,
            message: `A share goes to "${share.config.backend}", which is not a backend here`,
          },
        ]
      : []
  }
  return [
    ...complain(here, 'policies.share'),
    ...spec.routes.flatMap((row, index) =>
      row.policies?.share
        ? complain([...here, operationScope(row)], `routes.${index}.policies.share`)
        : [],
    ),
  ]
}

const parametersOf = (path: string) => [...path.matchAll(/\{([^{}/]+)\}/g)].map(([, name]) => name!)

/** The scopes of a placement, outermost first: those around it and its own. */
export const scopesOf = (
  { policies }: Pick<PlacementSpec, 'policies'>,
  outer: readonly Scope[],
): Scope[] => [...outer, { kind: 'placement', name: '', policies, binding: [] }]

/** The scope of one operation. */
export const operationScope = (row: RouteRow): Scope => ({
  kind: 'operation',
  name: rowName(row),
  policies: row.policies ?? {},
  binding: [],
})

/** What compiling a placement needs beside the specification. */
export interface PlacementFacts {
  /** Unique name on the gateway; also the label that says which resources are the ledger's. */
  name: string
  /** The placement whose version this is to be, and how many of a hundred callers get it until it is; the name is another then. */
  portion?: { of: string; percent: number }
  /** The group it is placed on. */
  gateway: string
  /** The gateway that is compiled for; the group's name where that makes no difference. */
  member?: string
  version: string
  revision: number
  keys: KeyDigest[]
  /** What may be answered in the place of a backend, by operation. */
  mocks: Pick<ReadonlyMap<string, MockAnswer[]>, 'get'>
  /** The scopes around the placement, outermost first. */
  outer?: readonly Scope[]
  /** Alternatives of scopes that the definition asks for, by operation. */
  scopes?: Map<string, string[][]>
  /** How operations are called by SOAP; those are served at the base path itself. */
  soap?: Map<string, SoapMatch[]>
  /** The WSDL document, with services at this address. */
  wsdl?: (address: string) => string
  /** The operations of SOAP as JSON over HTTP, and the definition of that, at an address; asked for where it is served so. */
  face?: { calls: () => Face; document: (address: string) => string }
  /** What the register says of its end. */
  lifecycle?: LifecycleFacts
  /** What the definition says of requests and responses; asked for where a policy holds them against it. */
  described?: () => Described
}
