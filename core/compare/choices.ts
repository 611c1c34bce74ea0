import type { Schema, SchemaObject } from '../contract/model'
import { referencedName } from '../contract/schemas'
import { canonical } from '../text/canonical'
import { isObject } from '../text/values'
import { below, type Normal, type Written } from './normal'

/** One of the schemas of `allOf`, `anyOf` or `oneOf`. */
export interface Choice extends Written {
  index: number
}

/** The schemas that a keyword lists. */
export const listOf = (value: unknown): Schema[] =>
  Array.isArray(value) ? (value as Schema[]) : []

export const chosen = (schema: SchemaObject, keyword: string, { at }: Normal): Choice[] =>
  listOf(schema[keyword]).map((one, index) => ({
    schema: one,
    index,
    at: below(at, keyword, String(index)),
  }))

/** The name that a schema refers to; empty where it is written in its place. */
export function nameOf(schema: Schema): string {
  const reference = isObject(schema) ? schema['$ref'] : undefined
  return typeof reference === 'string' ? (referencedName(reference) ?? '') : ''
}

/** What a part is known by: the name it refers to, or else what it says. */
function keyOf({ schema }: Choice): string {
  const name = nameOf(schema)
  return name === '' ? canonical(schema) : `#${name}`
}

/** Parts that are the same by name or by content, and then those of which one may have become the other. */
export function matched(
  before: Choice[],
  after: Choice[],
  mayFollow: (before: Choice, after: Choice) => boolean,
): { before?: Choice; after?: Choice }[] {
  const left = new Set(after)
  const byKey = new Map<string, Choice[]>()
  for (const one of after) {
    const alike = byKey.get(keyOf(one))
    if (alike) alike.push(one)
    else byKey.set(keyOf(one), [one])
  }
  const pairs: { before?: Choice; after?: Choice }[] = []
  const unmatched = before.filter((one) => {
    const found = byKey.get(keyOf(one))?.shift()
    if (found) {
      left.delete(found)
      pairs.push({ before: one, after: found })
    }
    return !found
  })
  // Many that came and went at once are another choice.
  const few = unmatched.length * left.size <= 2500
  for (const one of unmatched) {
    const found = few ? [...left].find((other) => mayFollow(one, other)) : undefined
    if (found) left.delete(found)
    pairs.push({ before: one, ...(found && { after: found }) })
  }
  return [...pairs, ...Array.from(left, (one) => ({ after: one }))]
}
