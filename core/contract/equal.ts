import { isObject } from '../text/values'
import type { Contract, Schema } from './model'
import { masked, plainSchema, type Masks } from './plain'
import { schemaReference } from './schemas'

/** A part, or one member of it, that a comparison passes over, or takes for what it is `now`. */
export interface Mask {
  part: object
  key: string | undefined
  now?: string | undefined
}

const nothingMasked: Masks = { members: new Map(), references: new Map() }

/** Keys that say where something was written, or in what, but nothing about the API. */
const silent = new Set(['at', 'format', 'origins', 'declared', 'generic'])

/**
 * The first difference between two contracts in what they say, as a path and two texts; undefined where they say the
 * same. Places and formats do not count, and schemas that mean the same by other words are equal.
 */
export function firstDifference(
  a: Contract,
  b: Contract,
  masks: Iterable<Mask> = [],
): string | undefined {
  const members = new Map<object, Map<string | undefined, unknown>>()
  for (const { part, key, now } of masks) {
    let known = members.get(part)
    if (!known) members.set(part, (known = new Map<string | undefined, unknown>()))
    known.set(key, now ?? masked)
  }
  const references = new Map<string, string>()
  for (const schema of a.schemas) {
    const now = members.get(schema)?.get('name')
    if (typeof now === 'string') references.set(schemaReference(schema.name), schemaReference(now))
  }
  return difference(plain(a, { members, references }), plain(b, nothingMasked), '')
}

const byName = (list: unknown): unknown =>
  Array.isArray(list)
    ? [...(list as unknown[])].sort((x, y) =>
        nameOf(x) < nameOf(y) ? -1 : nameOf(x) > nameOf(y) ? 1 : 0,
      )
    : list

const nameOf = (value: unknown) => {
  if (!isObject(value)) return typeof value === 'symbol' ? '~' : JSON.stringify(value)
  return ['path', 'method', 'status', 'name', 'in', 'type', 'kind', 'property', 'url', 'expression']
    .map((key) => value[key])
    .map((named) => (typeof named === 'string' ? named : ''))
    .join(' ')
}

/** Lists whose order says nothing. */
const unordered = new Set([
  'schemas',
  'securitySchemes',
  'parameters',
  'headers',
  'responses',
  'operations',
  'webhooks',
  'paths',
  'flows',
  'content',
  'encoding',
  'callbacks',
  'links',
  'variables',
])

function plain(value: unknown, masks: Masks, key = ''): unknown {
  if (typeof value !== 'object' || value === null)
    return key === 'schema' || key === 'itemSchema' ? plainSchema(value as Schema, masks) : value
  const mask = masks.members.get(value)
  if (mask?.has(undefined)) return masked
  if (key === 'schema' || key === 'itemSchema') return plainSchema(value as Schema, masks)
  if (Array.isArray(value)) {
    const list = value.map((item) => plain(item, masks)).filter((item) => item !== masked)
    return unordered.has(key) ? byName(list) : list
  }
  const result: Record<string, unknown> = {}
  for (const [name, item] of Object.entries(value)) {
    if (silent.has(name) || item === undefined) continue
    result[name] = mask?.has(name)
      ? mask.get(name)
      : name === 'value' || name === 'extensions'
        ? item
        : plain(item, masks, name)
  }
  for (const [name, now] of mask ?? []) if (name !== undefined) result[name] = now
  withoutDefaultStyle(result)
  return result
}

/** How a parameter is written where nothing is said (OpenAPI 3.1, section 4.8.12.2). */
function withoutDefaultStyle(parameter: Record<string, unknown>): void {
  const { in: place, style, explode } = parameter
  if (typeof place !== 'string') return
  const usual = place === 'query' || place === 'cookie' ? 'form' : 'simple'
  if (style === usual) delete parameter['style']
  if (explode === ((style ?? usual) === 'form')) delete parameter['explode']
}

function difference(a: unknown, b: unknown, path: string): string | undefined {
  if (a === masked || b === masked || Object.is(a, b)) return undefined
  if (Array.isArray(a) && Array.isArray(b)) {
    if (a.length !== b.length) return `${path}: ${a.length} against ${b.length}`
    for (let i = 0; i < a.length; i++) {
      const found = difference(a[i], b[i], `${path}/${i}`)
      if (found !== undefined) return found
    }
    return undefined
  }
  if (isObject(a) && isObject(b)) {
    for (const key of new Set([...Object.keys(a), ...Object.keys(b)])) {
      const found = difference(a[key], b[key], `${path}/${key}`)
      if (found !== undefined) return found
    }
    return undefined
  }
  return `${path}: ${show(a)} against ${show(b)}`
}

const show = (value: unknown) =>
  value === undefined ? 'nothing' : JSON.stringify(value).slice(0, 200)
