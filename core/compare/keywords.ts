import type { Schema, SchemaObject } from '../contract/model'
import { typesOf } from '../contract/schemas'
import { canonical } from '../text/canonical'
import { textsBetween } from '../text/languages'
import { isSame, namesOf } from '../text/values'
import type { ChangeKind } from './model'
import { annotations } from './normal'

/**
 * What became of one keyword, taken as the set of values it allows: whether some that were allowed are not any more
 * (`narrows`), and whether some are that were not (`widens`). Where neither can be told, `undecided` says why.
 */
export interface KeywordChange {
  kind: ChangeKind
  keyword: string
  was?: unknown
  is?: unknown
  narrows: boolean
  widens: boolean
  undecided?: string
  /** Texts that show it, where the question gave some. */
  texts?: string[]
}

type Claims = Partial<Pick<KeywordChange, 'narrows' | 'widens' | 'undecided' | 'texts'>>

export const keywordChange = (
  kind: ChangeKind,
  keyword: string,
  was: unknown,
  is: unknown,
  claims: Claims = {},
): KeywordChange => ({
  kind,
  keyword,
  ...(was !== undefined && { was }),
  ...(is !== undefined && { is }),
  narrows: false,
  widens: false,
  ...claims,
})

export const kindOf = (was: unknown, is: unknown): ChangeKind =>
  was === undefined ? 'added' : is === undefined ? 'removed' : 'changed'

const allTypes = ['null', 'boolean', 'integer', 'number', 'string', 'array', 'object']

/** Every type a schema allows; a number allows integers too. */
export function typeSet(schema: SchemaObject): Set<string> {
  const named = typesOf(schema)
  const set = new Set(named.length > 0 ? named : allTypes)
  if (set.has('number')) set.add('integer')
  return set
}

/** Whether two schemas allow the same types. */
export function haveSameTypes(a: SchemaObject, b: SchemaObject): boolean {
  const [left, right] = [typeSet(a), typeSet(b)]
  return left.size === right.size && [...left].every((type) => right.has(type))
}

/** The values that a schema lists; undefined where it lists none. */
export function listedValues(schema: SchemaObject): unknown[] | undefined {
  if ('const' in schema) return [schema['const']]
  return Array.isArray(schema['enum']) ? schema['enum'] : undefined
}

/** Bounds by the type they hold for: one that grows allows less, or more. */
const bounds = [
  { keyword: 'minLength', type: 'string', least: true },
  { keyword: 'maxLength', type: 'string', least: false },
  { keyword: 'minItems', type: 'array', least: true },
  { keyword: 'maxItems', type: 'array', least: false },
  { keyword: 'minProperties', type: 'object', least: true },
  { keyword: 'maxProperties', type: 'object', least: false },
] as const

/** Keywords that are not looked into: where they differ, nothing sure is said. */
const opaque: ReadonlySet<string> = new Set([
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
  'contentEncoding',
  'contentMediaType',
])

/** Formats of which one holds every text or number of the other. */
const widerFormats: Record<string, readonly string[]> = {
  int32: ['int64'],
  float: ['double'],
  'date-time': [],
  uri: ['uri-reference', 'iri', 'iri-reference'],
  'uri-reference': ['iri-reference'],
  email: ['idn-email'],
  hostname: ['idn-hostname'],
  uuid: [],
}

/** What keywords of two schemas that hold for the value itself come to; what is inside of it is for others. */
export function* compareKeywords(old: SchemaObject, now: SchemaObject): Generator<KeywordChange> {
  const differing = differingKeywords(old, now)
  if (differing.size === 0) return
  if ([...differing].some((keyword) => !describes.has(keyword))) {
    yield* types(old, now)
    yield* listed(old, now)
    yield* numbers(old, now)
    yield* sizes(old, now)
    yield* patterns(old, now)
    yield* formats(old, now)
    yield* discriminators(old, now)
  }
  for (const keyword of differing) {
    const [was, is] = [old[keyword], now[keyword]]
    if (keyword === 'default' && was !== undefined)
      yield keywordChange(kindOf(was, is), keyword, was, is, {
        undecided: 'a request that leaves it out may mean something else now',
      })
    else if (describes.has(keyword)) yield keywordChange(kindOf(was, is), keyword, was, is)
    else if (opaque.has(keyword))
      yield keywordChange(kindOf(was, is), keyword, was, is, {
        undecided: `"${keyword}" is not compared as a set of values`,
      })
  }
}

