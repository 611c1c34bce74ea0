import type { SchemaObject } from '../../contract/model'
import {
  isSchema,
  schemaKeywords,
  schemaListKeywords,
  schemaMapKeywords,
} from '../../contract/schemas'
import type { Documents } from '../../text/documents'
import type { Location } from '../../text/location'
import { pointerTo, type Pointer } from '../../text/pointer'
import { mayShareParts } from '../../text/yaml'
import type { PlacedDiagnostic } from '../../text/diagnostic'
import { isObject, kindOf } from '../../text/values'
import { exclusive, listExample, schemaTypes, tuples } from '../drafts'
import type { Bindings } from './dynamic'
import type { FoundTarget, References } from './references'
import { keywords30, notIn20 } from './keywords'
import type { Shape, Specification, Type } from './shapes'

/** Problems kept of one definition; what goes beyond says nothing new. */
const mostProblems = 1000

/** What a keyword of a schema holds. */
type Holds =
  | 'schema'
  | 'schemas by name'
  | 'schemas'
  | 'text'
  | 'number'
  | 'count'
  | 'flag'
  | 'type'
  | 'names'
  | 'values'
  | 'bound'
  | 'discriminator'

const holds = (what: Holds, keywords: Iterable<string>) =>
  Array.from(keywords, (keyword): [string, Holds] => [keyword, what])

/** Schema keywords by what they hold; others hold anything. */
const keywords = new Map<string, Holds>([
  ...holds('schema', schemaKeywords),
  ...holds('schemas by name', schemaMapKeywords),
  ...holds('schemas', schemaListKeywords),
  ...holds('text', ['title', 'description', 'format', 'pattern', '$id', '$anchor', '$comment']),
  ...holds('text', ['$schema', 'contentMediaType', 'contentEncoding']),
  ...holds('number', ['multipleOf', 'maximum', 'minimum']),
  ...holds('count', ['maxLength', 'minLength', 'maxItems', 'minItems']),
  ...holds('count', ['maxProperties', 'minProperties', 'maxContains', 'minContains']),
  ...holds('flag', ['uniqueItems', 'readOnly', 'writeOnly', 'deprecated', 'nullable']),
  ...holds('type', ['type']),
  ...holds('names', ['required']),
  ...holds('values', ['enum']),
  ...holds('bound', ['exclusiveMaximum', 'exclusiveMinimum']),
  ...holds('discriminator', ['discriminator']),
])

interface Waiting {
  value: unknown
  type: Type
  file: string
  pointer: Pointer
}

const schemaType: Type = { kind: 'schema' }
const schemaMap: Type = { kind: 'map', of: schemaType }
const schemaList: Type = { kind: 'list', of: schemaType }

/**
 * Goes through a document once: reports where it departs from its specification, follows references into other files,
 * and turns every schema, in place, into the contract's shape (JSON Schema 2020-12 with the contract's references).
 */
export class Walk {
  readonly diagnostics: PlacedDiagnostic[] = []
  readonly bindings: Bindings = { asked: new Map(), offered: new Map(), bases: new Map() }
  private readonly path: string[] = []
  /** What has been visited, where something can be met twice. */
  private readonly seen = new Set<object>()
  private mayMeetAgain: boolean
  private readonly queue: Waiting[] = []
  private readonly queued = new Set<unknown>()
  private file: string
  private start: Pointer = ''
  private base: string
  private readonly old: boolean
  private readonly reached: RegExp

  constructor(
    private readonly documents: Documents,
    private readonly references: References,
    private readonly specification: Specification,
  ) {
    this.file = documents.main.file
    this.base = references.baseOf(this.file, '')
    this.old = specification === '2.0' || specification === '3.0'
    this.reached =
      specification === '2.0'
        ? /^$|^\/(paths|definitions|parameters|responses)(\/|$)/
        : /^$|^\/(paths|components|webhooks)(\/|$)/
    const { reading, text } = documents.get()!
    // In JSON every part of the main file is reached by one way; an alias in YAML opens a second.
    this.mayMeetAgain = reading.syntax !== 'json' && mayShareParts(text)
  }

  run(value: unknown, root: Type): void {
    this.visit(value, root)
    this.mayMeetAgain = true
    for (let next = this.queue.shift(); next; next = this.queue.shift()) {
      this.file = next.file
      this.start = next.pointer
      this.base = this.references.baseOf(next.file, next.pointer)
      this.path.length = 0
      this.visit(next.value, next.type)
    }
  }

  private here(...more: string[]): Location {
    return this.documents.place(this.file, pointerTo(this.start, ...this.path, ...more))
  }

  private problem(
    message: string,
    severity: PlacedDiagnostic['severity'] = 'error',
    ...more: string[]
  ): void {
    if (this.diagnostics.length < mostProblems)
      this.diagnostics.push({ at: this.here(...more), message, severity })
  }

