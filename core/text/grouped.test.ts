import fc from 'fast-check'
import { expect, it } from 'vitest'
import { grouped } from './grouped'

it('has everything once, by its key, in the order in which it came', () => {
  fc.assert(
    fc.property(fc.array(fc.integer({ min: 0, max: 20 })), (things) => {
      const groups = grouped(things, (n) => n % 3)
      expect([...groups.keys()]).toEqual([...new Set(things.map((n) => n % 3))])
      for (const [key, group] of groups) expect(group).toEqual(things.filter((n) => n % 3 === key))
    }),
  )
})
