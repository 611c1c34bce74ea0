import {
  basePathsOf,
  faceDocument,
  furtherPath,
  joinPaths,
  rowName,
  scopesOf,
  type Backend,
  type PlacementSpec,
  type RouteRow,
} from '../runtime/placement'
import { policyNames, type ConfigOf, type Policies, type PolicySet } from '../runtime/policies'
import { configsOf, resolvePolicies, type Scope } from '../runtime/resolve'
import { identity, routeName, type BackendTarget, type Route } from '../runtime/routes'
import { isSame } from '../text/values'

/** Routes on the gateway that the definition has no operation for, so that no placement can hold them. */
export class NotAdoptable extends Error {
  constructor(readonly routes: string[]) {
    super(
      `The definition has no operation for ${routes.join(', ')}. Add it to the definition first, or put the ledger back`,
    )
  }
}

/**
 * The placement that approves what a gateway runs: the approved one with the gateway's values put in, inside of `outer`
 * scopes. Operations the gateway serves no more become withheld. Throws {@link NotAdoptable}.
 */
export function adoptRunning(
  spec: PlacementSpec,
  running: Route[],
  gateway: string,
  outer: readonly Scope[] = [],
): PlacementSpec {
  const outside = new Map(running.map((route) => [identity(route), route]))
  /** Operations of SOAP share a path: they are known by their names. */
  const called = new Map(
    running.flatMap((route) => (route.soap.length > 0 ? [[route.name, route] as const] : [])),
  )
  const found = (asked: Asked, joined = joinPaths) => {
    const keys = basePathsOf(spec).map((base) =>
      identity({ ...asked, soap: [], host: spec.host, path: joined(base, asked.path) }),
    )
    const routes = keys.flatMap((key) => outside.get(key) ?? [])
    for (const key of keys) outside.delete(key)
    return routes[0]
  }
  const backends = new Map<string, Backend>(spec.backends.map((backend) => [backend.name, backend]))
  const kept: { row: RouteRow; route: Route | undefined }[] = spec.routes.map((row) => {
    const route = found({ ...row, open: false, conditions: [] }) ?? called.get(rowName(row))
    if (route) outside.delete(identity(route))
    if (!route || route.target.kind === 'withheld') {
      if (row.treatment.kind === 'withheld') return { row, route: undefined }
      const reason = 'Taken off the gateway by hand'
      return { row: { ...row, treatment: { kind: 'withheld', reason } }, route: undefined }
    }
    if (route.target.kind === 'redirect') throw new NotAdoptable([routeName(route)])
    if (route.target.kind === 'mock') return { row: { ...row, treatment: { kind: 'mock' } }, route }
    const { name } = route.target
    for (const used of [route.target, ...(route.share ? [route.share] : [])])
      backends.set(used.name, adoptedBackend(backends.get(used.name), used, gateway))
    return { row: { ...row, treatment: { kind: 'route', backend: name } }, route }
  })
  const further = (spec.furtherRoutes ?? []).flatMap((row) => {
    const { method = '*', path, below = false, conditions = [] } = row
    const target = found({ method, path, open: below, conditions }, furtherPath)?.target
    if (target?.kind === 'withheld') {
      const reason = 'Withheld on the gateway by hand'
      return row.treatment.kind === 'withheld'
        ? [row]
        : [{ ...row, treatment: { kind: 'withheld' as const, reason } }]
    }
    if (target?.kind !== 'backend') return []
    backends.set(target.name, adoptedBackend(backends.get(target.name), target, gateway))
    return [{ ...row, treatment: { kind: 'route' as const, backend: target.name } }]
  })
  const left = [...outside.values()].filter(
    (route) => !isDocument(route, spec) && !leadsToTls(route, spec),
  )
  if (left.length > 0) throw new NotAdoptable(left.map(routeName))
  const { furtherRoutes: _, ...rest } = spec
  const first = running.find((route) => !leadsToTls(route, spec))
  if (!first)
    return { ...rest, routes: kept.map(({ row }) => row), backends: [...backends.values()] }
  const approved = configsOf(resolvePolicies(scopesOf(spec, outer)))
  const plain = plainOf(running, spec)
  const policies = adoptedPolicies(spec.policies, approved, {
    ...first.policies,
    ...((approved.transport?.plain ?? 'served') === plain
      ? approved.transport && { transport: approved.transport }
      : { transport: { plain } }),
  })
  const common = configsOf(resolvePolicies(scopesOf({ policies }, outer)))
  return {
    ...rest,
    ...(further.length > 0 && { furtherRoutes: further }),
    prefix: first.rewrite?.prefix ?? { kind: 'keep' },
    backends: [...backends.values()],
    routes: kept.map(({ row, route }) => {
      if (!route) return row
      const { policies: before = {}, ...rest } = row
      const approvedHere = { ...common, ...withoutOff(before), transport: undefined }
      const own = adoptedPolicies(before, approvedHere, route.policies)
      return Object.keys(own).length > 0 ? { ...rest, policies: own } : rest
    }),
    policies,
  }
}

