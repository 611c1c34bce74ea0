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
}

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
 * What differs between approved routes and running ones. The same difference on every route of a placement (a limit
 * raised for all) is one difference, not many.
 */
export function compareRoutes(approved: Route[], running: Route[]): Difference[] {
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
  })
  const added = (route: Route) => ({
    where: routeName(route),
    what: 'route' as const,
    ledger: 'withheld',
    gateway: targetText(route.target),
    cause: 'A route was added on the gateway by hand',
  })
  for (const route of approved) {
    const other = theirs.get(identity(route))
    if (!other) differences.push(taken(route))
    else if (isServed(route) === isServed(other)) shared.push([route, other])
    else differences.push(isServed(route) ? taken(route) : added(other))
  }
  for (const route of running)
    if (isServed(route) && !ours.has(identity(route))) differences.push(added(route))
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
  const found = new Map<string, { first: Route; count: number; ledger: string; gateway: string }>()
  for (const [mine, theirs] of pairs) {
    const [ours, others] = [texts(mine), texts(theirs)]
    const shown = ours.findIndex((text, index) => text !== others[index])
    const [ledger, gateway] = [ours[shown], others[shown]]
    if (ledger === undefined || gateway === undefined) continue
    const key = `${ledger}\n${gateway}`
    const known = found.get(key)
    if (known) known.count++
    else found.set(key, { first: mine, count: 1, ledger, gateway })
  }
  return [...found.values()].map(({ first, count, ledger, gateway }) => ({
    where:
      count === 1 ? routeName(first) : count === of ? 'every operation' : `${count} operations`,
    what,
    ledger,
    gateway,
    cause,
  }))
}
