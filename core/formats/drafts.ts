import type { Schema, SchemaObject } from '../contract/model'
import { isObject } from '../text/values'

/** The types of JSON Schema (draft 4 to 2020-12, "type"). */
export const schemaTypes: ReadonlySet<unknown> = new Set([
  'string',
  'number',
  'integer',
  'boolean',
  'array',
  'object',
  'null',
])

/**
 * Brings the words of older drafts of JSON Schema (3 to 7) to those of 2020-12, in place. Schemas inside of it are to be
 * brought after it, each by itself.
 */
export function fromOlderDraft(schema: SchemaObject): void {
  necessity(schema)
  oldTypes(schema)
  exclusive(schema, 'exclusiveMinimum', 'minimum')
  exclusive(schema, 'exclusiveMaximum', 'maximum')
  tuples(schema)
  rename(schema, 'divisibleBy', 'multipleOf')
  rename(schema, 'id', '$id')
  listExample(schema)
  const { extends: parents, disallow, dependencies } = schema
  if (parents !== undefined) {
    delete schema['extends']
    schema['allOf'] = [...listOf(schema['allOf']), ...listOf(parents)]
  }
  if (disallow !== undefined) {
    delete schema['disallow']
    schema['not'] ??= { type: disallow }
  }
  if (isObject(dependencies)) depend(schema, dependencies)
}

/** Draft 3 says of each property whether its object needs it. */
function necessity(schema: SchemaObject): void {
  if (typeof schema['required'] === 'boolean') delete schema['required']
  const { properties } = schema
  if (!isObject(properties)) return
  const needed = Object.entries(properties).flatMap(([name, property]) =>
    isObject(property) && property['required'] === true ? [name] : [],
  )
  if (needed.length > 0) schema['required'] = [...listOf(schema['required']), ...needed]
}

/** Draft 3 has a type for anything, and schemas among types. */
function oldTypes(schema: SchemaObject): void {
  const types = listOf(schema['type'])
  if (types.includes('any')) delete schema['type']
  else if (types.some(isObject)) {
    delete schema['type']
    schema['anyOf'] = types.map((type) => (isObject(type) ? type : { type }))
  }
}

/** A bound that is said to be exclusive, as an exclusive bound. */
export function exclusive(schema: SchemaObject, key: string, bound: string): void {
  if (typeof schema[key] !== 'boolean') return
  if (schema[key] && typeof schema[bound] === 'number') {
    schema[key] = schema[bound]
    Reflect.deleteProperty(schema, bound)
  } else Reflect.deleteProperty(schema, key)
}

/** One example, as OpenAPI has it and many write it, is a list of one (OpenAPI 3.1, section 4.8.24.2). */
export function listExample(schema: SchemaObject): void {
  if (!('example' in schema) || schema['examples'] !== undefined) return
  schema['examples'] = [schema['example']]
  delete schema['example']
}

/** A list of schemas for the first items, and one for those behind them. */
export function tuples(schema: SchemaObject): void {
  if (!Array.isArray(schema['items'])) return
  schema['prefixItems'] = schema['items'] as Schema[]
  delete schema['items']
  rename(schema, 'additionalItems', 'items')
}

function depend(schema: SchemaObject, dependencies: Record<string, unknown>): void {
  delete schema['dependencies']
  const names: Record<string, unknown> = {}
  const schemas: Record<string, unknown> = {}
  for (const [name, needed] of Object.entries(dependencies)) {
    if (isObject(needed)) schemas[name] = needed
    else names[name] = listOf(needed)
  }
  if (Object.keys(names).length > 0) schema['dependentRequired'] = names
  if (Object.keys(schemas).length > 0) schema['dependentSchemas'] = schemas
}

function rename(schema: SchemaObject, from: string, to: string): void {
  if (schema[from] === undefined) return
  schema[to] ??= schema[from]
  Reflect.deleteProperty(schema, from)
}

const listOf = (value: unknown): unknown[] =>
  value === undefined ? [] : Array.isArray(value) ? (value as unknown[]) : [value]
