import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { canonical } from './canonical'
import { isSame } from './values'

describe('two values', () => {
  it('are the same where their canonical JSON is', () => {
    fc.assert(
      fc.property(fc.jsonValue({ maxDepth: 3 }), fc.jsonValue({ maxDepth: 3 }), (a, b) => {
        const copy = JSON.parse(JSON.stringify(a)) as unknown
        expect(isSame(a, copy)).toBe(true)
        expect(isSame(a, b)).toBe(canonical(a) === canonical(b))
        expect(isSame({ a, b }, { b, a: copy })).toBe(true)
        expect(isSame([a, b], [b, a])).toBe(canonical(a) === canonical(b))
      }),
    )
  })

  it('are the same where one says nothing of what the other says is undefined', () => {
    expect(isSame({ a: 1, b: undefined }, { a: 1 })).toBe(true)
    expect(isSame({ constructor: 1 }, {})).toBe(false)
    expect(isSame([undefined], [])).toBe(false)
  })
})
