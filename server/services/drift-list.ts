import { differenceInCalendarDays, parseISO } from 'date-fns'
import { and, asc, desc, eq, gte, inArray, isNotNull, isNull, lt, sql } from 'drizzle-orm'
import { effectsOf, type Touched } from '../../core/drift/ways'
import { grouped } from '../../core/text/grouped'
import { gatewayKinds } from '../../core/runtime/gateway-kinds'
import { operationKey } from '../../core/runtime/placement'
import { periodAt } from '../../core/traffic/periods'
import type {
  DriftAcceptance,
  DriftCaller,
  DriftDetail,
  DriftEvent,
  DriftItem,
  DriftMonth,
  DriftMonthQuery,
  DriftQuery,
} from '../../shared/api/drift'
import { driftAccounts, type DriftResolution, type DriftState } from '../../shared/words'
import type { Queries } from '../db/database'
import { displayName, teamName } from '../db/names'
import {
  apis,
  drift,
  gateways,
  ledger,
  placements,
  stages,
  traffic,
  trafficSeries,
} from '../db/schema'
import type { Context } from './context'
import { knownAs, subjectOf, type DriftRow } from './drift-following'
import { conflict, invalid, notFound } from './failure'
import { dayOf } from './known'
import { record } from './ledger'
import { offsetOf, pageOf, type Page } from './paging'
import { requirePermission } from './permissions'
import { isOpenDrift } from './sites'
import { callsIn, within } from './traffic-spans'

const hour = 3_600_000

const isAccepted = and(isNull(drift.closedAt), sql`${drift.acceptedUntil} > now()`)

const inState: Record<DriftState, ReturnType<typeof and>> = {
  open: isOpenDrift,
  accepted: isAccepted,
  resolved: isNotNull(drift.closedAt),
}

/** What somebody sees of drift: the row with the names that it goes by. */
const columns = {
  row: drift,
  api: sql<string | null>`${apis.slug}`,
  title: sql<string | null>`${apis.title}`,
  team: sql<string | null>`${teamName(apis.teamId)}`,
  acceptedBy: sql<string | null>`${displayName(drift.acceptedById)}`,
  basePath: sql<string | null>`${placements.spec} ->> 'basePath'`,
}

interface Shown {
  row: DriftRow
  api: string | null
  title: string | null
  team: string | null
  acceptedBy: string | null
  basePath: string | null
}

/** Drift, what is nearest to those outside first; what has ended, the newest first. */
export async function listDrift(
  { db, now }: Pick<Context, 'db' | 'now'>,
  query: DriftQuery,
): Promise<Page<DriftItem>> {
  const limit = query.limit ?? 100
  const offset = offsetOf(query)
  const state = query.state ?? 'open'
  const month = query.month === undefined ? undefined : monthOf(query.month)
  const rows: Shown[] = await db
    .select(columns)
    .from(drift)
    .leftJoin(apis, eq(apis.id, drift.apiId))
    .leftJoin(placements, eq(placements.id, drift.placement))
    .leftJoin(stages, eq(stages.name, drift.stage))
    .where(
      and(
        inState[state],
        query.account ? eq(drift.account, query.account) : undefined,
        query.api ? eq(apis.slug, query.api) : undefined,
        query.team ? eq(teamName(apis.teamId), query.team) : undefined,
        query.stage ? eq(drift.stage, query.stage) : undefined,
        query.gateway ? eq(drift.gateway, query.gateway) : undefined,
        query.placement ? eq(drift.placement, query.placement) : undefined,
        month && and(gte(drift.closedAt, month.from), lt(drift.closedAt, month.to)),
      ),
    )
    .orderBy(
      ...(state === 'resolved'
        ? [desc(drift.closedAt)]
        : [
            sql`${stages.position} desc nulls last`,
            sql`array_position(${sql.param([...driftAccounts])}::text[], ${drift.account})`,
            desc(drift.openedAt),
          ]),
      desc(drift.id),
    )
    .limit(limit + 1)
    .offset(offset)
  const page = pageOf(rows, limit, offset)
  const callers = await callersOf(db, page.items, now())
  return { ...page, items: page.items.map((shown) => itemOf(shown, callers, now())) }
}

