import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { Histogram } from './histogram'

const durations = fc.array(fc.double({ min: 0.501, max: 600_000, noNaN: true }), {
  minLength: 1,
  maxLength: 200,
})
const of = (list: readonly number[]) =>
  list.reduce((histogram, ms) => histogram.add(ms), new Histogram())

describe('a histogram of durations', () => {
  it('tells every quantile to within five percent', () => {
    fc.assert(
      fc.property(durations, fc.double({ min: 0, max: 1, noNaN: true }), (list, share) => {
        const sorted = [...list].sort((a, b) => a - b)
        const exact = sorted[Math.max(1, Math.ceil(share * list.length)) - 1]!
        const told = of(list).quantile(share)!
        expect(Math.abs(told - exact) / exact).toBeLessThan(0.05)
      }),
    )
  })

  it('adds up, in whatever order, to that of all', () => {
    fc.assert(
      fc.property(durations, durations, (one, other) => {
        const all = of([...one, ...other]).encode()
        expect(of(one).merge(of(other)).encode()).toEqual(all)
        expect(of(other).merge(of(one)).encode()).toEqual(all)
      }),
    )
  })

  it('comes back from its bytes', () => {
    fc.assert(
      fc.property(durations, fc.integer({ min: 1, max: 10 ** 12 }), (list, times) => {
        const histogram = of(list).add(list[0]!, times)
        const again = Histogram.decode(histogram.encode())
        expect(again.encode()).toEqual(histogram.encode())
        expect(again.total).toBe(list.length + times)
      }),
    )
  })

  it('says nothing of nothing, and takes what is below and above its bounds', () => {
    expect(new Histogram().quantile(0.5)).toBeUndefined()
    expect(of([0, 0.1]).quantile(1)).toBeLessThan(0.5)
    expect(of([10_000_000]).quantile(0.5)).toBeGreaterThan(550_000)
  })
})
