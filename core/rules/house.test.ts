import { describe, expect, it } from 'vitest'
import { validityGroup } from './model'
import { runSamples } from './samples'
import { isWord, readHouse } from '../../tests/support/rules'

const house = readHouse()

describe('the house rulebook', () => {
  it('has at least sixty rules, in groups that each hold some', () => {
    expect(house.rules.length).toBeGreaterThanOrEqual(60)
    const used = new Set(house.rules.map(({ group }) => group))
    expect([...used].sort()).toEqual(house.groups.map(({ id }) => id).sort())
    expect(used.has(validityGroup.id)).toBe(false)
  })

  it.each(house.rules.map((rule) => [rule.id, rule] as const))(
    '%s passes what keeps it and finds what breaks it',
    (_id, rule) => {
      expect(rule.samples.passes.length).toBeGreaterThan(0)
      expect(rule.samples.breaks.length).toBeGreaterThan(0)
      const wrong = runSamples(rule, house, isWord).filter((result) => result.wrong !== undefined)
      expect(wrong).toEqual([])
    },
  )
})