/** Keywords that are not the same in two schemas, without those whose values are compared as schemas. */
function differingKeywords(old: SchemaObject, now: SchemaObject): Set<string> {
  const differing = new Set<string>()
  for (const schema of [old, now])
    for (const keyword in schema)
      if (
        old[keyword] !== now[keyword] &&
        !comparedInside.has(keyword) &&
        !isSame(old[keyword], now[keyword])
      )
        differing.add(keyword)
  return differing
}

const describes: ReadonlySet<string> = new Set(annotations)
const comparedInside: ReadonlySet<string> = new Set([
  'properties',
  'required',
  'items',
  'prefixItems',
  'additionalProperties',
  'allOf',
  'anyOf',
  'oneOf',
])

function* types(old: SchemaObject, now: SchemaObject): Generator<KeywordChange> {
  const [a, b] = [typeSet(old), typeSet(now)]
  const narrows = [...a].some((type) => !b.has(type))
  const widens = [...b].some((type) => !a.has(type))
  if (narrows || widens)
    yield keywordChange('changed', 'type', typesOf(old), typesOf(now), { narrows, widens })
}

function* listed(old: SchemaObject, now: SchemaObject): Generator<KeywordChange> {
  const [a, b] = [listedValues(old), listedValues(now)]
  if (a && b) {
    const [old, now] = [keyed(a), keyed(b)]
    for (const [key, value] of old)
      if (!now.has(key)) yield keywordChange('removed', 'enum', value, undefined, { narrows: true })
    for (const [key, value] of now)
      if (!old.has(key)) yield keywordChange('added', 'enum', undefined, value, { widens: true })
  } else if (a) yield keywordChange('removed', 'enum', a, undefined, { widens: true })
  else if (b) yield keywordChange('added', 'enum', undefined, b, { narrows: true })
}

/** Values by what they say, whatever the order of their members. */
const keyed = (values: readonly unknown[]) =>
  new Map(values.map((value) => [canonical(value), value]))

