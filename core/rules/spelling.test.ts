import fc from 'fast-check'
import { expect, it } from 'vitest'
import { SortedWords } from './spelling'

const word = fc.string({
  unit: fc.constantFrom('a', 'b', 'ä', 'z', '-', "'"),
  minLength: 1,
  maxLength: 6,
})

it('words as one text are those of the set, and no others', () => {
  fc.assert(
    fc.property(fc.uniqueArray(word, { maxLength: 40 }), word, (words, other) => {
      const sorted = new SortedWords(SortedWords.of(words).toString())
      for (const known of words) expect(sorted.has(known)).toBe(true)
      expect(sorted.has(other)).toBe(words.includes(other))
      expect(sorted.has('')).toBe(false)
    }),
  )
})