  private expected(what: string, value: unknown): void {
    // An empty value in YAML is null: nothing is said, so nothing is wrong but the emptiness.
    const severity = value === null ? 'warning' : 'error'
    this.problem(`${what} belongs here; found ${kindOf(value)}`, severity)
  }

  private visit(value: unknown, type: Type): void {
    switch (type.kind) {
      case 'any':
        return
      case 'text':
        // A version written as a number is understood, and said where the version is read.
        if (typeof value === 'number' && this.path.at(-1) === 'version') return
        if (typeof value !== 'string') this.expected('Text', value)
        return
      case 'flag':
        if (typeof value !== 'boolean') this.expected('true or false', value)
        return
      case 'number':
        if (typeof value !== 'number') this.expected('A number', value)
        return
      case 'schema':
        return this.schema(value)
      case 'list':
        return this.list(value, type.of)
      case 'map':
        return this.map(value, type.of)
      case 'object':
        return this.object(value, type.shape, type)
    }
  }

  private list(value: unknown, of: Type): void {
    if (!Array.isArray(value)) {
      if (this.strayReference(value, { kind: 'list', of })) return
      return this.expected('A list', value)
    }
    for (let i = 0; i < value.length; i++) this.step(String(i), value[i], of)
  }

  private step(key: string, value: unknown, type: Type): void {
    this.path.push(key)
    this.visit(value, type)
    this.path.pop()
  }

  private map(value: unknown, of: Type): void {
    if (!isObject(value)) return this.expected('An object', value)
    if (this.strayReference(value, { kind: 'map', of })) return
    for (const key in value) {
      if (of.kind === 'object' && key.startsWith('x-') && !isObject(value[key])) continue
      this.step(key, value[key], of)
    }
  }

  /** A reference where the specification allows none is followed all the same, and said. */
  private strayReference(value: unknown, type: Type): boolean {
    if (!isObject(value) || typeof value['$ref'] !== 'string') return false
    this.problem(
      'The specification allows no reference here; it is followed all the same',
      'warning',
      '$ref',
    )
    this.reference(value['$ref'], type)
    return true
  }

  private object(value: unknown, shape: Shape, type: Type): void {
    if (!isObject(value)) return this.expected(`An object (${words(shape.title)})`, value)
    const reference = value['$ref']
    if (typeof reference === 'string') {
      if (shape.referable || shape.title === 'PathItem') this.reference(reference, type)
      else if (this.strayReference(value, type)) return
      if (shape.title !== 'PathItem') return
    }
    if (this.meetsAgain(value)) return
    const { fields, also } = shape
    for (const key in value) {
      const field = fields.get(key)
      // Most of what an object holds is text, and right.
      if (field?.kind === 'text' && typeof value[key] === 'string') continue
      if (field) this.step(key, value[key], field)
      else if (key.startsWith('x-')) continue
      else {
        const author = also?.(key)
        if (author) this.step(key, value[key], author)
        else {
          this.unknownField(key, shape)
          // What is wrongly named is looked into all the same.
          const meant = shape.meant
          if (meant) this.step(key, value[key], meant)
        }
      }
    }
    for (const name of shape.required) {
      const found = value[name]
      if (found === undefined) this.problem(`${words(shape.title)} needs "${name}"`)
      else if (found === null)
        this.problem(`${words(shape.title)} needs "${name}", which is empty here`, 'error', name)
    }
    shape.check?.(value, (field, message) => {
      const exists = field !== '' && value[field] !== undefined
      if (exists) this.problem(message, 'error', field)
      else this.problem(message)
    })
  }

  private meetsAgain(value: object): boolean {
    if (!this.mayMeetAgain) return false
    if (this.seen.has(value)) return true
    this.seen.add(value)
    return false
  }

  private unknownField(key: string, shape: Shape): void {
    if (shape.otherwise) this.problem(`"${key}" ${shape.otherwise}`, 'error', key)
    else
      this.problem(
        `${words(shape.title)} has no field "${key}" in ${this.specificationName}`,
        'warning',
        key,
      )
  }

  private get specificationName(): string {
    return `${this.specification === '2.0' ? 'Swagger' : 'OpenAPI'} ${this.specification}`
  }

  /** Checks a reference and goes on at its target. */
  private reference(reference: string, type: Type): void {
    const target = this.references.resolve(reference, this.file, this.base)
    if (!target.found) {
      this.problem(target.why, target.remote ? 'warning' : 'error', '$ref')
      return
    }
    if (!this.references.follow(target.value, target.at)) {
      this.problem(
        `"${reference}" goes in a circle and never reaches a definition`,
        'error',
        '$ref',
      )
      return
    }
    this.later(target.value, type, target.file, target.pointer)
  }

