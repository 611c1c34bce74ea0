import { wordsOf, policyKinds, policyNames, type PolicyName } from '../runtime/policies'
import { lifecycleText } from '../runtime/lifecycle'
import { redirectText } from '../runtime/redirect'
import { identity, isServed, routeName, type Route, type BackendTarget } from '../runtime/routes'
import type { Described } from '../runtime/described'
import type { Face } from '../runtime/rest-face'
import { sha256Hex } from '../ledger/chain'
import { canonical } from '../text/canonical'
import { isSame } from '../text/values'

/** One thing a gateway does differently from what was approved, with both values in words. */
export interface Difference {
  /** `GET /supply/v2/notices/{id}`: the outside path. */
  where: string
  /** What differs: the title of a policy in lower case, or a part of the route itself. */
  what: string
  ledger: string
  gateway: string
  cause: string
  /** What requests of the operations it is about are counted as, for some of them; empty where it is about every one. */
  operations: string[]
}

/** So many operations are named by one difference. */
const mostNamed = 50

/** Where requests of a route go, in words. */
export const targetText = (target: Route['target']): string => {
  if (target.kind === 'withheld') return 'withheld'
  if (target.kind === 'redirect') return redirectText(target)
  return target.kind === 'mock' ? 'mocked' : `served by ${target.name}`
}

const addressText = ({ targets }: BackendTarget) =>
  targets.map(({ url, weight }) => (targets.length > 1 ? `${url} (${weight})` : url)).join(', ')

const prefixText = (route: Route) => {
  const prefix = route.rewrite?.prefix
  if (!prefix || prefix.kind === 'keep') return 'kept'
  return prefix.kind === 'strip'
    ? `${route.rewrite!.from} removed`
    : `${route.rewrite!.from} becomes ${prefix.with}`
}

/** Key names in use, for telling which key somebody added or took away. */
const keyNames = ({ credentials }: Route) =>
  credentials
    .map(({ name, sha256 }) => `${name} ${sha256.slice(0, 8)}`)
    .sort()
    .join(', ') || 'none'

const digests = new WeakMap<object, string>()

/** A definition by its content, which is worked out once for all routes. */
function digestOf(described: Described | Face): string {
  let digest = digests.get(described)
  if (digest === undefined) {
    digest = `definition ${sha256Hex(canonical(described)).slice(0, 12)}`
    digests.set(described, digest)
  }
  return digest
}

/** What may differ, in words: the first of them that differs is shown. */
type Facet = Pick<Difference, 'what' | 'cause'> & { texts: (route: Route) => string[] }

/** What requests of a route are counted as; of nobody's, by its outside path. */
const countedAs = ({ placement, name, method, path }: Route) =>
  placement === '' ? `${method} ${path}` : name

const edited = 'Somebody changed it on the gateway'

/** A policy in words, shortly, with its note, and as it is written: the first in which two differ is what is shown. */
const policyTexts = (policy: PolicyName, route: Route): string[] => {
  const config = route.policies[policy]
  if (!config) return ['none', 'none', 'none']
  const { text, note } = wordsOf(policy, config)
  return [text, note === undefined ? text : `${text} (${note})`, canonical(config)]
}

const policyFacets = policyNames.map((policy): Facet & { policy: PolicyName } => ({
  policy,
  what: policyKinds[policy].title.toLowerCase(),
  texts: (route) => policyTexts(policy, route),
  cause: policy === 'authentication' ? 'The protection was changed on the gateway' : edited,
}))

const facets: Facet[] = [
  { what: 'backend', texts: ({ target }) => [targetText(target)], cause: edited },
  {
    what: 'address',
    texts: ({ target }) => (target.kind === 'backend' ? [addressText(target)] : []),
    cause: 'The backend was pointed somewhere else on the gateway',
  },
  {
    what: 'address of the share',
    texts: ({ share }) => [share ? addressText(share) : 'none'],
    cause: 'The share of traffic was sent somewhere else on the gateway',
  },
  {
    what: 'time limit',
    texts: ({ target }) => (target.kind === 'backend' ? [`${target.timeoutMs} ms`] : []),
    cause: edited,
  },
  {
    what: 'mock',
    texts: ({ target }) =>
      target.kind === 'mock'
        ? [JSON.stringify(target.answers[0]), JSON.stringify(target.answers)]
        : [],
    cause: 'The mock answers something else than was approved',
  },
  {
    what: 'plain http',
    texts: ({ listener }) => [listener === undefined ? 'taken too' : 'not taken'],
    cause: 'The listener was changed on the gateway',
  },
  { what: 'prefix', texts: (route) => [prefixText(route)], cause: edited },
  {
    what: 'keys',
    texts: (route) => [keyNames(route)],
    cause: 'A key was added or taken away on the gateway',
  },
  {
    what: 'definition',
    texts: ({ described }) => [described ? digestOf(described) : 'none'],
    cause: 'The gateway holds requests against another definition',
  },
  {
    what: 'rest face',
    texts: ({ face }) => [
      face ? 'JSON' : 'none',
      face ? `${digestOf(face.of)} ${canonical(face.call)}` : 'none',
    ],
    cause: 'Messages are translated by something else than was approved',
  },
  {
    what: 'deprecation',
    texts: ({ lifecycle }) => [
      lifecycleText(lifecycle),
      `${lifecycleText(lifecycle)}; read ${lifecycle?.documentation ?? 'nothing'}`,
    ],
    cause: 'Callers are told something else of its end',
  },
  {
    what: 'version',
    texts: (route) => [`${route.version} revision ${route.revision}`],
    cause: 'The gateway runs another revision',
  },
]

