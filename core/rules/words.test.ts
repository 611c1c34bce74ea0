import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { isPlaceholder, isVerb, proseWords, wordsOf } from './words'

describe('the words of a name', () => {
  it.each([
    ['meterPoint_id', ['meter', 'point', 'id']],
    ['HTTPServer', ['http', 'server']],
    ['sampleID', ['sample', 'id']],
    ['X-Rate-Limit', ['x', 'rate', 'limit']],
    ['zone2Area', ['zone', '2', 'area']],
    ['größeDesRohrs', ['größe', 'des', 'rohrs']],
    ['', []],
  ])('%s', (name, words) => {
    expect(wordsOf(name)).toEqual(words)
  })
})

describe('the words of prose', () => {
  it.each([
    ['Lists the hydrants of an area.', ['Lists', 'the', 'hydrants', 'of', 'an', 'area']],
    ['Ask Nadia Oyelaran, or the crew.', ['Ask', 'or', 'the', 'crew']],
    ['It rains. Then crews go out; they wait.', 'It rains Then crews go out they wait'.split(' ')],
    ['Set `flowRate` to a number, e.g. 3.', ['Set', 'to', 'number']],
    ['See https://brackenmere.example/a?b=c for more', ['See', 'for', 'more']],
    ['The customer’s well-kept pump', ['The', 'customer', 'well-kept', 'pump']],
    ['A **bold** claim (really)', ['bold', 'claim', 'really']],
    ['WSDL and XML are names', ['and', 'are', 'names']],
    ['one\u00a0two\u2003three\u2028four', ['one', 'two', 'three', 'four']],
    ['snake_case and a/path and 12 things', ['and', 'and', 'things']],
    ['   ', []],
  ])('%j', (text, words) => {
    expect(proseWords(text).filter((word) => word.length > 1)).toEqual(
      words.filter((word) => word.length > 1),
    )
  })

  it('are found in the text, in its order, whatever it holds', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary', maxLength: 80 }), (text) => {
        const straight = text.replaceAll('’', "'")
        let at = 0
        for (const word of proseWords(text)) {
          const found = straight.indexOf(word, at)
          expect(found).toBeGreaterThanOrEqual(at)
          at = found + word.length
        }
      }),
    )
  })

  it('are all of a text of plain small words', () => {
    const words = fc.array(fc.stringMatching(/^[a-z]{2,8}$/), { maxLength: 12 })
    fc.assert(
      fc.property(words, fc.constantFrom(' ', '\n', '  \t', '\r\n'), (list, between) => {
        expect(proseWords(list.join(between))).toEqual(list)
      }),
    )
  })
})

describe('words that say little', () => {
  it.each(['TODO', 'tbd', ' n/a ', 'Lorem ipsum dolor', '...', 'description', 'FIXME later'])(
    '%j holds a place',
    (text) => expect(isPlaceholder(text)).toBe(true),
  )
  it.each(['', 'What to do', 'A description of the area', 'None of them'])(
    '%j says something',
    (text) => expect(isPlaceholder(text)).toBe(false),
  )
  it('knows verbs that operations begin with', () => {
    expect(['list', 'export', 'settle'].map(isVerb)).toEqual([true, true, true])
    expect(['hydrant', 'List', ''].map(isVerb)).toEqual([false, false, false])
  })
})
