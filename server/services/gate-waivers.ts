import { and, eq, isNull } from 'drizzle-orm'
import { isWaivable } from '../../core/pipeline/gate-waivers'
import { planDigest } from '../../core/pipeline/plan'
import type { GateWaiverRequest, PromotionDetail } from '../../shared/api/promotions'
import { gateWaivers } from '../db/schema'
import type { Context } from './context'
import { conflict, Failure, notFound } from './failure'
import { record } from './ledger'
import { requirePermission } from './permissions'
import { gateStanding } from './promotion-gates'
import { planOf } from './promotion-plans'
import { lockWaiting } from './promotion-rows'
import { readPromotion, requireRead } from './promotions'

/** Would have a gate that is shut pass this once; it does when a second person agrees. */
export async function askGateWaiver(
  context: Context,
  id: number,
  { gate: name, reason, digest }: GateWaiverRequest,
): Promise<PromotionDetail> {
  const { db, actor, now } = context
  requirePermission(actor, 'passGate')
  await db.transaction(async (tx) => {
    const row = await lockWaiting(tx, id)
    const plan = await planOf(tx, row)
    requireRead(digest, plan.basis)
    const gate = await gateStanding({ db: tx, now }, row, plan, name)
    if (!gate) throw notFound(`gate called "${name}" before this`)
    const { shown, judged } = gate
    if (shown.waiver === 'asked')
      throw conflict('Somebody would waive this gate already; agree, or leave it shut.')
    const { state, text } = judged
    if (!isWaivable(shown) || state === 'passed')
      throw conflict(
        shown.state === 'passed'
          ? 'This gate is open.'
          : 'This gate is not waived: for an approval there is the emergency act.',
      )
    const asked = { state, text, reason, basis: plan.basis, byId: actor.id, at: now() }
    await tx
      .insert(gateWaivers)
      .values({ promotionId: id, gate: name, ...asked })
      .onConflictDoUpdate({
        target: [gateWaivers.promotionId, gateWaivers.gate],
        set: { ...asked, secondId: null, secondAt: null },
      })
    await record(tx, context, {
      action: 'request.gate-waiver-asked',
      api: row.apiId,
      subject: row.placementId ?? plan.api.slug,
      after: { promotion: id, gate: name, stood: text, reason, plan: planDigest(plan.basis) },
    })
  })
  return readPromotion(context, id)
}

/** Agrees, as a second person who did not ask for the promotion either, that a gate passes this once. */
export async function agreeToGateWaiver(
  context: Context,
  id: number,
  name: string,
): Promise<PromotionDetail> {
  const { db, actor, now } = context
  requirePermission(actor, 'passGate')
  await db.transaction(async (tx) => {
    const row = await lockWaiting(tx, id)
    const own = and(eq(gateWaivers.promotionId, id), eq(gateWaivers.gate, name))
    const [waiver] = await tx.select().from(gateWaivers).where(own)
    if (!waiver) throw notFound(`gate called "${name}" that somebody would waive here`)
    if (waiver.byId === actor.id || row.requestedById === actor.id)
      throw new Failure(
        403,
        'Somebody else decides',
        'Somebody agrees who neither asked for the promotion nor would waive the gate.',
      )
    const plan = await planOf(tx, row)
    const gate = await gateStanding({ db: tx, now }, row, plan, name)
    if (gate?.shown.waiver !== 'asked')
      throw conflict('This gate is open, or what was asked for it does not hold any more.')
    await tx
      .update(gateWaivers)
      .set({ secondId: actor.id, secondAt: now() })
      .where(and(own, isNull(gateWaivers.secondId)))
    await record(tx, context, {
      action: 'request.gate-waived',
      api: row.apiId,
      subject: row.placementId ?? plan.api.slug,
      after: { promotion: id, gate: name, stood: waiver.text, reason: waiver.reason },
    })
  })
  return readPromotion(context, id)
}