  private later(value: unknown, type: Type, file: string, pointer: Pointer): void {
    if (typeof value !== 'object' || value === null || this.isReached(file, pointer)) return
    if (this.seen.has(value) || this.queued.has(value)) return
    this.queued.add(value)
    this.queue.push({ value, type, file, pointer })
  }

  /** Whether the way through the main file comes by a place anyhow. */
  private isReached(file: string, pointer: Pointer): boolean {
    return file === this.documents.main.file && this.reached.test(pointer)
  }

  private schema(value: unknown): void {
    if (typeof value === 'boolean') {
      if (this.old)
        this.problem(`A schema is an object in ${this.specificationName}; found ${String(value)}`)
      return
    }
    if (!isObject(value)) return this.expected('A schema', value)
    if (this.meetsAgain(value)) return
    const outer = this.base
    if (typeof value['$id'] === 'string') {
      this.base = this.references.baseOf(this.file, pointerTo(this.start, ...this.path))
      this.bindings.bases.set(value, this.base)
    }
    if (typeof value['$dynamicAnchor'] === 'string') this.dynamicAnchor(value['$dynamicAnchor'])
    if (typeof value['$ref'] === 'string') {
      const target = this.schemaTarget('$ref', value['$ref'])
      if (target) value['$ref'] = this.references.schemaAt(target)
      // Beside a reference, older versions ignore everything (JSON Reference, section 3).
      if (this.old) {
        for (const key in value) if (key !== '$ref') Reflect.deleteProperty(value, key)
        this.base = outer
        return
      }
    }
    if (typeof value['$dynamicRef'] === 'string') this.dynamicReference(value, value['$dynamicRef'])
    for (const key in value) this.keyword(key, value[key], value)
    if (this.old) modernise(value)
    listExample(value)
    this.base = outer
  }

  /** The schema that a reference leads to; undefined, and said, where there is none. */
  private schemaTarget(key: string, reference: string): FoundTarget | undefined {
    const target = this.references.resolve(reference, this.file, this.base)
    if (!target.found) {
      this.problem(target.why, target.remote ? 'warning' : 'error', key)
      return undefined
    }
    if (!isSchema(target.value)) {
      this.problem(`"${reference}" leads to ${kindOf(target.value)}, not to a schema`, 'error', key)
      return undefined
    }
    this.later(target.value, schemaType, target.file, target.pointer)
    return target
  }

  private dynamicReference(holder: SchemaObject, reference: string): void {
    const target = this.schemaTarget('$dynamicRef', reference)
    if (!target) return
    const anchor = reference.slice(reference.indexOf('#') + 1)
    // One that leads to no dynamic anchor is a reference like any other (JSON Schema 2020-12, section 8.2.3.2).
    const isDynamic = isObject(target.value) && target.value['$dynamicAnchor'] === anchor
    this.bindings.asked.set(holder, {
      anchor: isDynamic ? anchor : undefined,
      target: this.references.schemaAt(target),
    })
  }

  private dynamicAnchor(anchor: string): void {
    const pointer = pointerTo(this.start, ...this.path)
    const target = this.references.resolve(`#${anchor}`, this.file, this.base)
    if (!target.found || target.file !== this.file || target.pointer !== pointer) return
    let offered = this.bindings.offered.get(this.base)
    if (!offered) this.bindings.offered.set(this.base, (offered = new Map<string, string>()))
    offered.set(anchor, this.references.schemaAt(target))
  }

  private keyword(key: string, value: unknown, schema: SchemaObject): void {
    const what = keywords.get(key)
    if (what !== undefined) this.held(what, key, value, schema)
    if (this.old && !key.startsWith('x-') && this.isUnknownKeyword(key)) {
      this.problem(`${this.specificationName} does not know "${key}" in a schema`, 'warning', key)
    }
  }

  private held(what: Holds, key: string, value: unknown, schema: SchemaObject): void {
    switch (what) {
      case 'schema':
        return this.subschema(key, value)
      case 'schemas by name':
        if (!isObject(value)) return this.keywordExpects(key, 'an object', value)
        return this.step(key, value, schemaMap)
      case 'schemas':
        if (!Array.isArray(value)) return this.keywordExpects(key, 'a list', value)
        return this.step(key, value, schemaList)
      case 'type':
        return this.type(value, schema)
      case 'discriminator':
        return this.discriminator(value)
      case 'text':
        if (typeof value !== 'string') this.keywordExpects(key, 'text', value)
        return
      case 'number':
        if (typeof value !== 'number') this.keywordExpects(key, 'a number', value)
        return
      case 'count':
        if (!Number.isInteger(value) || (value as number) < 0)
          this.keywordExpects(key, 'a whole number', value)
        return
      case 'flag':
        if (typeof value !== 'boolean') this.keywordExpects(key, 'true or false', value)
        return
      case 'names':
        if (!Array.isArray(value) || !value.every((name) => typeof name === 'string'))
          this.keywordExpects(key, 'a list of names', value)
        return
      case 'values':
        if (!Array.isArray(value)) this.keywordExpects(key, 'a list', value)
        return
      case 'bound':
        if (typeof value !== (this.old ? 'boolean' : 'number'))
          this.keywordExpects(key, this.old ? 'true or false' : 'a number', value)
    }
  }

