import { and, eq, inArray, lt, notExists, sql, type SQL } from 'drizzle-orm'
import type { PgTable } from 'drizzle-orm/pg-core'
import {
  batches,
  checks,
  comparisonResults,
  comparisons,
  impactPlaces,
  impacts,
  intakes,
  notices,
  operationCalls,
  probeRuns,
  repositoryDeliveries,
  requestKeys,
  snapshots,
  traffic,
  trafficOperations,
  trafficSeries,
} from '../db/schema'
import { keptFor } from '../../core/traffic/counts'
import { resolutions, spanOf } from '../../core/traffic/spans'
import type { Services } from './context'
import { dayOf } from './known'
import { settingsOf } from './settings'

/** For so many days it is told what alerts told. */
const keptNotices = 90
/** For so many days it is told how probes went; what they said of rollouts stands in the ledger besides. */
const keptProbeRuns = 90

/** Rows removed at once, so that nobody waits for a lock. */
const atOnce = 1000

/** Removes what is older than the settings keep it for. What is evidence (ledger, revisions, rollouts) is never removed. */
export async function removeOld(services: Services): Promise<void> {
  const { db, now } = services
  const kept = (await settingsOf(db))?.retention
  if (!kept) return
  const before = (days: number) => new Date(now().getTime() - days * 86_400_000)
  const remove = async (table: PgTable, wanted: SQL | undefined) => {
    for (let gone = atOnce; gone === atOnce;) {
      const some = sql`ctid in (select ctid from ${table} where ${wanted} limit ${atOnce})`
      gone = (await db.delete(table).where(some)).rowCount ?? 0
    }
  }
  // A request is sent again within a day, or not at all.
  await remove(requestKeys, lt(requestKeys.triedAt, before(1)))
  // Nobody counts for times that are past: there is no lock to wait for.
  for (const resolution of resolutions) {
    const oldest = spanOf(resolution, now().getTime() - keptFor[resolution])
    for (const counts of [traffic, operationCalls])
      await db
        .delete(counts)
        .where(and(eq(counts.resolution, resolution), lt(counts.span, new Date(oldest))))
  }
  await db
    .delete(traffic)
    .where(
      notExists(
        db
          .select({ id: trafficSeries.id })
          .from(trafficSeries)
          .where(eq(trafficSeries.id, traffic.series)),
      ),
    )
  await db
    .delete(operationCalls)
    .where(
      notExists(
        db
          .select({ id: trafficOperations.id })
          .from(trafficOperations)
          .where(eq(trafficOperations.id, operationCalls.operation)),
      ),
    )
  // A message is taken for minutes.
  await remove(repositoryDeliveries, lt(repositoryDeliveries.at, before(1)))
  await db.execute(sql`select drop_requests_before(${dayOf(before(kept.requests))}::date)`)
  await remove(notices, lt(notices.at, before(keptNotices)))
  await remove(probeRuns, lt(probeRuns.at, before(keptProbeRuns)))
  const newest = sql`(select max(id) from ${snapshots} group by ${snapshots.gateway})`
  await remove(
    snapshots,
    and(lt(snapshots.takenAt, before(kept.snapshots)), sql`${snapshots.id} not in ${newest}`),
  )
  await remove(checks, lt(checks.at, before(kept.checks)))
  await remove(comparisons, lt(comparisons.at, before(kept.checks)))
  const stillShown = sql`select 1 from ${comparisons} where ${comparisons.resultId} = ${comparisonResults.id}`
  await remove(
    comparisonResults,
    and(lt(comparisonResults.at, before(kept.checks)), sql`not exists (${stillShown})`),
  )
  const oldImpacts = db
    .select({ id: impacts.id })
    .from(impacts)
    .where(lt(impacts.at, before(kept.impacts)))
  await remove(impactPlaces, inArray(impactPlaces.impactId, oldImpacts))
  await remove(impacts, lt(impacts.at, before(kept.impacts)))
  const ended = ['done', 'stopped', 'failed', 'ready'] as const
  const oldBatches = db
    .select({ id: batches.id })
    .from(batches)
    .where(and(lt(batches.at, before(kept.intakes)), inArray(batches.state, [...ended])))
  await remove(intakes, inArray(intakes.batchId, oldBatches))
  await remove(batches, inArray(batches.id, oldBatches))
  await remove(intakes, and(lt(intakes.at, before(kept.intakes)), sql`${intakes.batchId} is null`))
}
