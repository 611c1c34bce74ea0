import { isForHost } from '../../runtime/addresses'
import { isLoopback, isPrivateHost } from '../../runtime/backend-address'
import {
  basePathsOf,
  operationScope,
  rowName,
  scopesOf,
  type Backend,
  type FurtherRoute,
  type PlacementSpec,
  type RouteRow,
} from '../../runtime/placement'
import { policyKinds, wordsOf, type Policies, type PolicyName } from '../../runtime/policies'
import { methodsOf } from '../../runtime/policies/authenticate'
import {
  configsOf,
  resolvePolicies,
  type Resolved,
  type ResolvedPolicies,
  type Scope,
} from '../../runtime/resolve'
import { Fact, many, number, shape, text, texts, truth, value, type World } from './fact'

/** A gateway as rules see it. */
export interface GatewayNode {
  name: string
  group: string
  /** What the ledger could not do there last; empty where all is well or nobody knows. */
  trouble: string
  /** Whether it speaks TLS; undefined where nobody knows. */
  https?: boolean
  /** Its certificates: the host names of each, and the moment it ends. */
  certificates?: readonly { names: readonly string[]; ends: string }[]
}

/** A placement as it is, or as somebody wants it, with what is known around it. */
export interface PlacementNode {
  spec: PlacementSpec
  /** The scopes around it, outermost first. */
  outer: readonly Scope[]
  version: string
  stage: string
  /** Every stage, in order. */
  stages: readonly string[]
  group: string
  gateways: readonly GatewayNode[]
  /** Who answers for the API; empty where nobody does. */
  owner: string
}

interface RouteNode {
  name: string
  row: RouteRow | FurtherRoute
  isFurther: boolean
  policies: Policies
}

interface PolicyNode {
  name: PolicyName
  resolved: Resolved
  /** The operation it holds for; empty where it holds for all. */
  operation: string
}

const worked = new WeakMap<PlacementNode, ResolvedPolicies>()

/** What holds for every operation of a placement, worked out once. */
function resolvedAt(node: PlacementNode): ResolvedPolicies {
  const known = worked.get(node)
  if (known) return known
  const made = resolvePolicies(scopesOf(node.spec, node.outer))
  worked.set(node, made)
  return made
}

/** What a request has to show: the kinds of credentials, each once; none where it is open. */
const credentialsOf = (policies: Policies) => [
  ...new Set(methodsOf(policies.authentication).map(({ kind }) => kind)),
]

const policyNamesOf = (policies: Policies) => Object.keys(policies)
const milliseconds = (policies: Policies) => policies.timeout?.milliseconds ?? null
const perMinute = ({ rate }: Policies) =>
  rate ? Math.round((rate.requests / rate.seconds) * 60) : null

const common = ({ node }: Fact<PlacementNode>) => configsOf(resolvedAt(node))

export const placementShape = shape<PlacementNode>(
  'placement',
  'A version at one place: what gateways are to do with requests.',
  {
    host: text('The host outside.', ({ spec }) => spec.host),
    basePath: text('The base path outside.', ({ spec }) => spec.basePath),
    basePaths: texts('Every base path outside.', ({ spec }) => basePathsOf(spec)),
    prefix: text(
      'What becomes of the base path: keep, strip or replace.',
      ({ spec }) => spec.prefix.kind,
    ),
    version: text('The version.', ({ version }) => version),
    stage: text('The stage it stands in.', ({ stage }) => stage),
    isFirst: truth('Whether that is the first stage.', ({ stage, stages }) => stages[0] === stage),
    isLast: truth(
      'Whether that is the last stage, where consumers are.',
      ({ stage, stages }) => stages.at(-1) === stage,
    ),
    group: text('The gateway group.', ({ group }) => group),
    owner: text('Who answers for the API; empty where nobody does.', ({ owner }) => owner),
    plain: text(
      'What becomes of requests without TLS: served, redirected or refused.',
      (_, fact) => common(fact).transport?.plain ?? 'served',
    ),
    isProtected: truth(
      'Whether every request has to show a credential, but for operations that say otherwise.',
      (_, fact) => credentialsOf(common(fact)).length > 0,
    ),
    openReason: text('Why no credential is asked for; empty where one is.', (_, fact) => {
      const { authentication } = common(fact)
      return authentication?.kind === 'none' ? authentication.reason : ''
    }),
    credentials: texts('The kinds of credentials: api-key, basic, jwt.', (_, fact) =>
      credentialsOf(common(fact)),
    ),
    policyNames: texts('The kinds of policy that hold for every operation.', (_, fact) =>
      policyNamesOf(common(fact)),
    ),
    perMinute: number(
      'How many requests a minute are taken; null where there is no limit.',
      (_, fact) => perMinute(common(fact)),
    ),
    timeoutMs: number(
      'The longest that a request may take in all, in milliseconds; null where nothing says.',
      (_, fact) => milliseconds(common(fact)),
    ),
    policies: many(
      'policy',
      'What holds here, from whichever scope, and what operations say themselves.',
      (_, fact) => policyFacts(fact),
    ),
    routes: many('route', 'Its operations and further routes.', (_, fact) => routeFacts(fact)),
    backends: many('backend', 'The services behind it.', (_, fact) => backendFacts(fact)),
    gateways: many('gateway', 'The gateways of its group.', (_, fact) => gatewayFacts(fact)),
  },
)

