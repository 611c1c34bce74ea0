import { asc, eq, inArray } from 'drizzle-orm'
import type { Queries, Transaction } from '../db/database'
import { promotions, releases } from '../db/schema'
import { seeingEverything } from '../db/viewer'
import { apiOf } from './apply'
import type { Context } from './context'
import { conflict, notFound } from './failure'
import { record } from './ledger'
import type { PromotionRow } from './promotion-plans'

/** A release that waits, which nobody else changes until the transaction ends. */
export async function lockRelease(
  tx: Transaction,
  id: number,
): Promise<typeof releases.$inferSelect> {
  const [row] = await tx.select().from(releases).where(eq(releases.id, id)).for('update')
  if (!row) throw notFound(`release ${id}`)
  if (row.state !== 'waiting') throw conflict('This release is not waiting any more.')
  return row
}

/** The requests of a release. */
export const requestsOf = (db: Queries, id: number): Promise<PromotionRow[]> =>
  db.select().from(promotions).where(eq(promotions.releaseId, id)).orderBy(asc(promotions.id))

/** Records that a version goes with a release, or does not any more. */
export async function tellRelease(
  tx: Transaction,
  context: Context,
  row: PromotionRow,
  action: 'promotion.joined' | 'promotion.left',
  release: number,
): Promise<void> {
  const { slug } = await apiOf(tx, row)
  await record(tx, context, {
    ...{ action, api: row.apiId, subject: slug },
    after: { promotion: row.id, version: row.version, to: row.toStage, release },
  })
}

/** Takes a request out of its release, where it is in one; of the last two the other is alone then, too. */
export async function takeOut(tx: Transaction, context: Context, row: PromotionRow) {
  const { releaseId: id } = row
  if (id === null) return
  await seeingEverything(tx, async () => {
    const { apiIds } = await lockRelease(tx, id)
    const left = (await requestsOf(tx, id)).filter((one) => one.id !== row.id)
    const gone = left.length < 2 ? [row, ...left] : [row]
    await tx
      .update(promotions)
      .set({ releaseId: null })
      .where(
        inArray(
          promotions.id,
          gone.map((one) => one.id),
        ),
      )
    for (const one of gone) await tellRelease(tx, context, one, 'promotion.left', id)
    if (left.length < 2) await tx.delete(releases).where(eq(releases.id, id))
    else
      await tx
        .update(releases)
        .set({ apiIds: apiIds.filter((api) => api !== row.apiId) })
        .where(eq(releases.id, id))
  })
}
