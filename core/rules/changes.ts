import { bindingWords } from './page'
import type { Rule } from './model'
import type { Rulebook } from './rulebook'

/** One difference between two states of a rulebook. */
export interface RuleDifference {
  rule: string
  says: string
}

/** What differs between two states of a rulebook, in words, rule by rule. */
export function ruleDifferences(
  before: Pick<Rulebook, 'rules' | 'changes'>,
  after: Pick<Rulebook, 'rules' | 'changes'>,
): RuleDifference[] {
  const old = new Map(before.rules.map((rule) => [rule.id, rule]))
  const now = new Map(after.rules.map((rule) => [rule.id, rule]))
  const found: RuleDifference[] = []
  const says = (rule: string, words: string) => found.push({ rule, says: words })
  for (const rule of after.rules) {
    const was = old.get(rule.id)
    if (!was) says(rule.id, `${rule.id} is new, at ${rule.level}`)
    else for (const words of between(was, rule)) says(rule.id, `${rule.id} ${words}`)
  }
  for (const { id } of before.rules) if (!now.has(id)) says(id, `${id} is gone`)
  const changed = new Map(before.changes.map((change) => [change.id, JSON.stringify(change)]))
  for (const change of after.changes) {
    if (changed.get(change.id) === JSON.stringify(change)) continue
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

function between(was: Rule, is: Rule): string[] {
  const found: string[] = []
  if (was.level !== is.level) found.push(`becomes ${is.level}; it was ${was.level}`)
  if (JSON.stringify(was.binds) !== JSON.stringify(is.binds)) {
    found.push(
      is.binds
        ? bindingWords(is.binds).replace(/^B/, 'b').replace(/\.$/, '')
        : 'binds at once and for all',
    )
  }
  const asks = ['about', 'where', 'expect', 'formats'] as const
  if (asks.some((name) => JSON.stringify(was[name]) !== JSON.stringify(is[name]))) {
    found.push('asks for something else')
  }
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
  if (
    found.length === 0 &&
    words.some((name) => JSON.stringify(was[name]) !== JSON.stringify(is[name]))
  ) {
    found.push('says it otherwise')
  }
  return found
}

/** The rules that may find something else than before: new ones, and those that ask or weigh otherwise. */
export const changedRules = (before: Rule[], after: Rule[]): Rule[] => {
  const old = new Map(before.map((rule) => [rule.id, judgement(rule)]))
  return after.filter((rule) => old.get(rule.id) !== judgement(rule))
}

const judgement = ({ about, where, expect, formats, level, binds }: Rule) =>
  JSON.stringify([about, where, expect, formats, level, binds])
