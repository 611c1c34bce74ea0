import 'reflect-metadata'
import { whyNoLine } from '../../core/text/line'
import { policySetSchema } from '../../core/runtime/policies/schema'
import { Transform, Type } from 'class-transformer'
import {
  ArrayMaxSize,
  ArrayUnique,
  Equals,
  IsArray,
  IsBoolean,
  IsDefined,
  IsIn,
  IsInt,
  IsISO8601,
  IsObject,
  IsOptional,
  IsString,
  Matches,
  Max,
  MaxLength,
  Min,
  MinLength,
  ValidateBy,
  ValidateNested,
} from 'class-validator'

/** A class of the API: its fields are validated on the way in and described in the API's own definition. */
export type ApiClass<T = object> = new () => T

/** Classes by what a member of theirs says: `{ by: 'kind', of: { route: RouteTo, mock: MockHere } }`. */
export interface Variants {
  by: string
  of: Record<string, ApiClass>
}

/** A field's JSON Schema 2020-12, or the class it refers to. */
export type FieldSchema = Record<string, unknown>

interface FieldInfo {
  schema: FieldSchema
  of?: () => ApiClass
  variants?: Variants
  many: boolean
  optional: boolean
  example?: unknown
}

interface Common {
  /** What the field means, with its unit. */
  says: string
  optional?: boolean
}

const registry = new Map<ApiClass, Map<string, FieldInfo>>()

/** The described fields of a class, inherited ones first, in the order they are written. */
export function fieldsOf(type: ApiClass): Map<string, FieldInfo> {
  const above: unknown = Object.getPrototypeOf(type)
  const inherited =
    typeof above === 'function' && above !== Function.prototype
      ? fieldsOf(above as ApiClass)
      : new Map<string, FieldInfo>()
  return new Map([...inherited, ...(registry.get(type) ?? [])])
}

/** `null` for what may be left out means that it is left out. */
const absentWhereNull = Transform(({ value }: { value: unknown }) => value ?? undefined)

function field(info: FieldInfo, decorators: PropertyDecorator[]): PropertyDecorator {
  return (target, property) => {
    const owner = target.constructor as ApiClass
    let fields = registry.get(owner)
    if (!fields) registry.set(owner, (fields = new Map<string, FieldInfo>()))
    fields.set(String(property), info)
    const presence = info.optional ? [IsOptional(), absentWhereNull] : [IsDefined()]
    for (const decorate of [...presence, ...decorators]) decorate(target, property)
  }
}

const described = (common: Common, schema: FieldSchema, example?: unknown): FieldInfo => ({
  schema: { ...schema, description: common.says, ...(example !== undefined && { example }) },
  many: false,
  optional: common.optional ?? false,
  example,
})

interface Text extends Common {
  example: string
  min?: number
  max?: number
  pattern?: RegExp
  /** What to say where the pattern does not match. */
  otherwise?: string
  /** Never in a response. */
  secret?: boolean
}

/** What has to be there and is no longer than this is a name, which people read in one line. */
const longestName = 200

const whyOf = (value: unknown, most: number) =>
  typeof value === 'string' ? whyNoLine(value, most) : undefined
const isLine = (most: number) =>
  ValidateBy({
    name: 'isLine',
    validator: {
      validate: (value) => whyOf(value, most) === undefined,
      defaultMessage: (asked) => `$property ${whyOf(asked?.value, most)}`,
    },
  })

/** Text of at most 500 characters unless said otherwise. */
export function text({
  example,
  min = 0,
  max = 500,
  pattern,
  otherwise,
  secret = false,
  ...common
}: Text) {
  const schema = {
    type: 'string',
    ...(min > 0 && { minLength: min }),
    maxLength: max,
    ...(pattern && { pattern: pattern.source }),
    ...(secret && { writeOnly: true }),
  }
  const checks = [IsString(), MinLength(min), MaxLength(max)]
  if (min > 0 && max <= longestName) checks.push(isLine(max))
  if (pattern)
    checks.push(
      Matches(pattern, { message: otherwise ?? `$property must match ${pattern.source}` }),
    )
  return field(described(common, schema, example), checks)
}

/** A whole number. */
export function whole({
  example,
  min = 0,
  max = 1_000_000_000,
  ...common
}: Common & { example: number; min?: number; max?: number }) {
  return field(described(common, { type: 'integer', minimum: min, maximum: max }, example), [
    IsInt(),
    Min(min),
    Max(max),
  ])
}