function itemOf(shown: Shown, callers: CallersOf, now: Date): DriftItem {
  const { row, api, title, team, acceptedBy } = shown
  const { id, acceptedUntil, closedAt, resolution, rolloutId } = row
  const calling = callers(shown)
  return {
    drift: id,
    account: row.account,
    state: stateOf(row, now),
    ...(api !== null && { api }),
    ...(title !== null && { title }),
    ...(team !== null && { team }),
    placement: row.placement,
    version: row.version,
    stage: row.stage,
    group: row.group,
    gateway: row.gateway,
    where: row.where,
    what: row.what,
    ledger: row.ledger,
    runs: row.runs,
    cause: row.cause.text,
    openedAt: row.openedAt.toISOString(),
    changedAt: row.changedAt.toISOString(),
    ...(closedAt && { closedAt: closedAt.toISOString() }),
    ...(resolution && { resolution }),
    ...(row.closedBy !== '' && { closedBy: row.closedBy }),
    ...(rolloutId !== null && { rollout: rolloutId }),
    ...(acceptedUntil && {
      acceptedUntil: dayOf(new Date(acceptedUntil.getTime() - 1)),
      ...(acceptedBy !== null && { acceptedBy }),
      acceptedWhy: row.acceptedWhy,
    }),
    ...(row.halted !== '' && { halted: row.halted }),
    calls: calling.reduce((sum, { calls }) => sum + calls, 0),
    clients: calling.length,
  }
}

function stateOf({ closedAt, acceptedUntil }: DriftRow, now: Date): DriftState {
  if (closedAt) return 'resolved'
  return acceptedUntil && acceptedUntil > now ? 'accepted' : 'open'
}

type CallersOf = (shown: Pick<Shown, 'row' | 'basePath'>) => DriftCaller[]

/** Who called what drift is about in the last day, by one query for all of it. */
async function callersOf(
  db: Queries,
  rows: readonly Pick<Shown, 'row'>[],
  now: Date,
): Promise<CallersOf> {
  const ids = [...new Set(rows.map(({ row }) => row.placement))]
  const period = periodAt('24h', now.getTime())
  const counted =
    ids.length === 0
      ? []
      : await db
          .select({
            placement: trafficSeries.placement,
            gateway: trafficSeries.gateway,
            operation: trafficSeries.operation,
            client: trafficSeries.client,
            calls: sql<string>`sum(${callsIn(period)})`,
          })
          .from(traffic)
          .innerJoin(trafficSeries, eq(trafficSeries.id, traffic.series))
          .where(and(within(period, 'operation'), inArray(trafficSeries.placement, ids)))
          .groupBy(
            trafficSeries.placement,
            trafficSeries.gateway,
            trafficSeries.operation,
            trafficSeries.client,
          )
  const byPlacement = grouped(counted, ({ placement }) => placement)
  return ({ row, basePath }) => {
    const names = new Set(row.operations.flatMap((name) => [name, belowBase(name, basePath ?? '')]))
    const clients = new Map<string, number>()
    for (const { gateway, operation, client, calls } of byPlacement.get(row.placement) ?? []) {
      if (row.gateway !== '' && gateway !== row.gateway) continue
      if (names.size > 0 && !names.has(operation)) continue
      clients.set(client, (clients.get(client) ?? 0) + Number(calls))
    }
    return [...clients]
      .map(([client, calls]) => ({ client, calls }))
      .sort((a, b) => b.calls - a.calls)
  }
}

/** An operation named by its outside path, as it is counted at a placement. */
function belowBase(name: string, basePath: string): string {
  const [method, path = ''] = name.split(' ')
  const base = basePath.replace(/\/$/, '')
  return path.startsWith(`${base}/`) ? `${method} ${path.slice(base.length)}` : name
}

