import type { Contract, Schema, SchemaObject } from '../contract/model'
import { resolveSchema, typesOf, wholeSchema } from '../contract/schemas'
import { isObject, isSame } from '../text/values'
import type { ChangeKind, Step } from './model'

/**
 * A change of a schema, taken as the set of values it allows: whether some that were allowed are not any more
 * (`narrows`), and whether some are that were not (`widens`). Where neither can be told, both may be.
 */
export interface SchemaChange {
  kind: ChangeKind
  path: Step[]
  keyword: string
  was?: unknown
  is?: unknown
  narrows: boolean
  widens: boolean
  undecided?: string
  /** The same for all places that the change is met at. */
  readonly id: object
}

/** Questions about one pair of contracts; more is said to be undecided. */
const mostQuestions = 400_000
const mostChanges = 2000

const listOf = (value: unknown): Schema[] => (Array.isArray(value) ? (value as Schema[]) : [])
const namesOf = (value: unknown): string[] =>
  Array.isArray(value) ? value.filter((name): name is string => typeof name === 'string') : []
const membersOf = (value: unknown) => (isObject(value) ? (value as Record<string, Schema>) : {})

const allTypes = ['null', 'boolean', 'integer', 'number', 'string', 'array', 'object']

/** Every type a schema allows; a number allows integers too. */
function typeSet(schema: SchemaObject): Set<string> {
  const named = typesOf(schema)
  const set = new Set(named.length > 0 ? named : allTypes)
  if (set.has('number')) set.add('integer')
  return set
}

/** Keywords that only describe (JSON Schema 2020-12 validation, section 9). */
const annotations = ['title', 'description', 'default', 'deprecated', 'example', 'examples']
/** Keywords that are not looked into: where they differ, nothing sure is said. */
const opaque = [
  'not',
  'if',
  'then',
  'else',
  'contains',
  'minContains',
  'maxContains',
  'propertyNames',
  'patternProperties',
  'dependentRequired',
  'dependentSchemas',
  'unevaluatedProperties',
  'unevaluatedItems',
  'discriminator',
  'readOnly',
  'writeOnly',
  'contentEncoding',
  'contentMediaType',
]

/** Bounds by the type they hold for: one that grows allows less, or more. */
const bounds = [
  { keyword: 'minLength', type: 'string', least: true },
  { keyword: 'maxLength', type: 'string', least: false },
  { keyword: 'minItems', type: 'array', least: true },
  { keyword: 'maxItems', type: 'array', least: false },
  { keyword: 'minProperties', type: 'object', least: true },
  { keyword: 'maxProperties', type: 'object', least: false },
] as const

/** Compares schemas of two contracts. Pairs that were compared are remembered, and circles end. */
export class SchemaComparison {
  private readonly known = new Map<Schema, Map<Schema, SchemaChange[]>>()
  private questions = 0

  constructor(
    private readonly before: Contract,
    private readonly after: Contract,
  ) {}

  compare(before: Schema | undefined, after: Schema | undefined): SchemaChange[] {
    return this.pair(before ?? true, after ?? true)
  }

  private pair(before: Schema, after: Schema): SchemaChange[] {
    const a = wholeSchema(this.before, before) ?? true
    const b = wholeSchema(this.after, after) ?? true
    // References are known by what they lead to, so that each pair of named schemas is compared once.
    const [keyA, keyB] = [
      resolveSchema(this.before, before) ?? a,
      resolveSchema(this.after, after) ?? b,
    ]
    const isPlain = (schema: Schema, whole: Schema) =>
      !isObject(schema) || Object.keys(schema).length === 1 || schema === whole
    const isKept = isPlain(before, a) && isPlain(after, b)
    const kept = isKept ? this.known.get(keyA)?.get(keyB) : undefined
    if (kept) return kept
    if (++this.questions > mostQuestions)
      return [
        change('changed', '', a, b, { undecided: 'the schemas are too large to be compared' }),
      ]
    const changes: SchemaChange[] = []
    if (isKept) {
      let row = this.known.get(keyA)
      if (!row) this.known.set(keyA, (row = new Map<Schema, SchemaChange[]>()))
      row.set(keyB, changes)
    }
    for (const found of this.whole(a, b)) {
      if (changes.length >= mostChanges) break
      changes.push(found)
    }
    return changes
  }

