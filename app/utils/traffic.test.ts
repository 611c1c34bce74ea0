import { describe, expect, it } from 'vitest'
import type { TrafficRow } from '~~/shared/api/traffic'
import { beside, bytes, isStray, shareOf, standingWords } from './traffic'

const row: TrafficRow = {
  key: 'GET /areas',
  clients: 1,
  line: [],
  calls: 10,
  refused: 0,
  failed: 0,
  broken: 0,
  bytesIn: 0,
  bytesOut: 0,
}

describe('traffic in words', () => {
  it.each([
    [0, 0, '0 %'],
    [0, 10, '0 %'],
    [1, 100_000, '< 0.1 %'],
    [21, 10_000, '0.2 %'],
    [1, 3, '33 %'],
    [5, 5, '100 %'],
  ])('%d of %d are %s', (part, whole, words) => {
    expect(shareOf(part, whole).replaceAll('\u00a0', ' ')).toBe(words)
  })

  it.each([
    [10, undefined, ''],
    [10, 0, ''],
    [100, 100, 'as many as before'],
    [88, 100, '12 % less'],
    [150, 100, '50 % more'],
    [1001, 100, 'more than ten times as many as before'],
  ])('%d beside %s are %s', (now, before, words) => {
    expect(beside(now, before)).toBe(words)
  })

  it.each([
    [0, '0 B'],
    [999, '999 B'],
    [1_234, '1.2 kB'],
    [774_000, '774 kB'],
    [8_500_000, '8.5 MB'],
  ])('%d bytes are %s', (count, words) => {
    expect(bytes(count)).toBe(words)
  })

  it.each([
    [{ standing: 'approved' as const }, 'as approved', false],
    [{ standing: 'approved' as const, deprecated: true }, 'deprecated, still called', false],
    [{ standing: 'withheld' as const }, 'withheld, yet served', true],
    [{ standing: 'withheld' as const, refused: 10 }, 'withheld', true],
    [{ standing: 'unknown' as const, refused: 10 }, 'not in the definition', true],
    [{ standing: 'unknown' as const }, 'not placed, yet served', true],
    [{ standing: 'idle' as const, calls: 0 }, 'never called', false],
  ])('%o stands as %s', (more, words, stray) => {
    expect(standingWords({ ...row, ...more })).toBe(words)
    expect(isStray({ ...row, ...more })).toBe(stray)
  })
})
