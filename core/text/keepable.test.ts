import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { keepable, mayBeUnkeepable } from './keepable'

const wellFormed = fc.string({ unit: 'grapheme' }).filter((text) => !text.includes('\0'))

describe('what a database keeps', () => {
  it('is left as it is', () => {
    const values = fc.jsonValue({ stringUnit: 'grapheme' })
    fc.assert(
      fc.property(values, wellFormed, (value, text) => {
        fc.pre(!JSON.stringify(value).includes('\\u0000'))
        expect(keepable({ value, text })).toEqual({ value, text })
      }),
    )
  })

  it.each([
    ['a\0b', 'a\ufffdb'],
    ['half \ud83d', 'half \ufffd'],
    ['\udc00 half', '\ufffd half'],
    ['whole 🌳', 'whole 🌳'],
  ])('replaces what it does not keep in %j, in names too', (given, expected) => {
    expect(keepable({ [given]: [given, 1, null] })).toEqual({ [expected]: [expected, 1, null] })
  })

  it.each(['"\\u0000"', '"\\uD83D"', '"\\x00"', '"\\0"', '"\\U00000000"', "'a%00.yaml'"])(
    'may not be what %s says',
    (text) => expect(mayBeUnkeepable(text)).toBe(true),
  )

  it('is what nearly every text says', () => {
    expect(mayBeUnkeepable('{"a": "\\u00e9\\n", "pattern": "^\\\\d+$"}')).toBe(false)
  })
})
