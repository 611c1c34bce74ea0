import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import type { Difference } from './compare'
import { follow } from './follow'

const difference = (over: Partial<Difference> = {}): Difference => ({
  where: 'GET /levels',
  what: 'rate limit',
  ledger: '60 / minute',
  gateway: '600 / minute',
  cause: 'Somebody changed it on the gateway',
  operations: ['GET /levels'],
  ...over,
})
const among = (...names: string[]) => fc.constantFrom(...names)
const some = fc
  .record({
    where: among('GET /a', 'GET /b', 'every operation', '2 operations'),
    what: among('route', 'rate limit', 'address'),
    ledger: among('1', '2'),
    gateway: among('1', '2', '3'),
    operations: fc.subarray(['GET /a', 'GET /b', 'GET /c']),
  })
  .map((over) => difference(over))
const many = fc.array(some, { maxLength: 8 })

describe('following differences from one reading to the next', () => {
  it('knows everything again that did not change', () => {
    fc.assert(
      fc.property(many, (all) => {
        const copies = structuredClone(all)
        const { same, changed, opened, gone } = follow(all, copies)
        expect(same).toHaveLength(all.length)
        expect([changed, opened, gone]).toEqual([[], [], []])
      }),
    )
  })

  it('takes each that was known and each that was found once, whatever they are', () => {
    fc.assert(
      fc.property(many, many, (known, found) => {
        const { same, changed, opened, gone } = follow(known, found)
        const before = [...same, ...changed.map((one) => one.before), ...gone]
        expect(new Set(before)).toEqual(new Set(known))
        expect(before).toHaveLength(known.length)
        const now = [...changed.map((one) => one.now), ...opened]
        expect(new Set(now).size).toBe(found.length - same.length)
      }),
    )
  })

  it('knows a difference by what it is about, however its values change', () => {
    const one = difference()
    const raised = difference({ gateway: '6000 / minute' })
    expect(follow([one], [raised])).toEqual({
      same: [],
      changed: [{ before: one, now: raised }],
      opened: [],
      gone: [],
    })
  })

  it('knows it again when it spreads to other operations, and to all', () => {
    const one = difference()
    const two = difference({ where: '2 operations', operations: ['GET /levels', 'GET /flows'] })
    const all = difference({ where: 'every operation', operations: [] })
    expect(follow([one], [two]).opened).toEqual([])
    expect(follow([two], [all]).opened).toEqual([])
    expect(follow([all], [one]).opened).toEqual([])
  })

  it('tells two that are about different things apart', () => {
    const one = difference()
    const other = difference({ what: 'authentication', ledger: 'key', gateway: 'none' })
    expect(follow([one], [other])).toMatchObject({ opened: [other], gone: [one] })
    const elsewhere = difference({
      ...{ where: 'GET /flows', operations: ['GET /flows'], gateway: '1 / minute' },
    })
    expect(follow([one], [one, elsewhere])).toMatchObject({ same: [one], opened: [elsewhere] })
  })
})