/**
 * What differs between the approved routes of a placement and those that run. The same difference on every route (a limit
 * raised for all) is one difference, not many; so is a placement that is missing or stands at another address as a whole.
 */
export function compareRoutes(approved: Route[], running: Route[]): Difference[] {
  const moved = movedTo(approved, running)
  if (moved) return [moved.difference, ...compareShared(moved.pairs)]
  const missing = missingAsAWhole(approved, running)
  if (missing) return [missing, ...compareEach([], running)]
  return compareEach(approved, running)
}

/** Every approved operation is gone. */
function missingAsAWhole(approved: Route[], running: Route[]): Difference | undefined {
  const theirs = new Set(running.filter(isServed).map(identity))
  const served = approved.filter(isServed)
  if (served.length === 0 || served.some((route) => theirs.has(identity(route)))) return undefined
  return {
    where: 'every operation',
    what: 'placement',
    ledger: served.length === 1 ? routeName(served[0]!) : `${served.length} routes`,
    gateway: 'not there',
    cause: 'The placement was taken off the gateway',
    operations: [],
  }
}

/** The address of a path without the end that it has in common with another, segment by segment. */
function apart(one: string, other: string): { one: string; other: string } {
  const [ours, theirs] = [one.split('/'), other.split('/')]
  while (ours.length > 1 && theirs.length > 1 && ours.at(-1) === theirs.at(-1)) {
    ours.pop()
    theirs.pop()
  }
  return { one: ours.join('/') || '/', other: theirs.join('/') || '/' }
}

/** The same operations at another host or below another base path; each with what was approved in its place. */
function movedTo(approved: Route[], running: Route[]) {
  const byName = new Map(
    running.filter(({ placement }) => placement !== '').map((route) => [route.name, route]),
  )
  if (approved.length === 0 || byName.size !== approved.length) return undefined
  const pairs: [Route, Route][] = []
  const addresses = new Set<string>()
  for (const route of approved) {
    const other = byName.get(route.name)
    if (other?.method !== route.method) return undefined
    if (other.host === route.host && other.path === route.path) return undefined
    const paths = apart(route.path, other.path)
    addresses.add(`${route.host}${paths.one}\n${other.host}${paths.other}`)
    pairs.push([route, other])
  }
  const [address = '', another] = addresses
  const [ledger = '', gateway = ''] = address.split('\n')
  if (another !== undefined || ledger === gateway) return undefined
  const difference: Difference = {
    where: 'every operation',
    what: 'address of the placement',
    ...{ ledger, gateway },
    cause: 'The placement was moved on the gateway',
    operations: [],
  }
  return { difference, pairs }
}

function compareEach(approved: Route[], running: Route[]): Difference[] {
  const theirs = new Map(running.map((route) => [identity(route), route]))
  const ours = new Set(approved.map(identity))
  const differences: Difference[] = []
  const shared: [Route, Route][] = []
  const taken = (route: Route) => ({
    where: routeName(route),
    what: 'route' as const,
    ledger: targetText(route.target),
    gateway: isServed(route) ? 'not served' : 'not kept from other routes',
    cause: 'The route was taken off the gateway',
    operations: [countedAs(route)],
  })
  const added = (route: Route) => ({
    where: routeName(route),
    what: 'route' as const,
    ledger: 'withheld',
    gateway: targetText(route.target),
    cause: 'A route was added on the gateway by hand',
    operations: [countedAs(route)],
  })
  for (const route of approved) {
    const other = theirs.get(identity(route))
    if (!other) differences.push(taken(route))
    else if (isServed(route) === isServed(other)) shared.push([route, other])
    else differences.push(isServed(route) ? taken(route) : added(other))
  }
  for (const route of running)
    if (isServed(route) && !ours.has(identity(route))) differences.push(added(route))
  return [...differences, ...compareShared(shared)]
}

/** What differs between routes that both have. */
function compareShared(shared: [Route, Route][]): Difference[] {
  const differences: Difference[] = []
  for (const facet of facets) differences.push(...compareFacet(facet, shared, shared.length))
  for (const facet of policyFacets) {
    const different = shared.filter(
      ([mine, other]) => !isSame(mine.policies[facet.policy], other.policies[facet.policy]),
    )
    differences.push(...compareFacet(facet, different, shared.length))
  }
  return differences
}

function compareFacet(
  { what, texts, cause }: Facet,
  pairs: [Route, Route][],
  of: number,
): Difference[] {
  const found = new Map<string, { routes: Route[]; ledger: string; gateway: string }>()
  for (const [mine, theirs] of pairs) {
    const [ours, others] = [texts(mine), texts(theirs)]
    const shown = ours.findIndex((text, index) => text !== others[index])
    const [ledger, gateway] = [ours[shown], others[shown]]
    if (ledger === undefined || gateway === undefined) continue
    const key = `${ledger}\n${gateway}`
    const known = found.get(key)
    if (known) known.routes.push(mine)
    else found.set(key, { routes: [mine], ledger, gateway })
  }
  return [...found.values()].map(({ routes, ledger, gateway }) => ({
    where:
      routes.length === 1
        ? routeName(routes[0]!)
        : routes.length === of
          ? 'every operation'
          : `${routes.length} operations`,
    what,
    ledger,
    gateway,
    cause,
    operations: routes.length === of ? [] : routes.slice(0, mostNamed).map(countedAs),
  }))
}
