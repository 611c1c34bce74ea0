import { sampleValue } from '../contract/samples'
import { invalidity } from '../contract/validate'
import { typesOf, wholeSchema } from '../contract/schemas'
import type { Contract, Schema, SchemaObject } from '../contract/model'
import { isObject } from '../text/values'
import type { Step } from './model'
import type { SchemaChange } from './schemas'

/** A schema of a contract that values are held against. */
export interface Side {
  contract: Contract
  schema: Schema | undefined
}

/** How many values are tried for one change. */
const mostTried = 24

/** The work that is left for looking; each part of a value that is made or held against a schema takes some. */
export interface LookingBudget {
  left: number
}

/** Steps that one change may take of it. */
const mostForOne = 20_000

class Exhausted extends Error {}

function spend(budget: LookingBudget, steps = 1): void {
  budget.left -= steps
  if (budget.left < 0) throw new Exhausted()
}

/**
 * A value that one side allows and the other does not, made where a change is; undefined where none was found. What is
 * given has been checked by the validator.
 */
export function witnessOf(
  change: SchemaChange,
  from: Side,
  to: Side,
  budget: LookingBudget,
): { value: unknown } | 'too much work' | undefined {
  const own = { left: Math.min(mostForOne, budget.left) }
  const given = own.left
  try {
    return found(change, from, to, own)
  } catch (error) {
    if (error instanceof Exhausted) return 'too much work'
    throw error
  } finally {
    budget.left -= given - Math.max(0, own.left)
  }
}

function found(
  change: SchemaChange,
  from: Side,
  to: Side,
  budget: LookingBudget,
): { value: unknown } | undefined {
  const asked = leafOf(from, change.path)
  const step = () => spend(budget)
  let tried = 0
  for (const leaf of candidates(change, asked, from, leafOf(to, change.path))) {
    if (++tried > mostTried) return undefined
    const value = planted(from, change.path, leaf, budget)
    if (value === undefined || JSON.stringify(value) === undefined) continue
    if (invalidity(from.contract, value, from.schema, step) !== undefined) continue
    if (invalidity(to.contract, value, to.schema, step) !== undefined) return { value }
  }
  return undefined
}

/** What stands at the end of a path in place of a value: another one, or nothing. */
type Leaf = { value: unknown } | 'absent'

function stepInto(contract: Contract, schema: Schema | undefined, step: Step): Schema | undefined {
  const whole = wholeSchema(contract, schema)
  if (!isObject(whole)) return undefined
  if ('property' in step) return memberOf(contract, whole, step.property)
  if ('item' in step) return whole['items'] as Schema | undefined
  if ('other' in step) return whole['additionalProperties'] as Schema | undefined
  return choicesOf(whole)[step.choice]
}

const choicesOf = (schema: SchemaObject): Schema[] =>
  (Array.isArray(schema['oneOf'])
    ? schema['oneOf']
    : Array.isArray(schema['anyOf'])
      ? schema['anyOf']
      : []) as Schema[]

/** A property's schema, which a part of the whole may declare. */
function memberOf(contract: Contract, schema: SchemaObject, name: string): Schema | undefined {
  const own =
    isObject(schema['properties']) && Object.hasOwn(schema['properties'], name)
      ? (schema['properties'][name] as Schema)
      : undefined
  if (own !== undefined || !Array.isArray(schema['allOf'])) return own
  for (const part of schema['allOf'] as Schema[]) {
    const whole = wholeSchema(contract, part)
    const found = isObject(whole) ? memberOf(contract, whole, name) : undefined
    if (found !== undefined) return found
  }
  return undefined
}

const leafOf = ({ contract, schema }: Side, path: Step[]): SchemaObject => {
  const end = path.reduce<Schema | undefined>(
    (here, step) => stepInto(contract, here, step),
    schema,
  )
  const whole = wholeSchema(contract, end)
  return isObject(whole) ? whole : {}
}

/** Samples that were made, by contract and schema: the same ones are asked for at each change. */
const samples = new WeakMap<Contract, Map<Schema, unknown>>()

function sampleOf(contract: Contract, schema: Schema | undefined, budget: LookingBudget): unknown {
  if (schema === undefined) return sampleValue(contract, schema)
  let known = samples.get(contract)
  if (!known) samples.set(contract, (known = new Map<Schema, unknown>()))
  if (!known.has(schema)) {
    const sample = sampleValue(contract, schema)
    spend(budget, JSON.stringify(sample)?.length ?? 1)
    known.set(schema, sample)
  }
  return known.get(schema)
}

