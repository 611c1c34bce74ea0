import { stringify } from 'csv-stringify/sync'
import { and, desc, eq, gte, inArray, lt, sql, type SQL } from 'drizzle-orm'
import { grouped } from '../../core/text/grouped'
import { grainBy, type Grain } from '../../core/traffic/counts'
import { figuresOf, type Figures } from '../../core/traffic/figures'
import type { Histogram } from '../../core/traffic/histogram'
import { partsOf, periodAt, periodBefore, type Period } from '../../core/traffic/periods'
import { lengthOf, noCounts } from '../../core/traffic/spans'
import type {
  TrafficAct,
  TrafficSummary,
  TrafficPage,
  TrafficPoint,
  TrafficQuery,
  TrafficRow,
} from '../../shared/api/traffic'
import type { TrafficDimension } from '../../shared/words'
import type { Queries } from '../db/database'
import { teamName } from '../db/names'
import {
  apis,
  eventCursors,
  ledger,
  placements,
  requests,
  revisions,
  traffic,
  trafficOperations,
  trafficSeries,
} from '../db/schema'
import { seesEverything, type Actor, type Context } from './context'
import { offsetOf, pageOf } from './paging'
import { bySpan, callsIn, countedIn, keptSpans, operationCallsIn, within } from './traffic-spans'

const usualLimit = 100
const mostExported = 10_000

/** What gateways answered in a period, told apart by one thing, beside the period before and what was done meanwhile. */
export async function readTraffic(
  { db, now, actor }: Context,
  query: TrafficQuery,
): Promise<TrafficPage> {
  const by = query.by ?? 'api'
  const grains = { of: grainOf(query, actor), by: grainOf(query, actor, by) }
  const period = periodAt(query.period ?? '24h', now().getTime())
  const [figures, before, acts, read, rows] = await Promise.all([
    figuresIn(db, query, grains.of, period),
    figuresBefore(db, query, grains.of, periodBefore(period)),
    actsOf(db, query, period),
    db
      .select({
        lost: sql<string>`coalesce(sum(${eventCursors.lost}), 0)`,
        readAt: sql<Date | null>`max(${eventCursors.readAt})`,
      })
      .from(eventCursors),
    rowsOf(db, query, { by, grain: grains.by, period }),
  ])
  const [{ lost, readAt } = { lost: '0', readAt: null }] = read
  return {
    from: new Date(period.from).toISOString(),
    to: new Date(period.to).toISOString(),
    resolution: period.resolution,
    ...figures,
    ...(before && { before }),
    acts,
    lost: Number(lost),
    ...(readAt && { readAt: new Date(readAt).toISOString() }),
    ...rows,
  }
}

/** An API, and the version of it where one is named: `supply-interruptions@2.4.0`. */
function apiAsked({ api }: TrafficQuery): { slug?: string; version?: string } {
  const [slug, version] = api?.split('@') ?? []
  return { ...(slug && { slug }), ...(version && { version }) }
}

/** The coarsest counts that can tell what is asked for, of what may be seen. */
function grainOf(query: TrafficQuery, actor: Actor, by?: TrafficDimension): Grain {
  const { api, team, stage, placement, client, operation } = query
  const isOfAll = by === undefined || by === 'gateway' || by === 'status' || by === 'step'
  const isByClient = client !== undefined || by === 'client'
  const isByPlacement =
    [api, team, stage, placement].some((wanted) => wanted !== undefined) ||
    !(isOfAll || by === 'client') ||
    // What a client called of everything tells of confidential APIs.
    (isByClient && !seesEverything(actor))
  return grainBy([
    ...(isByPlacement ? (['placement'] as const) : []),
    ...(isByClient ? (['client'] as const) : []),
    ...(operation || by === 'operation' ? (['operation'] as const) : []),
  ])
}

/** Which series are asked for; undefined where all are. */
function wantedOf(query: TrafficQuery) {
  const { slug, version } = apiAsked(query)
  return and(
    slug ? eq(apis.slug, slug) : undefined,
    version ? eq(trafficSeries.version, version) : undefined,
    query.team ? eq(teamName(apis.teamId), query.team) : undefined,
    query.stage ? eq(trafficSeries.stage, query.stage) : undefined,
    query.placement ? eq(trafficSeries.placement, query.placement) : undefined,
    query.gateway ? eq(trafficSeries.gateway, query.gateway) : undefined,
    query.operation ? eq(trafficSeries.operation, query.operation) : undefined,
    query.client ? eq(trafficSeries.client, query.client) : undefined,
    endedSo(trafficSeries, query.ended),
  )
}

