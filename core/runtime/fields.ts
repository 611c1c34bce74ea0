import { count } from '../text/counted'
import { isObject, isSame } from '../text/values'
import { hasControl } from './template'

/**
 * What a configuration may hold. One description reads values and says what is wrong with them, makes their JSON Schema,
 * draws their form and writes their reference page.
 */
export type Shape =
  | (Said & { kind: 'whole'; min: number; max: number; unit: string })
  | (Said & {
      kind: 'text'
      max: number
      example: string
      /** Why a text cannot be taken; undefined where it can. */
      why: (text: string) => string | undefined
    })
  | (Said & { kind: 'flag' })
  | (Said & { kind: 'choice'; of: readonly Option[] })
  | (Said & { kind: 'list'; of: Shape; min: number; max: number })
  | ObjectShape
  | (Said & { kind: 'variants'; of: Record<string, ObjectShape> })

export type ObjectShape = Said & { kind: 'object'; members: Record<string, Member> }

interface Said {
  label: string
  says: string
}

export interface Option {
  value: string
  label: string
}

/** A part of an object; with a default it is there in every value that was read. */
export interface Member {
  shape: Shape
  optional: boolean
  default?: unknown
}

/** A shape, and the type of the values it takes. */
export interface Field<T, Optional extends boolean = false> {
  shape: Shape
  optional: Optional
  default?: unknown
  /** Only for the compiler. */
  readonly value?: T
}

export type ValueOf<F> = F extends Field<infer T, boolean> ? T : never
type Fields = Record<string, Field<unknown, boolean>>
type Flat<T> = { [K in keyof T]: T[K] }
type ObjectOf<M extends Fields> = Flat<
  { [K in keyof M as M[K]['optional'] extends true ? never : K]: ValueOf<M[K]> } & {
    [K in keyof M as M[K]['optional'] extends true ? K : never]?: ValueOf<M[K]>
  }
>

interface Described<T> {
  label: string
  says: string
  default?: T
}

function field<T>(shape: Shape, fallback: T | undefined): Field<T> {
  return { shape, optional: false, ...(fallback !== undefined && { default: fallback }) }
}

/** A whole number. */
export const whole = ({
  label,
  says,
  min = 1,
  max,
  unit = '',
  default: fallback,
}: Described<number> & { min?: number; max: number; unit?: string }) =>
  field<number>({ kind: 'whole', label, says, min, max, unit }, fallback)

/** Text on one line, at least one character long. */
export const text = ({
  label,
  says,
  max = 200,
  example,
  why = () => undefined,
  default: fallback,
}: Described<string> & {
  max?: number
  example: string
  why?: (text: string) => string | undefined
}) => field<string>({ kind: 'text', label, says, max, example, why }, fallback)

export const flag = ({ label, says, default: fallback }: Described<boolean>) =>
  field<boolean>({ kind: 'flag', label, says }, fallback)

/** One of a few words. */
export const choice = <const O extends readonly Option[]>(
  of: O,
  { label, says, default: fallback }: Described<O[number]['value']>,
) => field<O[number]['value']>({ kind: 'choice', label, says, of }, fallback)

export const list = <T>(
  of: Field<T>,
  {
    label,
    says,
    min = 0,
    max = 100,
    default: fallback,
  }: Described<T[]> & { min?: number; max?: number },
) => field<T[]>({ kind: 'list', label, says, of: of.shape, min, max }, fallback)

export const object = <M extends Fields>(
  { label, says, default: fallback }: Described<ObjectOf<M>>,
  members: M,
): Field<ObjectOf<M>> => field({ kind: 'object', label, says, members }, fallback)

type VariantsOf<V extends Record<string, Field<object>>> = {
  [K in keyof V]: Flat<{ kind: K } & ValueOf<V[K]>>
}[keyof V]

