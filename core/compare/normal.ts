import type { Contract, Schema, SchemaObject } from '../contract/model'
import { referencedName, typesOf } from '../contract/schemas'
import { pointerStep } from '../text/pointer'
import type { Location } from '../text/location'
import { canonical } from '../text/canonical'
import { isObject, isSame, namesOf } from '../text/values'

/** A schema as it is written in a contract, and where. */
export interface Written {
  schema: Schema
  at: Location
}

/** A schema with its references followed and its parts made one, where that allows the same values. */
export interface Normal {
  /** `true` is the empty schema. */
  schema: SchemaObject | false
  /** As the contract has it, for the validator. */
  written: Schema
  at: Location
  /** Where properties are written that come from a part. */
  elsewhere: ReadonlyMap<string, Location>
}

/** The steps from a schema to one inside. */
export const below = (at: Location, ...steps: string[]): Location => steps.reduce(pointerStep, at)

const nowhereElse: ReadonlyMap<string, Location> = new Map()

/** Keywords that only describe (JSON Schema 2020-12 validation, section 9). */
export const annotations = [
  'title',
  'description',
  'default',
  'deprecated',
  'example',
  'examples',
] as const

/** Keywords of two parts that hold in one schema as one of them alone. */
const joins: Record<string, (a: never, b: never) => unknown> = {
  required: (a: string[], b: string[]) => [...new Set([...namesOf(a), ...namesOf(b)])],
  minimum: Math.max,
  exclusiveMinimum: Math.max,
  maximum: Math.min,
  exclusiveMaximum: Math.min,
  minLength: Math.max,
  maxLength: Math.min,
  minItems: Math.max,
  maxItems: Math.min,
  minProperties: Math.max,
  maxProperties: Math.min,
  readOnly: (a: boolean, b: boolean) => a || b,
  writeOnly: (a: boolean, b: boolean) => a || b,
  uniqueItems: (a: boolean, b: boolean) => a || b,
  ...Object.fromEntries(annotations.map((keyword) => [keyword, (a: unknown) => a])),
}
const numeric = new Set(
  Object.keys(joins).filter((keyword) => /^(min|max|exclusive)/.test(keyword)),
)

/** Keywords that look at others beside them: a part with one of them stays a part of its own. */
const bound = new Set([
  'patternProperties',
  'unevaluatedProperties',
  'unevaluatedItems',
  'prefixItems',
  'contains',
  'minContains',
  'maxContains',
  'if',
  'then',
  'else',
  '$dynamicRef',
  '$ref',
])

/** Reads schemas of one contract in their normal form; each is made once. */
export class Normals {
  private readonly made = new Map<SchemaObject, Normal>()
  /** Those that are being made: what a schema holds may be itself. */
  private readonly making = new Set<SchemaObject>()
  private readonly named: Map<string, Written>
  private names: Map<Location, string> | undefined

  constructor(readonly contract: Contract) {
    this.named = new Map(contract.schemas.map(({ name, schema, at }) => [name, { schema, at }]))
  }

  of({ schema, at }: Written): Normal {
    if (!isObject(schema))
      return { schema: schema ? {} : false, written: schema, at, elsewhere: nowhereElse }
    let known = this.made.get(schema)
    if (!known) {
      const [plain, place] = this.followed(schema, at)
      known = this.made.get(plain)
      if (!known) {
        this.making.add(plain)
        known = this.normal(plain, this.contract.origins?.get(plain) ?? place)
        this.making.delete(plain)
        this.made.set(plain, known)
      }
      this.made.set(schema, known)
    }
    return known
  }

  /** Where a reference leads in the end; one that goes in a circle allows everything, like one that leads nowhere. */
  private followed(schema: SchemaObject, at: Location): [SchemaObject, Location] {
    for (let left = this.named.size + 1; left > 0; left--) {
      const reference = schema['$ref']
      if (typeof reference !== 'string' || Object.keys(schema).length > 1) return [schema, at]
      const target = this.named.get(referencedName(reference) ?? '')
      if (!target || !isObject(target.schema)) return [target?.schema === false ? never : {}, at]
      ;({ schema, at } = target as { schema: SchemaObject; at: Location })
    }
    return [{}, at]
  }

  private normal(written: SchemaObject, at: Location): Normal {
    const isWhole =
      written['$ref'] === undefined &&
      written['allOf'] === undefined &&
      written['anyOf'] === undefined &&
      written['oneOf'] === undefined
    if (isWhole) return { schema: inOneWay(written), written, at, elsewhere: nowhereElse }
    const merged = new Merge()
    for (const part of this.parts(written, at, new Set())) merged.add(part)
    const { schema, elsewhere } = merged.result()
    return { schema: inOneWay(schema), elsewhere, written, at }
  }

