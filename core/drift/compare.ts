import { keyText, limitText } from '../routing/placement'
import { identity, isServed, type Route } from '../routing/routes'

/** One thing a gateway does differently from what was approved, with both values in words. */
export interface Difference {
  /** `GET /supply/v2/notices/{id}`: the outside path. */
  where: string
  what:
    | 'route'
    | 'backend'
    | 'address'
    | 'time limit'
    | 'mock'
    | 'prefix'
    | 'key'
    | 'keys'
    | 'rate limit'
    | 'version'
  ledger: string
  gateway: string
  cause: string
}

const targetText = ({ target }: Route) => {
  if (target.kind === 'withheld') return 'withheld'
  return target.kind === 'mock' ? 'mocked' : `served by ${target.name}`
}

const prefixText = (route: Route) => {
  const prefix = route.rewrite?.prefix
  if (!prefix || prefix.kind === 'keep') return 'kept'
  return prefix.kind === 'strip'
    ? `${route.rewrite!.from} removed`
    : `${route.rewrite!.from} becomes ${prefix.with}`
}

/** Key names in use, for telling which key somebody added or took away. */
const keyNames = (route: Route) =>
  (route.key?.keys ?? [])
    .map((k) => `${k.name} ${k.sha256.slice(0, 8)}`)
    .sort()
    .join(', ') || 'none'

type Facet = Pick<Difference, 'what' | 'cause'> & { text: (route: Route) => string }

const edited = 'Somebody changed it on the gateway'

const facets: Facet[] = [
  { what: 'backend', text: targetText, cause: edited },
  {
    what: 'address',
    text: ({ target }) => (target.kind === 'backend' ? target.url : ''),
    cause: 'The backend was pointed somewhere else on the gateway',
  },
  {
    what: 'time limit',
    text: ({ target }) => (target.kind === 'backend' ? `${target.timeoutMs} ms` : ''),
    cause: edited,
  },
  {
    what: 'mock',
    text: ({ target }) => (target.kind === 'mock' ? JSON.stringify(target.answer) : ''),
    cause: 'The mock answers something else than was approved',
  },
  { what: 'prefix', text: prefixText, cause: edited },
  {
    what: 'key',
    text: (route) => keyText(route.key?.header),
    cause: 'The protection was changed on the gateway',
  },
  { what: 'keys', text: keyNames, cause: 'A key was added or taken away on the gateway' },
  { what: 'rate limit', text: (route) => limitText(route.limit), cause: edited },
  {
    what: 'version',
    text: (route) => `${route.version} revision ${route.revision}`,
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
    where: `${route.method} ${route.path}`,
    what: 'route' as const,
    ledger: targetText(route),
    gateway: isServed(route) ? 'not served' : 'not kept from other routes',
    cause: 'The route was taken off the gateway',
  })
  const added = (route: Route) => ({
    where: `${route.method} ${route.path}`,
    what: 'route' as const,
    ledger: 'withheld',
    gateway: targetText(route),
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
  for (const facet of facets) differences.push(...compareFacet(facet, shared))
  return differences
}

function compareFacet({ what, text, cause }: Facet, pairs: [Route, Route][]): Difference[] {
  const found = new Map<string, { first: Route; count: number; ledger: string; gateway: string }>()
  for (const [mine, theirs] of pairs) {
    const ledger = text(mine)
    const gateway = text(theirs)
    if (ledger === gateway || ledger === '' || gateway === '') continue
    const key = `${ledger}\n${gateway}`
    const known = found.get(key)
    if (known) known.count++
    else found.set(key, { first: mine, count: 1, ledger, gateway })
  }
  return [...found.values()].map(({ first, count, ledger, gateway }) => ({
    where:
      count === 1
        ? `${first.method} ${first.path}`
        : count === pairs.length
          ? 'every operation'
          : `${count} operations`,
    what,
    ledger,
    gateway,
    cause,
  }))
}
