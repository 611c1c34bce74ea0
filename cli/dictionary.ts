import { readFileSync } from 'node:fs'
import { SortedWords, wordTest } from '../core/rules/spelling'
import { prepared } from './prepared'

let isWord: ((word: string) => boolean) | undefined

/** Tells words of the language; the list is read once, where a rule asks for it. */
export const dictionary = () =>
  (isWord ??= wordTest(new SortedWords(readFileSync(prepared('words.txt'), 'utf8'))))
