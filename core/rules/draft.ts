import { applyChanges, type Change } from '../edit/change'
import { pointerTo } from '../text/pointer'
import { locate } from '../text/read'
import { loadYaml } from '../text/yaml'
import { isObject } from '../text/values'
import type { Rule, Sample } from './model'

/** A rule's fields as its text says them; an absent one takes the field away. */
export type RuleFields = Partial<
  Pick<
    Rule,
    | 'id'
    | 'group'
    | 'level'
    | 'title'
    | 'about'
    | 'formats'
    | 'where'
    | 'expect'
    | 'message'
    | 'reason'
    | 'remedy'
    | 'link'
    | 'part'
    | 'binds'
    | 'mayBeLoosened'
  >
>

function rulesIn(text: string): unknown[] {
  const value = loadYaml(text)
  return isObject(value) && Array.isArray(value['rules']) ? (value['rules'] as unknown[]) : []
}

const indexOf = (text: string, id: string) =>
  rulesIn(text).findIndex((rule) => isObject(rule) && rule['id'] === id)

/** The line where a rule begins in a rulebook's text; the first one where there is no such rule. */
export function lineOfRule(text: string, id: string): number {
  const index = indexOf(text, id)
  if (index === -1) return 1
  const at = pointerTo('/rules', index)
  return locate(text, 'yaml', [at]).get(at)!.line
}

/** Changes fields of a rule in a rulebook's text; comments, order and everything else stay. */
export function changeRule(text: string, id: string, fields: RuleFields): string {
  const index = indexOf(text, id)
  if (index === -1) return text
  const at = (name: string) => pointerTo('/rules', index, name)
  const changes = Object.entries(fields).map(([name, value]): Change =>
    value === undefined || value === '' || (Array.isArray(value) && value.length === 0)
      ? { kind: 'remove', at: at(name) }
      : { kind: 'set', at: at(name), value },
  )
  return applyChanges(text, 'yaml', changes)
}

/** Replaces the samples of a rule. */
export function changeSamples(
  text: string,
  id: string,
  { passes, breaks }: Rule['samples'],
): string {
  const index = indexOf(text, id)
  if (index === -1) return text
  const value = { passes: passes.map(written), breaks: breaks.map(written) }
  return applyChanges(text, 'yaml', [
    { kind: 'set', at: pointerTo('/rules', index, 'samples'), value },
  ])
}

/** A sample as a rulebook writes it: only its text, where nothing else is said. */
function written({ text, facts = {}, elsewhere = [], before }: Sample): string | Sample {
  const more = {
    ...(Object.keys(facts).length > 0 && { facts }),
    ...(elsewhere.length > 0 && { elsewhere }),
    ...(before && { before }),
  }
  return Object.keys(more).length > 0 ? { text, ...more } : text
}

/** Adds a rule at the end. */
export function addRule(text: string, rule: RuleFields): string {
  const value = loadYaml(text)
  const rules = isObject(value) ? value['rules'] : undefined
  const next = { ...rule, samples: { passes: [], breaks: [] } }
  if (Array.isArray(rules) && rules.length > 0) {
    return applyChanges(text, 'yaml', [{ kind: 'set', at: `/rules/${rules.length}`, value: next }])
  }
  return applyChanges(text, 'yaml', [{ kind: 'set', at: '/rules', value: [next] }])
}

/** Takes a rule away. */
export function removeRule(text: string, id: string): string {
  const index = indexOf(text, id)
  return index === -1
    ? text
    : applyChanges(text, 'yaml', [{ kind: 'remove', at: `/rules/${index}` }])
}

/** An identifier that no rule of the text has. */
export function freeRuleId(text: string): string {
  const taken = new Set(rulesIn(text).map((rule) => (isObject(rule) ? rule['id'] : undefined)))
  for (let n = 1; ; n++) {
    const id = n === 1 ? 'new-rule' : `new-rule-${n}`
    if (!taken.has(id)) return id
  }
}
