import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { Histogram } from './histogram'
import { ByteWriter, VarintReader } from './varints'

const durations = fc.array(fc.double({ min: 0.501, max: 600_000, noNaN: true }), {
  minLength: 1,
  maxLength: 200,
})
const of = (list: readonly number[]) =>
  list.reduce((histogram, ms) => histogram.add(ms), new Histogram())

const bytesOf = (histogram: Histogram) => {
  const writer = new ByteWriter()
  histogram.write(writer)
  return writer.written()
}

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
        const all = bytesOf(of([...one, ...other]))
        expect(bytesOf(of(one).merge(of(other)))).toEqual(all)
        expect(bytesOf(of(other).merge(of(one)))).toEqual(all)
      }),
    )
  })

  it('comes back from its bytes', () => {
    fc.assert(
      fc.property(durations, fc.integer({ min: 1, max: 10 ** 12 }), (list, times) => {
        const histogram = of(list).add(list[0]!, times)
        const bytes = bytesOf(histogram)
        const [reader, past] = [new VarintReader(bytes), new VarintReader(bytes)]
        const again = new Histogram().addFrom(reader)
        Histogram.skip(past)
        expect([reader.isAtEnd, past.isAtEnd]).toEqual([true, true])
        expect(bytesOf(again)).toEqual(bytes)
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
