import { isObject, namesOf } from '../text/values'
import type { Contract, MediaType, Operation, Response, Schema, SchemaObject } from './model'
import { resolveSchema, typesOf, wholeSchema } from './schemas'

/** Levels and values of a sample: schemas that hold one another multiply, and nobody reads a sample of megabytes. */
const deepest = 12
const mostValues = 2000

/** Where a sample leaves something out: what holds itself would have no end, and the bounds are reached at some time. */
const nothing = Symbol('nothing')

/**
 * A value that fits a schema: its own examples and defaults first, then something plausible by type. A schema that holds
 * itself, and what is optional beyond {@link mostValues} values, is left out.
 */
export function sampleValue(contract: Contract, schema: Schema | undefined): unknown {
  const value = new Sampler(contract).of(schema)
  return value === nothing ? null : value
}

class Sampler {
  private readonly open: Schema[] = []
  private values = 0

  constructor(private readonly contract: Contract) {}

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
      if (Array.isArray(choices) && choices.length > 0) return this.chosen(choices as Schema[])
    }
    return this.byType(s)
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
    if (type === 'array') {
      const item = this.of(s['items'] as Schema | undefined)
      return item === nothing ? [] : [item]
    }
    if (type === 'integer' || type === 'number') return s['minimum'] ?? 0
    if (type === 'boolean') return false
    if (type === 'string') return stringOf(s['format'])
    return null
  }

  private object({ properties = {}, required }: SchemaObject): unknown {
    const asked = new Set(namesOf(required))
    const members: [name: string, value: unknown][] = []
    for (const [name, property] of Object.entries(properties as Record<string, Schema>)) {
      if (this.values >= mostValues && !asked.has(name)) continue
      const value = this.of(property)
      if (value !== nothing) members.push([name, value])
      else if (asked.has(name)) return nothing
    }
    return Object.fromEntries(members)
  }
}

function stringOf(format: unknown): string {
  if (format === 'date-time') return '2026-01-01T00:00:00Z'
  if (format === 'date') return '2026-01-01'
  if (format === 'uuid') return '00000000-0000-4000-8000-000000000000'
  if (format === 'email') return 'name@brackenmere.example'
  if (format === 'uri') return 'https://brackenmere.example/'
  return 'text'
}

/** What a mock answers: status, media type and body text, from the operation's own first success response. */
export interface MockResponse {
  status: number
  mediaType?: string
  body?: string
}

const success = (response: Response) => /^2\d\d$/.test(response.status)

/** The mock answer of an operation, from its examples where it has them and from its schemas otherwise. */
export function mockResponse(contract: Contract, operation: Operation): MockResponse {
  const response = operation.responses.find(success)
  if (!response) return { status: 200 }
  const status = Number(response.status)
  const media: MediaType | undefined =
    response.content.find((content) => /[/+]json\b/.test(content.type)) ?? response.content[0]
  if (!media) return { status }
  const value = media.examples[0]?.value ?? sampleValue(contract, media.schema)
  const body =
    typeof value === 'string' && !media.type.includes('json') ? value : JSON.stringify(value)
  return { status, mediaType: media.type, body }
}