/** How a request ended: a status, or the step that it was stopped at. */
export const endedSo = (
  of: Pick<typeof trafficSeries | typeof requests, 'status' | 'step'>,
  ended: string | undefined,
) =>
  ended === undefined
    ? undefined
    : /^\d/.test(ended)
      ? eq(of.status, Number(ended))
      : eq(of.step, ended)

/** Counts with the series that they are of, and the API where they are of one. */
const ofSeries = eq(trafficSeries.id, traffic.series)
const ofApi = eq(apis.id, trafficSeries.apiId)

function toSummary({ durations, upstream, ...sums }: Figures['total']): TrafficSummary {
  const quantile = (name: string, histogram: Histogram, share: number) => {
    const ms = histogram.quantile(share)
    return ms === undefined ? {} : { [name]: Math.round(ms) }
  }
  return {
    ...sums,
    ...quantile('p50', durations, 0.5),
    ...quantile('p95', durations, 0.95),
    ...quantile('p99', durations, 0.99),
    ...quantile('upstreamP95', upstream, 0.95),
  }
}

/** The figures of a period before; nothing where counting began in it. */
async function figuresBefore(db: Queries, query: TrafficQuery, grain: Grain, period: Period) {
  const { resolution } = period
  const isOfAll = sql`resolution = ${resolution} and grain = 'gateway'`
  const [earliest] = await db
    .select({ span: traffic.span, first: sql<number>`min(array_lower(${traffic.line}, 1)) - 1` })
    .from(traffic)
    .where(
      sql`${isOfAll} and ${traffic.span} = (select min(span) from ${traffic} where ${isOfAll})`,
    )
    .groupBy(traffic.span)
  if (!earliest || earliest.span.getTime() + earliest.first * lengthOf[resolution] > period.from)
    return undefined
  return (await figuresIn(db, query, grain, period)).total
}

/** The figures of a period as a whole, and of each of its parts. */
async function figuresIn(
  db: Queries,
  query: TrafficQuery,
  grain: Grain,
  period: Period,
): Promise<Pick<TrafficPage, 'total' | 'points'>> {
  const { total, points } = await countedIn(db, period, grain, wantedOf(query))
  const begun = partsOf(period)
  return {
    total: toSummary(total),
    points: points.map((point, n): TrafficPoint => ({
      at: new Date(begun[n]!).toISOString(),
      ...point,
    })),
  }
}

/** What the ledger says was done to what is looked at; of everything, only what was done at gateways. */
async function actsOf(
  db: Queries,
  query: TrafficQuery,
  { from, to }: Period,
): Promise<TrafficAct[]> {
  const { slug } = apiAsked(query)
  const rows = await db
    .select({
      at: ledger.at,
      entry: ledger.number,
      action: ledger.action,
      subject: ledger.subject,
      actor: ledger.actor,
    })
    .from(ledger)
    .leftJoin(apis, eq(apis.id, ledger.apiId))
    .where(
      and(
        gte(ledger.at, new Date(from)),
        lt(ledger.at, new Date(to)),
        sql`${ledger.action} ~ '^(placement|policy|drift|promotion|gateway)[.]'`,
        slug ? eq(apis.slug, slug) : undefined,
        query.team ? eq(teamName(apis.teamId), query.team) : undefined,
        query.placement ? eq(ledger.subject, query.placement) : undefined,
      ),
    )
    .orderBy(desc(ledger.number))
    .limit(50)
  return rows.map(({ at, ...act }) => ({ ...act, at: at.toISOString() })).reverse()
}

/** What tells rows apart, and what they are called. */
interface Columns {
  key: SQL<string>
  of: SQL<string>
  /** Whether there are thousands of them, each called by few. */
  isMany?: boolean
}

