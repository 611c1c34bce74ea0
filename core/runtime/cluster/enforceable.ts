import type { Misfit } from '../fields'
import { gatewayKinds, type GatewayKindName } from '../gateway-kinds'
import { operationScope, rowName, scopesOf, targetsOf, type PlacementSpec } from '../placement'
import { policyKinds, type ConfigOf, type Policies, type PolicyName } from '../policies'
import { configsOf, resolvePolicies, type Scope } from '../resolve'
import { count, listed } from '../../text/counted'
import { serviceOf } from './service'

/** A gateway that a placement is for. */
export interface Member {
  name: string
  kind: GatewayKindName
  /** Whether it speaks TLS; undefined where nobody knows. */
  https?: boolean
}

/**
 * What of a placement some gateway of its group cannot do, by name: empty where all of it is done everywhere. `isSoap`
 * says whether operations are called by SOAP.
 */
export function unenforceable(
  spec: PlacementSpec,
  outer: readonly Scope[],
  members: readonly Member[],
  isSoap = false,
): Misfit[] {
  const here = scopesOf(spec, outer)
  const common = configsOf(resolvePolicies(here))
  const all = [
    { where: '', field: '', policies: common },
    ...spec.routes.flatMap((row, index) =>
      row.policies
        ? [
            {
              where: `${rowName(row)}: `,
              field: `routes.${index}.`,
              policies: configsOf(resolvePolicies([...here, operationScope(row)])),
            },
          ]
        : [],
    ),
  ]
  const misfits: Misfit[] = []
  const add = (field: string, message: string) => {
    if (!misfits.some((one) => one.message === message)) misfits.push({ field, message })
  }
  for (const member of members) {
    const kind = gatewayKinds[member.kind]
    if (!kind.isWritten) {
      add('group', `${member.name} is only read, from what is uploaded; nothing is placed there`)
      continue
    }
    if (common.transport && common.transport.plain !== 'served' && member.https === false)
      add('policies.transport', `${member.name} does not speak TLS, which “Plain HTTP” needs`)
    if (member.kind === 'admin-api') continue
    const cannot = (policy: PolicyName) =>
      `${policyKinds[policy].title} is nothing that ${member.name} can enforce: it is a cluster that runs Gateway API`
    for (const { where, field, policies } of all)
      for (const policy of unknownTo(kind.enforces, policies))
        add(`${field}policies.${policy}`, where + cannot(policy))
    const mocked = spec.routes.filter(({ treatment }) => treatment.kind === 'mock')
    if (mocked.length > 0)
      add(
        'routes',
        `${member.name} answers no mocks; ${count(mocked.length, 'operation is', 'operations are')} mocked`,
      )
    if (isSoap) add('routes', `${member.name} cannot tell apart operations that are called by SOAP`)
    const templated = spec.routes.filter(
      ({ path, treatment }) => treatment.kind === 'route' && path.includes('{'),
    )
    if (spec.prefix.kind !== 'keep' && templated.length > 0)
      add(
        'prefix',
        `${member.name} cannot take the base path off paths with parameters, such as ${rowName(templated[0]!)}; keep it`,
      )
    const outside = spec.backends
      .flatMap((backend) => targetsOf(backend, member.name).map(({ url }) => url))
      .filter((url) => !serviceOf(url))
    if (outside.length > 0)
      add(
        'backends',
        `${member.name} sends to services of its cluster, such as http://levels.water.svc:8080; ${listed([...new Set(outside)])} ${outside.length > 1 ? 'are' : 'is'} none`,
      )
  }
  return misfits
}

/** Policies that a kind knows nothing of. That no credential is asked for is so everywhere. */
const unknownTo = (enforces: readonly PolicyName[], policies: Policies): PolicyName[] =>
  (Object.keys(policies) as PolicyName[]).filter((policy) => {
    if (policy === 'authentication') return policies.authentication?.kind !== 'none'
    if (policy === 'rewrite') return !isNativeRewrite(policies.rewrite!)
    return !enforces.includes(policy)
  })

/** A whole path can be put in another one’s place; parameters and methods cannot. */
const isNativeRewrite = ({ method, path }: ConfigOf<'rewrite'>) =>
  method === undefined && path !== undefined && !path.includes('{')