/** A truth value; with `only`, that one and no other. */
export function flag({
  only,
  example = only ?? false,
  ...common
}: Common & { example?: boolean; only?: boolean }) {
  const schema = { type: 'boolean', ...(only !== undefined && { const: only }) }
  const holds = only === undefined ? [] : [Equals(only)]
  return field(described(common, schema, example), [IsBoolean(), ...holds])
}

export function choice(
  values: readonly string[],
  { example = values[0], ...common }: Common & { example?: string },
) {
  return field(described(common, { type: 'string', enum: values }, example), [IsIn(values)])
}

/** A moment in UTC, ISO 8601. */
export function moment(common: Common) {
  return field(described(common, { type: 'string', format: 'date-time' }, '2026-11-20T09:30:00Z'), [
    IsISO8601(),
  ])
}

/** A day in the calendar: `2026-11-20`. */
export function day({ example, ...common }: Common & { example: string }) {
  return field(described(common, { type: 'string', format: 'date' }, example), [
    IsString(),
    Matches(/^\d{4}-\d{2}-\d{2}$/, { message: '$property must be a day such as 2026-11-20' }),
    IsISO8601({ strict: true }),
  ])
}

/** Texts of at most 2,000 characters each. */
export function texts({
  example,
  max = 200,
  longest = 2000,
  ...common
}: Common & { example: string[]; max?: number; longest?: number }) {
  const items = { type: 'string', maxLength: longest }
  return field(described(common, { type: 'array', items, maxItems: max }, example), [
    IsArray(),
    ArrayMaxSize(max),
    IsString({ each: true }),
    MaxLength(longest, { each: true }),
  ])
}

/** A list of whole numbers from 0. */
export function wholes({
  example,
  max = 100,
  ...common
}: Common & { example: number[]; max?: number }) {
  const items = { type: 'integer', minimum: 0, maximum: 1_000_000_000 }
  return field(described(common, { type: 'array', items, maxItems: max }, example), [
    IsArray(),
    ArrayMaxSize(max),
    IsInt({ each: true }),
    Min(0, { each: true }),
  ])
}

/** Some of a few words, each once. */
export function choices(
  values: readonly string[],
  { example, ...common }: Common & { example: string[] },
) {
  const items = { type: 'string', enum: values }
  const schema = { type: 'array', items, maxItems: values.length, uniqueItems: true }
  return field(described(common, schema, example), [
    IsArray(),
    ArrayUnique(),
    ArrayMaxSize(values.length),
    IsIn(values, { each: true }),
  ])
}

/** One of another class. */
export function one(of: () => ApiClass, common: Common) {
  return field({ ...described(common, {}), of }, [IsObject(), ValidateNested(), Type(of)])
}

/**
 * One of several classes, told apart by a member that each of them has (class-transformer's discriminator; OpenAPI 3.1
 * section 4.8.25). `base` is what is said where none of them is meant. Values `true` and `false` stand for themselves.
 */
export function variant(base: () => ApiClass, variants: Variants, common: Common) {
  const subTypes = Object.entries(variants.of).map(([name, value]) => ({
    value,
    // It is compared with the member as it came, which may be a truth value.
    name: (name === 'true' || name === 'false' ? name === 'true' : name) as string,
  }))
  const discriminator = { property: variants.by, subTypes }
  return field({ ...described(common, {}), of: base, variants }, [
    IsObject(),
    ValidateNested(),
    Type(base, { discriminator, keepDiscriminatorProperty: true }),
  ])
}

/** A list of another class. */
export function many(of: () => ApiClass, { max = 5000, ...common }: Common & { max?: number }) {
  return field({ ...described(common, { maxItems: max }), of, many: true }, [
    IsArray(),
    ArrayMaxSize(max),
    ValidateNested({ each: true }),
    Type(of),
  ])
}

/** Policies by their kind; what they may say is in the table of kinds, and checked where they are used. */
export function policies(common: Common & { example: object }) {
  const { example, ...said } = common
  return field(described(said, policySetSchema(), example), [IsObject()])
}

/** Any JSON value. */
export function anything({ example, ...common }: Common & { example: unknown }) {
  return field(described(common, {}, example), [])
}