function columnsOf(by: TrafficDimension): Columns {
  const api = sql<string>`coalesce(${apis.slug}, '')`
  const columns: Record<TrafficDimension, Omit<Columns, 'of'> & { of?: SQL<string> }> = {
    operation: { key: sql<string>`${trafficSeries.operation}`, of: api, isMany: true },
    api: { key: api },
    version: { key: sql<string>`${trafficSeries.version}`, of: api },
    placement: { key: sql<string>`${trafficSeries.placement}`, of: api },
    stage: { key: sql<string>`${trafficSeries.stage}` },
    client: { key: sql<string>`${trafficSeries.client}` },
    gateway: { key: sql<string>`${trafficSeries.gateway}` },
    status: { key: sql<string>`${trafficSeries.status}::text` },
    step: { key: sql<string>`${trafficSeries.step}` },
  }
  return { of: sql<string>`''`, ...columns[by] }
}

/** The most called first; by operation of one API, what is approved and was not called comes after them. */
async function rowsOf(
  db: Queries,
  query: TrafficQuery,
  { by, ...of }: { by: TrafficDimension; grain: Grain; period: Period },
): Promise<Pick<TrafficPage, 'items' | 'nextCursor'>> {
  const limit = query.limit ?? usualLimit
  const offset = offsetOf(query)
  const asked = { ...of, columns: columnsOf(by), wanted: wantedOf(query) }
  const [names, approved] = await Promise.all([
    ranked(db, asked, limit + 1, offset),
    by === 'operation' ? standingsOf(db, query) : undefined,
  ])
  const { items, nextCursor } = pageOf(names, limit, offset)
  const rows = await detailed(db, items, asked)
  if (!approved) return { items: rows, ...(nextCursor !== undefined && { nextCursor }) }
  const stood = rows.map((row) => ({ ...row, ...(approved.get(row.key) ?? unknown) }))
  const idle = nextCursor === undefined && offset === 0 ? idleOf(query, approved, rows) : []
  return { items: [...stood, ...idle], ...(nextCursor !== undefined && { nextCursor }) }
}

interface Asked {
  columns: Columns
  period: Period
  grain: Grain
  /** Undefined where all series of the grain are. */
  wanted: SQL | undefined
}

interface Name {
  key: string
  of: string
  /** The number of an operation, where they were ranked by it. */
  operation?: number
}

/** What was called most, by name. */
function ranked(
  db: Queries,
  { columns: { key, of, isMany }, period, grain, wanted }: Asked,
  limit: number,
  offset: number,
): Promise<Name[]> {
  const calls = sql<number>`sum((${callsIn(period)})::float8)`
  const rows = within(period, grain)
  if (!isMany || wanted)
    return db
      .select({ key: key.as('key'), of: of.as('of') })
      .from(traffic)
      .innerJoin(trafficSeries, ofSeries)
      .leftJoin(apis, ofApi)
      .where(and(rows, wanted))
      .groupBy(sql`1`, sql`2`)
      .having(sql`${calls} > 0`)
      .orderBy(desc(calls), sql`1`, sql`2`)
      .limit(limit)
      .offset(offset)
  // Of all there are thousands: they are added up by number, and named then.
  const counted = operationCallsIn(db, period)
  const sum = sql<number>`sum(${counted.calls})`
  const called = db
    .select({ operation: counted.operation, calls: sum.as('calls') })
    .from(counted)
    .groupBy(counted.operation)
    .having(sql`${sum} > 0`)
    // In order before they are named, so that only those that are shown are looked up.
    .orderBy(desc(sum), counted.operation)
    .as('called')
  return db
    .select({
      key: trafficOperations.name,
      of: columnsOf('api').key,
      operation: trafficOperations.id,
    })
    .from(called)
    .innerJoin(trafficOperations, eq(trafficOperations.id, called.operation))
    .leftJoin(apis, eq(apis.id, trafficOperations.apiId))
    .orderBy(desc(called.calls), called.operation)
    .limit(limit)
    .offset(offset)
}

