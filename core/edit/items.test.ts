import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { parse, stringify } from 'yaml'
import { swapItems } from './items'
import { EditFault } from './tree'

describe('two items of a list', () => {
  it('change places as they are written', () => {
    const text = `a: 1
list:
  # The first.
  - name: One   # of two
    more:
      - x
  - { name: Two } # the second

after: 2
`
    expect(swapItems(text, 'yaml', '/list', [0, 1])).toBe(`a: 1
list:
  # The first.
  - { name: Two }
  - name: One   # of two
    more:
      - x # the second

after: 2
`)
  })

  it('are refused where there are none, or where one needs the other before it', () => {
    const text = 'list: [&a 1, *a]\n'
    for (const [list, pair] of [
      ['/list', [0, 2]],
      ['/list', [0, 0]],
      ['/nowhere', [0, 1]],
      ['/list', [0, 1]],
    ] as const)
      expect(() => swapItems(text, 'yaml', list, pair), list).toThrow(EditFault)
  })

  const items = fc.array(fc.jsonValue({ maxDepth: 2 }), { minLength: 2, maxLength: 5 })
  it('are read in each other’s place, in YAML and JSON, however they are written', () => {
    fc.assert(
      fc.property(items, fc.nat(), fc.nat(), fc.nat(2), (list, m, n, style) => {
        const [one, other] = [m % list.length, n % list.length]
        fc.pre(one !== other)
        const value = { before: 1, list, after: { list } }
        const text =
          style === 0
            ? JSON.stringify(value)
            : stringify(value, {
                collectionStyle: style === 1 ? 'flow' : 'block',
                aliasDuplicateObjects: false,
              })
        const expected = [...list]
        ;[expected[one], expected[other]] = [expected[other]!, expected[one]!]
        const swapped = swapItems(text, style === 0 ? 'json' : 'yaml', '/list', [one, other])
        expect(parse(swapped)).toEqual(parse(JSON.stringify({ ...value, list: expected })))
      }),
    )
  })
})
