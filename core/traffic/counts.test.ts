import { isDeepStrictEqual } from 'node:util'
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { grainBy, grains, keptFor, tallied, type Grain, type Tally } from './counts'
import type { TrafficEvent } from './event'
import { figuresOf, isWhole, type Figures, type KeptSpan } from './figures'
import { Histogram } from './histogram'
import { lastParts, partsOf, type Period } from './periods'
import { beginOf, lengthOf, Parts, readParts, resolutions, type Resolution } from './spans'
import { ByteWriter } from './varints'

const event: TrafficEvent = {
  seq: 1,
  id: 'e',
  at: Date.UTC(2026, 10, 29, 13, 5, 7),
  placement: 'supply-live-1',
  version: '2.4.0',
  operation: 'GET /areas',
  host: '',
  address: '',
  client: 'Flood Board',
  status: 200,
  step: '',
  policy: '',
  ms: 12,
  upstreamMs: 9,
  bytesIn: 300,
  bytesOut: 900,
  requestType: '',
  responseType: 'application/json',
  query: [],
  members: [],
  breaks: '',
}
const events = fc.array(
  fc
    .record({
      at: fc.integer({ min: Date.UTC(2026, 10, 28), max: Date.UTC(2026, 10, 30) }),
      placement: fc.constantFrom('a', 'b', ''),
      operation: fc.constantFrom('GET /x', 'GET /y'),
      client: fc.constantFrom('one', ''),
      status: fc.constantFrom(200, 404, 429, 503),
      step: fc.constantFrom('' as const, 'limit' as const),
      ms: fc.integer({ min: 1, max: 5000 }),
      bytesOut: fc.nat({ max: 10_000 }),
      breaks: fc.constantFrom('' as const, 'response' as const),
    })
    .map((some): TrafficEvent => ({ ...event, ...some })),
  { maxLength: 60 },
)
const now = Date.UTC(2026, 10, 30)
const bytesOf = (counted: Histogram | Parts) => {
  const writer = new ByteWriter()
  counted.write(writer)
  return writer.written()
}
const wholeOf = (parts: Parts) => {
  const writer = new ByteWriter()
  parts.writeWhole(writer)
  return writer.written()
}
const kept = (tallies: readonly Tally[], grain: Grain, resolution: Resolution): KeptSpan[] =>
  tallies
    .filter((tally) => tally.resolution === resolution && tally.series.grain === grain)
    .map(({ span, series, parts }) => ({ span, status: series.status, parts: bytesOf(parts) }))
/** As it is kept and read: what is wholly in the period all in one, with its line. */
const inPeriod = (period: Period, tallies: readonly Tally[], grain: Grain): KeptSpan[] =>
  tallies
    .filter(({ resolution, series }) => resolution === period.resolution && series.grain === grain)
    .map(({ span, series: { status }, parts }) => {
      const whole = wholeOf(parts)
      if (!isWhole(period, span) || whole.length === 0)
        return { span, status, parts: bytesOf(parts) }
      return { span, status, parts: new Uint8Array(), wholes: whole }
    })
const shown = ({ total, points }: Figures) => {
  const { durations, upstream, ...rest } = total
  const [whole, behind] = [durations, upstream].map((one) => bytesOf(one))
  return { ...rest, whole, behind, points }
}

