import { and, eq } from 'drizzle-orm'
import { canonical } from '../../core/text/canonical'
import type { PlacementSpec } from '../../core/runtime/placement'
import type { Rollback } from '../../shared/api/placements'
import { placementEtag } from '../../shared/etags'
import { ledger } from '../db/schema'
import { apiOf, findPlacement, requirePlaceable } from './apply'
import { revisionOfVersion } from './catalog'
import type { Context } from './context'
import { conflict, notFound, requireMatch } from './failure'
import { requirePermission } from './permissions'
import { intendTarget, lockPlacement, placedBy, targetOf, type Placed } from './placements'

/** What an entry of the ledger says of a placement that ran. */
interface Stood {
  version: string
  spec: PlacementSpec
}

/**
 * Has a placement run again as it was approved once, version and all, in one act. It was looked at when it was approved, so
 * that nobody has to approve it anew; what the gateways and stages ask for today it has to keep.
 */
export async function rollBack(
  context: Context,
  id: string,
  { entry, reason }: Rollback,
  ifMatch: string | undefined,
): Promise<Placed> {
  const { db, actor } = context
  const row = await findPlacement(db, id)
  const api = await apiOf(db, row)
  requirePermission(actor, 'promote')
  requireMatch(ifMatch, placementEtag(row), 'the placement')
  const earlier = await stoodAt(context, id, entry)
  if (earlier.version === row.version && canonical(earlier.spec) === canonical(row.spec))
    throw conflict('It stands so already.')
  const { version, spec } = earlier
  const target = {
    ...(await targetOf(db, row, spec)),
    version,
    revision: await revisionOfVersion(db, api, version),
  }
  const rollout = await db.transaction(async (tx) => {
    const locked = await lockPlacement(tx, row)
    await requirePlaceable(tx, target)
    const title = `Roll ${api.title} back to ${version} in ${row.stage}: ${reason}`
    return intendTarget(tx, context, target, locked, id, {
      action: 'placement.rolled-back',
      title: title.slice(0, 300),
    })
  })
  return placedBy(context, rollout, id)
}

/** How a placement stood by an entry, which has to be one that says it ran. */
async function stoodAt({ db }: Context, id: string, number: number): Promise<Stood> {
  const [found] = await db
    .select({ action: ledger.action, after: ledger.after })
    .from(ledger)
    .where(and(eq(ledger.number, number), eq(ledger.subject, id)))
  const { version, spec } = (found?.after ?? {}) as Partial<Stood>
  const isState = /^(?:placement|drift)\./.test(found?.action ?? '') && version && spec?.policies
  if (isState) return { version, spec }
  throw notFound(`state of ${id} in entry ${number}`)
}
