import { pointerStep, unescapeSegment } from '../text/pointer'
import { isObject } from '../text/values'
import type { NamedSchema, Schema, SchemaObject } from './model'

/** Whatever has named schemas that others refer to: a contract, or what is kept of one. */
export interface WithSchemas {
  schemas: readonly Pick<NamedSchema, 'name' | 'schema'>[]
}

const container = '#/components/schemas'

/** The reference to a schema of a contract by its name. */
export const schemaReference = (name: string) => pointerStep(container, name)

/** The name of the schema a reference of a contract leads to. */
export function referencedName(reference: string): string | undefined {
  if (!reference.startsWith(`${container}/`)) return undefined
  return unescapeSegment(reference.slice(container.length + 1))
}

const indexes = new WeakMap<WithSchemas, Map<string, Schema>>()

/** The schemas of a contract by name. */
export function schemasByName(contract: WithSchemas): Map<string, Schema> {
  let index = indexes.get(contract)
  if (!index) {
    index = new Map(contract.schemas.map(({ name, schema }) => [name, schema]))
    indexes.set(contract, index)
  }
  return index
}

/** Follows references from a schema to one that is none; circles and missing targets give undefined. */
export function resolveSchema(
  contract: WithSchemas,
  schema: Schema | undefined,
): Schema | undefined {
  if (!isObject(schema) || typeof schema['$ref'] !== 'string') return schema
  let known = resolved.get(contract)
  if (!known) resolved.set(contract, (known = new Map<string, Schema | undefined>()))
  const reference = schema['$ref']
  if (!known.has(reference)) known.set(reference, followed(schemasByName(contract), reference))
  return known.get(reference)
}

/** What each reference leads to in the end. */
const resolved = new WeakMap<WithSchemas, Map<string, Schema | undefined>>()

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

/** Keywords by which references find a schema (JSON Schema 2020-12, section 8.2). A contract's own go by name. */
export const identifiers = ['$id', '$anchor', '$dynamicAnchor'] as const

/** Keywords that say something about values and ask nothing of them (JSON Schema 2020-12 validation, section 9). */
const annotations = new Set([
  'title',
  'description',
  'default',
  'deprecated',
  'readOnly',
  'writeOnly',
  'examples',
  'example',
  'externalDocs',
  'xml',
  '$comment',
])

/** Keywords that name a schema or hold others for references, and ask nothing either. */
const declarations = new Set<string>([...identifiers, '$schema', '$defs', 'definitions'])

/** Keywords that look at others of the same schema, and mean something else among those of another one. */
const together = new Set([
  'properties',
  'patternProperties',
  'additionalProperties',
  'unevaluatedProperties',
  'items',
  'prefixItems',
  'unevaluatedItems',
  'contains',
  'minContains',
  'maxContains',
  'if',
  'then',
  'else',
])

/**
 * One schema for a reference with other keywords beside it and for what it leads to: what is said beside counts before
 * what the target says of itself, and both are asked (JSON Schema 2020-12, section 8.2.3.1).
 */
export function joined({ $ref: _, ...beside }: SchemaObject, target: Schema): Schema {
  if (target === false || Object.keys(beside).length === 0) return target
  if (target === true) return beside
  const result: SchemaObject = { ...target }
  const apart: SchemaObject = {}
  for (const key in beside) {
    const isFree =
      annotations.has(key) ||
      declarations.has(key) ||
      key.startsWith('x-') ||
      !(together.has(key) || Object.hasOwn(target, key))
    const into = isFree ? result : apart
    into[key] = beside[key]
  }
  return Object.keys(apart).length === 0 ? result : withPart(result, apart)
}

/** A schema that asks for one part more. */
export function withPart(schema: SchemaObject, part: Schema): SchemaObject {
  const parts = Array.isArray(schema['allOf']) ? (schema['allOf'] as Schema[]) : []
  return { ...schema, allOf: [...parts, part] }
}

/** What a schema asks in the end: its references followed, {@link joined} with what stands beside them on the way. */
export function wholeSchema(contract: WithSchemas, schema: Schema | undefined): Schema | undefined {
  const end = resolveSchema(contract, schema)
  if (end === undefined || !isObject(schema) || typeof schema['$ref'] !== 'string') return end
  const next = schemasByName(contract).get(referencedName(schema['$ref'])!)
  const hasMore = isObject(next) && typeof next['$ref'] === 'string'
  if (!hasMore && Object.keys(schema).length === 1) return end
  let known = wholes.get(contract)
  if (!known) wholes.set(contract, (known = new WeakMap<SchemaObject, Schema>()))
  let whole = known.get(schema)
  if (whole === undefined) {
    whole = joined(schema, (hasMore ? wholeSchema(contract, next) : end) ?? true)
    known.set(schema, whole)
  }
  return whole
}

const wholes = new WeakMap<WithSchemas, WeakMap<SchemaObject, Schema>>()

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
export const mapSchema = (schema: Schema, change: (schema: SchemaObject) => Schema): Schema =>
  typeof schema === 'boolean'
    ? schema
    : change(mapSubschemas(schema, (inner) => mapSchema(inner, change)))

/** A copy of a schema with the schemas directly inside of it, but for `true` and `false`, passed through `change`. */
export function mapSubschemas(
  schema: SchemaObject,
  change: (inner: SchemaObject) => Schema,
): SchemaObject {
  const changed = (value: unknown) => (isObject(value) ? change(value) : value)
  const copy: SchemaObject = {}
  for (const [key, value] of Object.entries(schema)) {
    if (schemaKeywords.has(key) && isObject(value)) copy[key] = change(value)
    else if ((schemaListKeywords.has(key) || key === 'items') && Array.isArray(value)) {
      copy[key] = value.map(changed)
    } else if (schemaMapKeywords.has(key) && isObject(value)) {
      copy[key] = Object.fromEntries(
        Object.entries(value).map(([name, item]) => [name, changed(item)]),
      )
    } else copy[key] = value
  }
  return copy
}

/** A schema and every one inside of it, but for `true` and `false`. */
export function* everySchema(schema: Schema): Generator<SchemaObject> {
  const stack: Schema[] = [schema]
  while (stack.length > 0) {
    const here = stack.pop()!
    if (typeof here === 'boolean') continue
    yield here
    for (const { schema: inner } of subschemas(here)) stack.push(inner)
  }
}

/** The names of the contract's schemas that a schema refers to, inside and out. */
export function referencesIn(schema: Schema): Set<string> {
  const found = new Set<string>()
  for (const { $ref } of everySchema(schema)) {
    const name = typeof $ref === 'string' ? referencedName($ref) : undefined
    if (name !== undefined) found.add(name)
  }
  return found
}