  /** The name that a schema is known by in its contract, by where it stands; undefined where it has none. */
  nameAt(at: Location): string | undefined {
    this.names ??= new Map(this.contract.schemas.map(({ name, at: place }) => [place, name]))
    return this.names.get(at)
  }

  /** What a schema asks, one after the other: its own keywords, what it refers to, its parts. */
  private *parts(
    schema: SchemaObject,
    at: Location,
    open: ReadonlySet<SchemaObject>,
  ): Generator<{ schema: SchemaObject; at: Location }> {
    const { $ref, allOf, ...rest } = schema
    const inside = new Set([...open, schema])
    const [own, only] = withoutChoiceOfOne(rest, at)
    yield { schema: this.united(own), at }
    for (const part of only) yield* this.part(part, inside)
    if (typeof $ref === 'string') {
      const target = this.named.get(referencedName($ref) ?? '')
      if (target) yield* this.part(target, inside)
    }
    if (!Array.isArray(allOf)) return
    for (const [i, part] of (allOf as Schema[]).entries())
      yield* this.part({ schema: part, at: below(at, 'allOf', String(i)) }, inside)
  }

  private *part({ schema, at }: Written, open: ReadonlySet<SchemaObject>) {
    if (schema === false) yield { schema: never, at }
    else if (isObject(schema) && !open.has(schema)) yield* this.parts(schema, at, open)
  }

  /**
   * Choices as one schema, where that allows the same values: those that only list values are one list, and those of types
   * that have nothing in common are one schema of all these types, since what it asks of each is asked of that type alone.
   */
  private united(schema: SchemaObject): SchemaObject {
    for (const keyword of ['anyOf', 'oneOf'] as const) {
      const choices = schema[keyword]
      if (!Array.isArray(choices) || choices.length > mostUnited) continue
      if (Object.keys(schema).some((name) => name !== keyword && !isAnnotation(name))) continue
      const wholes = this.wholes(choices as Schema[])
      const one = wholes && (typedApart(wholes) ?? listOfAll(wholes, keyword))
      const { [keyword]: _, ...said } = schema
      if (one) return { ...one, ...said }
    }
    return schema
  }

  /** The normal forms of some schemas; undefined where one of them is being made, or allows nothing. */
  private wholes(schemas: readonly Schema[]): SchemaObject[] | undefined {
    const wholes: SchemaObject[] = []
    for (const schema of schemas) {
      if (!isObject(schema) || this.making.has(this.followed(schema, '')[0])) return undefined
      const { schema: whole } = this.of({ schema, at: '' })
      if (!whole) return undefined
      wholes.push(whole)
    }
    return wholes
  }
}

/** So many choices are made one at most. */
const mostUnited = 1000

export const isAnnotation = (keyword: string): boolean =>
  keyword.startsWith('x-') || (annotations as readonly string[]).includes(keyword)

/** A choice of one is no choice: what it asks is asked of all. */
function withoutChoiceOfOne(schema: SchemaObject, at: Location): [SchemaObject, Written[]] {
  let rest = schema
  const only: Written[] = []
  for (const keyword of ['anyOf', 'oneOf']) {
    const choices = rest[keyword]
    if (!Array.isArray(choices) || choices.length !== 1) continue
    const { [keyword]: _, ...others } = rest
    rest = others
    only.push({ schema: choices[0] as Schema, at: below(at, keyword, '0') })
  }
  return [rest, only]
}

/** The values that a schema lists and nothing else; undefined where it asks more. */
function listed(schema: SchemaObject): unknown[] | undefined {
  for (const keyword of Object.keys(schema))
    if (!['type', 'enum', 'const'].includes(keyword) && !isAnnotation(keyword)) return undefined
  if ('const' in schema) return [schema['const']]
  if (Array.isArray(schema['enum'])) return schema['enum'] as unknown[]
  const types = typesOf(schema)
  return types.length === 1 ? valuesOfType[types[0]!] : undefined
}

/** Types that have few values. */
const valuesOfType: Record<string, unknown[]> = { null: [null], boolean: [true, false] }

/** Lists of values as one; of `oneOf` without those that two of them have. */
function listOfAll(
  choices: readonly SchemaObject[],
  keyword: 'anyOf' | 'oneOf',
): SchemaObject | undefined {
  const counts = new Map<string, { value: unknown; count: number }>()
  for (const choice of choices) {
    const values = listed(listing(choice))
    if (!values) return undefined
    for (const [key, value] of new Map(values.map((one) => [canonical(one), one]))) {
      const known = counts.get(key)
      if (known) known.count++
      else counts.set(key, { value, count: 1 })
    }
  }
  const taken = [...counts.values()].filter(({ count }) => keyword === 'anyOf' || count === 1)
  return taken.length === 0 ? never : listing({ enum: taken.map(({ value }) => value) })
}