  private *whole(a: Schema, b: Schema): Generator<SchemaChange> {
    if (a === b) return
    if (typeof a === 'boolean' && typeof b === 'boolean') {
      yield change('changed', '', a, b, { narrows: a, widens: b })
      return
    }
    if (a === false || b === false) {
      yield change('changed', '', a, b, { narrows: b === false, widens: a === false })
      return
    }
    const [old, now] = [a === true ? {} : a, b === true ? {} : b]
    yield* this.types(old, now)
    yield* this.values(old, now)
    yield* this.numbers(old, now)
    yield* this.sizes(old, now)
    yield* this.texts(old, now)
    yield* this.members(old, now)
    yield* this.items(old, now)
    yield* this.combined(old, now)
    for (const keyword of annotations)
      if (!isSame(old[keyword], now[keyword]))
        yield change(kindOf(old[keyword], now[keyword]), keyword, old[keyword], now[keyword], {})
    for (const keyword of opaque)
      if (!isSame(old[keyword], now[keyword]))
        yield change(kindOf(old[keyword], now[keyword]), keyword, old[keyword], now[keyword], {
          undecided: `"${keyword}" is not compared as a set of values`,
        })
  }

  private *types(old: SchemaObject, now: SchemaObject): Generator<SchemaChange> {
    const [a, b] = [typeSet(old), typeSet(now)]
    const gone = [...a].some((type) => !b.has(type))
    const come = [...b].some((type) => !a.has(type))
    if (gone || come)
      yield change('changed', 'type', typesOf(old), typesOf(now), { narrows: gone, widens: come })
  }

  private *values(old: SchemaObject, now: SchemaObject): Generator<SchemaChange> {
    const [a, b] = [allowed(old), allowed(now)]
    if (a && b) {
      for (const value of a)
        if (!b.some((other) => isSame(other, value)))
          yield change('removed', 'enum', value, undefined, { narrows: true })
      for (const value of b)
        if (!a.some((other) => isSame(other, value)))
          yield change('added', 'enum', undefined, value, { widens: true })
    } else if (a) yield change('removed', 'enum', a, undefined, { widens: true })
    else if (b) yield change('added', 'enum', undefined, b, { narrows: true })
  }

  private *numbers(old: SchemaObject, now: SchemaObject): Generator<SchemaChange> {
    if (!typeSet(now).has('integer') || !typeSet(old).has('integer')) return
    for (const [keyword, exclusive, sign] of [
      ['minimum', 'exclusiveMinimum', 1],
      ['maximum', 'exclusiveMaximum', -1],
    ] as const) {
      const [a, b] = [
        boundOf(old, keyword, exclusive, sign),
        boundOf(now, keyword, exclusive, sign),
      ]
      const order = a.at * sign - b.at * sign || Number(a.isOpen) - Number(b.isOpen)
      if (order === 0) continue
      const name = b.at === -sign * Infinity ? a.keyword : b.keyword
      yield change(kindOf(old[name], now[name]), name, a.written, b.written, {
        narrows: order < 0,
        widens: order > 0,
      })
    }
    const [a, b] = [old['multipleOf'], now['multipleOf']]
    if (a === b) return
    const divides = (x: unknown, y: unknown) =>
      x === undefined || (typeof x === 'number' && typeof y === 'number' && Number.isInteger(y / x))
    yield change(kindOf(a, b), 'multipleOf', a, b, {
      narrows: !divides(b, a),
      widens: !divides(a, b),
    })
  }

  private *sizes(old: SchemaObject, now: SchemaObject): Generator<SchemaChange> {
    for (const { keyword, type, least } of bounds) {
      if (!typeSet(old).has(type) || !typeSet(now).has(type)) continue
      const none = least ? 0 : Infinity
      const [a, b] = [old[keyword], now[keyword]].map((value) =>
        typeof value === 'number' ? value : none,
      ) as [number, number]
      if (a === b) continue
      const isNarrower = least ? b > a : b < a
      yield change(kindOf(old[keyword], now[keyword]), keyword, old[keyword], now[keyword], {
        narrows: isNarrower,
        widens: !isNarrower,
      })
    }
    if ((old['uniqueItems'] === true) !== (now['uniqueItems'] === true))
      yield change(
        'changed',
        'uniqueItems',
        old['uniqueItems'] === true,
        now['uniqueItems'] === true,
        { narrows: now['uniqueItems'] === true, widens: old['uniqueItems'] === true },
      )
  }

