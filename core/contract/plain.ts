import { isObject } from '../text/values'
import type { Schema } from './model'
import { isSchema, schemaKeywords, schemaListKeywords, schemaMapKeywords } from './schemas'

/** Stands for what a comparison passes over. */
export const masked = Symbol('masked')

/** What stands in for members of parts, and for references to schemas whose names have changed. */
export interface Masks {
  members: ReadonlyMap<object, ReadonlyMap<string | undefined, unknown>>
  references: ReadonlyMap<string, string>
}

type Plain = Record<string, unknown>

/** A schema with the ways of saying one thing brought to one way. */
export function plainSchema(schema: Schema | undefined, masks: Masks): unknown {
  if (schema === undefined || typeof schema === 'boolean')
    return schema === true ? {} : schema === false ? { not: {} } : schema
  const mask = masks.members.get(schema)
  if (mask?.has(undefined)) return masked
  const plain: Plain = {}
  for (const [key, value] of Object.entries(schema)) {
    if (value !== undefined) plain[key] = plainKeyword(key, value, masks)
  }
  for (const [key, now] of mask ?? []) if (key !== undefined) plain[key] = now
  plainType(plain)
  plainValues(plain)
  joinReference(plain)
  joinOnlyChoice(plain)
  return withPartsJoined(plain)
}

function plainKeyword(key: string, value: unknown, masks: Masks): unknown {
  if (schemaKeywords.has(key) && isSchema(value))
    return key.startsWith('additional') && value === true ? true : plainSchema(value, masks)
  if (schemaListKeywords.has(key) && Array.isArray(value))
    return value.map((item: Schema) => plainSchema(item, masks))
  if (schemaMapKeywords.has(key) && isObject(value)) {
    return Object.fromEntries(
      Object.entries(value).map(([name, item]) => [name, plainSchema(item as Schema, masks)]),
    )
  }
  return key === '$ref' ? (masks.references.get(value as string) ?? value) : value
}

/** `nullable`, and lists of types in any order; a list may hold anything where nothing is said. */
function plainType(schema: Plain): void {
  const { type, nullable } = schema
  const types = [type].flat().filter((name) => name !== undefined)
  const isNullable = nullable === true && types.length > 0
  if (isNullable && !types.includes('null')) types.push('null')
  if (isNullable || nullable === false) delete schema['nullable']
  if (types.length > 0) schema['type'] = types.length === 1 ? types[0] : types.sort()
  if (types.includes('array')) schema['items'] ??= {}
}

function plainValues(schema: Plain): void {
  if ('const' in schema) {
    schema['enum'] = [schema['const']]
    delete schema['const']
  }
  if (Array.isArray(schema['required']))
    schema['required'] = [...(schema['required'] as unknown[])].sort()
  for (const key of ['required', 'examples', 'properties']) {
    const value = schema[key]
    if (typeof value === 'object' && value !== null && Object.keys(value).length === 0)
      Reflect.deleteProperty(schema, key)
  }
}

/** A reference beside other keywords is one part of a whole. */
function joinReference(schema: Plain): void {
  const { $ref } = schema
  if ($ref === undefined || Object.keys(schema).length === 1) return
  const all = Array.isArray(schema['allOf']) ? (schema['allOf'] as unknown[]) : []
  delete schema['$ref']
  schema['allOf'] = [{ $ref }, ...all]
}

/** Where there is only one choice, it is none. */
function joinOnlyChoice(schema: Plain): void {
  for (const key of ['anyOf', 'oneOf']) {
    const choices = schema[key]
    if (!Array.isArray(choices) || choices.length !== 1 || schema['allOf'] !== undefined) continue
    schema['allOf'] = choices
    Reflect.deleteProperty(schema, key)
  }
}

/** Parts that say nothing but parts, or the choices of a whole that has none, are written where they stand. */
function withPartsJoined(schema: Plain): unknown {
  if (!Array.isArray(schema['allOf'])) return schema
  const all = (schema['allOf'] as unknown[]).flatMap((part) =>
    isObject(part) && Array.isArray(part['allOf']) && Object.keys(part).length === 1
      ? (part['allOf'] as unknown[])
      : [part],
  )
  const { allOf: _, ...rest } = schema
  const [only] = all
  if (all.length !== 1) return { ...rest, allOf: all }
  if (Object.keys(rest).length === 0) return only
  const isChoice =
    isObject(only) && Object.keys(only).every((key) => key === 'anyOf' || key === 'oneOf')
  const isFree = rest['anyOf'] === undefined && rest['oneOf'] === undefined
  return isChoice && isFree ? { ...rest, ...only } : { ...rest, allOf: all }
}
