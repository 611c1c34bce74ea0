import { format as formats } from '@cfworker/json-schema'
import { matches } from '../text/pattern'
import { isObject } from '../text/values'
import type { Schema, SchemaObject } from './model'
import { isSchema, referencedName, schemasByName, wholeSchema, type WithSchemas } from './schemas'

/** What is asked while a value is looked at; one value is looked at at a time. */
export const looking = {
  /** Called for every part of the value that meets a schema. */
  step: (): void => undefined,
  /** Whether lists are short enough for each item to be compared with each other. */
  comparesItems: true,
}

/** Every prepared schema has this behind it: the validator asks it for a word of an older draft, and so counts. */
const counted = Object.create(null, {
  $recursiveAnchor: {
    get(): undefined {
      looking.step()
    },
  },
}) as object

/** Formats whose check takes time linear in the text. Others say something and ask nothing. */
const checkedFormats = new Set([
  'date',
  'date-time',
  'time',
  'duration',
  'uuid',
  'email',
  'hostname',
  'ipv4',
  'ipv6',
  'uri',
  'uri-reference',
])

const patternFormat = 're2 '

/** The pattern behind the name of a format that stands for one. */
export const patternOf = (format: string): string | undefined =>
  format.startsWith(patternFormat) ? format.slice(patternFormat.length) : undefined

/** A pattern as a format of the validator, whose own patterns may go astray. */
function asFormat(pattern: string): string {
  const name = patternFormat + pattern
  formats[name] ??= (text: string) => matches(text, pattern) !== false
  return name
}

type Copy = (written: unknown) => unknown

const number: Copy = (written) => (typeof written === 'number' ? written : undefined)
const names: Copy = (written) =>
  Array.isArray(written) ? written.filter((name) => typeof name === 'string') : undefined

/** Keywords that hold for a value by themselves (JSON Schema 2020-12 validation, section 6). */
const plain = new Map<string, Copy>(
  Object.entries({
    const: (written) => written,
    enum: (written) => (Array.isArray(written) ? (written as unknown[]) : undefined),
    multipleOf: (written) => (typeof written === 'number' && written > 0 ? written : undefined),
    ...Object.fromEntries(
      [
        'minimum',
        'maximum',
        'exclusiveMinimum',
        'exclusiveMaximum',
        'minLength',
        'maxLength',
        'minItems',
        'maxItems',
        'minContains',
        'maxContains',
        'minProperties',
        'maxProperties',
      ].map((keyword) => [keyword, number]),
    ),
    dependentRequired: (written) =>
      isObject(written)
        ? Object.fromEntries(
            Object.entries(written).map(([name, list]) => [name, names(list) ?? []]),
          )
        : undefined,
  } satisfies Record<string, Copy>),
)

/** Keywords with a schema for the same value, and with one for parts of it (JSON Schema 2020-12 core, section 10). */
const forTheSame = new Set(['not', 'if', 'then', 'else'])
const forParts = new Set([
  'items',
  'contains',
  'additionalProperties',
  'unevaluatedProperties',
  'unevaluatedItems',
  'propertyNames',
])

const schemasIn = (written: unknown): Schema[] =>
  Array.isArray(written) ? written.filter(isSchema) : []

/**
 * The schemas of a contract as the validator takes them: known keywords of the right kind alone, patterns that end, and
 * no way back to the same schema without a step into the value. Made once for each schema that is asked for.
 */
export class PreparedSchemas {
  /** By reference, as the validator looks them up. */
  readonly byReference: Record<string, Schema>
  private readonly made = new Map<SchemaObject, SchemaObject>()
  private readonly filled = new Set<SchemaObject>()
  private readonly waiting: SchemaObject[] = []
  private named: Set<Schema> | undefined

  constructor(private readonly contract: WithSchemas) {
    this.byReference = new Proxy<Record<string, Schema>>(Object.create(null) as never, {
      get: (known, reference) =>
        typeof reference === 'string'
          ? (known[reference] ??= this.referenced(reference))
          : undefined,
    })
  }

  of(schema: Schema): Schema {
    if (!isObject(schema)) return schema
    const made = this.prepared(schema, [])
    for (let next = this.waiting.pop(); next; next = this.waiting.pop()) this.prepared(next, [])
    return made
  }

  private referenced(reference: string): Schema {
    return this.of(this.target(reference) ?? true)
  }

  private target(reference: string): Schema | undefined {
    const name = referencedName(reference)
    return name === undefined ? undefined : schemasByName(this.contract).get(name)
  }

  private isNamed(schema: SchemaObject): boolean {
    this.named ??= new Set(this.contract.schemas.map(({ schema: named }) => named))
    return this.named.has(schema)
  }

  private begun(schema: SchemaObject): SchemaObject {
    let made = this.made.get(schema)
    if (!made) this.made.set(schema, (made = Object.create(counted) as SchemaObject))
    return made
  }

  /** `above` are the schemas that ask something of the same value on the way here. */
  private prepared(schema: SchemaObject, above: readonly SchemaObject[]): SchemaObject {
    const made = this.begun(schema)
    if (this.filled.has(schema)) return made
    this.filled.add(schema)
    this.fill(made, schema, [...above, schema])
    return made
  }

