import { scopeOf } from './facts/collect'
import { typeLabel, type FactType } from './facts/fact'
import { shapes } from './facts/shapes'
import { library } from './library'
import { compileCondition } from './cel'
import { ConditionError } from './meter'
import type { SubjectKind } from './model'

/** What may be written at a place of a condition. */
export interface ConditionSuggestion {
  label: string
  /** Its type. */
  detail: string
  says: string
  kind: 'variable' | 'property' | 'function'
}

/** Macros of the language that go through a list (CEL, section "Macros"). */
const macros: Record<string, string> = {
  all: 'Whether a condition holds for every item.',
  exists: 'Whether it holds for one item at least.',
  exists_one: 'Whether it holds for exactly one item.',
  filter: 'The items it holds for.',
  map: 'What an expression gives for each item.',
}

const chain = /(?:^|[^\w.)\]"'])((?:[a-zA-Z_]\w*\s*\.\s*)*)([a-zA-Z_]\w*)?$/

/**
 * What may be written at an offset of a condition about a kind of subject, and from where it would be put; undefined
 * inside of a text, or where nothing is known of what stands before.
 */
export function completeCondition(
  expression: string,
  offset: number,
  about: SubjectKind,
): { from: number; suggestions: ConditionSuggestion[] } | undefined {
  const before = expression.slice(0, offset)
  if (isInText(before)) return undefined
  const found = chain.exec(before)
  if (!found) return undefined
  const [, path = '', word = ''] = found
  const from = offset - word.length
  const scope = scopeAt(before, scopeOf(about))
  const names = path.split('.').map((name) => name.trim())
  if (names.length === 1) return { from, suggestions: [...variables(scope), ...functions()] }
  const type = typeOf(names.slice(0, -1), scope)
  const suggestions = type === undefined ? [] : membersOf(type)
  return suggestions.length === 0 ? undefined : { from, suggestions }
}

/** What is wrong with a condition, and from where to where; undefined where nothing is. */
export function conditionFault(
  expression: string,
  about: SubjectKind,
): { message: string; from: number; to: number } | undefined {
  try {
    compileCondition(expression, scopeOf(about))
    return undefined
  } catch (error) {
    if (!(error instanceof ConditionError)) throw error
    const from = Math.min(error.offset ?? 0, expression.length)
    const to = error.offset === undefined ? expression.length : endOfWord(expression, from)
    return { message: error.says, from, to }
  }
}

const endOfWord = (text: string, from: number) =>
  Math.min(text.length, from + Math.max(1, /^[\w.]*/.exec(text.slice(from))![0].length))

function isInText(before: string): boolean {
  let quote = ''
  for (let i = 0; i < before.length; i++) {
    const char = before[i]!
    if (quote !== '' && char === '\\') i++
    else if (char === quote) quote = ''
    else if (quote === '' && (char === '"' || char === "'")) quote = char
  }
  return quote !== ''
}

/** The names at a place: those of the subject, and those that a macro around it gives to its items. */
function scopeAt(before: string, scope: Record<string, FactType>): Record<string, FactType> {
  const known = { ...scope }
  for (const [, path, variable] of before.matchAll(
    /((?:[a-zA-Z_]\w*\.)+)(?:all|exists|exists_one|filter|map)\(\s*([a-zA-Z_]\w*)\s*,/g,
  )) {
    const list = typeOf(path!.split('.').slice(0, -1), known)
    if (typeof list === 'object' && 'list' in list) known[variable!] = list.list
  }
  return known
}

/** The type that a chain of names leads to. */
function typeOf(names: string[], scope: Record<string, FactType>): FactType | undefined {
  const [first, ...rest] = names
  let type = first !== undefined && Object.hasOwn(scope, first) ? scope[first] : undefined
  for (const name of rest) {
    const fields = fieldsOf(type)
    type = fields && Object.hasOwn(fields, name) ? fields[name]!.type : undefined
  }
  return type
}

const fieldsOf = (type: FactType | undefined) =>
  typeof type === 'object' && 'fact' in type ? shapes.get(type.fact)?.fields : undefined

const variables = (scope: Record<string, FactType>): ConditionSuggestion[] =>
  Object.entries(scope).map(([label, type]) => ({
    label,
    detail: typeLabel(type),
    says: typeof type === 'object' && 'fact' in type ? (shapes.get(type.fact)?.says ?? '') : '',
    kind: 'variable',
  }))

const functions = (): ConditionSuggestion[] =>
  Object.entries(library).map(([label, { takes, gives, says }]) => ({
    label,
    detail: `(${takes.join(', ')}) → ${gives === 'item' ? 'an item' : typeLabel(gives)}`,
    says,
    kind: 'function',
  }))

function membersOf(type: FactType): ConditionSuggestion[] {
  if (typeof type === 'object' && 'list' in type)
    return Object.entries(macros).map(([label, says]) => ({
      label,
      detail: `over ${typeLabel(type.list)}`,
      says,
      kind: 'function',
    }))
  return Object.entries(fieldsOf(type) ?? {}).map(([label, field]) => ({
    label,
    detail: typeLabel(field.type),
    says: field.says,
    kind: 'property',
  }))
}
