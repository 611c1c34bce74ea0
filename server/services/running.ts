import { adoptRunning, NotAdoptable } from '../../core/drift/adopt'
import { specDigest } from '../../core/pipeline/plan'
import type { PlacementSpec } from '../../core/routing/placement'
import { membersOf } from './apply'
import type { PlacementRow } from './compiled'
import type { Context } from './context'
import { conflict } from './failure'
import { findGateway, runningFor, takeSnapshot } from './gateways'

/**
 * What the gateways of a placement run other than was approved, as a specification. Some may run what was approved; those
 * that do not must agree.
 */
export async function runningSpec(context: Context, row: PlacementRow): Promise<PlacementSpec> {
  const specs: PlacementSpec[] = []
  for (const name of await membersOf(context.db, [row.group])) {
    const { routes } = await takeSnapshot(context, await findGateway(context.db, name))
    try {
      specs.push(adoptRunning(row.spec, runningFor(row, routes)))
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