  private isUnknownKeyword(key: string): boolean {
    return !keywords30.has(key) || (this.specification === '2.0' && notIn20.has(key))
  }

  private keywordExpects(key: string, what: string, value: unknown): void {
    const severity = value === null ? 'warning' : 'error'
    this.problem(`"${key}" of a schema is ${what}; found ${kindOf(value)}`, severity, key)
  }

  private subschema(key: string, value: unknown): void {
    if (typeof value === 'boolean') return
    if (Array.isArray(value) && key === 'items') {
      if (this.specification !== '2.0') this.keywordExpects(key, 'one schema', value)
      return this.step(key, value, schemaList)
    }
    if (!isObject(value)) return this.keywordExpects(key, 'a schema', value)
    this.step(key, value, schemaType)
  }

  private isType(name: string): boolean {
    return schemaTypes.has(name) && !(this.specification === '3.0' && name === 'null')
  }

  private type(value: unknown, schema: SchemaObject): void {
    if (typeof value === 'string' && this.isType(value)) return
    if (this.specification === '2.0' && value === 'file') {
      schema['type'] = 'string'
      schema['format'] ??= 'binary'
      return
    }
    if (Array.isArray(value)) {
      if (this.specification === '3.0')
        this.problem('"type" is one name in OpenAPI 3.0, not a list', 'error', 'type')
      else if (!value.every((name) => typeof name === 'string' && this.isType(name)))
        this.problem(
          `"type" names something that is no type: ${value.map(String).join(', ').slice(0, 60)}`,
          'error',
          'type',
        )
    } else {
      this.problem(
        `"type" is string, number, integer, boolean, array or object; found ${kindOf(value)}`,
        value === null ? 'warning' : 'error',
        'type',
      )
    }
  }

  private discriminator(value: unknown): void {
    if (typeof value === 'string' && this.specification === '2.0') return
    if (!isObject(value))
      return this.keywordExpects(
        'discriminator',
        this.specification === '2.0' ? 'text' : 'an object',
        value,
      )
    if (typeof value['propertyName'] !== 'string') {
      this.problem('"discriminator" needs "propertyName"', 'error', 'discriminator')
    }
    const mapping = value['mapping']
    if (!isObject(mapping)) return
    for (const [name, reference] of Object.entries(mapping)) {
      if (typeof reference !== 'string' || !/[#/.]/.test(reference)) continue
      const target = this.references.resolve(reference, this.file, this.base)
      if (target.found && isObject(target.value)) {
        mapping[name] = this.references.schemaAt(target)
        this.later(target.value, schemaType, target.file, target.pointer)
      } else if (!target.found && reference.includes('#')) {
        this.problem(
          target.why,
          target.remote ? 'warning' : 'error',
          'discriminator',
          'mapping',
          name,
        )
      }
    }
  }
}

/** From the schemas of OpenAPI 3.0 and Swagger 2.0 to JSON Schema 2020-12, in place. */
export function modernise(schema: SchemaObject): void {
  const values = schema['enum']
  if (
    schema['nullable'] === true &&
    Array.isArray(values) &&
    values.length === 1 &&
    values[0] === null
  ) {
    schema['type'] = 'null'
    delete schema['enum']
    delete schema['nullable']
  }
  if (schema['nullable'] === true && typeof schema['type'] === 'string') {
    schema['type'] = [schema['type'], 'null']
    delete schema['nullable']
  } else if (schema['nullable'] === false) delete schema['nullable']
  exclusive(schema, 'exclusiveMinimum', 'minimum')
  exclusive(schema, 'exclusiveMaximum', 'maximum')
  if (typeof schema['discriminator'] === 'string') {
    schema['discriminator'] = { propertyName: schema['discriminator'] }
  }
  tuples(schema)
}

/** `RequestBody` in a sentence. */
const words = (title: string) => {
  if (title === 'OpenAPI' || title === 'Swagger') return 'The document'
  const spaced = title.replace(/(?<=[a-z])(?=[A-Z])/g, ' ').toLowerCase()
  return `${/^[aeiou]/.test(spaced) ? 'An' : 'A'} ${spaced}`
}
