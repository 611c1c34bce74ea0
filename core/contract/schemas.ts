import { pointerStep, unescapeSegment } from '../text/pointer'
import { isObject } from '../text/values'
import type { Contract, Schema, SchemaObject } from './model'

const container = '#/components/schemas'

/** The reference to a schema of a contract by its name. */
export const schemaReference = (name: string) => pointerStep(container, name)

/** The name of the schema a reference of a contract leads to. */
export function referencedName(reference: string): string | undefined {
  if (!reference.startsWith(`${container}/`)) return undefined
  return unescapeSegment(reference.slice(container.length + 1))
}

const indexes = new WeakMap<Contract, Map<string, Schema>>()

/** The schemas of a contract by name. */
export function schemasByName(contract: Contract): Map<string, Schema> {
  let index = indexes.get(contract)
  if (!index) {
    index = new Map(contract.schemas.map(({ name, schema }) => [name, schema]))
    indexes.set(contract, index)
  }
  return index
}

/** Follows references from a schema to one that is none; circles and missing targets give undefined. */
export function resolveSchema(contract: Contract, schema: Schema | undefined): Schema | undefined {
  if (!isObject(schema) || typeof schema['$ref'] !== 'string') return schema
  let known = resolved.get(contract)
  if (!known) resolved.set(contract, (known = new Map<string, Schema | undefined>()))
  const reference = schema['$ref']
  if (!known.has(reference)) known.set(reference, followed(schemasByName(contract), reference))
  return known.get(reference)
}

/** What each reference leads to in the end. */
const resolved = new WeakMap<Contract, Map<string, Schema | undefined>>()

function followed(index: ReadonlyMap<string, Schema>, reference: string): Schema | undefined {
  // A chain that is longer than there are schemas goes round in a circle.
  for (let left = index.size + 1; left > 0; left--) {
    const name = referencedName(reference)
    const found = name === undefined ? undefined : index.get(name)
    if (!isObject(found) || typeof found['$ref'] !== 'string') return found
    reference = found['$ref']
  }
  return undefined
}

/** The names of the types a schema allows; none where it says nothing. */
export function typesOf({ type }: SchemaObject): string[] {
  if (Array.isArray(type)) return type.filter((name): name is string => typeof name === 'string')
  return typeof type === 'string' ? [type] : []
}

/** Keywords whose value is one schema (JSON Schema 2020-12, sections 10 and 11, and their forerunners). */
export const schemaKeywords = new Set([
  'items',
  'additionalProperties',
  'additionalItems',
  'not',
  'if',
  'then',
  'else',
  'contains',
  'propertyNames',
  'unevaluatedItems',
  'unevaluatedProperties',
  'contentSchema',
])

/** Keywords whose value is a list of schemas. */
export const schemaListKeywords = new Set(['allOf', 'anyOf', 'oneOf', 'prefixItems'])

/** Keywords whose value gives schemas by name. */
export const schemaMapKeywords = new Set([
  'properties',
  'patternProperties',
  '$defs',
  'definitions',
  'dependentSchemas',
])

/** The schemas directly inside one, with the steps from it to each. */
export function* subschemas(schema: SchemaObject): Generator<{ schema: Schema; steps: string[] }> {
  for (const [key, value] of Object.entries(schema)) {
    if (schemaKeywords.has(key)) {
      if (isSchema(value)) yield { schema: value, steps: [key] }
      else if (Array.isArray(value)) yield* numbered(key, value)
    } else if (schemaListKeywords.has(key)) {
      if (Array.isArray(value)) yield* numbered(key, value)
    } else if (schemaMapKeywords.has(key) && isObject(value)) {
      for (const [name, item] of Object.entries(value)) {
        if (isSchema(item)) yield { schema: item, steps: [key, name] }
      }
    }
  }
}

function* numbered(key: string, list: unknown[]) {
  for (let i = 0; i < list.length; i++) {
    const item = list[i]
    if (isSchema(item)) yield { schema: item, steps: [key, String(i)] }
  }
}

/** Whether a value has the outer shape of a schema. */
export const isSchema = (value: unknown): value is Schema =>
  typeof value === 'boolean' || isObject(value)

/** A copy of a schema with every schema in it passed through `change`, the inner ones first. */
export function mapSchema(schema: Schema, change: (schema: SchemaObject) => Schema): Schema {
  if (typeof schema === 'boolean') return schema
  const copy: SchemaObject = {}
  for (const [key, value] of Object.entries(schema)) {
    if (schemaKeywords.has(key) && isObject(value)) copy[key] = mapSchema(value, change)
    else if ((schemaListKeywords.has(key) || key === 'items') && Array.isArray(value)) {
      copy[key] = value.map((item: Schema) => (isObject(item) ? mapSchema(item, change) : item))
    } else if (schemaMapKeywords.has(key) && isObject(value)) {
      copy[key] = Object.fromEntries(
        Object.entries(value).map(([name, item]) => [
          name,
          isObject(item) ? mapSchema(item, change) : item,
        ]),
      )
    } else copy[key] = value
  }
  return change(copy)
}

/** The names of the contract's schemas that a schema refers to, inside and out. */
export function referencesIn(schema: Schema, found = new Set<string>()): Set<string> {
  const stack: Schema[] = [schema]
  while (stack.length > 0) {
    const here = stack.pop()!
    if (typeof here === 'boolean') continue
    const reference = here['$ref'] ?? here['$dynamicRef']
    const name = typeof reference === 'string' ? referencedName(reference) : undefined
    if (name !== undefined) found.add(name)
    for (const { schema: inner } of subschemas(here)) stack.push(inner)
  }
  return found
}