  private *texts(old: SchemaObject, now: SchemaObject): Generator<SchemaChange> {
    if (!['string', 'integer'].some((type) => typeSet(old).has(type))) return
    for (const keyword of ['pattern', 'format']) {
      const [a, b] = [old[keyword], now[keyword]]
      if (a === b) continue
      if (a !== undefined && b !== undefined)
        yield change('changed', keyword, a, b, {
          undecided: `which texts one ${keyword} takes and the other does not is not worked out`,
        })
      else
        yield change(kindOf(a, b), keyword, a, b, {
          narrows: b !== undefined,
          widens: a !== undefined,
        })
    }
  }

  private *members(old: SchemaObject, now: SchemaObject): Generator<SchemaChange> {
    if (!typeSet(old).has('object') || !typeSet(now).has('object')) return
    const [a, b] = [membersOf(old['properties']), membersOf(now['properties'])]
    const [needed, needs] = [new Set(namesOf(old['required'])), new Set(namesOf(now['required']))]
    const [wasOpen, isOpen] = [
      old['additionalProperties'] !== false,
      now['additionalProperties'] !== false,
    ]
    for (const name of Object.keys(b)) {
      if (Object.hasOwn(a, name)) yield* into({ property: name }, this.pair(a[name]!, b[name]!))
      else
        yield {
          ...change('added', 'property', undefined, needs.has(name), { widens: !wasOpen }),
          path: [{ property: name }],
        }
    }
    for (const name of Object.keys(a)) {
      if (Object.hasOwn(b, name)) continue
      const says = isOpen
        ? { undecided: 'what is sent under its name is described no longer' }
        : { narrows: true }
      yield {
        ...change('removed', 'property', needed.has(name), undefined, says),
        path: [{ property: name }],
      }
    }
    for (const name of needs)
      if (!needed.has(name))
        yield {
          ...change('added', 'required', false, true, { narrows: true }),
          path: [{ property: name }],
        }
    for (const name of needed)
      if (!needs.has(name))
        yield {
          ...change('removed', 'required', true, false, { widens: true }),
          path: [{ property: name }],
        }
    if (wasOpen !== isOpen)
      yield change('changed', 'additionalProperties', wasOpen, isOpen, {
        narrows: wasOpen,
        widens: isOpen,
      })
    else if (wasOpen)
      yield* into(
        { other: true },
        this.pair(
          (old['additionalProperties'] as Schema | undefined) ?? true,
          (now['additionalProperties'] as Schema | undefined) ?? true,
        ),
      )
  }

  private *items(old: SchemaObject, now: SchemaObject): Generator<SchemaChange> {
    if (!typeSet(old).has('array') || !typeSet(now).has('array')) return
    if (!isSame(old['prefixItems'], now['prefixItems']))
      yield change('changed', 'prefixItems', old['prefixItems'], now['prefixItems'], {
        undecided: 'items by position are not compared as sets of values',
      })
    if (old['items'] === undefined && now['items'] === undefined) return
    yield* into(
      { item: true },
      this.pair(
        (old['items'] as Schema | undefined) ?? true,
        (now['items'] as Schema | undefined) ?? true,
      ),
    )
  }

