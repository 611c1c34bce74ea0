import { sampleValue } from '../contract/samples'
import { invalidity } from '../contract/validate'
import { typesOf } from '../contract/schemas'
import type { Contract, Schema, SchemaObject } from '../contract/model'
import { textsLike } from '../text/languages'
import { isObject, namesOf } from '../text/values'
import { listedValues, propertiesOf, typeSet } from './keywords'
import type { Step } from './model'
import { annotations, type Normal } from './normal'
import type { Edge, Found, Pair, SchemaChange, Verdict, Way } from './schemas'

/** A value that fits a schema, as short as it may be. */
export const leanSample = (contract: Contract, schema: Schema | undefined): unknown =>
  sampleValue(contract, schema, { isLean: true, textLike: (pattern) => textsLike(pattern, 1)[0] })

/** Values that are tried for one change, and steps that one search may take. */
const mostTried = 24
const mostForOne = 20_000
/** Steps that all searches of a comparison may take together. */
const mostTogether = 3_000_000

class Exhausted extends Error {}

/** A value that one side takes and the other does not. */
interface Shown {
  value: unknown
}

interface Side {
  contract: Contract
  normal: (pair: Pair) => Normal
}

/**
 * Looks for values that show changes. One is found where the change is, once for both ways, and carried outwards: through
 * what asks nothing else of the value by reasoning alone, and through everything else by asking the validator.
 */
export class Witnesses {
  private readonly shown = new Map<SchemaChange, Map<Way, Shown | 'too much' | undefined>>()
  private readonly carried = new Map<Edge, Map<Way, boolean>>()
  private readonly samples = new Map<Normal, { value: unknown; isValid: boolean }>()
  private readonly old: Side
  private readonly now: Side
  private together = mostTogether
  private left = 0

  constructor(before: Contract, after: Contract) {
    this.old = { contract: before, normal: ({ before: normal }) => normal }
    this.now = { contract: after, normal: ({ after: normal }) => normal }
  }

  /** A change breaks only where a value shows it; where one should and none was found, it is risky. */
  judge(found: Found, way: Way): Verdict {
    const { change, mixed } = found
    const { narrows, widens, undecided } = change
    const hurts = (way === 'request' ? narrows : widens) || (mixed && (narrows || widens))
    if (!hurts && undecided === undefined) return { effect: 'safe' }
    // What was not looked into is said to be so. What is described no longer may still be sent, and nobody sends something
    // else under its name.
    const isDefault = change.keyword === 'default'
    if (isDefault && way === 'response') return { effect: 'safe' }
    const isOpen = change.keyword === '' || isDefault || (change.keyword === 'property' && !hurts)
    if (undecided !== undefined && isOpen) return { effect: 'risky', undecided }
    const local = this.showing(change, way)
    if (local === 'too much')
      return {
        effect: 'risky',
        undecided: undecided ?? 'looking for a value that shows it took too long',
      }
    const value = local && this.outwards(found.edges, way, local)
    if (value) return { effect: 'breaking', value }
    if (undecided === undefined && local === undefined && this.isRuledOut(change, way))
      return { effect: 'safe' }
    return { effect: 'risky', undecided: undecided ?? 'no value was found that shows it' }
  }

  private sides(way: Way): [from: Side, to: Side] {
    return way === 'request' ? [this.old, this.now] : [this.now, this.old]
  }

  /** Where a side lists its values, each was tried. */
  private isRuledOut({ pair }: SchemaChange, way: Way): boolean {
    const { schema } = this.sides(way)[0].normal(pair)
    const listed = schema === false ? [] : listedValues(schema)
    return listed !== undefined && listed.length <= mostTried
  }

  private within<T>(search: () => T): T | 'too much' {
    const given = Math.min(mostForOne, this.together)
    this.left = given
    try {
      return search()
    } catch (error) {
      if (error instanceof Exhausted) return 'too much'
      throw error
    } finally {
      this.together -= given - Math.max(0, this.left)
    }
  }

  private readonly spend = (steps = 1): void => {
    this.left -= steps
    if (this.left < 0) throw new Exhausted()
  }

  private isBetween(pair: Pair, way: Way, value: unknown): boolean {
    const [from, to] = this.sides(way)
    const takes = ({ contract, normal }: Side) =>
      invalidity(contract, value, normal(pair).written, this.spend) === undefined
    return takes(from) && !takes(to)
  }

