import { describe, expect, it } from 'vitest'
import { partsOf, periodAt, periodBefore } from './periods'

const now = Date.UTC(2026, 10, 29, 13, 5, 7)
const iso = (at: number) => new Date(at).toISOString().slice(0, 16)

describe('periods', () => {
  it.each([
    ['1h', '2026-11-29T12:06', '2026-11-29T13:06', 60],
    ['24h', '2026-11-28T14:00', '2026-11-29T14:00', 24],
    ['7d', '2026-11-22T14:00', '2026-11-29T14:00', 168],
    ['30d', '2026-10-31T00:00', '2026-11-30T00:00', 30],
    ['90d', '2026-09-01T00:00', '2026-11-30T00:00', 90],
  ] as const)('%s ends with the part that is not over', (name, from, to, parts) => {
    const period = periodAt(name, now)
    expect([iso(period.from), iso(period.to)]).toEqual([from, to])
    expect(partsOf(period)).toHaveLength(parts)
    expect(partsOf(period)[0]).toBe(period.from)
    expect(periodBefore(period)).toEqual({
      from: 2 * period.from - period.to,
      to: period.from,
      resolution: period.resolution,
    })
  })
})
