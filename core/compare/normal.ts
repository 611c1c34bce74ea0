import type { Contract, Schema, SchemaObject } from '../contract/model'
import { referencedName, typesOf } from '../contract/schemas'
import { pointerStep } from '../text/pointer'
import type { Location } from '../text/location'
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
    if (isWhole) return { schema: written, written, at, elsewhere: nowhereElse }
    const merged = new Merge()
    for (const part of this.parts(written, at, new Set())) merged.add(part)
    return { ...merged.result(), written, at }
  }

  /** What a schema asks, one after the other: its own keywords, what it refers to, its parts. */
  private *parts(
    schema: SchemaObject,
    at: Location,
    open: ReadonlySet<SchemaObject>,
  ): Generator<{ schema: SchemaObject; at: Location }> {
    const { $ref, allOf, ...own } = schema
    yield { schema: this.nullable(own), at }
    const inside = new Set([...open, schema])
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

  /** `anyOf: [X, { type: null }]` is X with one type more, where X asks nothing of a null but its type. */
  private nullable(schema: SchemaObject): SchemaObject {
    for (const keyword of ['anyOf', 'oneOf']) {
      const choices = schema[keyword]
      if (!Array.isArray(choices) || choices.length !== 2) continue
      const isNull = (choice: unknown) =>
        isObject(choice) && isSame(typesOf(choice), ['null']) && Object.keys(choice).length === 1
      const choice = (choices as Schema[]).find((one) => !isNull(one))
      if (!isObject(choice) || !choices.some(isNull) || Object.keys(schema).length !== 1) continue
      if (this.making.has(this.followed(choice, '')[0])) continue
      const { schema: whole } = this.of({ schema: choice, at: '' })
      if (!whole) continue
      const types = typesOf(whole)
      const asksMore = ['enum', 'const', 'not', 'allOf', 'anyOf', 'oneOf', 'if'].some(
        (name) => name in whole,
      )
      if (types.length > 0 && !types.includes('null') && !asksMore)
        return { ...whole, type: [...types, 'null'] }
    }
    return schema
  }
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
    else if (this.fits(schema)) this.merge(schema, at)
    else this.rest.push(schema)
  }

  result(): Pick<Normal, 'schema' | 'elsewhere'> {
    const schema = this.rest.length > 0 ? { ...this.into, allOf: this.rest } : this.into
    return { schema: closed(schema), elsewhere: this.elsewhere }
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
