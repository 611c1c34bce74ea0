import { and, asc, desc, eq, inArray, isNotNull, ne, notInArray, sql } from 'drizzle-orm'
import type { Affected } from '../../core/pipeline/affected'
import { grouped } from '../../core/text/grouped'
import { lastParts, type Period } from '../../core/traffic/periods'
import { probeClient } from '../../shared/words'
import type { Queries } from '../db/database'
import {
  announcements,
  comparisonChanges,
  notices,
  traffic,
  trafficOperations,
  trafficSeries,
} from '../db/schema'
import type { PlacementRow } from './compiled'
import { promotedIn, type Plan, type PromotionRow } from './promotion-plans'
import { callsIn, within } from './traffic-spans'
import { comparedWith } from './version-gate'

/** What a placement loses: some of its operations, or all. */
interface Loss {
  there: PlacementRow
  operations: ReadonlySet<string> | 'all'
}

/** Clients that called, in some days, what a promotion breaks where it takes an address over, or takes away beside it. */
export async function affectedBy(
  db: Queries,
  row: PromotionRow,
  plan: Plan,
  { days, at }: { days: number; at: Date },
): Promise<(Affected & { placements: string[] })[]> {
  const losses = await lossesOf(db, row, plan)
  if (losses.length === 0) return []
  const byPlacement = new Map(losses.map(({ there, operations }) => [there.id, operations]))
  const called = await callsOf(db, [...byPlacement.keys()], lastParts('day', days, at.getTime()))
  const lost = called.filter(({ placement, operation }) => {
    const operations = byPlacement.get(placement)!
    return operations === 'all' || operations.has(operation)
  })
  const told = await toldOf(db, row.id)
  return byClient(lost).map((caller) => ({
    ...caller,
    ...(told.has(caller.client) && { told: told.get(caller.client)!.getTime() }),
  }))
}

async function lossesOf(db: Queries, row: PromotionRow, plan: Plan): Promise<Loss[]> {
  const { writes, succeeded } = plan
  const replaced = writes.flatMap(({ there }) =>
    there && there.version !== row.version ? there : [],
  )
  const ends = succeeded.filter(({ becomes }) => becomes.becomes !== 'deprecated')
  const losses = ends.map(({ there }): Loss => ({ there, operations: 'all' }))
  if (replaced.length === 0) return losses
  const compared = new Map(
    (await comparedWith(db, promotedIn(row, plan))).map(({ version, result }) => [version, result]),
  )
  for (const there of replaced) {
    const result = compared.get(there.version)
    if (result?.state !== 'done') continue
    const operations = await brokenIn(db, result.id)
    if (operations === 'all' || operations.size > 0) losses.push({ there, operations })
  }
  return losses
}

/**
 * The operations that a comparison found breaking; all, where something breaks that is in none. Addresses in a definition are
 * none that anybody calls: the placement has its own.
 */
async function brokenIn(db: Queries, result: number): Promise<Loss['operations']> {
  const { operation, formerly, part, effect, resultId } = comparisonChanges
  const rows = await db
    .selectDistinct({ name: sql<string>`coalesce(nullif(${formerly}, ''), ${operation})` })
    .from(comparisonChanges)
    .where(and(eq(resultId, result), eq(effect, 'breaking'), ne(part, 'server')))
  if (rows.some(({ name }) => name === '')) return 'all'
  return new Set(rows.map(({ name }) => name))
}

/** Calls of placements in a period, by client and operation, the most first. */
export const callsOf = (db: Queries, ids: readonly string[], period: Period) => {
  const calls = sql<number>`sum(${callsIn(period)})::int`
  return db
    .select({
      placement: trafficSeries.placement,
      client: trafficSeries.client,
      operation: trafficOperations.name,
      calls,
    })
    .from(traffic)
    .innerJoin(trafficSeries, eq(trafficSeries.id, traffic.series))
    .innerJoin(trafficOperations, eq(trafficOperations.id, trafficSeries.operationId))
    .where(
      and(
        within(period, 'operation'),
        inArray(trafficSeries.placement, [...ids]),
        // Who is let in nowhere loses nothing, and nor do probes.
        notInArray(trafficSeries.status, [401, 403]),
        ne(trafficSeries.client, probeClient),
      ),
    )
    .groupBy(trafficSeries.placement, trafficSeries.client, trafficOperations.name)
    .having(sql`${calls} > 0`)
    .orderBy(desc(calls))
}

/** What each client called, and where, in the order of the calls. */
export const byClient = (calls: Awaited<ReturnType<typeof callsOf>>) =>
  [...grouped(calls, ({ client }) => client)].map(([client, rows]) => ({
    client,
    calls: rows.reduce((sum, one) => sum + one.calls, 0),
    operations: [...new Set(rows.map(({ operation }) => operation))],
    placements: [...new Set(rows.map(({ placement }) => placement))],
  }))

/** When each client was told of a request first; mail that could not be delivered told nobody. */
async function toldOf(db: Queries, promotion: number): Promise<Map<string, Date>> {
  const undelivered = db
    .select({ id: notices.announcementId })
    .from(notices)
    .where(and(isNotNull(notices.announcementId), isNotNull(notices.failedAt)))
  const rows = await db
    .select({ client: announcements.client, at: announcements.at })
    .from(announcements)
    .where(
      and(eq(announcements.promotionId, promotion), sql`${announcements.id} not in ${undelivered}`),
    )
    .orderBy(asc(announcements.at))
  const first = new Map<string, Date>()
  for (const { client, at } of rows) if (!first.has(client)) first.set(client, at)
  return first
}