  private showing(change: SchemaChange, way: Way): Shown | 'too much' | undefined {
    let known = this.shown.get(change)
    if (!known) this.shown.set(change, (known = new Map<Way, Shown | 'too much' | undefined>()))
    if (!known.has(way))
      known.set(
        way,
        this.within(() => this.search(change, way)),
      )
    return known.get(way)
  }

  private search(change: SchemaChange, way: Way): Shown | undefined {
    let tried = 0
    for (const value of this.candidates(change, way)) {
      if (++tried > mostTried) return undefined
      if (value === undefined || JSON.stringify(value) === undefined) continue
      if (this.isBetween(change.pair, way, value)) return { value }
    }
    return undefined
  }

  /** Carries a value from where it shows a change to the outside; undefined where it does not show it there. */
  private outwards(edges: Edge[], way: Way, { value }: Shown): (() => unknown) | undefined {
    let [held, inside] = [value, edges.length]
    for (let i = edges.length - 1; i >= 0; i--) {
      const edge = edges[i]!
      if (this.carries(edge, way)) continue
      const whole = this.within(() => {
        const made = this.plantedAlong(edges.slice(i, inside), way, held)
        return made !== undefined && this.isBetween(edge.from, way, made) ? { made } : undefined
      })
      if (whole === 'too much' || whole === undefined) return undefined
      ;[held, inside] = [whole.made, i]
    }
    return () => this.plantedAlong(edges.slice(0, inside), way, held)
  }

  private plantedAlong(edges: Edge[], way: Way, value: unknown): unknown {
    return edges.reduceRight<unknown>((inner, edge) => this.planted(edge, way, inner), value)
  }

  /** Whether any value that shows a change inside shows it outside, because nothing else there asks about it. */
  private carries(edge: Edge, way: Way): boolean {
    let known = this.carried.get(edge)
    if (!known) this.carried.set(edge, (known = new Map<Way, boolean>()))
    let holds = known.get(way)
    if (holds === undefined) {
      const [from, to] = this.sides(way)
      holds =
        isPlain(from.normal(edge.from).schema, edge.step, 'accepts') &&
        isPlain(to.normal(edge.from).schema, edge.step, 'refuses') &&
        !edge.mixed &&
        this.sampleOf(from, edge.from).isValid
      known.set(way, holds)
    }
    return holds
  }

  private sampleOf({ contract, normal }: Side, pair: Pair): { value: unknown; isValid: boolean } {
    const key = normal(pair)
    let known = this.samples.get(key)
    if (!known) {
      const value = leanSample(contract, key.written)
      const isValid =
        (key.schema !== false && isPlainlyValid(key.schema, value)) ||
        this.within(() => invalidity(contract, value, key.written, this.spend) === undefined) ===
          true
      this.samples.set(key, (known = { value, isValid }))
    }
    return known
  }

  /** A sample of what is outside with a value in it. */
  private planted({ from: pair, step }: Edge, way: Way, inner: unknown): unknown {
    const [from] = this.sides(way)
    if (step === undefined || 'choice' in step) return inner
    const { value: sample } = this.sampleOf(from, pair)
    if ('item' in step || 'position' in step) {
      const { schema } = from.normal(pair)
      const least = schema && typeof schema['minItems'] === 'number' ? schema['minItems'] : 1
      if (least > 50) return undefined
      const list = Array.isArray(sample) ? [...(sample as unknown[])] : []
      if ('position' in step) {
        while (list.length <= step.position) list.push(null)
        list[step.position] = inner
        return list
      }
      return Array.from({ length: Math.max(1, least) }, () => inner)
    }
    const object = isObject(sample) ? { ...sample } : {}
    object['property' in step ? step.property : freeName(from.normal(pair).schema)] = inner
    return object
  }

  /** Values that may make the difference. */
  private *candidates(change: SchemaChange, way: Way): Generator {
    const [from, to] = this.sides(way)
    const { pair, keyword, step } = change
    const [asked, other] = [from.normal(pair).schema, to.normal(pair).schema]
    if (asked === false) return
    const { value: sample } = this.sampleOf(from, pair)
    const { value: counterpart } = this.sampleOf(to, pair)
    if (step && 'property' in step) {
      yield* this.objects(change, from, sample)
      return
    }
    if (change.texts) yield* change.texts
    const listed = listedValues(asked)
    if (listed) yield* listed.slice(0, mostTried - 4)
    yield* this.byKeyword(keyword, asked, other === false ? {} : other, from, sample)
    yield sample
    yield counterpart
    yield* Object.values(byType)
  }

