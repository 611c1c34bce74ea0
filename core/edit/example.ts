import { isObject, type Node } from '../text/values'

/** The schema that an example would fit, as its author would begin it. */
export function schemaFromExample(value: unknown): Node {
  if (value === null) return { type: 'string', nullable: true }
  if (Array.isArray(value))
    return { type: 'array', items: value.length > 0 ? schemaFromExample(value[0]) : {} }
  if (isObject(value)) {
    const properties = Object.fromEntries(
      Object.entries(value).map(([name, item]) => [name, schemaFromExample(item)]),
    )
    const required = Object.keys(value).filter((name) => value[name] !== null)
    return required.length > 0
      ? { type: 'object', required, properties }
      : { type: 'object', properties }
  }
  if (typeof value === 'number') return { type: Number.isInteger(value) ? 'integer' : 'number' }
  if (typeof value === 'boolean') return { type: 'boolean' }
  if (typeof value !== 'string') return {}
  if (/^\d{4}-\d{2}-\d{2}T[\d:.]+(Z|[+-]\d{2}:\d{2})$/.test(value))
    return { type: 'string', format: 'date-time' }
  if (/^\d{4}-\d{2}-\d{2}$/.test(value)) return { type: 'string', format: 'date' }
  if (/^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i.test(value))
    return { type: 'string', format: 'uuid' }
  return { type: 'string' }
}
