import { and, eq, sql, type SQL } from 'drizzle-orm'
import type { AnyPgColumn } from 'drizzle-orm/pg-core'
import type { Grain } from '../../core/traffic/counts'
import { figuresOf, isWhole, type Figures } from '../../core/traffic/figures'
import { spansOf, type Period } from '../../core/traffic/periods'
import {
  lengthOf,
  spanAfter,
  type Parts,
  type Resolution,
  type WrittenParts,
} from '../../core/traffic/spans'
import { ByteWriter } from '../../core/traffic/varints'
import type { Queries, Transaction } from '../db/database'
import { apis, operationCalls, traffic, trafficSeries } from '../db/schema'

/** Written out, so that the same sum in two places of a query is worked out once. */
const moment = (at: number) => sql.raw(`'${new Date(at).toISOString()}'::timestamptz`)

/** Rows of a grain that hold parts of a period. */
export const within = (period: Period, grain: Grain) =>
  and(
    eq(traffic.resolution, period.resolution),
    eq(traffic.grain, grain),
    sql`${traffic.span} in (${sql.join(spansOf(period).map(moment), sql`, `)})`,
  )

/** Calls of each operation in a period: of whole days and months they are added up already, of the others they are taken apart. */
export function operationCallsIn(db: Queries, period: Period) {
  const { operation } = traffic
  const ofSpans = (isWanted: boolean, { span }: { span: AnyPgColumn }) => {
    const spans = spansOf(period).filter((at) => isKeptWhole(period, at) === isWanted)
    return spans.length > 0 ? sql`${span} in (${sql.join(spans.map(moment), sql`, `)})` : sql`false`
  }
  return db
    .select({
      operation: operationCalls.operation,
      calls: sql<number>`${operationCalls.calls}`.as('calls'),
    })
    .from(operationCalls)
    .where(and(eq(operationCalls.resolution, period.resolution), ofSpans(true, operationCalls)))
    .unionAll(
      db
        .select({
          operation: sql<number>`${operation}`,
          calls: sql<number>`${callsIn(period)}`.as('calls'),
        })
        .from(traffic)
        .where(
          and(
            eq(traffic.resolution, period.resolution),
            eq(traffic.grain, 'operation'),
            ofSpans(false, traffic),
          ),
        ),
    )
    .as('counted')
}

/** Whether all of a span is in a period, and the calls of its operations are kept. */
const isKeptWhole = (period: Period, span: number) =>
  period.resolution !== 'minute' && isWhole(period, span)

/** How many calls of a row {@link within} a period are in it: all, but of the spans where it begins and ends. */
export const callsIn = (period: Period) =>
  cut(period, sql`${traffic.calls}`, (first, end) => sql`${callsUpTo(end)} - ${callsUpTo(first)}`)

/** The calls of the first so many parts of a span. */
const callsUpTo = (parts: number) =>
  parts === 0
    ? sql`0`
    : sql`coalesce(${traffic.line}[${sql.raw(String(parts))}],
        case when ${sql.raw(String(parts))} < array_lower(${traffic.line}, 1) then 0 else ${traffic.calls} end)`

/** The same of those whose messages broke the definition. */
export const brokenIn = (period: Period) =>
  cut(
    period,
    sql`(select coalesce(sum(n), 0) from unnest(${traffic.broken}) n)`,
    (first, end) => sql`(select coalesce(sum(n), 0)
      from unnest(${traffic.broken}[${sql.raw(`${first + 1}:${end}`)}]) n)`,
  )

/** What is asked of a span, or of its parts from the `first` on and before the `end`, where no more of it is in a period. */
function cut(period: Period, whole: SQL, part: (first: number, end: number) => SQL): SQL {
  const { from, to, resolution } = period
  const length = lengthOf[resolution]
  const cuts = spansOf(period)
    .filter((span) => !isWhole(period, span))
    .map((span) => {
      const after = Math.min(to, spanAfter(resolution, span))
      const [first, end] = [Math.max(0, from - span) / length, (after - span) / length]
      return sql`when ${moment(span)} then ${part(first, end)}`
    })
  if (cuts.length === 0) return whole
  return sql`case ${traffic.span} ${sql.join(cuts, sql` `)} else ${whole} end`
}

/**
 * What figures of a period are made of (`figuresOf`), of all rows of a span with a status together: some travel and are read in
 * a fraction of the time that thousands do. To be grouped by `span` and `status`.
 */
export function keptSpans(period: Period) {
  const whole = spansOf(period).filter((span) => isWhole(period, span))
  const isKeptWhole =
    whole.length === 0
      ? sql`false`
      : sql`(${traffic.span} in (${sql.join(whole.map(moment), sql`, `)}) and ${traffic.whole} <> '')`
  const all = (bytes: AnyPgColumn, which: SQL) =>
    sql<Buffer>`coalesce(string_agg(${bytes}, '') filter (where ${which}), '')`
  return {
    span: sql<number>`(extract(epoch from ${traffic.span}) * 1000)::float8`.as('at'),
    status: trafficSeries.status,
    parts: all(traffic.parts, sql`not ${isKeptWhole}`),
    wholes: all(traffic.whole, isKeptWhole),
  }
}

/** What counts of a grain come to in a period, as far as their series are those wanted. */
export async function countedIn(
  db: Queries,
  period: Period,
  grain: Grain,
  wanted: SQL | undefined,
): Promise<Figures> {
  const kept = await db
    .select(keptSpans(period))
    .from(traffic)
    .innerJoin(trafficSeries, eq(trafficSeries.id, traffic.series))
    .leftJoin(apis, eq(apis.id, trafficSeries.apiId))
    .where(and(within(period, grain), wanted))
    .groupBy(...bySpan)
  return figuresOf(period, kept)
}

