import { isObject, namesOf } from '../text/values'
import type { Schema, SchemaObject } from './model'
import { resolveSchema, typesOf, wholeSchema, type WithSchemas } from './schemas'

/** Levels and values of a sample: schemas that hold one another multiply, and nobody reads a sample of megabytes. */
const deepest = 12
const mostValues = 2000

/** Where a sample leaves something out: what holds itself would have no end, and the bounds are reached at some time. */
const nothing = Symbol('nothing')

export interface Sampling {
  /** Gives a text that a pattern takes; undefined where it knows none. */
  textLike?: (pattern: string) => string | undefined
  /** Leaves out what is optional. */
  isLean?: boolean
}

/**
 * A value that fits a schema: its own examples and defaults first, then something plausible by type. A schema that holds
 * itself, and what is optional beyond {@link mostValues} values, is left out. Patterns are kept where somebody knows how.
 */
export function sampleValue(
  contract: WithSchemas,
  schema: Schema | undefined,
  sampling: Sampling = {},
): unknown {
  const value = new Sampler(contract, sampling).of(schema)
  return value === nothing ? null : value
}

class Sampler {
  private readonly open: Schema[] = []
  private values = 0

  constructor(
    private readonly contract: WithSchemas,
    private readonly sampling: Sampling,
  ) {}

  of(schema: Schema | undefined): unknown {
    this.values++
    if (schema === undefined || schema === true) return {}
    const target = resolveSchema(this.contract, schema)
    const s = wholeSchema(this.contract, schema)
    if (!isObject(s) || !isObject(target)) return null
    if (this.open.length > deepest || this.open.includes(target)) return nothing
    this.open.push(target)
    const value = this.said(s)
    this.open.pop()
    return value
  }

  private said(s: SchemaObject): unknown {
    for (const key of ['example', 'const', 'default']) if (s[key] !== undefined) return s[key]
    for (const key of ['examples', 'enum']) {
      const list = s[key]
      if (Array.isArray(list) && list.length > 0) return list[0] as unknown
    }
    const { allOf: parts, ...rest } = s
    if (Array.isArray(parts)) {
      const values = [...(parts as Schema[]), rest].map((part) => this.of(part))
      const objects = values.filter(isObject)
      if (objects.length > 0) return Object.assign({}, ...objects) as unknown
      return values.find((value) => value !== nothing && value !== null) ?? null
    }
    for (const key of ['oneOf', 'anyOf']) {
      const choices = s[key]
      if (!Array.isArray(choices) || choices.length === 0) continue
      return isObject(s['properties'])
        ? this.object(this.withChoice(s, choices[0] as Schema))
        : this.chosen(choices as Schema[])
    }
    return this.byType(s)
  }

  /** What an object says itself together with what one of its choices says. */
  private withChoice(s: SchemaObject, choice: Schema): SchemaObject {
    const more = wholeSchema(this.contract, choice)
    if (!isObject(more)) return s
    return {
      ...s,
      properties: { ...(s['properties'] as object), ...(more['properties'] as object | undefined) },
      required: [...namesOf(s['required']), ...namesOf(more['required'])],
    }
  }

  /** The first choice that can be shown. */
  private chosen(choices: Schema[]): unknown {
    for (const choice of choices) {
      const value = this.of(choice)
      if (value !== nothing) return value
    }
    return nothing
  }

  private byType(s: SchemaObject): unknown {
    const [type = isObject(s['properties']) ? 'object' : undefined] = typesOf(s).filter(
      (name) => name !== 'null',
    )
    if (type === 'object') return this.object(s)
    if (type === 'array') return this.list(s)
    if (type === 'integer' || type === 'number') return numberOf(s, type === 'integer')
    if (type === 'boolean') return false
    if (type === 'string') return this.text(s)
    return null
  }

  private list(s: SchemaObject): unknown {
    const first = Array.isArray(s['prefixItems']) ? (s['prefixItems'] as Schema[]) : []
    const most = numeric(s['maxItems']) ?? Infinity
    const length = Math.min(Math.max(lengthOf(s), first.length), most)
    const item = first.length < length ? this.of(s['items'] as Schema | undefined) : nothing
    const items = Array.from({ length }, (_, i) => (i < first.length ? this.of(first[i]) : item))
    return items.includes(nothing) ? [] : items
  }

  private text({ pattern, format, minLength, maxLength }: SchemaObject): string {
    if (typeof pattern === 'string') return this.sampling.textLike?.(pattern) ?? stringOf(format)
    if (format !== undefined) return stringOf(format)
    const [least, most] = [numeric(minLength) ?? 0, numeric(maxLength) ?? Infinity]
    return 'text'.padEnd(Math.min(least, longestText), 't').slice(0, Math.max(0, most))
  }

  private object({ properties = {}, required, minProperties }: SchemaObject): unknown {
    const asked = new Set(namesOf(required))
    const isFull = !this.sampling.isLean || asked.size < (numeric(minProperties) ?? 0)
    const members: [name: string, value: unknown][] = []
    for (const [name, property] of Object.entries(properties as Record<string, Schema>)) {
      if (!asked.has(name) && (!isFull || this.values >= mostValues)) continue
      const value = this.of(property)
      if (value !== nothing) members.push([name, value])
      else if (asked.has(name)) return nothing
    }
    return Object.fromEntries(members)
  }
}

/** Longer texts and lists are not shown, even where a schema asks for them. */
const longestText = 1000
const longestList = 20

const numeric = (written: unknown) => (typeof written === 'number' ? written : undefined)

function lengthOf({ minItems, maxItems, uniqueItems }: SchemaObject): number {
  const least = uniqueItems === true ? 1 : Math.max(1, numeric(minItems) ?? 1)
  return Math.max(0, Math.min(least, longestList, numeric(maxItems) ?? Infinity))
}

/** A number within the bounds: the least, or the most where there is no least, or 0. */
function numberOf(s: SchemaObject, isInteger: boolean): number {
  const [least, most] = [numeric(s['minimum']), numeric(s['maximum'])]
  const [above, under] = [numeric(s['exclusiveMinimum']), numeric(s['exclusiveMaximum'])]
  const grid = numeric(s['multipleOf'])
  const onGrid = (value: number) =>
    grid === undefined || grid <= 0 ? value : Math.ceil(value / grid) * grid
  const room = above !== undefined && under !== undefined ? (under - above) / 2 : 1
  const step = grid ?? (isInteger ? 1 : Math.min(1, room))
  if (above !== undefined && (least === undefined || above >= least))
    return isInteger ? onGrid(Math.floor(above) + 1) : above + step
  if (least !== undefined) return isInteger ? onGrid(Math.ceil(least)) : onGrid(least)
  if (under !== undefined && under <= 0) return isInteger ? Math.ceil(under) - 1 : under - step
  return most !== undefined && most < 0 ? (isInteger ? Math.floor(most) : most) : 0
}

function stringOf(format: unknown): string {
  if (format === 'date-time') return '2026-01-01T00:00:00Z'
  if (format === 'date') return '2026-01-01'
  if (format === 'uuid') return '00000000-0000-4000-8000-000000000000'
  if (format === 'email') return 'name@brackenmere.example'
  if (format === 'uri' || format === 'uri-reference') return 'https://brackenmere.example/'
  if (format === 'time') return '00:00:00Z'
  if (format === 'duration') return 'P1D'
  if (format === 'ipv4') return '192.0.2.1'
  if (format === 'ipv6') return '2001:db8::1'
  if (format === 'hostname') return 'brackenmere.example'
  return 'text'
}