describe('counts of events', () => {
  it('are what was asked in a time, in every grain', () => {
    fc.assert(
      fc.property(
        events,
        fc.constantFrom(...resolutions),
        fc.constantFrom(...grains),
        fc.integer({ min: 1, max: 90 }),
        fc.integer({ min: Date.UTC(2026, 10, 28, 20), max: now }),
        (list, resolution, grain, parts, until) => {
          // Minutes of clients and operations are counted for a few hours only.
          const recent =
            (grain === 'operation' || grain === 'client') && resolution === 'minute'
              ? 3 * lengthOf.hour
              : Infinity
          // Days are made of hours, but of hours that are not kept any more.
          const counted = resolution === 'day' ? now + keptFor.hour : now
          const period = lastParts(resolution, parts, until)
          const asked = list.filter(
            ({ at }) => at >= period.from && at < period.to && now - at < recent,
          )
          const { total, points } = figuresOf(
            period,
            inPeriod(period, tallied(list, counted), grain),
          )
          expect(total.calls).toBe(asked.length)
          expect(total.failed).toBe(asked.filter(({ status }) => status >= 500).length)
          expect(total.refused).toBe(
            asked.filter(({ status }) => status >= 400 && status < 500).length,
          )
          expect(total.broken).toBe(asked.filter(({ breaks }) => breaks !== '').length)
          expect(total.bytesOut).toBe(asked.reduce((sum, { bytesOut }) => sum + bytesOut, 0))
          const durations = asked.reduce((all, { ms }) => all.add(ms), new Histogram())
          expect(bytesOf(total.durations)).toEqual(bytesOf(durations))
          expect(points).toHaveLength(parts)
          for (const [n, at] of partsOf(period).entries())
            expect(points[n]!.calls).toBe(
              asked.filter((one) => beginOf(resolution, one.at) === at).length,
            )
        },
      ),
    )
  })

  it('add up whatever the batches were', () => {
    const period = lastParts('hour', 72, now)
    fc.assert(
      fc.property(events, events, fc.constantFrom(...grains), (some, more, grain) => {
        const of = (...lists: TrafficEvent[][]) =>
          figuresOf(
            period,
            lists.flatMap((list) => kept(tallied(list, now), grain, 'hour')),
          )
        expect(shown(of(some, more))).toEqual(shown(of([...some, ...more])))
      }),
    )
  })

  it('come back from their bytes, with more added to them', () => {
    fc.assert(
      fc.property(events, events, (some, more) => {
        const [one, other] = [some, more].map((list) => tallied(list, now))
        for (const { parts, ...at } of one!) {
          const written = { parts: bytesOf(parts), whole: wholeOf(parts) }
          const again = new Parts().addWritten(written)
          expect({ parts: bytesOf(again), whole: wholeOf(again) }).toEqual(written)
          const same = other!.find(
            ({ series, span, resolution }) =>
              span === at.span &&
              resolution === at.resolution &&
              isDeepStrictEqual(series, at.series),
          )
          if (!same) continue
          const before = same.parts.calls
          same.parts.addWritten(written)
          expect(same.parts.calls).toBe(before + parts.calls)
          // All as one is what adding the parts up says.
          const anew = new Parts()
          readParts(bytesOf(same.parts), (part) => anew.at(part))
          expect(wholeOf(same.parts)).toEqual(wholeOf(anew))
          const { times } = same.parts.line('calls')!
          expect(times.reduce((sum, calls) => sum + calls, 0)).toBe(same.parts.calls)
        }
      }),
    )
  })

  it('stand in the hour, day and month in which a request ended', () => {
    const at = Object.fromEntries(
      [now, now + keptFor.hour]
        .flatMap((at) => tallied([event], at))
        .map((tally) => [
          tally.resolution,
          [new Date(tally.span).toISOString(), tally.parts.line('calls')],
        ]),
    )
    expect(at).toEqual({
      minute: ['2026-11-29T13:00:00.000Z', { first: 5, times: [1] }],
      hour: ['2026-11-29T00:00:00.000Z', { first: 13, times: [1] }],
      day: ['2026-11-01T00:00:00.000Z', { first: 28, times: [1] }],
    })
  })

  it('are of the coarsest grain that tells requests apart as asked', () => {
    expect(grainBy([])).toBe('gateway')
    expect(grainBy(['version'])).toBe('placement')
    expect(grainBy(['client'])).toBe('caller')
    expect(grainBy(['placement', 'client'])).toBe('client')
    expect(grainBy(['operation'])).toBe('operation')
  })

  it('are not made without end by paths that somebody makes up', () => {
    const made = Array.from({ length: 500 }, (_, n): TrafficEvent => ({
      ...event,
      operation: `GET /${'x'.repeat((n % 20) + 1)}/${'y'.repeat(Math.floor(n / 20) + 1)}`,
      status: 404,
      step: 'match',
    }))
    const named = new Set(
      tallied(made, now).flatMap(({ series }) =>
        series.grain === 'operation' ? [series.operation] : [],
      ),
    )
    expect(named.size).toBe(51)
    expect(named).toContain('others')
  })
})