/** What {@link keptSpans} are told apart by. */
export const bySpan = [traffic.span, trafficSeries.status]

/** A series, with what rows of `traffic` say of it themselves. */
export type SeriesKey = Pick<typeof traffic.$inferSelect, 'series' | 'grain' | 'operation'>

/** A row of `traffic`, as it is written. */
export interface SpanRow {
  series: SeriesKey
  resolution: Resolution
  span: number
  parts: Parts
}

/**
 * Writes spans, each after what is kept of it was `added` to it. Nobody else writes them meanwhile: who counts for a gateway holds
 * its cursor, and who rolls up (as nobody) the lock for it.
 */
export async function writeSpans(
  tx: Transaction,
  gateway: string,
  spans: readonly SpanRow[],
  added: (parts: Parts, kept: WrittenParts) => void,
): Promise<void> {
  // They travel as JSON, which is written and read several times faster than as many arrays.
  const moments = new Map<number, string>()
  const momentOf = (span: number) => {
    let moment = moments.get(span)
    if (moment === undefined) moments.set(span, (moment = new Date(span).toISOString()))
    return moment
  }
  const wanted = spans.map(({ resolution, span, series }, n) => ({
    resolution,
    grain: series.grain,
    span: momentOf(span),
    series: series.series,
    n,
  }))
  // Each is looked up by its key: a plan for all of them together would read the whole table.
  const { rows } = await tx.execute<{ n: number; calls: number; parts: Buffer; whole: Buffer }>(sql`
    select wanted.n, t.calls::float8 as calls, t.parts, t.whole
    from json_to_recordset(${JSON.stringify(wanted)}::json)
        as wanted (resolution text, grain text, span timestamptz, series int, n int),
      lateral (select calls, parts, whole from ${traffic} t
        where (t.resolution, t.grain, t.span, t.series) = (wanted.resolution, wanted.grain, wanted.span, wanted.series)
        limit 1) t`)
  const known = new Map<SpanRow, number>()
  for (const { n, calls, ...kept } of rows) {
    added(spans[n]!.parts, kept)
    known.set(spans[n]!, calls)
  }
  const sent = (list: readonly SpanRow[]) => {
    // All parts go as they are, in one value.
    const writer = new ByteWriter()
    const told = list.map(({ resolution, span, series, parts }) => {
      const at = writer.length
      parts.write(writer)
      const until = writer.length
      parts.writeWhole(writer)
      return {
        resolution,
        span: momentOf(span),
        ...series,
        calls: parts.calls,
        line: arrayOf(running(parts.line('calls'))),
        broken: arrayOf(parts.line('broken')),
        at,
        until,
        end: writer.length,
      }
    })
    return sql`(
      select resolution, grain, span, series, operation, calls, line::bigint[], broken::int[], resolution <> 'hour' as rolled,
        substring(sent.bytes from at + 1 for until - at) as parts,
        substring(sent.bytes from until + 1 for "end" - until) as whole
      from json_to_recordset(${JSON.stringify(told)}::json) as w (resolution text, grain text, span timestamptz,
        series int, operation int, calls bigint, line text, broken text, at int, until int, "end" int),
        (select ${Buffer.from(writer.written())}::bytea as bytes) sent)`
  }
  if (known.size > 0)
    await tx.execute(sql`
      update ${traffic} t set calls = w.calls, line = w.line, broken = w.broken, rolled = w.rolled, parts = w.parts,
        whole = w.whole
      from ${sent([...known.keys()])} w
      where (t.resolution, t.grain, t.span, t.series) = (w.resolution, w.grain, w.span, w.series)`)
  const missing = spans.filter((span) => !known.has(span))
  if (missing.length > 0)
    await tx.execute(sql`
      insert into ${traffic} (resolution, grain, span, series, operation, calls, line, broken, rolled, parts, whole)
      ${sent(missing)}`)
  await addCalls(tx, gateway, spans, (span) => span.parts.calls - (known.get(span) ?? 0))
}

/** Adds what came of each operation to its calls. */
async function addCalls(
  tx: Transaction,
  gateway: string,
  spans: readonly SpanRow[],
  came: (span: SpanRow) => number,
): Promise<void> {
  const calls = new Map<
    string,
    { resolution: Resolution; span: string; operation: number; calls: number }
  >()
  for (const row of spans) {
    const {
      resolution,
      span,
      series: { operation },
    } = row
    if (operation === null || resolution === 'minute') continue
    const key = `${resolution} ${span} ${operation}`
    const of = calls.get(key) ?? {
      resolution,
      span: new Date(span).toISOString(),
      operation,
      calls: 0,
    }
    of.calls += came(row)
    calls.set(key, of)
  }
  if (calls.size === 0) return
  await tx.execute(sql`
    insert into ${operationCalls} (resolution, span, operation, gateway, calls)
    select resolution, span, operation, ${gateway}, calls
    from json_to_recordset(${JSON.stringify([...calls.values()])}::json)
      as came (resolution text, span timestamptz, operation int, calls bigint)
    on conflict (resolution, span, operation, gateway) do update set calls = operation_calls.calls + excluded.calls`)
}

type Line = ReturnType<Parts['line']>

/** How many there were up to the end of each part. */
function running(line: Line): Line {
  let sum = 0
  return line && { first: line.first, times: line.times.map((times) => (sum += times)) }
}

/** A line as an array of PostgreSQL that begins with its first part. */
const arrayOf = (line: Line): string =>
  line ? `[${line.first + 1}:${line.first + line.times.length}]={${line.times.join(',')}}` : '{}'