  /** Objects that show what became of a property: without it, with something else in its place, as they are. */
  private *objects(
    { step, keyword, kind, was, pair }: SchemaChange,
    { contract, normal }: Side,
    sample: unknown,
  ) {
    const name = step && 'property' in step ? step.property : ''
    const former = kind === 'renamed' && typeof was === 'string' ? was : name
    const { schema } = normal(pair)
    const known = schema === false ? {} : propertiesOf(schema)
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

  private *byKeyword(
    keyword: string,
    asked: SchemaObject,
    other: SchemaObject,
    from: Side,
    sample: unknown,
  ): Generator {
    switch (keyword) {
      case 'type': {
        const types = typesOf(asked)
        for (const type of types.length > 0 ? types : Object.keys(byType))
          yield* [
            this.sampleOfType(asked, type, from),
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
        const item = this.itemOf(asked, from)
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
              known.map(([name, schema]) => [name, leanSample(from.contract, schema)]),
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
        for (const choice of choicesOf(asked).slice(0, 8)) yield leanSample(from.contract, choice)
    }
  }

  private sampleOfType(asked: SchemaObject, type: string, from: Side): unknown {
    return leanSample(from.contract, { ...asked, type })
  }

  private itemOf(asked: SchemaObject, { contract }: Side): unknown {
    return leanSample(contract, asked['items'] as Schema | undefined) ?? 1
  }
}

/** Keywords that ask nothing of a value, or what {@link isPlainlyValid} looks at. */
const plainKeywords = new Set([
  ...annotations,
  'type',
  'properties',
  'required',
  'minimum',
  'readOnly',
  'writeOnly',
])

/** Whether a value is valid by what most schemas say, without the validator; false also where that cannot be seen. */
function isPlainlyValid(schema: Schema | undefined, value: unknown): boolean {
  if (!isObject(schema)) return schema === true
  for (const keyword in schema) if (!plainKeywords.has(keyword)) return false
  const { type, minimum } = schema
  if (type === 'object') {
    if (!isObject(value)) return false
    const properties = propertiesOf(schema)
    return (
      namesOf(schema['required']).every((name) => Object.hasOwn(value, name)) &&
      Object.entries(value).every(
        ([name, inner]) =>
          Object.hasOwn(properties, name) && isPlainlyValid(properties[name], inner),
      )
    )
  }
  if (type === 'integer' || type === 'number')
    return (
      typeof value === 'number' &&
      (type === 'number' || Number.isInteger(value)) &&
      (minimum === undefined || (typeof minimum === 'number' && value >= minimum))
    )
  return (type === 'string' || type === 'boolean') && typeof value === type
}

/** Keywords that look at a whole value, whatever stands in it. */
const looksAround = [
  'allOf',
  'anyOf',
  'oneOf',
  'not',
  'if',
  'enum',
  'const',
  'dependentSchemas',
  'dependentRequired',
  'unevaluatedProperties',
  'unevaluatedItems',
  'patternProperties',
  'propertyNames',
  'maxProperties',
  'contains',
  'uniqueItems',
]

/**
 * Whether a schema takes a sample of it with another value at a step wherever it takes that value there (`accepts`), or
 * refuses a value wherever it refuses what stands at a step (`refuses`).
 */
function isPlain(
  schema: SchemaObject | false,
  step: Step | undefined,
  does: 'accepts' | 'refuses',
): boolean {
  if (schema === false || step === undefined || 'choice' in step || 'position' in step) return false
  if (does === 'refuses') {
    if ('property' in step) return Object.hasOwn(propertiesOf(schema), step.property)
    return 'item' in step ? !('prefixItems' in schema) : !('patternProperties' in schema)
  }
  if (looksAround.some((keyword) => keyword in schema)) return false
  const type = 'item' in step ? 'array' : 'object'
  if (!typeSet(schema).has(type)) return false
  if ('property' in step) return Object.hasOwn(propertiesOf(schema), step.property)
  const most = schema['maxItems']
  return 'other' in step || (!('prefixItems' in schema) && (typeof most !== 'number' || most > 0))
}

/** A name that a schema says nothing about. */
function freeName(schema: SchemaObject | false): string {
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
