import { layouts } from './formats/layout'
import type { FormatName } from './contract/model'
import { applyChanges, EditFault } from './edit/change'
import type { Reading } from './formats/read'
import type { Surroundings } from './rules/facts/collect'
import { fixedTexts, planFix } from './rules/fix'
import { emptyEstate, type Edition, type Fix } from './rules/model'
import type { Syntax } from './text/read'

/** Which fix of which rule: at the findings with these keys, or wherever the rule is broken. */
export interface FixChoice {
  rule: string
  fix: Fix
  keys?: string[] | undefined
}

/** What a fix makes of each text that it changes, and what it could not do. */
export interface Fixed {
  places: number
  faults: string[]
  texts: { file: string; text: string }[]
}

/** Works out what a fix makes of a definition; nothing is written. */
export function fixDefinition(
  reading: Reading,
  edition: Pick<Edition, 'rules' | 'domain' | 'words'>,
  {
    estate = emptyEstate,
    ...known
  }: Pick<Surroundings, 'circumstances' | 'isWord' | 'before'> &
    Partial<Pick<Surroundings, 'estate'>>,
  { rule: id, fix, keys }: FixChoice,
): Fixed {
  const rule = edition.rules.find((candidate) => candidate.id === id)
  if (!reading.readable || !rule) {
    return {
      places: 0,
      faults: ['The text has to be readable before it can be fixed'],
      texts: [],
    }
  }
  const { documents, contract } = reading
  const { domain, words } = edition
  const surroundings = { ...known, domain, words, estate }
  const plan = planFix(documents, contract, surroundings, rule, fix, keys && new Set(keys))
  return {
    places: plan.places,
    faults: plan.faults,
    texts: [...fixedTexts(documents, plan)].map(([file, text]) => ({ file, text })),
  }
}

/** A main text that names another version of its API; throws {@link EditFault} where its format has no place for it. */
export function withVersion(
  text: string,
  syntax: Syntax,
  format: FormatName,
  version: string,
): string {
  const { version: at } = layouts[format]
  if (at === undefined) {
    throw new EditFault(`${format} has no one place for a version; raise it in the source`)
  }
  return applyChanges(text, syntax, [{ kind: 'set', at, value: version }])
}