const treatmentText = (
  { row: { treatment } }: RouteNode,
  kind: string,
  read: (of: never) => string,
) => (treatment.kind === kind ? read(treatment as never) : '')

/** The last day that a text names; empty where it names none. */
const lastDay = (said: string) => (said.match(/\b\d{4}-\d{2}-\d{2}\b/g) ?? []).sort().at(-1) ?? ''

const reasonOf = (node: RouteNode) =>
  treatmentText(node, 'withheld', ({ reason }: { reason: string }) => reason)

export const routeShape = shape<RouteNode>(
  'route',
  'One operation at a placement, or a further route.',
  {
    name: text('Method and path, or the name of a further route.', ({ name }) => name),
    method: text('The method in capitals; empty for any.', ({ row }) => row.method ?? ''),
    path: text('The path below the base path.', ({ row }) => row.path),
    treatment: text('route, mock, withheld or undecided.', ({ row }) => row.treatment.kind),
    isServed: truth('Whether it answers requests.', ({ row }) =>
      ['route', 'mock'].includes(row.treatment.kind),
    ),
    isFurther: truth(
      'Whether it stands beside the operations of the definition.',
      ({ isFurther }) => isFurther,
    ),
    backend: text('The backend it is sent to; empty where it is to none.', (node) =>
      treatmentText(node, 'route', ({ backend }: { backend: string }) => backend),
    ),
    reason: text('Why it is withheld; empty where it is not.', reasonOf),
    reasonUntil: text('The last day that this reason names; empty where it names none.', (node) =>
      lastDay(reasonOf(node)),
    ),
    isProtected: truth(
      'Whether a request has to show a credential.',
      ({ policies }) => credentialsOf(policies).length > 0,
    ),
    openReason: text(
      'Why none is asked for; empty where one is.',
      ({ policies: { authentication } }) =>
        authentication?.kind === 'none' ? authentication.reason : '',
    ),
    credentials: texts('The kinds of credentials: api-key, basic, jwt.', ({ policies }) =>
      credentialsOf(policies),
    ),
    policyNames: texts('The kinds of policy that hold for it.', ({ policies }) =>
      policyNamesOf(policies),
    ),
    perMinute: number(
      'How many requests a minute are taken; null where there is no limit.',
      ({ policies }) => perMinute(policies),
    ),
    timeoutMs: number(
      'The longest that a request may take in all, in milliseconds; null where nothing says.',
      ({ policies }) => milliseconds(policies),
    ),
  },
)

export const policyShape = shape<PolicyNode>(
  'policy',
  'One policy that holds at a placement, or at one operation of it.',
  {
    name: text('The kind: authentication, rate, cors …', ({ name }) => name),
    title: text('Its title.', ({ name }) => policyKinds[name].title),
    step: text('The step of the way it belongs to.', ({ name }) => policyKinds[name].step),
    says: text(
      'What it does, in words.',
      ({ name, resolved }) => wordsOf(name, resolved.config).text,
    ),
    operation: text(
      'The operation it holds for alone; empty where it holds for all.',
      ({ operation }) => operation,
    ),
    from: text(
      'The scope it comes from: organisation, stage, group, placement or operation.',
      ({ resolved }) => resolved.from.kind,
    ),
    isBinding: truth(
      'Whether it may not be loosened further in.',
      ({ resolved }) => resolved.boundBy !== undefined,
    ),
    loosens: texts('What further in would loosen it, and does not hold.', ({ resolved }) =>
      resolved.overruled.map(({ why }) => why),
    ),
    config: value(
      'Its configuration, by the names that the reference of policies has.',
      ({ resolved }) => resolved.config,
    ),
  },
)

