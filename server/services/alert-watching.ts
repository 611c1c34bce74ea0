import { differenceInCalendarDays, parseISO } from 'date-fns'
import { and, eq, isNotNull, lt, sql } from 'drizzle-orm'
import { judge, quietLeft, type Watched } from '../../core/traffic/alerts'
import { lastParts, periodAt } from '../../core/traffic/periods'
import type { Queries } from '../db/database'
import { alerts, apis, drift, placements, traffic, trafficSeries } from '../db/schema'
import { writeNotices, type AlertRow } from './alerts'
import type { Services } from './context'
import { dayOf } from './known'
import { announce } from './ledger'
import { isOpenDrift } from './sites'
import { callsIn, countedIn, within } from './traffic-spans'

const minute = 60_000
const week = 7 * 24 * 60 * minute

/** Looks at everything that somebody wants to be told of. */
export async function watchAlerts(services: Services): Promise<void> {
  const { db, now } = services
  const today = dayOf(now())
  const rows = await db.select().from(alerts)
  let changed = false
  for (const row of rows) {
    // What has ended is not watched, and what was wrong is not told of any more.
    const isOver = row.until !== null && row.until < today
    if (isOver && row.beganAt === null) continue
    const watched = isOver ? undefined : await watch(db, row, now())
    const says = watched && judge(row, watched)
    changed = (await settle(services, row, says)) || changed
  }
  if (changed) await announce(db, 'alert')
}

/** Writes down what became of an alert, and whom that tells, in one transaction: two at once tell nobody twice. */
async function settle(
  { db, now }: Services,
  seen: AlertRow,
  says: string | undefined,
): Promise<boolean> {
  return db.transaction(async (tx) => {
    const at = now()
    const [row] = await tx.select().from(alerts).where(eq(alerts.id, seen.id)).for('update')
    // Somebody changed or removed it while it was looked at.
    if (row?.setAt.getTime() !== seen.setAt.getTime()) return false
    const began = row.beganAt === null && says !== undefined
    const ended = row.beganAt !== null && says === undefined
    await tx
      .update(alerts)
      .set({
        checkedAt: at,
        says: says ?? '',
        ...(began && { beganAt: at }),
        ...(ended && { beganAt: null }),
      })
      .where(eq(alerts.id, row.id))
    const isNew = row.checkedAt === null || (says !== undefined && says !== row.says)
    if (!began && !ended) return isNew
    const left = row.quiet ? quietLeft(row.quiet, at) : 0
    const text = began ? says : `It is over: ${row.says}`
    await writeNotices(tx, row, began ? 'began' : 'ended', text, at, left)
    return true
  })
}

/** What was counted for an alert. Only what its kind judges is asked for. */
async function watch(db: Queries, row: AlertRow, at: Date): Promise<Watched> {
  const { kind } = row
  const nothing: Watched = { calls: 0, failed: 0, limited: [], usual: 0, ending: [], drift: 0 }
  if (kind === 'drift') return { ...nothing, drift: await standingDrift(db, row, at) }
  if (kind === 'sunset') return { ...nothing, ending: await endingCalls(db, row, at) }
  if (kind === 'limits') return { ...nothing, limited: await limitedClients(db, row, at) }
  const own = await watchedIn(db, row, 'minute', at)
  if (kind !== 'silence') return { ...nothing, ...own }
  const before = await watchedIn(db, row, 'hour', new Date(at.getTime() - week))
  return { ...nothing, ...own, usual: before.calls }
}

/** Series of what an alert is about. */
const seriesOf = ({ apiId, stage, gateway }: AlertRow) =>
  and(
    apiId === null ? undefined : eq(trafficSeries.apiId, apiId),
    stage === '' ? undefined : eq(trafficSeries.stage, stage),
    gateway === '' ? undefined : eq(trafficSeries.gateway, gateway),
  )

/** Minutes are kept for some days only: a week back is looked at by the hour, and by one at least. */
async function watchedIn(db: Queries, row: AlertRow, resolution: 'minute' | 'hour', at: Date) {
  const parts = resolution === 'minute' ? row.minutes : Math.ceil(row.minutes / 60)
  const period = lastParts(resolution, parts, at.getTime())
  const isOfAll = row.apiId === null && row.stage === ''
  const grain = isOfAll ? 'gateway' : 'placement'
  const { calls, failed, durations } = (await countedIn(db, period, grain, seriesOf(row))).total
  const p95 = durations.quantile(0.95)
  return { calls, failed, ...(p95 !== undefined && { p95 }) }
}

function limitedClients(db: Queries, row: AlertRow, at: Date): Promise<Watched['limited']> {
  const period = lastParts('minute', row.minutes, at.getTime())
  const calls = sql<number>`sum(${callsIn(period)})::int`
  return db
    .select({ client: trafficSeries.client, calls })
    .from(traffic)
    .innerJoin(trafficSeries, eq(trafficSeries.id, traffic.series))
    .where(and(within(period, 'client'), seriesOf(row), eq(trafficSeries.status, 429)))
    .groupBy(trafficSeries.client)
    .having(sql`${calls} > 0`)
}

/** APIs and placements that are going away, with what was asked of them in the last day. */
async function endingCalls(db: Queries, row: AlertRow, at: Date): Promise<Watched['ending']> {
  const period = periodAt('24h', at.getTime())
  const rows = await db
    .select({
      api: apis.title,
      sunset: apis.sunset,
      calls: sql<number>`coalesce(sum(${callsIn(period)}), 0)::int`,
    })
    .from(apis)
    .innerJoin(trafficSeries, eq(trafficSeries.apiId, apis.id))
    .innerJoin(traffic, eq(traffic.series, trafficSeries.id))
    .where(
      and(
        isNotNull(apis.sunset),
        sql`${apis.lifecycle} in ('deprecated', 'retired')`,
        within(period, 'placement'),
        seriesOf(row),
      ),
    )
    .groupBy(apis.id)
  const placed = await db
    .select({
      api: sql<string>`${apis.title} || ' ' || ${placements.version} || ' in ' || ${placements.stage}`,
      sunset: sql<string>`${placements.ending} ->> 'until'`,
      calls: sql<number>`coalesce(sum(${callsIn(period)}), 0)::int`,
    })
    .from(placements)
    .innerJoin(apis, eq(apis.id, placements.apiId))
    .innerJoin(trafficSeries, eq(trafficSeries.placement, placements.id))
    .innerJoin(traffic, eq(traffic.series, trafficSeries.id))
    .where(and(isNotNull(placements.ending), within(period, 'placement'), seriesOf(row)))
    .groupBy(apis.id, placements.id)
  const today = parseISO(dayOf(at))
  return [...rows, ...placed].map(({ api, sunset, calls }) => ({
    ...{ api, calls },
    days: differenceInCalendarDays(parseISO(sunset!), today),
  }))
}

const standingDrift = (db: Queries, row: AlertRow, at: Date) =>
  db.$count(
    drift,
    and(
      isOpenDrift,
      lt(drift.openedAt, new Date(at.getTime() - row.minutes * minute)),
      row.apiId === null ? undefined : eq(drift.apiId, row.apiId),
      row.stage === '' ? undefined : eq(drift.stage, row.stage),
      row.gateway === '' ? undefined : eq(drift.gateway, row.gateway),
    ),
  )
