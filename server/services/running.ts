import { adoptRunning, NotAdoptable } from '../../core/drift/adopt'
import { specDigest } from '../../core/pipeline/plan'
import { gatewayKinds, type GatewayKindName } from '../../core/runtime/gateway-kinds'
import { scopesOf, type PlacementSpec } from '../../core/runtime/placement'
import type { Policies, PolicyName } from '../../core/runtime/policies'
import { configsOf, resolvePolicies } from '../../core/runtime/resolve'
import { membersOf } from './apply'
import type { PlacementRow } from './compiled'
import type { Context } from './context'
import { conflict } from './failure'
import { findGateway, takeSnapshot } from './gateways'
import { Scopes } from './scopes'

/** What a kind of gateway is not told of, and so cannot have changed: it holds as it was approved. */
const untoldTo = (kind: GatewayKindName, policies: Policies): Policies =>
  Object.fromEntries(
    Object.entries(policies).filter(
      ([name]) => !gatewayKinds[kind].enforces.includes(name as PolicyName),
    ),
  )

/**
 * What the gateways of a placement run other than was approved, as a specification. Some may run what was approved; those
 * that do not must agree.
 */
export async function runningSpec(context: Context, row: PlacementRow): Promise<PlacementSpec> {
  const specs: PlacementSpec[] = []
  const outer = (await Scopes.read(context.db)).around(row)
  for (const name of await membersOf(context.db, [row.group])) {
    const gateway = await findGateway(context.db, name)
    const { routes } = await takeSnapshot(context, gateway)
    const untold = untoldTo(gateway.kind, configsOf(resolvePolicies(scopesOf(row.spec, outer))))
    const running = routes
      .of(row)
      .map((route) => ({ ...route, policies: { ...untold, ...route.policies } }))
    try {
      specs.push(adoptRunning(row.spec, running, name, outer))
    } catch (error) {
      if (error instanceof NotAdoptable) throw conflict(`${error.message}.`)
      throw error
    }
  }
  if (specs.length === 0) throw conflict(`No gateway belongs to ${row.group}.`)
  const others = new Map(specs.map((spec) => [specDigest(spec), spec]))
  others.delete(specDigest(row.spec))
  const [first = row.spec, second] = [...others.values()]
  if (second)
    throw conflict(
      `The gateways of ${row.group} were changed in different ways; put the ledger back instead.`,
    )
  return first
}