async function findDrift(db: Queries, id: number): Promise<Shown> {
  const [shown]: Shown[] = await db
    .select(columns)
    .from(drift)
    .leftJoin(apis, eq(apis.id, drift.apiId))
    .leftJoin(placements, eq(placements.id, drift.placement))
    .where(eq(drift.id, id))
  if (!shown) throw notFound(`drift ${id}`)
  return shown
}

/** One difference with what speaks for its cause, who calls it, and what each way out would do to them. */
export async function readDrift(
  { db, now }: Pick<Context, 'db' | 'now'>,
  id: number,
): Promise<DriftDetail> {
  const shown = await findDrift(db, id)
  const callers = await callersOf(db, [shown], now())
  const calling = callers(shown)
  const item = itemOf(shown, callers, now())
  const { row } = shown
  return {
    ...item,
    evidence: row.cause.evidence,
    callers: calling.slice(0, 10),
    ways: item.state === 'resolved' ? [] : await waysOf(db, shown, touchedBy(calling)),
    events: await eventsOf(db, row),
  }
}

const touchedBy = (calling: readonly DriftCaller[]): Touched => ({
  calls: calling.reduce((sum, { calls }) => sum + calls, 0),
  clients: calling.filter(({ client }) => client !== '').length,
  unnamed: calling.find(({ client }) => client === '')?.calls ?? 0,
})

async function waysOf(db: Queries, { row, basePath }: Shown, touched: Touched) {
  const [placed] = await db.select().from(placements).where(eq(placements.id, row.placement))
  const [at] = await db.select().from(gateways).where(eq(gateways.name, row.gateway))
  const canTakeOff = at !== undefined && gatewayKinds[at.kind].isWhole
  const described = new Set(placed?.spec.routes.map(operationKey))
  const isDescribed =
    row.what !== 'route' ||
    row.operations.some(
      (name) => described.has(name) || described.has(belowBase(name, basePath ?? '')),
    )
  const effects = {
    ...effectsOf(knownAs(row), touched, isDescribed),
    ...(row.account === 'source' && {
      revise:
        'What stands there is brought in as the next revision, with what changed shown before.',
    }),
  }
  return Object.entries(effects)
    .filter(
      ([way]) =>
        way === 'accept' ||
        (way === 'take-off' && canTakeOff) ||
        (row.account === 'source' ? way === 'revise' : row.account === 'gateway' && placed),
    )
    .map(([way, effect]) => ({ way: way as keyof typeof effects, effect }))
}

/** What the ledger says became of it. */
async function eventsOf(db: Queries, row: DriftRow): Promise<DriftEvent[]> {
  const rows = await db
    .select({
      at: ledger.at,
      entry: ledger.number,
      action: ledger.action,
      actor: ledger.actor,
    })
    .from(ledger)
    .where(
      and(
        eq(ledger.subject, subjectOf(row)),
        sql`${ledger.action} like 'drift.%'`,
        sql`(${ledger.before} @? ${`$.**.drift ? (@ == ${row.id})`}::jsonpath or ${ledger.after} @? ${`$.**.drift ? (@ == ${row.id})`}::jsonpath)`,
      ),
    )
    .orderBy(asc(ledger.number))
    .limit(200)
  return rows.map(({ at, ...event }) => ({ ...event, at: at.toISOString() }))
}

/** The longest that drift is accepted for without being looked at again. */
const mostDays = 365

