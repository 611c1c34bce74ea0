import { plainToInstance } from 'class-transformer'
import { validate, type ValidationError } from 'class-validator'
import { isObject } from '../../core/text/values'
import { fieldsOf, type ApiClass } from '../../shared/api/fields'
import type { Fault } from '../../shared/api/problem'
import { Failure, invalid, notFound } from '../services/failure'

/** Deeper than anything the API takes, and shallow enough for everything that walks it. */
const deepest = 60

/** What no database keeps as text: NUL, and half of a character that takes two code units. */
const unkeepable = /[\0\p{Surrogate}]/u

/** Refuses texts that cannot be kept, and values nested too deeply, wherever in the input they are. */
export function requirePlain(input: unknown, where: string): void {
  const waiting: { value: unknown; field: string; depth: number }[] = [
    { value: input, field: '', depth: 0 },
  ]
  for (let next = waiting.pop(); next; next = waiting.pop()) {
    const { value, field, depth } = next
    const at = field === '' ? where : field
    if (typeof value === 'string' && unkeepable.test(value))
      throw invalid([{ field: at, message: `${at} has a NUL or half a character in it` }])
    if (typeof value !== 'object' || value === null) continue
    if (depth > deepest)
      throw invalid([{ field: at, message: `${at.slice(0, 200)} is nested too deeply` }])
    for (const [name, inner] of Object.entries(value)) {
      if (unkeepable.test(name))
        throw invalid([{ field: at, message: `A name in ${at} has a NUL or half a character` }])
      const path = field === '' ? name : `${field}.${name}`
      waiting.push({ value: inner, field: path.slice(0, 300), depth: depth + 1 })
    }
  }
}

/** Turns input into an instance of its class, or refuses it with every field at fault. */
export async function accept<T extends object>(type: ApiClass<T>, input: unknown): Promise<T> {
  if (typeof input !== 'object' || input === null || Array.isArray(input)) {
    throw new Failure(400, 'Bad request', 'The body is not a JSON object.')
  }
  requirePlain(input, 'body')
  const misshapen = shapeFaults(type, input as Record<string, unknown>, '')
  if (misshapen.length > 0) throw invalid(misshapen.slice(0, 50))
  const instance = plainToInstance(type, input)
  const errors = await validate(instance, {
    whitelist: true,
    forbidNonWhitelisted: true,
    forbidUnknownValues: true,
  })
  const faults = errors.flatMap((error) => faultsOf(error, ''))
  if (faults.length > 0) throw invalid(faults.slice(0, 50))
  return instance
}

/** Members that stand for another class have to be objects, or lists of them, before anybody makes instances of them. */
function shapeFaults(type: ApiClass, input: Record<string, unknown>, above: string): Fault[] {
  return [...fieldsOf(type)].flatMap(([name, { of, variants, many }]): Fault[] => {
    const value = Object.hasOwn(input, name) ? input[name] : undefined
    if (!of || value === undefined || value === null) return []
    const field = above === '' ? name : `${above}.${name}`
    if (many && !Array.isArray(value))
      return [{ field, message: `${capital(name)} must be a list` }]
    const items = many ? (value as unknown[]) : [value]
    return items.flatMap((item, index) => {
      const at = many ? `${field}.${index}` : field
      if (!isObject(item)) return [{ field: at, message: `${capital(name)} must be an object` }]
      const meant = variants?.of[String(item[variants.by])]
      return shapeFaults(meant ?? of(), item, at)
    })
  })
}

function faultsOf(error: ValidationError, above: string): Fault[] {
  const field = above === '' ? error.property : `${above}.${error.property}`
  const own = Object.values(error.constraints ?? {}).map((message) => ({
    field,
    message: capital(message),
  }))
  return [...own, ...(error.children ?? []).flatMap((child) => faultsOf(child, field))]
}

/** A whole number in a path, or the refusal that there is nothing there. */
export function numberIn(params: Record<string, string>, name: string): number {
  const written = params[name] ?? ''
  if (/^\d{1,9}$/.test(written)) return Number(written)
  throw notFound(`${name} "${written.slice(0, 100)}"`)
}

const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1)

/** Reads a query string by what its class says each field is. */
export function queryOf(type: ApiClass, query: Record<string, unknown>): Record<string, unknown> {
  const fields = fieldsOf(type)
  return Object.fromEntries(
    Object.entries(query).map(([name, value]) => {
      const kind = fields.get(name)?.schema['type']
      if (typeof value !== 'string') return [name, value]
      if (kind === 'integer' && /^-?\d{1,15}$/.test(value)) return [name, Number(value)]
      if (kind === 'boolean' && (value === 'true' || value === 'false'))
        return [name, value === 'true']
      return [name, value]
    }),
  )
}
