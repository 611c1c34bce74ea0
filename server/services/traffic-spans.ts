import { and, eq, sql, type SQL } from 'drizzle-orm'
import { isWhole } from '../../core/traffic/figures'
import { spansOf, type Period } from '../../core/traffic/periods'
import { lengthOf, spanAfter, type Parts, type Resolution } from '../../core/traffic/spans'
import { ByteWriter } from '../../core/traffic/varints'
import type { Transaction } from '../db/database'
import { traffic, trafficSeries } from '../db/schema'

/** Written out, so that the same sum in two places of a query is worked out once. */
const moment = (at: number) => sql.raw(`'${new Date(at).toISOString()}'::timestamptz`)

/** Rows that hold parts of a period. */
export const within = (period: Period) =>
  and(
    eq(traffic.resolution, period.resolution),
    sql`${traffic.span} in (${sql.join(spansOf(period).map(moment), sql`, `)})`,
  )

/** How many calls of a row {@link within} a period are in it: all, but of the spans where it begins and ends. */
export const callsIn = (period: Period) => cut(period, traffic.line, sql`${traffic.calls}`)

/** The same of those whose messages broke the definition. */
export const brokenIn = (period: Period) =>
  cut(period, traffic.broken, sql`(select coalesce(sum(n), 0) from unnest(${traffic.broken}) n)`)

function cut(period: Period, line: typeof traffic.line | typeof traffic.broken, whole: SQL) {
  const { from, to, resolution } = period
  const length = lengthOf[resolution]
  const cuts = spansOf(period)
    .filter((span) => span < from || spanAfter(resolution, span) > to)
    .map((span) => {
      const [first, end] = [Math.max(0, from - span) / length, (to - span) / length]
      return sql`when ${moment(span)} then
        (select coalesce(sum(n), 0) from unnest(${line}[${sql.raw(`${first + 1}:${end}`)}]) n)`
    })
  if (cuts.length === 0) return whole
  return sql`case ${traffic.span} ${sql.join(cuts, sql` `)} else ${whole} end`
}

/** What figures of a period are made of (`figuresOf`). */
export function keptSpans(period: Period) {
  const whole = spansOf(period).filter((span) => isWhole(period, span))
  const isAll =
    whole.length === 0
      ? sql`false`
      : sql`${traffic.span} in (${sql.join(whole.map(moment), sql`, `)})`
  return {
    span: sql<number>`(extract(epoch from ${traffic.span}) * 1000)::float8`,
    status: trafficSeries.status,
    parts: sql<Buffer>`case when ${isAll} and ${traffic.whole} <> '' then ${traffic.whole} else ${traffic.parts} end`,
    line: sql<
      number[] | null
    >`case when ${isAll} and ${traffic.whole} <> '' then ${traffic.line} end`,
    first: sql<number | null>`array_lower(${traffic.line}, 1) - 1`,
  }
}

/** A row of `traffic`, as it is written. */
export interface SpanRow {
  series: number
  resolution: Resolution
  span: number
  parts: Parts
}

/**
 * Writes spans, each after what is kept of it was `added` to it. Nobody else writes them meanwhile: who counts for a gateway holds
 * its cursor, and who rolls up the lock for it.
 */
export async function writeSpans(
  tx: Transaction,
  spans: readonly SpanRow[],
  added: (parts: Parts, kept: Uint8Array) => void,
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
    span: momentOf(span),
    series,
    n,
  }))
  // Each is looked up by its key: a plan for all of them together would read the whole table.
  const { rows } = await tx.execute<{ n: number; parts: Buffer }>(sql`
    select wanted.n, t.parts
    from json_to_recordset(${JSON.stringify(wanted)}::json)
        as wanted (resolution text, span timestamptz, series int, n int),
      lateral (select parts from ${traffic} t
        where (t.resolution, t.span, t.series) = (wanted.resolution, wanted.span, wanted.series) limit 1) t`)
  const known = new Set<SpanRow>()
  for (const { n, parts } of rows) {
    added(spans[n]!.parts, parts)
    known.add(spans[n]!)
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
        series,
        calls: parts.calls,
        line: arrayOf(parts.line('calls')),
        broken: arrayOf(parts.line('broken')),
        at,
        until,
        end: writer.length,
      }
    })
    return sql`(
      select resolution, span, series, calls, line::int[], broken::int[], resolution <> 'hour' as rolled,
        substring(sent.bytes from at + 1 for until - at) as parts,
        substring(sent.bytes from until + 1 for "end" - until) as whole
      from json_to_recordset(${JSON.stringify(told)}::json) as w (resolution text, span timestamptz, series int,
        calls bigint, line text, broken text, at int, until int, "end" int),
        (select ${Buffer.from(writer.written())}::bytea as bytes) sent)`
  }
  if (known.size > 0)
    await tx.execute(sql`
      update ${traffic} t set calls = w.calls, line = w.line, broken = w.broken, rolled = w.rolled, parts = w.parts,
        whole = w.whole
      from ${sent([...known])} w
      where (t.resolution, t.span, t.series) = (w.resolution, w.span, w.series)`)
  const missing = spans.filter((span) => !known.has(span))
  if (missing.length > 0)
    await tx.execute(sql`
      insert into ${traffic} (resolution, span, series, calls, line, broken, rolled, parts, whole)
      ${sent(missing)}`)
}

/** A line as an array of PostgreSQL that begins with its first part. */
const arrayOf = (line: ReturnType<Parts['line']>): string =>
  line ? `[${line.first + 1}:${line.first + line.times.length}]={${line.times.join(',')}}` : '{}'