function* numbers(old: SchemaObject, now: SchemaObject): Generator<KeywordChange> {
  if (!typeSet(now).has('integer') || !typeSet(old).has('integer')) return
  for (const [keyword, exclusive, sign] of [
    ['minimum', 'exclusiveMinimum', 1],
    ['maximum', 'exclusiveMaximum', -1],
  ] as const) {
    const [a, b] = [boundOf(old, keyword, exclusive, sign), boundOf(now, keyword, exclusive, sign)]
    const order = a.at * sign - b.at * sign || Number(a.isOpen) - Number(b.isOpen)
    if (order === 0) continue
    const name = b.at === -sign * Infinity ? a.keyword : b.keyword
    yield keywordChange(kindOf(old[name], now[name]), name, a.written, b.written, {
      narrows: order < 0,
      widens: order > 0,
    })
  }
  const [a, b] = [old['multipleOf'], now['multipleOf']]
  if (a === b) return
  const divides = (x: unknown, y: unknown) =>
    x === undefined || (typeof x === 'number' && typeof y === 'number' && Number.isInteger(y / x))
  yield keywordChange(kindOf(a, b), 'multipleOf', a, b, {
    narrows: !divides(b, a),
    widens: !divides(a, b),
  })
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

function* sizes(old: SchemaObject, now: SchemaObject): Generator<KeywordChange> {
  for (const { keyword, type, least } of bounds) {
    if (old[keyword] === now[keyword]) continue
    if (!typeSet(old).has(type) || !typeSet(now).has(type)) continue
    const none = least ? 0 : Infinity
    const [a, b] = [old[keyword], now[keyword]].map((value) =>
      typeof value === 'number' ? value : none,
    ) as [number, number]
    if (a === b) continue
    const isNarrower = least ? b > a : b < a
    yield keywordChange(kindOf(old[keyword], now[keyword]), keyword, old[keyword], now[keyword], {
      narrows: isNarrower,
      widens: !isNarrower,
    })
  }
  const [was, is] = [old['uniqueItems'] === true, now['uniqueItems'] === true]
  if (was !== is)
    yield keywordChange('changed', 'uniqueItems', was, is, { narrows: is, widens: was })
}

const takesTexts = (old: SchemaObject, now: SchemaObject) =>
  typeSet(old).has('string') && typeSet(now).has('string')

function* patterns(old: SchemaObject, now: SchemaObject): Generator<KeywordChange> {
  const [a, b] = [old['pattern'], now['pattern']]
  if (a === b || !takesTexts(old, now)) return
  if (typeof a !== 'string' || typeof b !== 'string') {
    yield keywordChange(kindOf(a, b), 'pattern', a, b, {
      narrows: b !== undefined,
      widens: a !== undefined,
    })
    return
  }
  const [lost, won] = [textsBetween(a, b), textsBetween(b, a)]
  if (!lost || !won)
    yield keywordChange('changed', 'pattern', a, b, {
      undecided: 'these patterns cannot be compared as sets of texts',
    })
  else if (lost.length + won.length > 0)
    yield keywordChange('changed', 'pattern', a, b, {
      narrows: lost.length > 0,
      widens: won.length > 0,
      texts: [...lost, ...won],
    })
}

function* formats(old: SchemaObject, now: SchemaObject): Generator<KeywordChange> {
  const [a, b] = [old['format'], now['format']]
  if (a === b) return
  const isWider = (wide: unknown, narrow: unknown) =>
    wide === undefined ||
    (typeof narrow === 'string' &&
      typeof wide === 'string' &&
      Object.hasOwn(widerFormats, narrow) &&
      widerFormats[narrow]!.includes(wide))
  yield keywordChange(kindOf(a, b), 'format', a, b, {
    narrows: !isWider(b, a),
    widens: !isWider(a, b),
  })
}

function* discriminators(old: SchemaObject, now: SchemaObject): Generator<KeywordChange> {
  const [a, b] = [old['discriminator'], now['discriminator']]
  if (!isSame(a, b))
    yield keywordChange(kindOf(a, b), 'discriminator', a, b, {
      undecided: 'which schema a value is held against may be chosen in another way',
    })
}

/** Whether no value can be one of both: by their types, or by a property that both need with other values. */
export function areApart(a: SchemaObject, b: SchemaObject): boolean {
  const [left, right] = [typeSet(a), typeSet(b)]
  if (![...left].some((type) => right.has(type))) return true
  const [some, others] = [listedValues(a), listedValues(b)]
  if (some && others) {
    const known = keyed(some)
    return ![...keyed(others).keys()].some((key) => known.has(key))
  }
  const isObjectAlone = left.size === 1 && right.size === 1 && left.has('object')
  if (!isObjectAlone || !right.has('object')) return false
  const [p, q] = [propertiesOf(a), propertiesOf(b)]
  const [needed, needs] = [new Set(namesOf(a['required'])), new Set(namesOf(b['required']))]
  for (const name of needed)
    if (b['additionalProperties'] === false && !Object.hasOwn(q, name)) return true
  for (const name of needs)
    if (a['additionalProperties'] === false && !Object.hasOwn(p, name)) return true
  for (const name of needed) {
    const [one, other] = [p[name], q[name]]
    if (!needs.has(name) || typeof one !== 'object' || typeof other !== 'object') continue
    if (!('$ref' in one) && !('$ref' in other) && areApart(one, other)) return true
  }
  return false
}

export const propertiesOf = (schema: SchemaObject): Record<string, Schema> => {
  const written = schema['properties']
  return typeof written === 'object' && written !== null ? (written as Record<string, Schema>) : {}
}
