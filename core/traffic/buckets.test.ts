import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { addCounts, bucketsOf, grains, noCounts, resolutions, type Bucket } from './buckets'
import type { TrafficEvent } from './event'

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
      status: fc.constantFrom(200, 404, 429),
      step: fc.constantFrom('' as const, 'limit' as const),
      ms: fc.integer({ min: 1, max: 5000 }),
      bytesOut: fc.nat({ max: 10_000 }),
      breaks: fc.constantFrom('' as const, 'response' as const),
    })
    .map((some): TrafficEvent => ({ ...event, ...some })),
  { maxLength: 60 },
)
const sum = (buckets: readonly Bucket[]) =>
  buckets.reduce((all, bucket) => {
    addCounts(all, bucket)
    return all
  }, noCounts())
const shown = ({ durations, upstream, ...rest }: ReturnType<typeof sum>) => ({
  ...rest,
  durations: durations.encode(),
  upstream: upstream.encode(),
})

describe('counts of events', () => {
  it('are the same in every grain and resolution', () => {
    fc.assert(
      fc.property(events, (list) => {
        const buckets = bucketsOf(list)
        const whole = resolutions.flatMap((resolution) =>
          grains.map((grain) =>
            shown(
              sum(
                buckets.filter(
                  (bucket) => bucket.resolution === resolution && bucket.series.grain === grain,
                ),
              ),
            ),
          ),
        )
        for (const one of whole) expect(one).toEqual(whole[0])
        expect(whole[0]!.calls).toBe(list.length)
      }),
    )
  })

  it('add up whatever the batches were', () => {
    fc.assert(
      fc.property(events, events, (some, more) => {
        const apart = shown(sum([...bucketsOf(some), ...bucketsOf(more)]))
        expect(apart).toEqual(shown(sum(bucketsOf([...some, ...more]))))
      }),
    )
  })

  it('stand in the minute, hour and day in which a request ended', () => {
    const at = Object.fromEntries(
      bucketsOf([event]).map((bucket) => [bucket.resolution, new Date(bucket.at).toISOString()]),
    )
    expect(at).toEqual({
      minute: '2026-11-29T13:05:00.000Z',
      hour: '2026-11-29T13:00:00.000Z',
      day: '2026-11-29T00:00:00.000Z',
    })
  })

  it('are not made without end by paths that somebody makes up', () => {
    const made = Array.from({ length: 500 }, (_, n): TrafficEvent => ({
      ...event,
      operation: `GET /${'x'.repeat((n % 20) + 1)}/${'y'.repeat(Math.floor(n / 20) + 1)}`,
      status: 404,
      step: 'match',
    }))
    const named = new Set(
      bucketsOf(made).flatMap(({ series }) =>
        series.grain === 'operation' ? [series.operation] : [],
      ),
    )
    expect(named.size).toBe(51)
    expect(named).toContain('others')
  })
})
