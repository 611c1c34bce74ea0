import { stringify } from 'csv-stringify/sync'
import { and, desc, eq, gte, lt, sql, type SQL } from 'drizzle-orm'
import { grouped } from '../../core/text/grouped'
import type { Grain } from '../../core/traffic/buckets'
import { Histogram } from '../../core/traffic/histogram'
import { partsOf, periodAt, periodBefore, type Period } from '../../core/traffic/periods'
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
  trafficSeries,
} from '../db/schema'
import type { Context } from './context'
import { offsetOf, pageOf } from './paging'

const usualLimit = 100
const mostExported = 10_000

/** What gateways answered in a period, told apart by one thing, beside the period before and what was done meanwhile. */
export async function readTraffic({ db, now }: Context, query: TrafficQuery): Promise<TrafficPage> {
  const by = query.by ?? 'api'
  const period = periodAt(query.period ?? '24h', now().getTime())
  const [figures, before, acts, read, rows] = await Promise.all([
    figuresIn(db, query, period),
    figuresBefore(db, query, periodBefore(period)),
    actsOf(db, query, period),
    db
      .select({
        lost: sql<string>`coalesce(sum(${eventCursors.lost}), 0)`,
        readAt: sql<Date | null>`max(${eventCursors.readAt})`,
      })
      .from(eventCursors),
    rowsOf(db, query, by, period),
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

/** The coarsest counts that can tell what is asked for. */
function grainOf(query: TrafficQuery, by?: TrafficDimension): Grain {
  if (query.operation || query.client || by === 'operation' || by === 'client') return 'operation'
  const { api, team, stage, placement } = query
  const isOfAll = by === undefined || by === 'gateway' || by === 'status' || by === 'step'
  return api || team || stage || placement || !isOfAll ? 'placement' : 'gateway'
}

function wantedIn(query: TrafficQuery, grain: Grain, { from, to, resolution }: Period) {
  const { slug, version } = apiAsked(query)
  return and(
    eq(traffic.resolution, resolution),
    gte(traffic.at, new Date(from)),
    lt(traffic.at, new Date(to)),
    eq(trafficSeries.grain, grain),
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

const isRefused = sql`${trafficSeries.status} between 400 and 499`
const isFailed = sql`${trafficSeries.status} >= 500`
const calls = sql<string>`sum(${traffic.calls})`
const refused = sql<string>`coalesce(sum(${traffic.calls}) filter (where ${isRefused}), 0)`
const failed = sql<string>`coalesce(sum(${traffic.calls}) filter (where ${isFailed}), 0)`

/** Counts with the series that they are of, and the API where they are of one. */
const ofSeries = eq(trafficSeries.id, traffic.series)
const ofApi = eq(apis.id, trafficSeries.apiId)

interface Sums {
  calls: string
  refused: string
  failed: string
  broken: string
  bytesIn: string
  bytesOut: string
  durations: Buffer[]
  upstream: Buffer[]
}

/** Sums with the histograms of what they are of. */
const sums = {
  calls: sql<string>`coalesce(${calls}, 0)`.as('calls'),
  refused: refused.as('refused'),
  failed: failed.as('failed'),
  broken: sql<string>`coalesce(sum(${traffic.broken}), 0)`.as('broken'),
  bytesIn: sql<string>`coalesce(sum(${traffic.bytesIn}), 0)`.as('bytes_in'),
  bytesOut: sql<string>`coalesce(sum(${traffic.bytesOut}), 0)`.as('bytes_out'),
  durations: sql<Buffer[]>`coalesce(array_agg(${traffic.durations}), '{}')`.as('durations'),
  upstream: sql<Buffer[]>`coalesce(array_agg(${traffic.upstream}), '{}')`.as('upstream'),
}

const merged = (encoded: readonly Buffer[]) =>
  encoded.reduce((all, bytes) => all.mergeEncoded(bytes), new Histogram())

function toFigures(row: Sums): TrafficSummary {
  const durations = merged(row.durations)
  const upstream = merged(row.upstream)
  const quantile = (name: string, histogram: Histogram, share: number) => {
    const ms = histogram.quantile(share)
    return ms === undefined ? {} : { [name]: Math.round(ms) }
  }
  return {
    calls: Number(row.calls),
    refused: Number(row.refused),
    failed: Number(row.failed),
    broken: Number(row.broken),
    bytesIn: Number(row.bytesIn),
    bytesOut: Number(row.bytesOut),
    ...quantile('p50', durations, 0.5),
    ...quantile('p95', durations, 0.95),
    ...quantile('p99', durations, 0.99),
    ...quantile('upstreamP95', upstream, 0.95),
  }
}

/** The figures of a period before; nothing where counting began in it. */
async function figuresBefore(db: Queries, query: TrafficQuery, period: Period) {
  const [first] = await db
    .select({ at: sql<Date | null>`min(${traffic.at})`.mapWith(traffic.at) })
    .from(traffic)
    .innerJoin(trafficSeries, ofSeries)
    .where(and(eq(traffic.resolution, period.resolution), eq(trafficSeries.grain, 'gateway')))
  if (!first?.at || first.at.getTime() > period.from) return undefined
  return (await figuresIn(db, query, period)).total
}

/** The figures of a period as a whole, and of each of its parts. */
async function figuresIn(
  db: Queries,
  query: TrafficQuery,
  period: Period,
): Promise<Pick<TrafficPage, 'total' | 'points'>> {
  const rows = (await db
    .select({ at: sql<Date>`${traffic.at}`.as('at'), ...sums })
    .from(traffic)
    .innerJoin(trafficSeries, ofSeries)
    .leftJoin(apis, ofApi)
    .where(wantedIn(query, grainOf(query), period))
    .groupBy(traffic.at)) as (Sums & { at: Date })[]
  const known = new Map(rows.map((row) => [new Date(row.at).getTime(), row]))
  const points = partsOf(period).map((at): TrafficPoint => {
    const row = known.get(at)
    return {
      at: new Date(at).toISOString(),
      calls: Number(row?.calls ?? 0),
      refused: Number(row?.refused ?? 0),
      failed: Number(row?.failed ?? 0),
    }
  })
  return { total: toFigures(added(rows)), points }
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
function columnsOf(by: TrafficDimension): { key: SQL<string>; of?: SQL<string> } {
  const api = sql<string>`coalesce(${apis.slug}, '')`
  const columns: Record<TrafficDimension, { key: SQL<string>; of?: SQL<string> }> = {
    operation: { key: sql<string>`${trafficSeries.operation}`, of: api },
    api: { key: api },
    version: { key: sql<string>`${trafficSeries.version}`, of: api },
    placement: { key: sql<string>`${trafficSeries.placement}`, of: api },
    stage: { key: sql<string>`${trafficSeries.stage}` },
    client: { key: sql<string>`${trafficSeries.client}` },
    gateway: { key: sql<string>`${trafficSeries.gateway}` },
    status: { key: sql<string>`${trafficSeries.status}::text` },
    step: { key: sql<string>`${trafficSeries.step}` },
  }
  return columns[by]
}

/** The most called first; by operation of one API, what is approved and was not called comes after them. */
async function rowsOf(
  db: Queries,
  query: TrafficQuery,
  by: TrafficDimension,
  period: Period,
): Promise<Pick<TrafficPage, 'items' | 'nextCursor'>> {
  const limit = query.limit ?? usualLimit
  const offset = offsetOf(query)
  const wanted = wantedIn(query, grainOf(query, by), period)
  const { key, of = sql<string>`''` } = columnsOf(by)
  const [names, approved] = await Promise.all([
    db
      .select({
        key: key.as('key'),
        of: of.as('of'),
        clients: sql<string>`count(distinct ${trafficSeries.client})`.as('clients'),
      })
      .from(traffic)
      .innerJoin(trafficSeries, ofSeries)
      .leftJoin(apis, ofApi)
      .where(wanted)
      .groupBy(sql`1`, sql`2`)
      .orderBy(desc(calls), sql`1`, sql`2`)
      .limit(limit + 1)
      .offset(offset),
    by === 'operation' ? standingsOf(db, query) : undefined,
  ])
  const { items, nextCursor } = pageOf(names as Name[], limit, offset)
  const rows = await detailed(db, items, { key, of, wanted, period })
  if (!approved) return { items: rows, ...(nextCursor !== undefined && { nextCursor }) }
  const stood = rows.map((row) => ({ ...row, ...(approved.get(row.key) ?? unknown) }))
  const idle = nextCursor === undefined && offset === 0 ? idleOf(query, approved, rows) : []
  return { items: [...stood, ...idle], ...(nextCursor !== undefined && { nextCursor }) }
}

interface Name {
  key: string
  of: string
  clients: string
}

/** Figures of what is named, with how they went over the period. */
async function detailed(
  db: Queries,
  names: readonly Name[],
  { key, of, wanted, period }: { key: SQL; of: SQL; wanted: SQL | undefined; period: Period },
): Promise<TrafficRow[]> {
  if (names.length === 0) return []
  const keys = names.map((name) => name.key)
  const parts = partsOf(period)
  const rows = (await db
    .select({
      key: key.as('key'),
      of: of.as('of'),
      at: sql<Date>`${traffic.at}`.as('at'),
      ...sums,
    })
    .from(traffic)
    .innerJoin(trafficSeries, ofSeries)
    .leftJoin(apis, ofApi)
    .where(and(wanted, sql`${key} = any(${sql.param(keys)}::text[])`))
    .groupBy(sql`1`, sql`2`, traffic.at)) as (Sums & { key: string; of: string; at: Date })[]
  const byName = grouped(rows, (row) => `${row.key}\n${row.of}`)
  return names.map(({ key: name, of: api, clients }) => {
    const found = byName.get(`${name}\n${api}`) ?? []
    const at = new Map(found.map((row) => [new Date(row.at).getTime(), Number(row.calls)]))
    return {
      key: name,
      ...(api !== '' && { api }),
      clients: Number(clients),
      ...toFigures(added(found)),
      line: parts.map((part) => at.get(part) ?? 0),
    }
  })
}

/** Sums of sums. */
function added(rows: readonly Sums[]): Sums {
  const sum = (pick: (row: Sums) => string) =>
    String(rows.reduce((all, row) => all + Number(pick(row)), 0))
  return {
    calls: sum((row) => row.calls),
    refused: sum((row) => row.refused),
    failed: sum((row) => row.failed),
    broken: sum((row) => row.broken),
    bytesIn: sum((row) => row.bytesIn),
    bytesOut: sum((row) => row.bytesOut),
    durations: rows.flatMap((row) => row.durations),
    upstream: rows.flatMap((row) => row.upstream),
  }
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
      ...toFigures(added([])),
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