  /** A schema for a part of the value: filled once all that is asked of the value itself is known. */
  private part(schema: Schema): Schema {
    if (!isObject(schema)) return schema
    if (!this.filled.has(schema)) this.waiting.push(schema)
    return this.begun(schema)
  }

  private fill(made: SchemaObject, schema: SchemaObject, above: readonly SchemaObject[]): void {
    const same = (part: Schema) => this.same(part, above)
    for (const keyword of Object.keys(schema)) {
      const [value, copy] = [schema[keyword], plain.get(keyword)]
      if (copy) made[keyword] = copy(value)
      else if (forTheSame.has(keyword) && isSchema(value)) made[keyword] = same(value)
      else if (forParts.has(keyword) && isSchema(value)) made[keyword] = this.part(value)
    }
    for (const keyword of ['allOf', 'anyOf', 'oneOf']) {
      if (schema[keyword] === undefined) continue
      const parts = schemasIn(schema[keyword]).map(same)
      // Of one choice it can be said why it does not fit.
      const into = parts.length === 1 ? 'allOf' : keyword
      if (parts.length > 0) made[into] = [...schemasIn(made[into]), ...parts]
    }
    if (Array.isArray(schema['prefixItems']))
      made['prefixItems'] = schemasIn(schema['prefixItems']).map((item) => this.part(item))
    if (isObject(schema['properties']))
      made['properties'] = mapped(schema['properties'], (property) => this.part(property))
    if (isObject(schema['dependentSchemas']))
      made['dependentSchemas'] = mapped(schema['dependentSchemas'], same)
    if (Array.isArray(schema['required'])) made['required'] = this.required(schema)
    if (schema['uniqueItems'] === true)
      Object.defineProperty(made, 'uniqueItems', { get: () => looking.comparesItems })
    if (typeof schema['$ref'] === 'string') this.refer(made, schema['$ref'], above)
    setTypes(made, schema)
    setTexts(made, schema)
    // The names such a pattern means would be matched by an engine that may never end.
    if (isObject(schema['patternProperties'])) {
      delete made['additionalProperties']
      delete made['unevaluatedProperties']
    }
  }

  /** A schema for the same value: where it leads back to one above, it asks nothing more. */
  private same(part: Schema, above: readonly SchemaObject[]): Schema {
    if (!isObject(part)) return part
    return above.includes(part) ? true : this.prepared(part, above)
  }

  private refer(made: SchemaObject, reference: string, above: readonly SchemaObject[]): void {
    const target = this.target(reference)
    if (target === undefined || (isObject(target) && above.includes(target))) return
    made['$ref'] = reference
    // What a part leads to that is a reference alone is prepared when a value meets it: nothing leads back to the part.
    const [first] = above
    const isPart = above.length === 1 && !this.isNamed(first!) && Object.keys(first!).length === 1
    if (isObject(target) && !isPart) this.prepared(target, above)
  }

  /** Names that are asked for; what only one direction carries is missing in the other. */
  private required(schema: SchemaObject): string[] {
    const properties = isObject(schema['properties']) ? schema['properties'] : {}
    return (names(schema['required']) as string[]).filter((name) => {
      const property = Object.hasOwn(properties, name)
        ? wholeSchema(this.contract, properties[name] as Schema)
        : undefined
      return !(
        isObject(property) &&
        (property['readOnly'] === true || property['writeOnly'] === true)
      )
    })
  }
}

function mapped(written: Record<string, unknown>, make: (schema: Schema) => Schema) {
  const made = Object.create(null) as Record<string, Schema>
  for (const [name, schema] of Object.entries(written))
    if (isSchema(schema)) made[name] = make(schema)
  return made
}

const types = new Set(['null', 'boolean', 'integer', 'number', 'string', 'array', 'object'])

/** Types that there are; a schema that names another one takes anything, as it says nothing that can be held. */
function setTypes(made: SchemaObject, { type, nullable }: SchemaObject): void {
  const listed: unknown[] = Array.isArray(type) ? type : type === undefined ? [] : [type]
  if (listed.length === 0 || !listed.every((name) => types.has(name as string))) return
  made['type'] = nullable === true ? [...listed, 'null'] : listed.length === 1 ? listed[0] : listed
  if (nullable === true && Array.isArray(made['enum']))
    made['enum'] = [...(made['enum'] as unknown[]), null]
}

function setTexts(made: SchemaObject, { format, pattern }: SchemaObject): void {
  if (typeof format === 'string' && checkedFormats.has(format)) made['format'] = format
  if (typeof pattern !== 'string') return
  const asked = Object.assign(Object.create(counted) as SchemaObject, { format: asFormat(pattern) })
  made['allOf'] = [...schemasIn(made['allOf']), asked]
}

const prepared = new WeakMap<WithSchemas, PreparedSchemas>()

export function preparedSchemas(contract: WithSchemas): PreparedSchemas {
  let known = prepared.get(contract)
  if (!known) prepared.set(contract, (known = new PreparedSchemas(contract)))
  return known
}