/** Figures of what is named, with how they went over the period. */
async function detailed(
  db: Queries,
  names: readonly Name[],
  { columns: { key, of, isMany }, period, grain, wanted }: Asked,
): Promise<TrafficRow[]> {
  if (names.length === 0) return []
  const operations = names.flatMap(({ operation }) => operation ?? [])
  const named =
    operations.length > 0
      ? inArray(trafficSeries.operationId, operations)
      : sql`${key} = any(${sql.param(names.map((name) => name.key))}::text[])`
  const rows = and(within(period, grain), wanted, named)
  const [kept, callers] = await Promise.all([
    db
      .select({ key: key.as('key'), of: of.as('of'), ...keptSpans(period) })
      .from(traffic)
      .innerJoin(trafficSeries, ofSeries)
      .leftJoin(apis, ofApi)
      .where(rows)
      .groupBy(sql`1`, sql`2`, ...bySpan),
    isMany
      ? db
          .select({
            key: key.as('key'),
            of: of.as('of'),
            clients: sql<number>`count(distinct ${trafficSeries.client})::int`,
          })
          .from(traffic)
          .innerJoin(trafficSeries, ofSeries)
          .leftJoin(apis, ofApi)
          .where(and(rows, sql`${callsIn(period)} > 0`))
          .groupBy(sql`1`, sql`2`)
      : [],
  ])
  const nameOf = (row: Name) => `${row.key}\n${row.of}`
  const byName = grouped(kept, nameOf)
  const clients = new Map(callers.map((row) => [nameOf(row), row.clients]))
  return names.map((name) => {
    const { total, points } = figuresOf(period, byName.get(nameOf(name)) ?? [])
    const known = clients.get(nameOf(name))
    return {
      key: name.key,
      ...(name.of !== '' && { api: name.of }),
      ...(known !== undefined && { clients: known }),
      ...toSummary(total),
      line: points.map(({ calls }) => calls),
    }
  })
}

type Standing = Pick<TrafficRow, 'standing' | 'deprecated'>

const unknown: Standing = { standing: 'unknown' }

/** How the operations of one API stand in the ledger, at the placements that are looked at; nothing where it is of many. */
async function standingsOf(
  db: Queries,
  query: TrafficQuery,
): Promise<Map<string, Standing> | undefined> {
  const { placement, stage } = query
  const { slug, version } = apiAsked(query)
  if (!slug && !placement) return undefined
  const rows = await db
    .select({ spec: placements.spec, summary: revisions.summary })
    .from(placements)
    .innerJoin(apis, eq(apis.id, placements.apiId))
    .innerJoin(revisions, eq(revisions.id, placements.revisionId))
    .where(
      and(
        slug ? eq(apis.slug, slug) : undefined,
        version ? eq(placements.version, version) : undefined,
        placement ? eq(placements.id, placement) : undefined,
        stage ? eq(placements.stage, stage) : undefined,
      ),
    )
  const standings = new Map<string, Standing>()
  for (const { spec, summary } of rows) {
    const deprecated = new Set(
      summary.operations.filter((one) => one.deprecated).map((one) => `${one.method} ${one.path}`),
    )
    for (const { method, path, treatment } of spec.routes) {
      const name = `${method} ${path}`
      const before = standings.get(name)
      const isApproved = treatment.kind !== 'withheld' || before?.standing === 'approved'
      standings.set(name, {
        standing: isApproved ? 'approved' : 'withheld',
        ...((before?.deprecated === true || deprecated.has(name)) && { deprecated: true }),
      })
    }
  }
  return standings
}

/** What is approved and was not called. */
function idleOf(
  query: TrafficQuery,
  standings: ReadonlyMap<string, Standing>,
  called: readonly TrafficRow[],
): TrafficRow[] {
  // Of some clients or answers alone, what nobody called is not known to be idle.
  if (query.client || query.ended || query.operation || query.gateway) return []
  const names = new Set(called.map(({ key }) => key))
  return [...standings]
    .filter(([name, { standing }]) => standing === 'approved' && !names.has(name))
    .map(([name, { deprecated }]) => ({
      key: name,
      clients: 0,
      ...toSummary({ ...noCounts(), refused: 0, failed: 0 }),
      line: [],
      standing: 'idle' as const,
      ...(deprecated && { deprecated }),
    }))
}

/** What is told of a row, as columns of a table. */
const columns = [
  ...['key', 'api', 'calls', 'refused', 'failed', 'broken', 'clients'],
  ...['p50', 'p95', 'p99', 'upstreamP95', 'bytesIn', 'bytesOut', 'standing'],
]

/** The rows of {@link readTraffic} as comma-separated values (RFC 4180), all of them up to ten thousand. */
export async function exportTraffic(context: Context, query: TrafficQuery): Promise<string> {
  const { items } = await readTraffic(context, { ...query, limit: mostExported })
  // What clients call themselves must not be a formula in a spreadsheet.
  return stringify(items, {
    header: true,
    columns,
    escape_formulas: true,
    record_delimiter: '\r\n',
  })
}