const hostOf = (url: string) => URL.parse(url)?.hostname ?? ''
const addressesOf = ({ url, others = [] }: Backend) => [url, ...others.map((target) => target.url)]

export const backendShape = shape<Backend>('backend', 'A service behind a placement.', {
  name: text('Its name.', ({ name }) => name),
  addresses: texts('The addresses of its targets.', addressesOf),
  hosts: texts('The hosts of its targets.', (node) => addressesOf(node).map(hostOf)),
  targets: number('How many targets it has.', (node) => addressesOf(node).length),
  timeoutMs: number(
    'How long a gateway waits for it, in milliseconds.',
    ({ timeoutMs }) => timeoutMs,
  ),
  isUsed: truth('Whether something is sent to it.', ({ name }, { parent }) => {
    const { spec } = parent!.node as PlacementNode
    const sent = [...spec.routes, ...(spec.furtherRoutes ?? [])].map(({ treatment }) => treatment)
    return sent.some((one) => one.kind === 'route' && one.backend === name)
  }),
  isPlain: truth('Whether some target is reached without TLS.', (node) =>
    addressesOf(node).some((url) => url.startsWith('http:')),
  ),
  isLoopback: truth('Whether some target is on the gateway’s own machine.', (node) =>
    addressesOf(node).some((url) => isLoopback(hostOf(url))),
  ),
  isInside: truth(
    'Whether every target is in a private network, by its address or name (RFC 1918, RFC 4193, .internal).',
    (node) => addressesOf(node).every((url) => isPrivateHost(hostOf(url))),
  ),
})

export const gatewayShape = shape<GatewayNode>('gateway', 'A gateway of the placement’s group.', {
  name: text('Its name.', ({ name }) => name),
  group: text('Its group.', ({ group }) => group),
  trouble: text(
    'What kept the ledger from reading it last; empty where nothing did.',
    ({ trouble }) => trouble,
  ),
  speaksTls: truth('Whether it is known to speak TLS.', ({ https }) => https === true),
  certificateDays: number(
    'How many days are left of its certificate for the placement’s host; null where it has none.',
    ({ certificates = [] }, { parent, world }) => {
      const { host } = (parent!.node as PlacementNode).spec
      const ends = certificates
        .filter(({ names }) => isForHost(names, host))
        .map((certificate) => Date.parse(certificate.ends))
      if (ends.length === 0) return null
      return Math.floor((Math.max(...ends) - Date.parse(world.circumstances.today)) / 86_400_000)
    },
  ),
})

export const placementFact = (node: PlacementNode, world: World): Fact<PlacementNode> =>
  new Fact(placementShape, node, '', world)

function routeFacts(fact: Fact<PlacementNode>): Fact[] {
  const { spec, outer } = fact.node
  const here = scopesOf(spec, outer)
  const all = common(fact)
  const make = (node: RouteNode) =>
    new Fact(routeShape, node, '', fact.world, node.name, fact) as Fact
  return [
    ...spec.routes.map((row) =>
      make({
        name: rowName(row),
        row,
        isFurther: false,
        policies: row.policies ? configsOf(resolvePolicies([...here, operationScope(row)])) : all,
      }),
    ),
    ...(spec.furtherRoutes ?? []).map((row) =>
      make({ name: row.name, row, isFurther: true, policies: all }),
    ),
  ]
}

function policyFacts(fact: Fact<PlacementNode>): Fact[] {
  const { spec, outer } = fact.node
  const here = scopesOf(spec, outer)
  const facts: Fact[] = []
  const add = (resolved: object, operation: string, isOwn: (one: Resolved) => boolean) => {
    for (const [name, one] of Object.entries(resolved) as [PolicyName, Resolved][])
      if (isOwn(one)) {
        const own = operation === '' ? name : `${name} of ${operation}`
        const node: PolicyNode = { name, resolved: one, operation }
        facts.push(new Fact(policyShape, node, '', fact.world, own, fact))
      }
  }
  add(resolvedAt(fact.node), '', () => true)
  for (const row of spec.routes)
    if (row.policies)
      add(
        resolvePolicies([...here, operationScope(row)]),
        rowName(row),
        ({ from }) => from.kind === 'operation',
      )
  return facts
}

const backendFacts = (fact: Fact<PlacementNode>) =>
  fact.node.spec.backends.map(
    (backend) => new Fact(backendShape, backend, '', fact.world, backend.name, fact) as Fact,
  )

const gatewayFacts = (fact: Fact<PlacementNode>) =>
  fact.node.gateways.map(
    (gateway) => new Fact(gatewayShape, gateway, '', fact.world, gateway.name, fact) as Fact,
  )