/** Keywords that ask something of values of one type alone (JSON Schema 2020-12 validation, section 6). */
const ofOneType: Record<string, readonly string[]> = {
  string: ['minLength', 'maxLength', 'pattern', 'contentEncoding', 'contentMediaType'],
  number: ['minimum', 'maximum', 'exclusiveMinimum', 'exclusiveMaximum', 'multipleOf'],
  array: [
    ...['items', 'prefixItems', 'minItems', 'maxItems', 'uniqueItems', 'unevaluatedItems'],
    ...['contains', 'minContains', 'maxContains'],
  ],
  object: [
    ...['properties', 'required', 'additionalProperties', 'minProperties', 'maxProperties'],
    ...['patternProperties', 'propertyNames', 'unevaluatedProperties', 'discriminator'],
    ...['dependentRequired', 'dependentSchemas'],
  ],
}
/** Said of what holds a value, whatever that is. */
const ofHolder = new Set(['readOnly', 'writeOnly', 'xml'])
const ofType = new Map(
  Object.entries(ofOneType).flatMap(([type, keywords]) =>
    keywords.map((keyword): [string, string] => [keyword, type]),
  ),
)
const kindOfType = (type: string) => (type === 'integer' ? 'number' : type)

/** Choices of types that have nothing in common as one schema of all of them; undefined where they ask for more. */
function typedApart(choices: readonly SchemaObject[]): SchemaObject | undefined {
  const seen = new Set<string>()
  const whole: SchemaObject = {}
  const types: string[] = []
  for (const choice of choices) {
    const own = typesOf(choice)
    const kinds = new Set(own.map(kindOfType))
    if (own.length === 0 || [...kinds].some((kind) => seen.has(kind))) return undefined
    for (const kind of kinds) seen.add(kind)
    types.push(...own)
    for (const [keyword, value] of Object.entries(choice)) {
      if (keyword === 'type' || isAnnotation(keyword)) continue
      const type = ofType.get(keyword)
      // A format is of its type: of two choices that have one it is not known whose it is.
      const isOwn =
        keyword === 'format' || ofHolder.has(keyword)
          ? !(keyword in whole)
          : type !== undefined && kinds.has(type)
      if (!isOwn) {
        // What it asks of values of another type asks nothing here.
        if (type === undefined) return undefined
        continue
      }
      whole[keyword] = value
    }
  }
  return { ...whole, type: types }
}

/** The types of values as they are written in JSON. */
function typeOfValue(value: unknown): string {
  if (value === null) return 'null'
  if (Array.isArray(value)) return 'array'
  if (typeof value === 'number') return Number.isInteger(value) ? 'integer' : 'number'
  return typeof value
}

/** What OpenAPI 3.0 says by a format and JSON Schema by keywords of contents (OpenAPI 3.1, section 4.4.2). */
const contents: Record<string, SchemaObject> = {
  byte: { contentEncoding: 'base64' },
  binary: { contentMediaType: 'application/octet-stream' },
}

/** What may be written in several ways, in one of them. */
function inOneWay(schema: SchemaObject | false): SchemaObject | false {
  if (!schema) return schema
  const { format } = schema
  const said =
    typeof format === 'string' &&
    Object.hasOwn(contents, format) &&
    typesOf(schema).includes('string')
      ? contents[format]
      : undefined
  if (!said) return listing(schema)
  const { format: _, ...rest } = schema
  return listing({ ...said, ...rest })
}

/** A schema that lists its values in one way: those of its types, each once, with the types that they have. */
function listing(schema: SchemaObject): SchemaObject {
  if (!Array.isArray(schema['enum']) && !('const' in schema)) return schema
  const { const: only, enum: all, type: _, ...rest } = schema
  if ('const' in schema && all !== undefined) return schema
  const types = typesOf(schema)
  const fits = (value: unknown) => {
    const type = typeOfValue(value)
    return (
      types.length === 0 || types.includes(type) || (type === 'integer' && types.includes('number'))
    )
  }
  const values = new Map(
    ('const' in schema ? [only] : (all as unknown[]))
      .filter(fits)
      .map((one) => [canonical(one), one]),
  )
  if (values.size === 0) return schema
  const list = [...values.values()]
  if (list.length === 2 && list.every((one) => typeof one === 'boolean'))
    return { ...rest, type: 'boolean' }
  return { ...rest, type: [...new Set(list.map(typeOfValue))], enum: list }
}