  private *combined(old: SchemaObject, now: SchemaObject): Generator<SchemaChange> {
    const [all, every] = [listOf(old['allOf']), listOf(now['allOf'])]
    for (const { before, after } of this.matched(all, every)) {
      if (before !== undefined && after !== undefined) yield* this.pair(before.schema, after.schema)
      else if (after)
        yield change('added', 'allOf', undefined, this.nameOf(after.schema), { narrows: true })
      else
        yield change('removed', 'allOf', this.nameOf(before!.schema), undefined, { widens: true })
    }
    for (const keyword of ['anyOf', 'oneOf']) {
      const [a, b] = [listOf(old[keyword]), listOf(now[keyword])]
      if (a.length === 0 && b.length === 0) continue
      if (a.length === 0 || b.length === 0) {
        yield change(kindOf(a[0], b[0]), keyword, a.length, b.length, {
          narrows: a.length === 0,
          widens: b.length === 0,
        })
        continue
      }
      for (const { before, after } of this.matched(a, b)) {
        if (before !== undefined && after !== undefined)
          yield* into({ choice: before.index }, this.pair(before.schema, after.schema))
        else if (after)
          yield {
            ...change('added', keyword, undefined, this.nameOf(after.schema), { widens: true }),
            path: [{ choice: after.index }],
          }
        else
          yield {
            ...change('removed', keyword, this.nameOf(before!.schema), undefined, {
              narrows: true,
            }),
            path: [{ choice: before!.index }],
          }
      }
    }
  }

  /** Parts that are the same by name, by content, or by their place among those that are left. */
  private matched(before: Schema[], after: Schema[]) {
    const left = after.map((schema, index) => ({ schema, index }))
    const pairs: {
      before?: { schema: Schema; index: number }
      after?: { schema: Schema; index: number }
    }[] = []
    const take = (fits: (schema: Schema) => boolean) => {
      const at = left.findIndex(({ schema }) => fits(schema))
      return at === -1 ? undefined : left.splice(at, 1)[0]
    }
    const unmatched: { schema: Schema; index: number }[] = []
    before.forEach((schema, index) => {
      const name = this.nameOf(schema)
      const found = take(
        (other) => (name !== '' && this.nameOf(other) === name) || isSame(other, schema),
      )
      if (found) pairs.push({ before: { schema, index }, after: found })
      else unmatched.push({ schema, index })
    })
    for (const one of unmatched) {
      const found =
        this.nameOf(one.schema) === '' ? take((other) => this.nameOf(other) === '') : undefined
      pairs.push(found ? { before: one, after: found } : { before: one })
    }
    return [...pairs, ...left.map((one) => ({ after: one }))] as {
      before?: { schema: Schema; index: number }
      after?: { schema: Schema; index: number }
    }[]
  }

  private nameOf(schema: Schema): string {
    const reference = isObject(schema) ? schema['$ref'] : undefined
    return typeof reference === 'string' ? reference.slice(reference.lastIndexOf('/') + 1) : ''
  }
}

function change(
  kind: ChangeKind,
  keyword: string,
  was: unknown,
  is: unknown,
  {
    narrows = false,
    widens = false,
    undecided,
  }: { narrows?: boolean; widens?: boolean; undecided?: string },
): SchemaChange {
  return {
    kind,
    path: [],
    keyword,
    ...(was !== undefined && { was }),
    ...(is !== undefined && { is }),
    narrows,
    widens,
    ...(undecided !== undefined && { undecided }),
    id: {},
  }
}

const kindOf = (was: unknown, is: unknown): ChangeKind =>
  was === undefined ? 'added' : is === undefined ? 'removed' : 'changed'

/** The same changes one step further in. */
function* into(step: Step, changes: SchemaChange[]): Generator<SchemaChange> {
  for (const one of changes) if (one.path.length < 30) yield { ...one, path: [step, ...one.path] }
}

/** The values that a schema lists; undefined where it lists none. */
function allowed(schema: SchemaObject): unknown[] | undefined {
  if ('const' in schema) return [schema['const']]
  return Array.isArray(schema['enum']) ? schema['enum'] : undefined
}

function boundOf(schema: SchemaObject, keyword: string, exclusive: string, sign: 1 | -1) {
  const [closed, open] = [schema[keyword], schema[exclusive]]
  const none = { at: -sign * Infinity, isOpen: false, keyword, written: undefined as unknown }
  const bound =
    typeof closed === 'number'
      ? { at: closed, isOpen: false, keyword, written: closed as unknown }
      : none
  if (typeof open !== 'number' || open * sign < bound.at * sign) return bound
  return { at: open, isOpen: true, keyword: exclusive, written: open as unknown }
}
