import { isObject } from '../text/values'
import type { Contract, Schema } from './model'
import { isSchema, schemaKeywords, schemaListKeywords, schemaMapKeywords } from './schemas'

/** Stands for what a comparison passes over. */
const masked = Symbol('masked')

/** A part, or one member of it, that a comparison passes over. */
export interface Mask {
  part: object
  key: string | undefined
}

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
  const members = new Map<object, Set<string | undefined>>()
  for (const { part, key } of masks) {
    const keys = members.get(part)
    if (keys) keys.add(key)
    else members.set(part, new Set([key]))
  }
  return difference(plain(a, members), plain(b, new Map()), '')
}

const byName = (list: unknown): unknown =>
  Array.isArray(list)
    ? [...(list as unknown[])].sort((x, y) =>
        nameOf(x) < nameOf(y) ? -1 : nameOf(x) > nameOf(y) ? 1 : 0,
      )
    : list

const nameOf = (value: unknown) => {
  if (!isObject(value)) return typeof value === 'symbol' ? '~' : JSON.stringify(value)
  return ['path', 'method', 'in', 'status', 'type', 'kind', 'name', 'property', 'url', 'expression']
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

function plain(value: unknown, masks: Map<object, Set<string | undefined>>, key = ''): unknown {
  if (typeof value !== 'object' || value === null)
    return key === 'schema' || key === 'itemSchema' ? plainSchema(value as Schema, masks) : value
  const mask = masks.get(value)
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
      ? masked
      : name === 'value' || name === 'extensions'
        ? item
        : plain(item, masks, name)
  }
  for (const name of mask ?? []) if (name !== undefined) result[name] = masked
  return result
}

/** A schema with the ways of saying one thing brought to one way. */
function plainSchema(
  schema: Schema | undefined,
  masks: Map<object, Set<string | undefined>>,
): unknown {
  if (schema === undefined || typeof schema === 'boolean')
    return schema === true ? {} : schema === false ? { not: {} } : schema
  if (masks.get(schema)?.has(undefined)) return masked
  let result: Record<string, unknown> = {}
  for (const [key, value] of Object.entries(schema)) {
    if (value === undefined) continue
    if (schemaKeywords.has(key) && isSchema(value)) {
      result[key] =
        key.startsWith('additional') && value === true ? true : plainSchema(value, masks)
    } else if (schemaListKeywords.has(key) && Array.isArray(value)) {
      result[key] = value.map((item: Schema) => plainSchema(item, masks))
    } else if (schemaMapKeywords.has(key) && isObject(value)) {
      result[key] = Object.fromEntries(
        Object.entries(value).map(([name, item]) => [name, plainSchema(item as Schema, masks)]),
      )
    } else result[key] = value
  }
  if (result['$ref'] !== undefined && Object.keys(result).length > 1) {
    const { $ref, ...rest } = result
    const all = Array.isArray(rest['allOf']) ? (rest['allOf'] as unknown[]) : []
    result = { ...rest, allOf: [{ $ref }, ...all] }
  }
  if (Array.isArray(result['type']) && result['type'].length === 1)
    result['type'] = result['type'][0]
  if (Array.isArray(result['type'])) result['type'] = [...(result['type'] as unknown[])].sort()
  if ('const' in result) {
    result['enum'] = [result['const']]
    delete result['const']
  }
  if (Array.isArray(result['required']))
    result['required'] = [...(result['required'] as unknown[])].sort()
  for (const key of ['required', 'examples', 'properties']) {
    const value = result[key]
    if (typeof value === 'object' && value !== null && Object.keys(value).length === 0)
      Reflect.deleteProperty(result, key)
  }
  const all = result['allOf']
  if (Array.isArray(all) && all.length === 1 && Object.keys(result).length === 1) return all[0]
  return result
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
