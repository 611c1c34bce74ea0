import { compareContracts } from '../core/compare/contracts'
import { readDefinition } from '../core/formats/read'
import { largeDefinition } from './large'
import { report } from './measure'

const contractOf = (text: string) => {
  const reading = readDefinition({ file: 'a.json', text })
  if (!reading.readable) throw new Error('a definition of the benchmark is not readable')
  return reading.contract
}

/** Two versions of a large definition, against reading them both. */
export function compare(): void {
  const before = JSON.stringify(largeDefinition(3000))
  // Something changed in each part: a bound, a type, a value, and the words of everything.
  const after = before
    .replaceAll('"code":{"type":"string"}', '"code":{"type":"string","maxLength":9}')
    .replaceAll('"description":"Identifier."', '"description":"What it is known by."')
    .replaceAll('"maximum":900', '"maximum":500')
  console.log(`${(before.length / 1e6).toFixed(1)} MB each`)
  const [old, now] = [contractOf(before), contractOf(after)]
  console.log(`${compareContracts(old, now).length} changes`)
  report(
    'Comparing two versions',
    () => compareContracts(contractOf(before), contractOf(after)),
    'reading both',
    () => [contractOf(before), contractOf(after)],
    2.5,
  )
}
