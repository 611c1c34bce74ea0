import { count } from './words'
import type { Schema, SchemaObject } from '~~/core/contract/model'
import { isSchema, referencedName, typesOf } from '~~/core/contract/schemas'
import { isObject, namesOf } from '~~/core/text/values'

const partOf = (written: unknown) => (isSchema(written) ? written : undefined)
const membersOf = (written: unknown) => (isObject(written) ? Object.entries(written) : [])

/** A schema's type as a reader says it: `string (date-time)`, `list of Notice`, `Notice or null`. */
export function typeWords(schema: Schema | undefined): string {
  if (schema === undefined || schema === true) return 'anything'
  if (schema === false) return 'nothing'
  const reference = schema['$ref']
  if (typeof reference === 'string') return referencedName(reference) ?? reference
  const format = typeof schema['format'] === 'string' ? ` (${schema['format']})` : ''
  const words = typesOf(schema).map((type) =>
    type === 'array' ? `list of ${typeWords(partOf(schema['items']))}` : type + format,
  )
  if (words.length > 0) return words.join(' or ')
  for (const keyword of ['anyOf', 'oneOf']) {
    const parts = schema[keyword]
    if (Array.isArray(parts)) return parts.map((part: Schema) => typeWords(part)).join(' or ')
  }
  const all = schema['allOf']
  if (Array.isArray(all)) return all.map((part: Schema) => typeWords(part)).join(' with ')
  return schema['properties'] ? 'object' : 'anything'
}

const constraintWords: Record<string, (value: unknown) => string> = {
  minLength: (value) => `at least ${value} characters`,
  maxLength: (value) => `at most ${value} characters`,
  pattern: (value) => `like ${value}`,
  minimum: (value) => `${value} or more`,
  maximum: (value) => `${value} or less`,
  exclusiveMinimum: (value) => `more than ${value}`,
  exclusiveMaximum: (value) => `less than ${value}`,
  multipleOf: (value) => `a multiple of ${value}`,
  minItems: (value) => `at least ${count(Number(value), 'item')}`,
  maxItems: (value) => `at most ${count(Number(value), 'item')}`,
  uniqueItems: (value) => (value ? 'no item twice' : ''),
  minProperties: (value) => `at least ${value} members`,
  maxProperties: (value) => `at most ${value} members`,
  const: (value) => `always ${JSON.stringify(value)}`,
  default: (value) => `default ${JSON.stringify(value)}`,
  readOnly: (value) => (value ? 'only read' : ''),
  writeOnly: (value) => (value ? 'only written' : ''),
  deprecated: (value) => (value ? 'deprecated' : ''),
  contentEncoding: (value) => `encoded as ${value}`,
}

/** What a schema asks of a value beside its type. */
export function constraintsOf(schema: SchemaObject): string[] {
  const words = Object.entries(constraintWords).flatMap(([keyword, say]) =>
    schema[keyword] === undefined ? [] : say(schema[keyword]),
  )
  if (schema['additionalProperties'] === false) words.push('no other members')
  const values = schema['enum']
  if (Array.isArray(values))
    words.push(
      `one of ${values.slice(0, 12).map(String).join(', ')}${values.length > 12 ? ' …' : ''}`,
    )
  return words.filter((word) => word !== '')
}

export interface SchemaChild {
  key: string
  label: string
  schema: Schema
  required: boolean
}

/** What opens below a schema: its properties, its items, the parts it is made of. */
export function childrenOf(schema: Schema): SchemaChild[] {
  if (typeof schema !== 'object') return []
  const required = new Set(namesOf(schema['required']))
  const children: SchemaChild[] = []
  const add = (key: string, label: string, child: unknown, needed = false) => {
    if (isObject(child)) children.push({ key, label, schema: child, required: needed })
  }
  for (const [keyword, word] of [
    ['allOf', 'with'],
    ['oneOf', 'either'],
    ['anyOf', 'any of'],
  ] as const) {
    const parts = schema[keyword]
    if (Array.isArray(parts)) parts.forEach((part, i) => add(`${keyword}${i}`, word, part))
  }
  for (const [name, child] of membersOf(schema['properties'])) {
    add(`p ${name}`, name, child, required.has(name))
  }
  for (const [name, child] of membersOf(schema['patternProperties'])) {
    add(`r ${name}`, `names like ${name}`, child)
  }
  add('additional', 'any other name', schema['additionalProperties'])
  add('items', 'each item', schema['items'])
  const prefix = schema['prefixItems']
  if (Array.isArray(prefix)) prefix.forEach((part, i) => add(`item${i}`, `item ${i + 1}`, part))
  return children
}

/** Examples a schema gives of itself. */
export function examplesIn(schema: SchemaObject): unknown[] {
  const { examples, example } = schema
  if (Array.isArray(examples)) return examples
  return example === undefined ? [] : [example]
}