/** One of several objects, told apart by their member `kind`. */
export function variants<V extends Record<string, Field<object>>>(
  { label, says, default: fallback }: Described<VariantsOf<V>>,
  of: V,
): Field<VariantsOf<V>> {
  const shapes: Record<string, ObjectShape> = {}
  for (const [kind, { shape }] of Object.entries(of))
    if (shape.kind === 'object') shapes[kind] = shape
  return field({ kind: 'variants', label, says, of: shapes }, fallback)
}

/** A member that may be left out. */
export const optional = <T>(of: Field<T>): Field<T, true> => ({ ...of, optional: true })

/** Something that is wrong with a value: where in it, and what. */
export interface Misfit {
  /** `allow.0`; empty for the value itself. */
  field: string
  message: string
}

/** A value of the field's type with its defaults filled in, or everything that is wrong with it. */
export function readValue<T>(
  { shape }: Field<T>,
  value: unknown,
): { value: T; misfits?: undefined } | { misfits: Misfit[] } {
  const misfits: Misfit[] = []
  const read = readShape(shape, value, '', misfits)
  return misfits.length > 0 ? { misfits } : { value: read as T }
}

const below = (at: string, name: string | number) => (at === '' ? `${name}` : `${at}.${name}`)

function readShape(shape: Shape, value: unknown, at: string, misfits: Misfit[]): unknown {
  const misfit = (message: string) => void misfits.push({ field: at, message })
  const { label } = shape
  switch (shape.kind) {
    case 'whole':
      if (
        typeof value === 'number' &&
        Number.isInteger(value) &&
        value >= shape.min &&
        value <= shape.max
      )
        return value
      return misfit(`${label} must be a whole number from ${shape.min} to ${shape.max}`)
    case 'text': {
      if (typeof value !== 'string' || value.trim() === '') return misfit(`${label} must be text`)
      if (value.length > shape.max)
        return misfit(`${label} is longer than ${count(shape.max, 'character')}`)
      if (hasControl(value)) return misfit(`${label} has a control character`)
      const why = shape.why(value)
      return why === undefined ? value : misfit(`${label}: "${value.slice(0, 100)}" ${why}`)
    }
    case 'flag':
      return typeof value === 'boolean' ? value : misfit(`${label} must be true or false`)
    case 'choice':
      if (shape.of.some((option) => option.value === value)) return value
      return misfit(`${label} must be one of ${shape.of.map((option) => option.value).join(', ')}`)
    case 'list':
      if (!Array.isArray(value)) return misfit(`${label} must be a list`)
      if (value.length < shape.min || value.length > shape.max)
        return misfit(`${label} must have from ${shape.min} to ${shape.max} items`)
      return value.map((item, index) => readShape(shape.of, item, below(at, index), misfits))
    case 'object':
      return readObject(shape, value, at, misfits)
    case 'variants': {
      const kind = isObject(value) ? value['kind'] : undefined
      const found =
        typeof kind === 'string' && Object.hasOwn(shape.of, kind) ? shape.of[kind] : undefined
      if (!found || !isObject(value))
        return void misfits.push({
          field: below(at, 'kind'),
          message: `${label} is told apart by kind, which must be one of ${Object.keys(shape.of).join(', ')}`,
        })
      const { kind: _, ...rest } = value
      return { kind, ...(readObject(found, rest, at, misfits) as object) }
    }
  }
}

function readObject(shape: ObjectShape, value: unknown, at: string, misfits: Misfit[]): unknown {
  if (!isObject(value))
    return void misfits.push({ field: at, message: `${shape.label} must be an object` })
  for (const name of Object.keys(value))
    if (!Object.hasOwn(shape.members, name))
      misfits.push({
        field: below(at, name.slice(0, 100)),
        message: `${shape.label} has no member ${name.slice(0, 100)}; its members are ${Object.keys(shape.members).join(', ')}`,
      })
  const read: Record<string, unknown> = {}
  for (const [name, member] of Object.entries(shape.members)) {
    const given = value[name] ?? member.default
    if (given !== undefined) read[name] = readShape(member.shape, given, below(at, name), misfits)
    else if (!member.optional)
      misfits.push({ field: below(at, name), message: `${member.shape.label} is missing` })
  }
  return read
}

