import { eq } from 'drizzle-orm'
import type { Queries, Transaction } from '../db/database'
import { promotions } from '../db/schema'
import { conflict, notFound } from './failure'
import type { PromotionRow } from './promotion-plans'

export const notWaiting = 'This request is not waiting any more.'

export async function findPromotion(db: Queries, id: number): Promise<PromotionRow> {
  const [row] = await db.select().from(promotions).where(eq(promotions.id, id))
  if (!row) throw notFound(`promotion ${id}`)
  return row
}

/** A promotion that nobody else changes until the transaction ends. */
export async function lockPromotion(tx: Transaction, id: number): Promise<PromotionRow> {
  const [row] = await tx.select().from(promotions).where(eq(promotions.id, id)).for('update')
  if (!row) throw notFound(`promotion ${id}`)
  return row
}

/** A request that waits, which nobody else changes until the transaction ends. */
export async function lockWaiting(tx: Transaction, id: number): Promise<PromotionRow> {
  const row = await lockPromotion(tx, id)
  if (row.state !== 'waiting') throw conflict(notWaiting)
  return row
}
