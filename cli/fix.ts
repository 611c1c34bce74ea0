import { readFileSync, writeFileSync } from 'node:fs'
import { readDefinition } from '../core/formats/read'
import { fixDefinition } from '../core/fix'
import { check } from '../core/rules/engine'
import { emptyEstate } from '../core/rules/model'
import { decodeText, encodeLike } from '../core/text/read'
import { besideOf, WrongUse } from './files'
import { surroundingsOf, type LintTask } from './lint-one'

/** What was fixed in one definition. */
export interface FixedFile {
  file: string
  places: number
  faults: string[]
}

/**
 * Writes the first fix of every rule that is broken into the files, but for findings that are accepted. The text is read
 * again after each, so that one fix sees what the one before has done.
 */
export function fixFile(
  { edition, source, root, ...known }: LintTask,
  accepted: ReadonlySet<string>,
): FixedFile {
  const { file, archive } = source
  if (archive !== undefined) throw new WrongUse(`--fix writes files; "${archive}" is an archive.`)
  const before = new Map<string, Uint8Array>()
  const texts = new Map<string, string>()
  const beside = besideOf(source, root)
  const textOf = (name: string) => texts.get(name) ?? beside(name)
  const decoded = decodeText(readFileSync(file), file)
  const result: FixedFile = { file, places: 0, faults: [] }
  if ('problem' in decoded) return result
  texts.set(file, decoded.text)
  const read = () => readDefinition({ file, text: texts.get(file)! }, textOf)
  let reading = read()
  for (const rule of edition.rules) {
    const fix = rule.fixes?.[0]
    if (!fix) continue
    if (!reading.readable) return result
    const surroundings = surroundingsOf({ edition, ...known }, reading.contract.title || file)
    const { findings } = check(
      reading.documents,
      reading.contract,
      { ...edition, rules: [rule] },
      surroundings.circumstances,
      surroundings,
    )
    const keys = findings.map(({ key }) => key).filter((key) => !accepted.has(key))
    if (keys.length === 0) continue
    const {
      places,
      faults,
      texts: changed,
    } = fixDefinition(
      reading,
      edition,
      { estate: emptyEstate, ...surroundings },
      { rule: rule.id, fix, keys },
    )
    result.places += places
    result.faults.push(...faults.map((fault) => `${rule.id}: ${fault}`))
    for (const one of changed) {
      if (!before.has(one.file)) before.set(one.file, readFileSync(one.file))
      texts.set(one.file, one.text)
    }
    if (changed.length > 0) reading = read()
  }
  for (const [name, bytes] of before) {
    const written = encodeLike(texts.get(name)!, bytes)
    if (written) writeFileSync(name, written)
    else result.faults.push(`${name} is not written in Unicode and was left as it is`)
  }
  return result
}
