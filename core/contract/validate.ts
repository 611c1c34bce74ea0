import { validate, type OutputUnit } from '@cfworker/json-schema'
import { unescapeSegment } from '../text/pointer'
import { isObject } from '../text/values'
import { looking, patternOf, preparedSchemas, type PreparedSchemas } from './prepared'
import type { Schema } from './model'
import type { WithSchemas } from './schemas'

/** Longer lists are not searched for equal items: each would be compared with each. */
const mostCompared = 1000

/**
 * What of a value is not as its schema asks, in words with the place inside of it; undefined where it is valid (JSON
 * Schema 2020-12). `step` is called for every schema that a part of the value meets, and may throw. Patterns that have
 * no answer in linear time, names matched by a pattern, and formats that are only described are not held against it; nor
 * is a value too deep to be looked at.
 */
export function invalidity(
  contract: WithSchemas,
  value: unknown,
  schema: Schema | undefined,
  step: () => void = () => undefined,
): string | undefined {
  if (schema === undefined || value === undefined) return undefined
  const schemas = preparedSchemas(contract)
  const asked = schemas.of(schema)
  Object.assign(looking, { step, comparesItems: !hasLongList(value) })
  const error = errorsOf(value, asked, schemas).find(({ keyword }) => !wrappers.has(keyword))
  return error && inWords(error, { value, asked, schemas })
}

/** What the validator finds; nothing in a value that goes deeper than its stack. */
function errorsOf(value: unknown, asked: Schema, { byReference }: PreparedSchemas): OutputUnit[] {
  try {
    return validate(value, asked, '2020-12', byReference).errors
  } catch (error) {
    if (error instanceof RangeError) return []
    throw error
  }
}

function hasLongList(value: unknown): boolean {
  const waiting = [value]
  while (waiting.length > 0) {
    const here = waiting.pop()
    if (Array.isArray(here) && here.length > mostCompared) return true
    if (typeof here === 'object' && here !== null)
      for (const part of Object.values(here)) waiting.push(part)
  }
  return false
}

/** Keywords of an error that only say that one further in follows. */
const wrappers = new Set([
  '$ref',
  'allOf',
  'properties',
  'items',
  'prefixItems',
  'additionalProperties',
  'unevaluatedProperties',
  'unevaluatedItems',
  'dependentSchemas',
  'propertyNames',
  'if',
])

interface Looked {
  value: unknown
  asked: Schema
  schemas: PreparedSchemas
}

const segmentsOf = (location: string) =>
  location
    .split('/')
    .slice(1)
    .map((segment) => unescapeSegment(decodeURIComponent(segment)))

function inWords(error: OutputUnit, looked: Looked): string {
  const at = segmentsOf(error.instanceLocation)
  const last = at.at(-1)
  const says = wordsFor(error, looked, at)
  if (error.keyword === 'false' && last !== undefined && !/^\d+$/.test(last))
    return placed(at.slice(0, -1), `has "${last}", which its schema does not know`)
  return placed(at, says)
}

/** `"near.tags[1]" is …`, or `It is …` for the value itself. */
function placed(at: string[], says: string): string {
  if (at.length === 0) return `It ${says}`
  const path = at.map((step, i) => (/^\d+$/.test(step) ? `[${step}]` : i === 0 ? step : `.${step}`))
  return `"${path.join('')}" ${says}`
}

function wordsFor(error: OutputUnit, looked: Looked, at: string[]): string {
  const value = valueAt(looked.value, at)
  const asked = keywordAt(looked, segmentsOf(error.keywordLocation))
  if (error.keyword === 'oneOf' && !error.error.includes('(0 matches)'))
    return 'fits more than one of the choices'
  const words = Object.hasOwn(sentences, error.keyword) ? sentences[error.keyword] : undefined
  return words ? words(value as never, asked as never) : `is not as "${error.keyword}" asks`
}

const valueAt = (value: unknown, at: string[]): unknown =>
  at.reduce<unknown>((part, step) => (part as Record<string, unknown> | undefined)?.[step], value)

/** What a keyword says, by the way that the validator took to it. */
function keywordAt({ asked, schemas }: Looked, way: string[]): unknown {
  let here: unknown = asked
  for (const step of way) {
    const next = (here as Record<string, unknown> | undefined)?.[step]
    here = step === '$ref' ? schemas.byReference[next as string] : next
  }
  return here
}

type Words = (value: never, asked: never) => string

const counting =
  (of: (value: never) => number, what: string, bound: string): Words =>
  (value, asked) =>
    `has ${of(value)} ${what}, and ${String(asked)} are the ${bound}`
const characters = (text: string) => [...text].length
const items = (list: unknown[]) => list.length
const properties = (object: object) => Object.keys(object).length

/** What is said where a keyword does not hold. */
const sentences: Record<string, Words> = {
  type: (value, asked: string | string[]) =>
    `is ${kindOf(value)}, and ${[asked].flat().join(' or ')} is asked for`,
  enum: (value) => `is ${JSON.stringify(value)?.slice(0, 60)}, which is none of the values allowed`,
  const: () => 'is not the one value allowed',
  required: (value, asked: string[]) =>
    `has no "${asked.find((name) => !Object.hasOwn(value, name))}", which is required`,
  false: () => 'may not be there',
  format: (_, asked: string) => {
    const pattern = patternOf(asked)
    return pattern === undefined ? `is no ${asked}` : `does not match the pattern ${pattern}`
  },
  minLength: counting(characters, 'characters', 'fewest'),
  maxLength: counting(characters, 'characters', 'most'),
  minItems: counting(items, 'items', 'fewest'),
  maxItems: counting(items, 'items', 'most'),
  minProperties: counting(properties, 'properties', 'fewest'),
  maxProperties: counting(properties, 'properties', 'most'),
  minimum: (_, asked) => `is below ${String(asked)}`,
  maximum: (_, asked) => `is above ${String(asked)}`,
  exclusiveMinimum: (_, asked) => `is not above ${String(asked)}`,
  exclusiveMaximum: (_, asked) => `is not below ${String(asked)}`,
  multipleOf: (_, asked) => `is no multiple of ${String(asked)}`,
  uniqueItems: () => 'has an item twice',
  contains: () => 'has no item of the kind asked for',
  minContains: () => 'has too few items of the kind asked for',
  maxContains: () => 'has too many items of the kind asked for',
  dependentRequired: () => 'lacks a property that another one asks for',
  anyOf: () => 'fits none of the choices',
  oneOf: () => 'fits none of the choices',
  not: () => 'is what its schema rules out',
}

const kindOf = (value: unknown) =>
  value === null
    ? 'null'
    : Array.isArray(value)
      ? 'a list'
      : isObject(value)
        ? 'an object'
        : `a ${typeof value}`
