import { readFileSync } from 'node:fs'
import { readDefinition, type Reading } from '../core/formats/read'
import { check } from '../core/rules/engine'
import { circumstancesOf, type Rule } from '../core/rules/model'
import { readRulebook } from '../core/rules/rulebook'
import { dictionary } from '../server/jobs/dictionary'
import { largeDefinition } from './large'
import { lines, report, timed } from './measure'

type Readable = Extract<Reading, { readable: true }>

function readable(text: string): Readable {
  const reading = readDefinition({ file: 'a.json', text })
  if (!reading.readable) throw new Error('a definition of the benchmark is not readable')
  return reading
}

/** Checking a large definition, and one changed rule over many that are read already. */
export function rules(): void {
  const { rulebook } = readRulebook({
    file: 'house.yaml',
    text: readFileSync('rulebooks/house.yaml', 'utf8'),
  })
  const isWord = dictionary()
  const circumstances = circumstancesOf({ today: '2026-11-25' })
  const by = ({ documents, contract }: Readable, list: Rule[]) =>
    check(documents, contract, { ...rulebook!, rules: list }, circumstances, { isWord })
  const house = rulebook!.rules

  const json = JSON.stringify(largeDefinition(3000))
  const parse = () => JSON.parse(json) as unknown
  const large = readable(json)
  report(`Checking it with ${house.length} rules`, () => by(large, house), 'JSON.parse', parse, 5)
  report(
    'Reading, checking and locating together',
    () => by(readable(json), house),
    'JSON.parse',
    parse,
    8,
  )

  const many = Array.from({ length: 1000 }, (_, n) =>
    readable(JSON.stringify(largeDefinition(6 + (n % 20)))),
  )
  const whole = timed(() => many.map((reading) => by(reading, house)))
  const changed = house.filter(({ id }) => id === 'property-casing')
  const one = timed(() => many.map((reading) => by(reading, changed)))
  lines.push(
    `${'One changed rule over 1,000 contracts'.padEnd(52)} ${one.toFixed(0).padStart(7)} ms   ${(one / whole).toFixed(2).padStart(6)} × a full check of them (${whole.toFixed(0)} ms, at most 0.1)`,
  )
}
