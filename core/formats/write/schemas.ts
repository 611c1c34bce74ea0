import type { Origins, Schema, SchemaObject } from '../../contract/model'
import { mapSchema, typesOf } from '../../contract/schemas'
import type { Location } from '../../text/location'
import { isObject } from '../../text/values'
import { keywords30, notIn20 } from '../openapi/keywords'
import { knownXml } from './addresses'
import type { Losses } from './losses'

/** Writes `xml` with a node type (OpenAPI 3.2) as it was said before: as an attribute, wrapped, or not at all. */
export function writeOldXml(
  schema: SchemaObject,
  { nodeType, ...rest }: SchemaObject,
  lose: () => void,
): void {
  lose()
  const xml = {
    ...rest,
    ...(nodeType === 'attribute' && { attribute: true }),
    ...(nodeType === 'element' && typesOf(schema).includes('array') && { wrapped: true }),
  }
  if (Object.keys(xml).length > 0) schema['xml'] = xml
  else Reflect.deleteProperty(schema, 'xml')
}

/** Writes the contract's schemas (JSON Schema 2020-12) as an older OpenAPI has them, and says what it cannot write. */
export class OldSchemas {
  constructor(
    private readonly version: '3.0' | '2.0',
    private readonly losses: Losses,
    private readonly origins: Origins | undefined,
  ) {}

  /** A schema written at a place, in the older words. */
  write(schema: Schema, at: Location): Schema {
    if (typeof schema === 'boolean') return schema ? {} : this.nothing(at)
    return this.rename(this.converted(schema, at))
  }

  private nothing(at: Location): SchemaObject {
    if (this.version === '3.0') return { not: {} }
    this.losses.whole({}, at, 'Swagger 2.0 cannot say that nothing is allowed')
    return {}
  }

  private rename(schema: Schema): Schema {
    if (this.version !== '2.0') return schema
    return mapSchema(schema, (inner) => {
      const reference = inner['$ref']
      if (typeof reference === 'string')
        inner['$ref'] = reference.replace('#/components/schemas/', '#/definitions/')
      return inner
    })
  }

  private converted(schema: SchemaObject, at: Location): SchemaObject {
    const place = this.origins?.get(schema) ?? at
    const lose = (keyword: string) => {
      this.losses.whole(
        schema,
        place,
        `${this.version === '3.0' ? 'OpenAPI 3.0' : 'Swagger 2.0'} cannot say "${keyword}" in a schema`,
      )
    }
    const result: SchemaObject = {}
    for (const [key, value] of Object.entries(schema)) this.keyword(key, value, result, place, lose)
    this.type(schema, result, lose)
    if (this.version === '2.0') this.to20(result, lose)
    const { $ref, ...beside } = result
    if ($ref === undefined || Object.keys(beside).length === 0) return result
    const all = Array.isArray(beside['allOf']) ? (beside['allOf'] as Schema[]) : []
    return { ...beside, allOf: [{ $ref }, ...all] }
  }

  private keyword(
    key: string,
    value: unknown,
    result: SchemaObject,
    at: Location,
    lose: (keyword: string) => void,
  ): void {
    const inner = (item: Schema, ...steps: string[]): Schema =>
      typeof item === 'boolean'
        ? item
          ? {}
          : this.nothing(at)
        : this.converted(item, `${at}/${steps.join('/')}`)
    switch (key) {
      case 'type':
        return
      case 'const':
        result['enum'] = [value]
        return
      case 'examples': {
        const list: unknown[] = Array.isArray(value) ? value : []
        if (list.length > 0) result['example'] = list[0]
        if (list.length > 1 || !Array.isArray(value)) lose('examples')
        return
      }
      case 'exclusiveMinimum':
      case 'exclusiveMaximum':
        result[key] = true
        result[key === 'exclusiveMinimum' ? 'minimum' : 'maximum'] = value
        return
      case 'contentEncoding':
        if (value === 'base64') result['format'] = 'byte'
        lose('contentEncoding')
        return
      case 'properties':
        result[key] = Object.fromEntries(
          Object.entries(value as Record<string, Schema>).map(([name, item]) => [
            name,
            inner(item, key, name),
          ]),
        )
        return
      case 'additionalProperties':
        result[key] = typeof value === 'boolean' ? value : inner(value as Schema, key)
        return
      case 'items':
      case 'not':
        result[key] = inner(value as Schema, key)
        return
      case 'allOf':
      case 'anyOf':
      case 'oneOf':
        result[key] = (value as Schema[]).map((item, i) => inner(item, key, String(i)))
        return
      case 'xml':
        result[key] = knownXml(value, (member) => lose(`xml.${member}`))
        if (isObject(result[key]) && 'nodeType' in result[key])
          writeOldXml(result, result[key], () => lose('xml.nodeType'))
        return
      default:
        if (keywords30.has(key) || key.startsWith('x-')) result[key] = value
        else lose(key)
    }
  }

  private type(schema: SchemaObject, result: SchemaObject, lose: (keyword: string) => void): void {
    const types = typesOf(schema)
    const real = types.filter((type) => type !== 'null')
    if (real.length < types.length) {
      result['nullable'] = true
      if (real.length === 0) {
        // Null alone: OpenAPI 3.0 has no such type, but it has null among values.
        result['enum'] = [null]
        result['type'] = 'string'
        return
      }
    }
    if (real.length === 1) result['type'] = real[0]
    else if (real.length > 1) {
      lose('several types')
      result['anyOf'] ??= real.map((type) => ({ type }))
    }
    if (result['type'] === 'array' && result['items'] === undefined) result['items'] = {}
  }

  private to20(result: SchemaObject, lose: (keyword: string) => void): void {
    for (const keyword of notIn20) {
      if (result[keyword] === undefined) continue
      lose(keyword)
      if (keyword === 'nullable') result['x-nullable'] = true
      Reflect.deleteProperty(result, keyword)
    }
    const discriminator = result['discriminator']
    if (isObject(discriminator)) {
      result['discriminator'] = discriminator['propertyName']
      if (discriminator['mapping'] !== undefined) lose('discriminator.mapping')
    }
  }
}
