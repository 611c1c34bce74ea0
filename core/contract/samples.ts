import type { Contract, MediaType, Operation, Response, Schema } from './model'
import { wholeSchema } from './schemas'

const deepest = 12

/** A value that fits a schema: its own examples and defaults first, then something plausible by type. */
export function sampleValue(contract: Contract, schema: Schema | undefined, depth = 0): unknown {
  if (schema === undefined || schema === true) return {}
  if (schema === false || depth > deepest) return null
  const s = wholeSchema(contract, schema)
  if (typeof s !== 'object') return null
  for (const key of ['example', 'const', 'default']) if (s[key] !== undefined) return s[key]
  for (const key of ['examples', 'enum']) {
    const list = s[key]
    if (Array.isArray(list) && list.length > 0) return list[0] as unknown
  }
  const all = s['allOf']
  if (Array.isArray(all)) {
    const parts = [...(all as Schema[]), { ...s, allOf: undefined } as Schema]
    return Object.assign(
      {},
      ...parts.map((part) => sampleValue(contract, part, depth + 1)),
    ) as unknown
  }
  for (const key of ['oneOf', 'anyOf']) {
    const choices = s[key]
    if (Array.isArray(choices) && choices.length > 0) {
      return sampleValue(contract, choices[0] as Schema, depth + 1)
    }
  }
  return byType(contract, s, depth)
}

function byType(contract: Contract, s: Record<string, unknown>, depth: number): unknown {
  const type = Array.isArray(s['type'])
    ? (s['type'] as unknown[]).find((t) => t !== 'null')
    : s['type']
  if (type === 'object' || (type === undefined && s['properties'])) {
    const properties = (s['properties'] ?? {}) as Record<string, Schema>
    return Object.fromEntries(
      Object.entries(properties).map(([name, property]) => [
        name,
        sampleValue(contract, property, depth + 1),
      ]),
    )
  }
  if (type === 'array') return [sampleValue(contract, s['items'] as Schema | undefined, depth + 1)]
  if (type === 'integer' || type === 'number') return s['minimum'] ?? 0
  if (type === 'boolean') return false
  if (type === 'string') return stringOf(s['format'])
  return null
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
export interface MockAnswer {
  status: number
  mediaType?: string
  body?: string
}

const success = (response: Response) => /^2\d\d$/.test(response.status)

/** The mock answer of an operation, from its examples where it has them and from its schemas otherwise. */
export function mockAnswer(contract: Contract, operation: Operation): MockAnswer {
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
