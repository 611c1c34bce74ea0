import type { Contract, Schema, SchemaObject } from '../contract/model'
import { typesOf } from '../contract/schemas'
import { textsLike } from '../text/languages'
import { isObject } from '../text/values'
import { listedValues, propertiesOf } from './keywords'
import type { SchemaChange } from './pairs'
import { leanSample } from './samples'

/** What value shows a change: one that the schema that asked takes, and the other one does not. */
export interface Question {
  change: SchemaChange
  contract: Contract
  asked: SchemaObject
  other: SchemaObject
  /** A sample of what asked, and one of the other. */
  sample: unknown
  counterpart: unknown
}

/** Values that are tried for one change. */
export const mostTried = 24

/** Values that may make the difference, the likeliest first. */
export function* candidates(question: Question): Generator {
  const { change, asked, sample, counterpart } = question
  if (change.step && 'property' in change.step) {
    yield* objects(question)
    return
  }
  if (change.texts) yield* change.texts
  const listed = listedValues(asked)
  if (listed) yield* listed.slice(0, mostTried - 4)
  yield* byKeyword(question)
  yield sample
  yield counterpart
  yield* Object.values(byType)
}

/** Objects that show what became of a property: without it, with something else in its place, as they are. */
function* objects({ contract, asked, sample, change: { step, keyword, kind, was } }: Question) {
  const name = step && 'property' in step ? step.property : ''
  const former = kind === 'renamed' && typeof was === 'string' ? was : name
  const known = propertiesOf(asked)
  const object = { ...(isObject(sample) && sample) }
  for (const one of [name, former])
    if (!(one in object) && Object.hasOwn(known, one))
      object[one] = leanSample(contract, known[one])
  const without = Object.fromEntries(
    Object.entries(object).filter(([key]) => key !== name && key !== former),
  )
  yield object
  yield without
  if (keyword === 'required') return
  for (const value of ['text', 1, {}]) {
    yield { ...without, [name]: value }
    if (former !== name) yield { ...without, [former]: value }
  }
}

function* byKeyword({ change, asked, other, contract, sample }: Question): Generator {
  switch (change.keyword) {
    case 'type': {
      const types = typesOf(asked)
      for (const type of types.length > 0 ? types : Object.keys(byType))
        yield* [
          leanSample(contract, { ...asked, type }),
          byType[type],
          ...(type === 'number' ? [0.5] : []),
        ]
      return
    }
    case 'enum':
      yield* ['another value', 12_345]
      return
    case 'minimum':
    case 'exclusiveMinimum':
    case 'maximum':
    case 'exclusiveMaximum': {
      const names = ['minimum', 'maximum', 'exclusiveMinimum', 'exclusiveMaximum']
      const ends = [other, asked].flatMap((schema) =>
        names.flatMap((name) => numeric(schema[name])),
      )
      yield* ends.flatMap((end) => [end, end - 1, end + 1, end - 0.5, end + 0.5])
      return
    }
    case 'multipleOf':
      yield* [asked['multipleOf'] ?? 1, 1, 2, 3, 0.5, 7]
      return
    case 'minLength':
    case 'maxLength':
      for (const length of lengths([other, asked], 'minLength', 'maxLength', 10_000)) {
        yield 'a'.repeat(length)
        if (typeof asked['pattern'] === 'string')
          yield* textsLike(asked['pattern'], 6).filter((text) => text.length === length)
      }
      yield ''
      return
    case 'minItems':
    case 'maxItems':
    case 'uniqueItems': {
      const item = leanSample(contract, asked['items'] as Schema | undefined) ?? 1
      yield [item, item]
      for (const length of lengths([other, asked], 'minItems', 'maxItems', 1000))
        yield Array.from({ length }, () => item)
      return
    }
    case 'minProperties':
    case 'maxProperties':
      if (isObject(sample)) {
        const known = Object.entries(propertiesOf(asked)).slice(0, 100)
        const entries = Object.entries({
          ...sample,
          ...Object.fromEntries(
            known.map(([name, schema]) => [name, leanSample(contract, schema)]),
          ),
        })
        for (const length of lengths([other, asked], 'minProperties', 'maxProperties', 100))
          yield Object.fromEntries(
            Array.from({ length }, (_, i) => entries[i] ?? [`other${i}`, 'text']),
          )
      }
      return
    case 'additionalProperties':
      if (isObject(sample))
        yield* ['text', 1, {}].map((value) => ({ ...sample, [freeName(asked)]: value }))
      return
    case 'pattern':
      if (typeof asked['pattern'] === 'string') yield* textsLike(asked['pattern'], 6)
      yield* texts
      return
    case 'format':
      yield* texts
      return
    case 'anyOf':
    case 'oneOf':
    case 'allOf':
      for (const choice of choicesOf(asked).slice(0, 8)) yield leanSample(contract, choice)
  }
}

/** A name that a schema says nothing about. */
export function freeName(schema: SchemaObject | false): string {
  const known = schema === false ? {} : propertiesOf(schema)
  for (let i = 0; ; i++) {
    const name = i === 0 ? 'other' : `other${i}`
    if (!Object.hasOwn(known, name)) return name
  }
}

const byType: Record<string, unknown> = {
  null: null,
  boolean: true,
  integer: 7,
  number: 7.5,
  string: 'text',
  array: [],
  object: {},
}

const texts = [
  'text',
  '',
  'A-1',
  '0',
  'https://brackenmere.example/',
  '2026-01-01',
  '2026-01-01T00:00:00Z',
  '00000000-0000-4000-8000-000000000000',
]

const numeric = (value: unknown): number[] => (typeof value === 'number' ? [value] : [])

/** Lengths at and beside the bounds of several schemas. */
const lengths = (schemas: SchemaObject[], least: string, most: string, under: number): number[] =>
  schemas
    .flatMap((schema) => [...numeric(schema[least]), ...numeric(schema[most])])
    .filter((end) => end < under)
    .flatMap((end) => [end, end - 1, end + 1])
    .filter((length) => length >= 0)

const choicesOf = (schema: SchemaObject): Schema[] =>
  ['oneOf', 'anyOf'].flatMap((keyword) =>
    Array.isArray(schema[keyword]) ? (schema[keyword] as Schema[]) : [],
  )
