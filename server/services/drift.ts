import { and, eq, isNull, sql } from 'drizzle-orm'
import { gatewayKinds } from '../../core/runtime/gateway-kinds'
import type { DriftDetail } from '../../shared/api/drift'
import type { HandEdit, PlacementDetail } from '../../shared/api/placements'
import type { RolloutItem } from '../../shared/api/rollouts'
import { drift, rollouts, settings } from '../db/schema'
import { apiOf, findPlacement, membersOf, requirePlaceable } from './apply'
import type { PlacementRow } from './compiled'
import type { Context } from './context'
import { lockOpen, readDrift } from './drift-list'
import { conflict, notFound } from './failure'
import { adapterOf } from '../gateways'
import { checkGateway, findGateway, takeSnapshot } from './gateways'
import { handEdited } from './hand-edit'
import { requirePermission } from './permissions'
import {
  intendTarget,
  lockPlacement,
  placedBy,
  readPlacement,
  requireFirstStage,
  targetOf,
  type Placed,
} from './placements'
import { runningSpec } from './running'
import { carryOut, intend, readRollout } from './rollouts'

/** Makes the gateways run what was approved again. */
export async function putBack(context: Context, id: string): Promise<Placed> {
  const { db } = context
  const row = await findPlacement(db, id)
  requirePermission(context.actor, 'resolve')
  await requireFirstStage(db, row)
  return placedBy(context, await intendPutBack(context, row), id)
}

/**
 * The same in the name of whoever decided that it happens by itself. Nobody is asked, whatever the stage: it restores
 * what was approved, and that this happens was decided.
 */
export async function putBackByItself(context: Context, id: string): Promise<void> {
  requirePermission(context.actor, 'react')
  const row = await findPlacement(context.db, id)
  await context.queue.rollOut(await intendPutBack(context, row, { byItself: true }))
}

async function intendPutBack(
  context: Context,
  row: PlacementRow,
  how: { byItself?: true } = {},
): Promise<number> {
  const { db } = context
  const { id, version, stage, group } = row
  const { differences } = await readPlacement(context, id)
  const api = await apiOf(db, row)
  const ending = how.byItself ? ' by itself' : ''
  return db.transaction(async (tx) => {
    await lockPlacement(tx, row)
    return intend(tx, context, {
      action: 'drift.put-back',
      title: `Put ${api.title} ${version} back in ${stage}${ending}`,
      change: { kind: 'apply', placement: id, ...how },
      groups: [group],
      acts: [{ api: api.id, subject: id, before: { gateway: differences }, after: how }],
    })
  })
}

/** Approves what the gateways run as the placement from now on. */
export async function keepRunning(context: Context, id: string): Promise<Placed> {
  const { db } = context
  const row = await findPlacement(db, id)
  requirePermission(context.actor, 'resolve')
  await requireFirstStage(db, row)
  const target = await targetOf(db, row, await runningSpec(context, row))
  const rollout = await db.transaction(async (tx) => {
    const locked = await lockPlacement(tx, row)
    await requirePlaceable(tx, target)
    const title = `Keep what runs of ${target.api.title} ${row.version} in ${row.stage}`
    return intendTarget(tx, context, target, locked, id, { action: 'drift.kept', title })
  })
  return placedBy(context, rollout, id)
}

/** Takes a route that nobody placed off its gateway. */
export async function takeOff(context: Context, id: number): Promise<DriftDetail | RolloutItem> {
  const { db, actor } = context
  requirePermission(actor, 'resolve')
  const [row] = await db.select().from(drift).where(eq(drift.id, id))
  if (!row) throw notFound(`drift ${id}`)
  const { gateway, where, what, group, placement } = row
  if (row.account !== 'gateway' || what !== 'route' || placement !== '')
    throw conflict('Only a route that nobody placed is taken off its gateway.')
  const { kind } = await findGateway(db, gateway)
  if (!gatewayKinds[kind].isWhole)
    throw conflict(`${gateway} is not ours alone: whoever put the route there takes it off.`)
  const rollout = await db.transaction(async (tx) => {
    const open = await lockOpen(tx, id)
    const [busy] = await tx
      .select({ id: rollouts.id })
      .from(rollouts)
      .where(and(isNull(rollouts.endedAt), sql`${rollouts.change} ->> 'drift' = ${String(id)}`))
    if (busy) throw conflict(`Rollout ${busy.id} is taking it off already.`)
    return intend(tx, context, {
      action: 'drift.taken-off',
      title: `Take ${where} off ${gateway}`,
      change: { kind: 'take-off', gateway, route: open.where, drift: id },
      groups: [group],
      acts: [{ api: null, subject: gateway, before: { drift: id, route: where, runs: open.runs } }],
    })
  })
  return (await carryOut(context, rollout)) ? readDrift(context, id) : readRollout(db, rollout)
}

/** The demo's hand on the gateway: changes what runs through the admin API, past the ledger. */
export async function editByHand(
  context: Context,
  id: string,
  { kind }: HandEdit,
): Promise<PlacementDetail> {
  requirePermission(context.actor, 'handEdit')
  const { db } = context
  const [{ demo } = { demo: false }] = await db.select({ demo: settings.demo }).from(settings)
  if (!demo) throw conflict('Only a demo has a hand on the gateway.')
  const row = await findPlacement(db, id)
  const [name] = await membersOf(db, [row.group])
  if (name === undefined) throw conflict(`No gateway belongs to ${row.group}.`)
  const gateway = await findGateway(db, name)
  const snapshot = await takeSnapshot(context, gateway)
  const outcome = await adapterOf(context, gateway).write?.(
    {
      resources: handEdited(snapshot.resources, row, kind),
      placements: [id],
      author: context.actor.displayName,
      message: 'Change by hand',
    },
    snapshot.etag,
  )
  if (!outcome?.taken) throw conflict('The gateway was changed in between. Try again.')
  await checkGateway(context.system, name)
  return readPlacement(context, id)
}
