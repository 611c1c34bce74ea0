import { isSame } from '../text/values'
import { bindingWords } from './page'
import type { Rule } from './model'
import type { Rulebook } from './rulebook'

/** One difference between two states of a rulebook. */
export interface RuleDifference {
  rule: string
  says: string
}

type Compared = Pick<Rulebook, 'rules' | 'changes' | 'domain' | 'words'>

/** What differs between two states of a rulebook, in words: of the whole, then rule by rule. */
export function ruleDifferences(before: Compared, after: Compared): RuleDifference[] {
  const old = new Map(before.rules.map((rule) => [rule.id, rule]))
  const now = new Map(after.rules.map((rule) => [rule.id, rule]))
  const found: RuleDifference[] = []
  const says = (rule: string, words: string) => found.push({ rule, says: words })
  if (before.domain !== after.domain) says('', `the domain is ${after.domain || 'none'}`)
  const added = without(after.words, before.words)
  const gone = without(before.words, after.words)
  if (added.length > 0) says('', `knows ${listed(added)}`)
  if (gone.length > 0) says('', `knows ${listed(gone)} no more`)
  for (const rule of after.rules) {
    const was = old.get(rule.id)
    if (!was) says(rule.id, `${rule.id} is new, at ${rule.level}`)
    else for (const words of between(was, rule)) says(rule.id, `${rule.id} ${words}`)
  }
  for (const { id } of before.rules) if (!now.has(id)) says(id, `${id} is gone`)
  const changed = new Map(before.changes.map((change) => [change.id, change]))
  for (const change of after.changes) {
    if (isSame(changed.get(change.id), change)) continue
    const words = change.off
      ? 'is left out'
      : change.level
        ? `is ${change.level} here`
        : 'binds otherwise here'
    says(change.id, `${change.id} ${words}`)
  }
  for (const { id } of before.changes) {
    if (!after.changes.some((change) => change.id === id))
      says(id, `${id} is as in the rulebook below again`)
  }
  return found
}

const without = (words: string[], others: string[]) =>
  words.filter((word) => !others.includes(word))

const listed = (words: string[]) =>
  words.length > 6
    ? `${words.slice(0, 6).join(', ')} and ${words.length - 6} more`
    : words.join(', ')

/** What a rule asks, and of what. */
const asks = ['about', 'where', 'expect', 'formats'] as const

/** What a rule says to people. */
const words = [
  'title',
  'message',
  'reason',
  'remedy',
  'link',
  'part',
  'group',
  'fixes',
  'samples',
  'mayBeLoosened',
] as const

function between(was: Rule, is: Rule): string[] {
  const found: string[] = []
  if (was.level !== is.level) found.push(`becomes ${is.level}; it was ${was.level}`)
  if (!isSame(was.binds, is.binds)) {
    found.push(
      is.binds
        ? bindingWords(is.binds).replace(/^B/, 'b').replace(/\.$/, '')
        : 'binds at once and for all',
    )
  }
  if (asks.some((name) => !isSame(was[name], is[name]))) found.push('asks for something else')
  if (found.length === 0 && words.some((name) => !isSame(was[name], is[name])))
    found.push('says it otherwise')
  return found
}

type Asked = Pick<Rulebook, 'rules' | 'domain' | 'words'>

/**
 * The rules that may find something else than before: new ones, those that ask or weigh otherwise, and those that ask
 * for the organisation's domain or words where these are others.
 */
export const changedRules = (before: Asked, after: Asked): Rule[] => {
  const old = new Map(before.rules.map((rule) => [rule.id, rule]))
  const isOther = isOtherOrganisation(before, after)
  return after.rules.filter((rule) => {
    const was = old.get(rule.id)
    const isKept = was && judges.every((name) => isSame(was[name], rule[name]))
    return !isKept || (isOther && asksForOrganisation(rule))
  })
}

/** What decides what a rule finds, and how it weighs. */
const judges = [...asks, 'level', 'binds'] as const

/**
 * Rules that only weigh otherwise: what they find stays, at the level they have then for a version (`weightOf`).
 */
export const weighedRules = (before: Asked, after: Asked): Rule[] => {
  const old = new Map(before.rules.map((rule) => [rule.id, rule]))
  const isOther = isOtherOrganisation(before, after)
  return after.rules.filter((rule) => {
    const was = old.get(rule.id)
    if (!was || was.level === rule.level) return false
    if (isOther && asksForOrganisation(rule)) return false
    return finds.every((name) => isSame(was[name], rule[name]))
  })
}

/** What decides what a rule finds, and how that is said. */
const finds = [...asks, 'message', 'part', 'binds'] as const

const isOtherOrganisation = (before: Asked, after: Asked) =>
  before.domain !== after.domain || !isSame(before.words, after.words)

const asksForOrganisation = ({ where = '', expect }: Rule) =>
  /\borganisation\b|\bmisspelled\b/.test(`${where} ${expect}`)
