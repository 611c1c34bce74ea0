import { eq } from 'drizzle-orm'
import { adoptRunning, NotAdoptable } from '../../core/drift/adopt'
import type { PlacementSpec } from '../../core/routing/placement'
import { writeResources } from '../../core/routing/resources'
import type { HandEdit, PlacementItem } from '../../shared/api/placements'
import { revisions, settings } from '../db/schema'
import { apiOf, applyTarget, described, findPlacement, writePlacement } from './apply'
import type { Context } from './context'
import { conflict } from './failure'
import { writeConfiguration } from './gateway-client'
import { checkGateway, findGateway, runningFor, takeSnapshot } from './gateways'
import { handEdited } from './hand-edit'
import { record } from './ledger'
import { requirePermission } from './permissions'
import { readPlacement } from './placements'

/** Makes the gateway run what was approved again. */
export async function putBack(context: Context, id: string): Promise<PlacementItem> {
  const { db } = context
  const row = await findPlacement(db, id)
  requirePermission(context.actor, 'resolve')
  await db.transaction(async (tx) => {
    await record(tx, context, {
      action: 'drift.put-back',
      subject: id,
      before: { gateway: row.differences },
      after: described(row),
    })
    await writePlacement(context, tx, row, row.gateway)
  })
  await checkGateway(context, row.gateway)
  return readPlacement(context, id)
}

/** Approves what the gateway runs as the placement from now on. */
export async function keepRunning(context: Context, id: string): Promise<PlacementItem> {
  const { db } = context
  const row = await findPlacement(db, id)
  requirePermission(context.actor, 'resolve')
  const gateway = await findGateway(db, row.gateway)
  const running = runningFor(row, (await takeSnapshot(context, gateway)).routes)
  let spec: PlacementSpec
  try {
    spec = adoptRunning(row.spec, running)
  } catch (error) {
    if (error instanceof NotAdoptable) throw conflict(`${error.message}.`)
    throw error
  }
  const api = await apiOf(db, row)
  const [revision] = await db.select().from(revisions).where(eq(revisions.id, row.revision))
  const { version, stage } = row
  await applyTarget(
    context,
    { api, version, revision: revision!, stage, gateway: row.gateway, spec },
    row,
    'drift.kept',
  )
  return readPlacement(context, id)
}

/** The demo's hand on the gateway: changes what runs through the admin API, past the ledger. */
export async function editByHand(
  context: Context,
  id: string,
  { kind }: HandEdit,
): Promise<PlacementItem> {
  requirePermission(context.actor, 'handEdit')
  const { db } = context
  const [{ demo } = { demo: false }] = await db.select({ demo: settings.demo }).from(settings)
  if (!demo) throw conflict('Only a demo has a hand on the gateway.')
  const row = await findPlacement(db, id)
  const gateway = await findGateway(db, row.gateway)
  const snapshot = await takeSnapshot(context, gateway)
  const body = writeResources(handEdited(snapshot.resources, row, kind))
  const outcome = await writeConfiguration(gateway, context.gatewaySecret, body, snapshot.etag)
  if (outcome !== 'written') throw conflict('The gateway was changed in between. Try again.')
  await checkGateway(context, row.gateway)
  return readPlacement(context, id)
}
