import {
  basePathsOf,
  operationScope,
  outsideAddress,
  scopesOf,
  type PlacementSpec,
  type RouteRow,
} from './placement'
import { policyKinds, policyNames, wordsOf, type PolicyName } from './policies'
import type { Words } from './policies/kind'
import { count, listed } from '../text/counted'
import { someOf } from './policies/words'
import { resolvePolicies, type Overruled, type Scope, type ScopeName } from './resolve'
import { stepNames, type StepName } from './steps'

/** One thing that happens to a request at a step: by a policy, or by what the placement is. */
export interface WayItem extends Words {
  step: StepName
  /** Absent for what is no policy: address, route table, backends. */
  policy?: PolicyName
  title: string
  /** Where it comes from; absent for what is no policy. */
  from?: ScopeName
  /** Outer scopes that have a part in it. */
  also: ScopeName[]
  /** The scope that made it binding. */
  boundBy?: ScopeName
  overruled: Overruled[]
}

const plain = (step: StepName, title: string, text: string, note?: string): WayItem => ({
  step,
  title,
  text,
  ...(note !== undefined && { note }),
  also: [],
  overruled: [],
})

/** The way a request takes at a placement, step by step, for every operation or for one, which SOAP may call. */
export function wayOf(
  spec: PlacementSpec,
  outer: readonly Scope[],
  row?: RouteRow,
  isSoap = false,
): WayItem[] {
  const scopes = scopesOf(spec, outer)
  const items = [
    listening(spec),
    matching(spec, row, isSoap && spec.face === undefined),
    ...forwarding(spec, row),
    ...(spec.face ? translating : []),
    ...policyItems(row?.policies ? [...scopes, operationScope(row)] : scopes),
  ]
  return items.sort((a, b) => stepNames.indexOf(a.step) - stepNames.indexOf(b.step))
}

/** What policies of scopes come to, as items of the way. */
export function policyItems(scopes: readonly Scope[]): WayItem[] {
  const resolved = resolvePolicies(scopes)
  return policyNames.flatMap((policy): WayItem[] => {
    const one = resolved[policy]
    if (!one) return []
    const { step, title } = policyKinds[policy]
    const { from, also, boundBy, overruled } = one
    return [
      {
        ...{ step, policy, title, from, also, overruled },
        ...wordsOf(policy, one.config),
        ...(boundBy && { boundBy }),
      },
    ]
  })
}

/** What a REST face does on the way there and back. */
const translating = [
  plain(
    'transform',
    'REST face',
    'JSON becomes a message of SOAP',
    'held against its schema first; one that does not fit is answered 400 with the place',
  ),
  plain('respond', 'REST face', 'its answer becomes JSON', 'faults become problems (RFC 9457)'),
]

function listening(spec: PlacementSpec): WayItem {
  const others = spec.otherBasePaths ?? []
  return plain(
    'listen',
    'Address',
    outsideAddress(spec).replace(/\/$/, ''),
    others.length > 0 ? `and at ${listed(others)}` : undefined,
  )
}

const becomes = ({ prefix }: PlacementSpec) => {
  if (prefix.kind === 'keep') return 'base path is kept'
  return prefix.kind === 'strip' ? 'base path is stripped' : `base path becomes ${prefix.with}`
}

function matching(spec: PlacementSpec, row: RouteRow | undefined, isSoap: boolean): WayItem {
  if (row && isSoap)
    return plain(
      'match',
      'Route',
      `${row.path.split('/').at(-1)} at ${listed(basePathsOf(spec), 'or')}`,
      'called by the first element of its message; an action beside it has to agree',
    )
  if (row)
    return plain(
      'match',
      'Route',
      `${row.method} ${basePathsOf(spec)
        .map((base) => (base === '/' ? row.path : base + row.path))
        .join(' or ')}`,
      becomes(spec),
    )
  const counts = { route: 0, mock: 0, withheld: 0, undecided: 0 }
  for (const { treatment } of spec.routes) counts[treatment.kind]++
  const said = [
    `${counts.route} of ${spec.routes.length} operations are routed`,
    ...(counts.mock > 0 ? [`${counts.mock} mocked`] : []),
    ...(counts.withheld > 0 ? [`${counts.withheld} withheld`] : []),
    ...(counts.undecided > 0 ? [`${counts.undecided} undecided`] : []),
    ...((spec.furtherRoutes?.length ?? 0) > 0
      ? [count(spec.furtherRoutes!.length, 'further route')]
      : []),
  ]
  return plain('match', 'Route table', said.join(', '), `${becomes(spec)}; ${unknownPaths(spec)}`)
}

/** What a path gets that no operation takes. */
function unknownPaths({ furtherRoutes = [] }: PlacementSpec): string {
  const whole = furtherRoutes.find(
    ({ method, path, below, conditions = [] }) =>
      method === undefined && path === '/' && below && conditions.length === 0,
  )
  return whole?.treatment.kind === 'route'
    ? `unknown paths go to ${whole.treatment.backend}`
    : 'unknown paths answer 404'
}

function forwarding(
  { backends, routes, furtherRoutes = [] }: PlacementSpec,
  row: RouteRow | undefined,
): WayItem[] {
  if (row && row.treatment.kind !== 'route')
    return [
      plain(
        'forward',
        'Backend',
        row.treatment.kind === 'mock'
          ? 'answered from the definition’s example'
          : row.treatment.kind,
      ),
    ]
  const used = new Set(
    (row ? [row] : [...routes, ...furtherRoutes]).flatMap(({ treatment }) =>
      treatment.kind === 'route' ? [treatment.backend] : [],
    ),
  )
  const named = backends.filter(({ name }) => used.has(name))
  if (named.length === 0) return [plain('forward', 'Backend', 'no backend: answered from examples')]
  return named.map(({ name, url, timeoutMs, others = [] }) =>
    plain(
      'forward',
      'Backend',
      `${name}: ${others.length === 0 ? url : `${others.length + 1} targets`}, ${(timeoutMs / 1000).toLocaleString('en')} s`,
      others.length > 0 ? someOf([url, ...others.map((target) => target.url)]) : undefined,
    ),
  )
}