/** Accepts drift as it is until a day; it counts again after that, and when it changes. */
export async function acceptDrift(
  context: Context,
  id: number,
  { until, reason }: DriftAcceptance,
): Promise<DriftDetail> {
  const { db, actor, now } = context
  requirePermission(actor, 'resolve')
  const days = differenceInCalendarDays(parseISO(until), parseISO(dayOf(now())))
  if (days < 0 || days > mostDays)
    throw invalid([
      {
        field: 'until',
        message: days < 0 ? 'The last day is past already' : 'Drift is accepted for a year at most',
      },
    ])
  await findDrift(db, id)
  await db.transaction(async (tx) => {
    const row = await lockOpen(tx, id)
    // To the end of the day.
    const acceptedUntil = new Date(Date.parse(`${until}T00:00:00Z`) + 24 * hour)
    await tx
      .update(drift)
      .set({ acceptedUntil, acceptedById: actor.id, acceptedWhy: reason, halted: '' })
      .where(eq(drift.id, id))
    await record(tx, context, {
      action: 'drift.accepted',
      api: row.apiId,
      subject: subjectOf(row),
      after: { drift: id, where: row.where, what: row.what, runs: row.runs, until, reason },
    })
  })
  return readDrift(context, id)
}

/** Has accepted drift count again. */
export async function endAcceptance(context: Context, id: number): Promise<void> {
  const { db, actor } = context
  requirePermission(actor, 'resolve')
  await findDrift(db, id)
  await db.transaction(async (tx) => {
    const row = await lockOpen(tx, id)
    if (!row.acceptedUntil) throw conflict('Nobody has accepted it.')
    await tx.update(drift).set({ acceptedUntil: null, acceptedWhy: '' }).where(eq(drift.id, id))
    await record(tx, context, {
      action: 'drift.not-accepted',
      api: row.apiId,
      subject: subjectOf(row),
      before: { until: row.acceptedUntil, reason: row.acceptedWhy },
      after: { drift: id },
    })
  })
}

/** Drift that has not ended, locked until the transaction does. */
export async function lockOpen(tx: Queries, id: number): Promise<DriftRow> {
  const [row] = await tx.select().from(drift).where(eq(drift.id, id)).for('update')
  if (!row) throw notFound(`drift ${id}`)
  if (row.closedAt) throw conflict('It has ended in between: the gateway runs what was approved.')
  return row
}

const monthOf = (day: string) => {
  const from = parseISO(`${day.slice(0, 7)}-01T00:00:00Z`)
  return { from, to: new Date(Date.UTC(from.getUTCFullYear(), from.getUTCMonth() + 1)) }
}

/** What drift there is, and what became of it in a month. */
export async function driftMonth(
  { db, now }: Pick<Context, 'db' | 'now'>,
  query: DriftMonthQuery,
): Promise<DriftMonth> {
  const { from, to } = monthOf(query.month ?? dayOf(now()))
  const inMonth = and(gte(drift.closedAt, from), lt(drift.closedAt, to))
  const stood = sql`extract(epoch from ${drift.closedAt} - ${drift.openedAt}) / 60`
  const [[figures], endings] = await Promise.all([
    db
      .select({
        open: sql<number>`count(*) filter (where ${isOpenDrift})::int`,
        accepted: sql<number>`count(*) filter (where ${isAccepted})::int`,
        opened: sql<number>`count(*) filter (where ${and(gte(drift.openedAt, from), lt(drift.openedAt, to))})::int`,
        resolved: sql<number>`count(*) filter (where ${inMonth})::int`,
        median: sql<
          string | null
        >`percentile_cont(0.5) within group (order by ${stood}) filter (where ${inMonth})`,
        longest: sql<string | null>`max(${stood}) filter (where ${inMonth})`,
      })
      .from(drift),
    db
      .select({
        resolution: sql<DriftResolution>`${drift.resolution}`,
        count: sql<number>`count(*)::int`,
      })
      .from(drift)
      .where(inMonth)
      .groupBy(drift.resolution)
      .orderBy(desc(sql`count(*)`)),
  ])
  const { open, accepted, opened, resolved, median, longest } = figures!
  return {
    month: dayOf(from),
    ...{ open, accepted, opened, resolved, endings },
    ...(median !== null && { medianMinutes: Math.round(Number(median)) }),
    ...(longest !== null && { longestMinutes: Math.round(Number(longest)) }),
  }
}
