import { plainToInstance } from 'class-transformer'
import { validate, type ValidationError } from 'class-validator'
import { fieldsOf, type ApiClass } from '../../shared/api/fields'
import type { Fault } from '../../shared/api/problem'
import { Failure, invalid } from '../services/failure'

/** Turns input into an instance of its class, or refuses it with every field at fault. */
export async function accept<T extends object>(type: ApiClass<T>, input: unknown): Promise<T> {
  if (typeof input !== 'object' || input === null || Array.isArray(input)) {
    throw new Failure(400, 'Bad request', 'The body is not a JSON object.')
  }
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

function faultsOf(error: ValidationError, above: string): Fault[] {
  const field = above === '' ? error.property : `${above}.${error.property}`
  const own = Object.values(error.constraints ?? {}).map((message) => ({
    field,
    message: capital(message),
  }))
  return [...own, ...(error.children ?? []).flatMap((child) => faultsOf(child, field))]
}

const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1)

/** Reads a query string by what its class says each field is. */
export function queryOf(type: ApiClass, query: Record<string, unknown>): Record<string, unknown> {
  const fields = fieldsOf(type)
  return Object.fromEntries(
    Object.entries(query).map(([name, value]) => {
      const kind = fields.get(name)?.schema['type']
      if (typeof value !== 'string') return [name, value]
      if (kind === 'integer' && /^-?\d+$/.test(value)) return [name, Number(value)]
      if (kind === 'boolean') return [name, value === 'true']
      return [name, value]
    }),
  )
}