/** A sample of a schema with something else at the end of a path. */
function planted(
  { contract, schema }: Side,
  path: Step[],
  leaf: Leaf,
  budget: LookingBudget,
): unknown {
  const [step, ...rest] = path
  if (!step) return leaf === 'absent' ? undefined : leaf.value
  const inside = { contract, schema: stepInto(contract, schema, step) }
  const inner = planted(inside, rest, leaf, budget)
  if ('choice' in step) return inner
  if ('item' in step) return [inner]
  const sample = sampleOf(contract, schema, budget)
  const object = isObject(sample) ? { ...sample } : {}
  spend(budget, Object.keys(object).length)
  const name = 'property' in step ? step.property : 'other'
  if (rest.length === 0 && leaf === 'absent') Reflect.deleteProperty(object, name)
  else object[name] = inner
  return object
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

/** Values that may make the difference. */
function* candidates(
  change: SchemaChange,
  asked: SchemaObject,
  from: Side,
  other: SchemaObject,
): Generator<Leaf> {
  const of = (...values: unknown[]): Leaf[] => values.map((value) => ({ value }))
  const sample = sampleValue(from.contract, asked)
  switch (change.keyword) {
    case 'required':
      yield 'absent'
      return
    case 'property':
      yield* of(sample, 'text', 1, {})
      return
    case 'type': {
      const types = typesOf(asked)
      yield* of(...(types.length > 0 ? types : Object.keys(byType)).map((type) => byType[type]))
      break
    }
    case 'enum': {
      const values = [...lists(asked['enum']), ...('const' in asked ? [asked['const']] : [])]
      yield* of(...values.slice(0, 12), 'another value', 12_345)
      break
    }
    case 'minimum':
    case 'exclusiveMinimum':
    case 'maximum':
    case 'exclusiveMaximum': {
      const ends = [other, asked].flatMap((schema) =>
        ['minimum', 'maximum', 'exclusiveMinimum', 'exclusiveMaximum'].flatMap((name) =>
          typeof schema[name] === 'number' ? [schema[name]] : [],
        ),
      )
      yield* of(...ends.flatMap((end) => [end, end - 1, end + 1, end - 0.5, end + 0.5]))
      break
    }
    case 'multipleOf':
      yield* of(asked['multipleOf'] ?? 1, 1, 2, 3, 0.5, 7)
      break
    case 'minLength':
    case 'maxLength': {
      const ends = [other, asked].flatMap((schema) =>
        [schema['minLength'], schema['maxLength']].filter(
          (end): end is number => typeof end === 'number' && end < 10_000,
        ),
      )
      yield* of(
        ...ends
          .flatMap((end) => [end, end - 1, end + 1])
          .filter((length) => length >= 0)
          .map((length) => 'a'.repeat(length)),
        '',
      )
      break
    }
    case 'minItems':
    case 'maxItems':
    case 'uniqueItems': {
      const item = sampleValue(from.contract, asked['items'] as Schema | undefined) ?? 1
      const ends = [other, asked].flatMap((schema) =>
        [schema['minItems'], schema['maxItems']].filter(
          (end): end is number => typeof end === 'number' && end < 1000,
        ),
      )
      yield* of(
        [item, item],
        ...ends
          .flatMap((end) => [end, end - 1, end + 1])
          .filter((length) => length >= 0)
          .map((length) => Array.from({ length }, () => item)),
        [],
      )
      break
    }
    case 'additionalProperties':
      if (isObject(sample)) yield* of({ ...sample, other: 'text' }, { ...sample, other: 1 })
      break
    case 'pattern':
    case 'format':
      yield* of(
        'text',
        '',
        'A-1',
        '0',
        'https://brackenmere.example/',
        '2026-01-01',
        '2026-01-01T00:00:00Z',
        '00000000-0000-4000-8000-000000000000',
      )
      break
    case 'anyOf':
    case 'oneOf':
    case 'allOf':
      yield* of(
        ...choicesOf(asked)
          .slice(0, 8)
          .map((choice) => sampleValue(from.contract, choice)),
        ...Object.values(byType),
      )
      break
  }
  yield* of(sample)
}

const lists = (value: unknown): unknown[] => (Array.isArray(value) ? value : [])
