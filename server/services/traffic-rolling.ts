import { sql } from 'drizzle-orm'
import { partOf, Parts, readParts, spanOf } from '../../core/traffic/spans'
import { lockKeys } from '../db/lock-keys'
import { traffic } from '../db/schema'
import type { Services } from './context'
import { writeSpans, type SpanRow } from './traffic-spans'

/** So many rows are rolled up at once. */
const rolledAtOnce = 30_000

/**
 * Makes days of the hours that were counted since it was done last. A day is made anew from all of its hours, so that who dies
 * has done nothing that would be done twice; of two at once the second waits and finds nothing left.
 */
export async function rollUp({ db }: Pick<Services, 'db'>): Promise<void> {
  for (let rolled = rolledAtOnce; rolled === rolledAtOnce;)
    rolled = await db.transaction(async (tx) => {
      await tx.execute(sql`select pg_advisory_xact_lock(${lockKeys.rolling})`)
      const hours = await tx
        .select({
          series: traffic.series,
          grain: traffic.grain,
          operation: traffic.operation,
          span: traffic.span,
          parts: traffic.parts,
        })
        .from(traffic)
        .where(sql`not ${traffic.rolled}`)
        .limit(rolledAtOnce)
        // Those that are counted in at this moment come next time.
        .for('update', { skipLocked: true })
      if (hours.length === 0) return 0
      const months = new Map<string, SpanRow>()
      for (const { span: day, parts, ...series } of hours) {
        const span = spanOf('day', day.getTime())
        const key = `${series.series} ${span}`
        let month = months.get(key)
        if (!month) {
          month = { series, resolution: 'day', span, parts: new Parts() }
          months.set(key, month)
        }
        const counts = month.parts.at(partOf('day', day.getTime()))
        readParts(parts, () => counts)
      }
      await writeSpans(tx, '', [...months.values()], (parts, kept) => parts.addOthers(kept))
      await tx.execute(sql`
        update ${traffic} t set rolled = true
        from unnest(${sql.param(hours.map(({ span }) => span.toISOString()))}::timestamptz[],
          ${sql.param(hours.map(({ series }) => series))}::int[],
          ${sql.param(hours.map(({ grain }) => grain))}::text[]) as w (span, series, grain)
        where t.resolution = 'hour' and (t.grain, t.span, t.series) = (w.grain, w.span, w.series)`)
      return hours.length
    })
}