/** A schema that allows nothing. */
const never: SchemaObject = { not: {} }

/** Parts of one schema, made one as far as that allows the same values. */
class Merge {
  private readonly into: SchemaObject = {}
  /** Properties of several parts; of one alone they are as they are written. */
  private properties: Record<string, unknown> | undefined
  private readonly rest: Schema[] = []
  private readonly elsewhere = new Map<string, Location>()
  private isFirst = true

  add({ schema, at }: { schema: SchemaObject; at: Location }): void {
    const { isFirst } = this
    this.isFirst = false
    if (isFirst) Object.assign(this.into, schema)
    // Beside nothing that asks something a part is the whole, whatever it looks at beside it.
    else if (Object.keys(this.into).every(isAnnotation) && this.rest.length === 0)
      this.adopt(schema, at)
    else if (this.fits(schema)) this.merge(schema, at)
    else this.rest.push(schema)
  }

  result(): Pick<Normal, 'schema' | 'elsewhere'> {
    const schema = this.rest.length > 0 ? { ...this.into, allOf: this.rest } : this.into
    return { schema: closed(schema), elsewhere: this.elsewhere }
  }

  private adopt(schema: SchemaObject, at: Location): void {
    Object.assign(this.into, { ...schema, ...this.into })
    for (const name of Object.keys(isObject(schema['properties']) ? schema['properties'] : {}))
      this.elsewhere.set(name, below(at, 'properties', name))
  }

  /** Whether a part says the same among the keywords that are there already. */
  private fits(schema: SchemaObject): boolean {
    const { into } = this
    for (const keyword of Object.keys(schema)) {
      if (bound.has(keyword)) return false
      const [a, b] = [into[keyword], schema[keyword]]
      if (a === undefined || keyword === 'properties') continue
      if (keyword === 'type') {
        if (commonTypes(into, schema).length === 0) return false
        continue
      }
      if (keyword.startsWith('x-') || isSame(a, b)) continue
      if (!(keyword in joins)) return false
      if (numeric.has(keyword) && (typeof a !== 'number' || typeof b !== 'number')) return false
    }
    // What other properties may be is said of those beside it alone.
    const limits = (one: SchemaObject) =>
      one['additionalProperties'] !== undefined && one['additionalProperties'] !== true
    if (limits(schema) || (limits(into) && schema['properties'] !== undefined)) return false
    return !('patternProperties' in into)
  }

  private merge(schema: SchemaObject, at: Location): void {
    const { into } = this
    for (const [keyword, value] of Object.entries(schema)) {
      const known = into[keyword]
      if (keyword === 'properties' && isObject(value)) this.mergeProperties(value, at)
      else if (known === undefined) into[keyword] = value
      else if (keyword === 'type') into['type'] = commonTypes(into, schema)
      else if (keyword in joins) into[keyword] = joins[keyword]!(known as never, value as never)
    }
  }

  private mergeProperties(properties: Record<string, unknown>, at: Location): void {
    const known = isObject(this.into['properties']) ? this.into['properties'] : {}
    this.properties ??= Object.assign(Object.create(null) as Record<string, unknown>, known)
    for (const [name, schema] of Object.entries(properties)) {
      const former = this.properties[name]
      if (former === undefined) {
        this.properties[name] = schema
        this.elsewhere.set(name, below(at, 'properties', name))
      } else if (!isSame(former, schema)) this.properties[name] = { allOf: [former, schema] }
    }
    this.into['properties'] = this.properties
  }
}

/** The types that two schemas allow both. */
function commonTypes(a: SchemaObject, b: SchemaObject): string[] {
  const takes = (types: string[], type: string) =>
    types.includes(type) || (type === 'integer' && types.includes('number'))
  const [left, right] = [typesOf(a), typesOf(b)]
  return [
    ...new Set([
      ...left.filter((type) => takes(right, type)),
      ...right.filter((type) => takes(left, type)),
    ]),
  ]
}

/** Where every property is known here, those that are left over are those that are not looked at otherwise. */
function closed(schema: SchemaObject): SchemaObject {
  const { unevaluatedProperties, ...rest } = schema
  const looksElsewhere = ['allOf', 'anyOf', 'oneOf', 'if', 'dependentSchemas', 'not'].some(
    (keyword) => keyword in rest,
  )
  if (unevaluatedProperties === undefined || looksElsewhere || 'additionalProperties' in rest)
    return schema
  return { ...rest, additionalProperties: unevaluatedProperties }
}