/** The JSON Schema (2020-12) of a shape's values as they may be written. */
export function schemaOf(shape: Shape): Record<string, unknown> {
  const description = shape.says
  switch (shape.kind) {
    case 'whole':
      return { type: 'integer', minimum: shape.min, maximum: shape.max, description }
    case 'text':
      return {
        type: 'string',
        minLength: 1,
        maxLength: shape.max,
        description,
        examples: [shape.example],
      }
    case 'flag':
      return { type: 'boolean', description }
    case 'choice':
      return { type: 'string', enum: shape.of.map(({ value }) => value), description }
    case 'list':
      return {
        type: 'array',
        items: schemaOf(shape.of),
        ...(shape.min > 0 && { minItems: shape.min }),
        maxItems: shape.max,
        description,
      }
    case 'object':
      return objectSchema(shape, {})
    case 'variants':
      return {
        oneOf: Object.entries(shape.of).map(([kind, of]) =>
          objectSchema(of, { kind: { type: 'string', const: kind, description: of.says } }),
        ),
        description,
      }
  }
}

function objectSchema({ says, members }: ObjectShape, also: Record<string, unknown>) {
  const properties: Record<string, unknown> = { ...also }
  const required = Object.keys(also)
  for (const [name, member] of Object.entries(members)) {
    const { default: fallback } = member
    properties[name] = {
      ...schemaOf(member.shape),
      ...(fallback !== undefined && { default: fallback }),
    }
    if (!member.optional && fallback === undefined) required.push(name)
  }
  return {
    type: 'object',
    properties,
    ...(required.length > 0 && { required }),
    additionalProperties: false,
    description: says,
  }
}

/** What a form begins with: defaults where there are any, and the least that can be written otherwise. */
export function emptyValue(shape: Shape): unknown {
  switch (shape.kind) {
    case 'whole':
      return shape.min
    case 'text':
      return ''
    case 'flag':
      return false
    case 'choice':
      return shape.of[0]?.value
    case 'list':
      return shape.min > 0 ? [emptyValue(shape.of)] : []
    case 'object':
      return emptyObject(shape)
    case 'variants': {
      const [[kind, of] = ['', undefined]] = Object.entries(shape.of)
      return of && { kind, ...emptyObject(of) }
    }
  }
}

/** A value with what holds where nothing is said; what is wrong with it stays. */
export function withDefaults(shape: Shape, value: unknown): unknown {
  if (shape.kind !== 'object' || !isObject(value)) return value
  const members = Object.entries(shape.members).flatMap(([name, member]): [string, unknown][] => {
    const given = value[name] ?? member.default
    return given === undefined ? [] : [[name, withDefaults(member.shape, given)]]
  })
  return { ...Object.fromEntries(members), ...unknownOf(shape, value) }
}

const unknownOf = ({ members }: ObjectShape, value: Record<string, unknown>) =>
  Object.fromEntries(Object.entries(value).filter(([name]) => !Object.hasOwn(members, name)))

/**
 * A value as it is written: members that only say what holds anyway are left out, unless they were said before.
 *
 * @param said what was written so far.
 */
export function withoutDefaults(shape: Shape, value: unknown, said: unknown): unknown {
  if (shape.kind !== 'object' || !isObject(value)) return value
  const before = isObject(said) ? said : {}
  return Object.fromEntries(
    Object.entries(value).flatMap(([name, given]) => {
      const member = Object.hasOwn(shape.members, name) ? shape.members[name] : undefined
      const isUsual = member?.default !== undefined && isSame(given, member.default)
      if (isUsual && !Object.hasOwn(before, name)) return []
      return [[name, member ? withoutDefaults(member.shape, given, before[name]) : given]]
    }),
  )
}

export const emptyObject = ({ members }: ObjectShape): Record<string, unknown> =>
  Object.fromEntries(
    Object.entries(members).flatMap(([name, member]) =>
      member.optional ? [] : [[name, structuredClone(member.default) ?? emptyValue(member.shape)]],
    ),
  )