/** What a route takes, below the base path. */
type Asked = Pick<Route, 'method' | 'path' | 'open' | 'conditions'>

/** The document of what a placement serves, at its base paths: no part of what a placement says. */
const isDocument = ({ placement, name, target, path }: Route, spec: PlacementSpec) =>
  placement !== '' &&
  target.kind === 'mock' &&
  basePathsOf(spec).some((base) =>
    name === 'wsdl'
      ? path === base
      : name === faceDocument && path === joinPaths(base, faceDocument),
  )

/** A route that sends plain requests of the whole placement to where TLS is spoken. */
const leadsToTls = ({ listener, target, open, path }: Route, spec: PlacementSpec) =>
  listener === 'http' &&
  target.kind === 'redirect' &&
  target.scheme === 'https' &&
  open &&
  basePathsOf(spec).includes(path)

/** What becomes of plain requests, by where routes are attached. */
function plainOf(running: Route[], spec: PlacementSpec): ConfigOf<'transport'>['plain'] {
  if (running.some(({ listener }) => listener === undefined)) return 'served'
  return running.some((route) => leadsToTls(route, spec)) ? 'redirected' : 'refused'
}

const withoutOff = (set: PolicySet): Policies => {
  const policies: Record<string, object | undefined> = {}
  for (const [name, said] of Object.entries(set)) policies[name] = 'off' in said ? undefined : said
  return policies
}

/** What a scope would have to say so that what runs holds instead of what was approved. */
function adoptedPolicies(said: PolicySet, approved: Policies, running: Policies): PolicySet {
  const adopted: Record<string, object> = { ...said }
  for (const name of policyNames) {
    const [ours, theirs] = [approved[name], running[name]]
    if (isSame(ours, theirs)) continue
    adopted[name] = theirs ?? { off: 'Taken off on the gateway by hand' }
  }
  return adopted
}

/** A backend with the targets a gateway sends to; those of other gateways stay. */
function adoptedBackend(
  before: Backend | undefined,
  { name, targets, timeoutMs }: BackendTarget,
  gateway: string,
): Backend {
  const shared = targets.length > 1
  const written = targets.map(({ url, weight }) => ({ url, ...(shared && { weight }) }))
  const known = before ? [before, ...(before.others ?? [])] : []
  const here = (target: { gateway?: string }) => target.gateway === gateway
  const own = known.some(here)
  const kept = own
    ? known.filter((target) => !here(target))
    : known.filter((target) => target.gateway !== undefined)
  const adopted = own ? written.map((target) => ({ ...target, gateway })) : written
  const [first, ...others] = [...adopted, ...kept.map(targetOnly)]
  return { name, ...first!, timeoutMs, ...(others.length > 0 && { others }) }
}

const targetOnly = ({
  url,
  weight,
  gateway,
}: {
  url: string
  weight?: number
  gateway?: string
}) => ({
  url,
  ...(weight !== undefined && { weight }),
  ...(gateway !== undefined && { gateway }),
})
