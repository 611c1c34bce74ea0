import type { NamedSchema, Origins, Schema, SchemaObject } from '../../contract/model'
import {
  isSchema,
  referencedName,
  schemaKeywords,
  schemaListKeywords,
  schemaMapKeywords,
  schemaReference,
  subschemas,
  typesOf,
} from '../../contract/schemas'
import type { Documents } from '../../text/documents'
import { freeName } from '../../text/names'
import { partsOf, resolveName, type Location } from '../../text/location'
import { pointerTo, segmentsOf, valueAt } from '../../text/pointer'
import { errorText, isObject, kindOf, type Node, table } from '../../text/values'
import { readXml } from '../../text/xml'
import { fromOlderDraft, schemaTypes } from '../drafts'
import { XsdReader } from '../xsd/read'
import type { RamlSources, Scope } from './sources'
import { parseTypeExpression, type TypeExpression } from './expression'

/** What a "queryString" is as a parameter for the whole query: RAML names neither it nor its media type. */
export const wholeQuery = { name: 'query', type: 'application/x-www-form-urlencoded' } as const

/** The types that RAML brings along (RAML 1.0, “Built-in Types”). */
export const builtIns = table<SchemaObject>({
  any: {},
  object: { type: 'object' },
  array: { type: 'array' },
  string: { type: 'string' },
  number: { type: 'number' },
  integer: { type: 'integer' },
  boolean: { type: 'boolean' },
  date: { type: 'string', format: 'date-time' },
  'date-only': { type: 'string', format: 'date' },
  'time-only': { type: 'string', format: 'time' },
  'datetime-only': { type: 'string', format: 'date-time-local' },
  datetime: { type: 'string', format: 'date-time' },
  file: { type: 'string', format: 'binary' },
  nil: { type: 'null' },
  null: { type: 'null' },
})

/** Facets that JSON Schema knows by the same name. */
const sameFacets = [
  'pattern',
  'minLength',
  'maxLength',
  'minimum',
  'maximum',
  'multipleOf',
  'enum',
  'default',
  'uniqueItems',
  'minItems',
  'maxItems',
  'minProperties',
  'maxProperties',
  'description',
] as const

const numberFormats = table<string>({
  int: 'int32',
  int32: 'int32',
  long: 'int64',
  int64: 'int64',
  float: 'float',
  double: 'double',
})

/** The facets of a type declaration (RAML 1.0, “Type Declarations”). */
export const declarationKeys = new Set<string>([
  ...sameFacets,
  'type',
  'schema',
  'properties',
  'additionalProperties',
  'discriminator',
  'discriminatorValue',
  'items',
  'format',
  'fileTypes',
  'example',
  'examples',
  'displayName',
  'facets',
  'xml',
  'required',
  'allowedTargets',
  'repeat',
])

/** A JSON schema that is a text inside of a definition, or a file of it. */
interface JsonText {
  root: Node
  file: string
  /** Where it is written. */
  at: Location
}

/** Turns RAML data types, and the JSON and XML schemas that may stand for them, into the contract's schemas. */
export class RamlTypes implements Origins {
  private readonly names = new Map<string, string>()
  private readonly taken = new Set<string>()
  private readonly queue: (() => void)[] = []
  private readonly found: NamedSchema[] = []
  private readonly places = new WeakMap<SchemaObject, Location>()
  readonly xsd: XsdReader
  private readonly xsdTexts = new Set<string>()

  constructor(
    private readonly documents: Documents,
    private readonly sources: RamlSources,
    private readonly root: Scope,
    private readonly version: '0.8' | '1.0',
  ) {
    this.xsd = new XsdReader(documents, this.taken)
    for (const name of Object.keys(root.types)) this.nameOf(name, root, true)
  }

  get(schema: SchemaObject): Location | undefined {
    return this.places.get(schema) ?? this.xsd.origins.get(schema)
  }

  /** Notes where a schema is written that was made of something else. */
  place(schema: Schema, at: Location): void {
    if (isObject(schema)) this.places.set(schema, at)
  }

  /** Every named type, those that were only referred to among them; call it when all else has been read. */
  schemas(): NamedSchema[] {
    for (let next = this.queue.shift(); next; next = this.queue.shift()) next()
    const order = Object.keys(this.root.types)
    const named = [...this.found].sort((a, b) => rank(order, a) - rank(order, b))
    const others = this.xsd.schemas().map((schema) => ({ ...schema, declared: false }))
    return [...named, ...others]
  }

  /** The name in the contract of a declared type, which is translated later. */
  private nameOf(name: string, scope: Scope, declared: boolean): string {
    const key = `${scope.file}\n${name}`
    const known = this.names.get(key)
    if (known !== undefined) return known
    const free = freeName(name, (candidate) => this.taken.has(candidate))
    this.taken.add(free)
    this.names.set(key, free)
    this.queue.push(() => {
      const node = scope.types[name]
      this.near = this.sources.place(node, scope.types, name)
      const read = this.schema(node, scope, free)
      const schema = isObject(read) ? read : read ? {} : { not: {} }
      this.found.push({
        name: free,
        schema,
        at: this.sources.place(node, scope.types, name),
        declared,
      })
    })
    return free
  }

  /** The schema of a type declaration, a type expression, or an inline JSON or XML schema. */
  schema(node: unknown, outer: Scope, ownName?: string): Schema {
    const scope = this.sources.scopeOf(node, outer)
    if (node === undefined || node === null) return { type: 'string' }
    if (typeof node === 'string') return this.expression(node, node, scope, ownName)
    if (Array.isArray(node)) return this.inherited(node, node, scope)
    if (!isObject(node)) return { type: 'string' }
    this.near = this.sources.place(node)
    const schema = this.declaration(node, scope, ownName)
    if (isObject(schema) && !this.places.has(schema))
      this.places.set(schema, this.sources.place(node))
    return schema
  }

  private declaration(node: Node, scope: Scope, ownName: string | undefined): Schema {
    const own = this.facets(node, scope)
    const type = node['type'] ?? node['schema']
    const kind = typeof type === 'string' ? type.trim() : undefined
    if (type === undefined || type === null) {
      const implied =
        node['properties'] !== undefined
          ? 'object'
          : node['items'] !== undefined
            ? 'array'
            : undefined
      const base =
        implied === undefined
          ? Object.keys(own).some((key) => key !== 'description') || this.version === '1.0'
            ? { type: 'string' }
            : {}
          : { type: implied }
      return { ...base, ...own }
    }
    if (kind !== undefined && Object.hasOwn(builtIns, kind)) return { ...builtIns[kind], ...own }
    // A schema that is a text stands where the text does.
    if (kind !== undefined && /^[{[<]/.test(kind))
      this.near = this.sources.place(type, node, node['type'] === undefined ? 'schema' : 'type')
    const at = this.near
    const parent = Array.isArray(type)
      ? this.inherited(type, node, scope)
      : isObject(type)
        ? this.schema(type, scope)
        : this.expression(typeof type === 'string' ? type : '', node, scope, ownName)
    if (kind?.startsWith('{') && isObject(parent) && !this.places.has(parent))
      this.places.set(parent, at)
    if (Object.keys(own).length === 0) return parent
    if (!isObject(parent)) return own
    const onlySays = Object.keys(own).every((key) =>
      /^(description|title|examples|default|x-.*)$/.test(key),
    )
    if (onlySays && !Object.keys(own).some((key) => Object.hasOwn(parent, key)))
      return { ...parent, ...own }
    return { allOf: [parent], ...own }
  }

  private inherited(types: unknown[], node: unknown, scope: Scope): Schema {
    const parents = types.map((type) =>
      typeof type === 'string' ? this.expression(type, node, scope) : this.schema(type, scope),
    )
    return parents.length === 1 ? parents[0]! : { allOf: parents }
  }

  private facets(node: Node, scope: Scope): SchemaObject {
    const schema: SchemaObject = {}
    for (const key of sameFacets)
      if (node[key] !== undefined && node[key] !== null) schema[key] = node[key]
    if (typeof node['displayName'] === 'string') schema['title'] = node['displayName']
    const format = node['format']
    if (typeof format === 'string') schema['format'] = numberFormats[format] ?? format
    if (isObject(node['properties'])) this.properties(node['properties'], scope, schema)
    const additional = node['additionalProperties']
    if (typeof additional === 'boolean') schema['additionalProperties'] = additional
    if (node['items'] !== undefined) schema['items'] = this.schema(node['items'], scope)
    if (typeof node['discriminator'] === 'string')
      schema['discriminator'] = { propertyName: node['discriminator'] }
    if (node['discriminatorValue'] !== undefined)
      schema['x-discriminator-value'] = node['discriminatorValue']
    if (node['fileTypes'] !== undefined) schema['x-file-types'] = node['fileTypes']
    if (isObject(node['facets'])) schema['x-facets'] = node['facets']
    if (isObject(node['xml'])) schema['xml'] = node['xml']
    const examples = examplesOf(node)
    if (examples.length > 0) schema['examples'] = examples.map((example) => example.value)
    for (const [key, value] of Object.entries(node)) {
      const annotation = /^\(([^)]+)\)$/.exec(key)?.[1]
      if (annotation !== undefined) schema[annotationKey(annotation)] = value
      else if (!declarationKeys.has(key) && this.version === '1.0') schema[`x-${key}`] = value
    }
    return schema
  }

  private properties(properties: Node, scope: Scope, schema: SchemaObject): void {
    const named: Record<string, Schema> = {}
    const patterns: Record<string, Schema> = {}
    const required: string[] = []
    for (const [written, node] of Object.entries(properties)) {
      const pattern = /^\/(.*)\/$/.exec(written)?.[1]
      const said = isObject(node) ? node['required'] : undefined
      const place = this.sources.place(node, properties, written)
      const value = this.schemaAt(node, scope, place)
      if (isObject(value)) this.places.set(value, place)
      if (pattern === '') schema['additionalProperties'] = value
      else if (pattern !== undefined) patterns[pattern] = value
      else {
        const name = said === undefined && written.endsWith('?') ? written.slice(0, -1) : written
        named[name] = value
        if (typeof said === 'boolean' ? said : !written.endsWith('?')) required.push(name)
      }
    }
    if (Object.keys(named).length > 0) schema['properties'] = named
    if (Object.keys(patterns).length > 0) schema['patternProperties'] = patterns
    if (required.length > 0) schema['required'] = required
  }

  private expression(text: string, node: unknown, scope: Scope, ownName?: string): Schema {
    const start = text.trimStart()
    if (start.startsWith('{') || start.startsWith('[{')) return this.jsonSchema(text, node, ownName)
    if (start.startsWith('<')) return this.xmlSchema(text, node)
    const expression = parseTypeExpression(text.trim())
    if (!expression) {
      this.problem(node, `"${text.slice(0, 60)}" is not a type expression`)
      return true
    }
    return this.typed(expression, node, scope)
  }

  private typed(expression: TypeExpression, node: unknown, scope: Scope): Schema {
    switch (expression.kind) {
      case 'union': {
        const members = expression.of.map((member) => this.typed(member, node, scope))
        return { anyOf: members }
      }
      case 'list':
        return { type: 'array', items: this.typed(expression.of, node, scope) }
      case 'optional':
        return { anyOf: [this.typed(expression.of, node, scope), { type: 'null' }] }
      case 'name': {
        const builtIn = Object.hasOwn(builtIns, expression.name)
          ? builtIns[expression.name]
          : undefined
        const found = this.sources.find('types', expression.name, scope)
        if (found) return { $ref: schemaReference(this.nameOf(found.name, found.scope, false)) }
        if (builtIn) return { ...builtIn }
        this.problem(node, `No type is called "${expression.name}"`)
        return true
      }
    }
  }

  /** The place of the declaration that is being read, for what has no place of its own. */
  private near: Location = ''

  /** The schema of a declaration that stands at a place. */
  schemaAt(node: unknown, scope: Scope, place: Location): Schema {
    this.near = place
    return this.schema(node, scope)
  }

  private problem(node: unknown, message: string): void {
    const included = typeof node === 'string' ? this.sources.texts.get(node) : undefined
    const own = this.sources.place(node)
    const at = included ? this.documents.place(included.file, '') : own === '' ? this.near : own
    this.sources.diagnostics.push({ at, severity: 'error', message })
  }

  private readonly jsonTexts = new Map<string, Schema>()

  /** A JSON schema that stands as a type; parts it refers to by name become schemas of the contract. */
  private jsonSchema(text: string, node: unknown, ownName: string | undefined): Schema {
    const known = this.jsonTexts.get(text)
    if (known !== undefined && ownName === undefined) return known
    let value: unknown
    try {
      value = JSON.parse(text)
    } catch (error) {
      this.problem(node, `The JSON schema cannot be read: ${errorText(error)}`)
      return true
    }
    if (!isObject(value)) return true
    const included = this.sources.texts.get(text)
    const fragment =
      included?.fragment === undefined ? '' : `/${included.fragment.replace(/^\//, '')}`
    const selected = valueAt(value, fragment)
    const schema = isObject(selected) ? selected : value
    this.jsonTexts.set(text, schema)
    const at = included ? this.documents.place(included.file, '') : this.near
    const file = included?.file ?? this.root.file
    this.rewriteReferences(schema, { root: value, file, at }, ownName, node, fragment)
    delete schema['$schema']
    if (included) this.places.set(schema, at)
    return schema
  }

  private readonly parts = new Map<object, string>()

  /** Brings a JSON schema, at a fragment of a text, to the contract's shape and references. */
  private rewriteReferences(
    schema: SchemaObject,
    text: JsonText,
    ownName: string | undefined,
    node: unknown,
    fragment = '',
  ): void {
    const seen = new Set<object>()
    const stack: { schema: Schema; at: Location }[] = [{ schema, at: text.at + fragment }]
    while (stack.length > 0) {
      const { schema: here, at } = stack.pop()!
      if (!isObject(here) || seen.has(here)) continue
      seen.add(here)
      fromOlderDraft(here)
      this.checkShape(here, at)
      this.checkTypes(here, at)
      const reference = here['$ref']
      if (typeof reference === 'string' && referencedName(reference) === undefined) {
        const target = this.referenced(reference, text)
        if (target?.value === text.root && ownName !== undefined)
          here['$ref'] = schemaReference(ownName)
        else if (target) here['$ref'] = schemaReference(this.part(target, reference, node))
        else this.problem(node, `"${reference}" in the JSON schema leads nowhere`)
      }
      for (const { schema: inner, steps } of subschemas(here))
        stack.push({ schema: inner, at: pointerTo(at, ...steps) })
    }
  }

  /** Takes out what stands where schemas or names belong and is none, and says so. */
  private checkShape(schema: SchemaObject, at: Location): void {
    const expect = (
      what: string,
      holder: object,
      key: string,
      fits: boolean,
      ...steps: string[]
    ) => {
      if (fits) return
      const found = kindOf((holder as Node)[key])
      const place = pointerTo(at, ...steps, key)
      const message = `${what} belongs here; found ${found}`
      this.sources.diagnostics.push({ at: place, severity: 'error', message })
      Reflect.deleteProperty(holder, key)
    }
    for (const [key, value] of Object.entries(schema)) {
      if (schemaKeywords.has(key)) expect('A schema', schema, key, isSchema(value))
      else if (schemaListKeywords.has(key)) {
        const isList = Array.isArray(value) && value.every(isSchema)
        expect('A list of schemas', schema, key, isList)
      } else if (schemaMapKeywords.has(key)) {
        expect('A schema for each name', schema, key, isObject(value))
        if (!isObject(value)) continue
        for (const [name, member] of Object.entries(value))
          expect('A schema', value, name, isSchema(member), key)
      } else if (key === 'required') {
        const isList = Array.isArray(value) && value.every((name) => typeof name === 'string')
        expect('A list of names', schema, key, isList)
      }
    }
  }

  private checkTypes(schema: SchemaObject, at: Location): void {
    const unknown = typesOf(schema).find((type) => !schemaTypes.has(type))
    if (unknown === undefined) return
    // Draft 3 lets people make types of their own, which ask for nothing.
    const message = `"${unknown.slice(0, 40)}" is no type of JSON Schema; anything is taken for it`
    this.sources.diagnostics.push({ at: pointerTo(at, 'type'), severity: 'warning', message })
    delete schema['type']
  }

  private referenced(
    reference: string,
    text: JsonText,
  ): { value: Node; text: JsonText } | undefined {
    const [name = '', fragment = ''] = reference.split('#')
    const other = name === '' ? text : this.textNamed(name, text.file)
    const value = other && valueAt(other.root, fragment)
    return isObject(value) ? { value, text: other! } : undefined
  }

  /** A JSON schema by the name of its file, or of the type that it stands for. */
  private textNamed(name: string, from: string): JsonText | undefined {
    const file = resolveName(from, name)
    const reading = this.documents.get(file)?.reading
    if (reading?.readable && reading.syntax !== 'xml' && isObject(reading.value))
      return { root: reading.value, file, at: this.documents.place(file, '') }
    const { types } = this.root
    const declared = this.sources.find('types', name, this.root)?.value
    if (typeof declared !== 'string') return undefined
    try {
      const root = JSON.parse(declared) as unknown
      return isObject(root)
        ? { root, file, at: this.sources.place(declared, types, name) }
        : undefined
    } catch {
      return undefined
    }
  }

  private part(
    { value, text }: { value: Node; text: JsonText },
    reference: string,
    node: unknown,
  ): string {
    const known = this.parts.get(value)
    if (known !== undefined) return known
    const [name = '', fragment = ''] = reference.split('#')
    const base =
      segmentsOf(fragment).at(-1) ??
      name
        .split('/')
        .at(-1)!
        .replace(/\.\w+$/, '')
    const free = freeName(base || 'Schema', (candidate) => this.taken.has(candidate))
    this.taken.add(free)
    this.parts.set(value, free)
    this.queue.push(() => {
      this.rewriteReferences(value, text, undefined, node, fragment)
      delete value['$schema']
      this.found.push({ name: free, schema: value, at: text.at + fragment, declared: false })
    })
    return free
  }

  /** An XML schema that stands as a type means its first global element. */
  private xmlSchema(text: string, node: unknown): Schema {
    const included = this.sources.texts.get(text)
    const { root, faults } = readXml(text)
    if (!root || faults.length > 0) {
      this.problem(
        node,
        `The XML schema cannot be read: ${faults[0]?.message ?? 'it has no element'}`,
      )
      return true
    }
    const known = included && this.documents.get(included.file)?.reading
    const schema = known?.readable && known.syntax === 'xml' ? known.root : root
    if (!this.xsdTexts.has(text)) {
      const { file = this.root.file, pointer } = partsOf(this.near)
      if (included) this.xsd.add(schema, included.file)
      else this.xsd.add(schema, file, pointer)
    }
    this.xsdTexts.add(text)
    const element = schema.children.find(
      (child) =>
        child.local === 'element' &&
        (included?.fragment === undefined || child.attribute('name') === included.fragment),
    )
    const name = element?.attribute('name')
    if (!element || name === undefined) return {}
    const namespace = schema.attribute('targetNamespace') ?? ''
    return this.xsd.globalElementNamed(namespace, name) ?? {}
  }
}

/** An annotation as an extension; those that were extensions before keep their name. */
export const annotationKey = (name: string) =>
  name.startsWith('x-') ? name : `x-annotation-${name}`

const rank = (order: string[], { name, declared }: NamedSchema) =>
  declared ? order.indexOf(name) : order.length

/** The examples of a declaration: one, by name, or a list (RAML 1.0, "Defining Examples"). */
export function examplesOf(node: Node): { name: string; value: unknown; description?: string }[] {
  const unwrapped = (name: string, example: unknown) => {
    if (!isObject(example) || !('value' in example)) return { name, value: example }
    const description = example['description']
    return typeof description === 'string'
      ? { name, value: example['value'], description }
      : { name, value: example['value'] }
  }
  const { example, examples } = node
  if (example !== undefined && example !== null) return [unwrapped('example', example)]
  if (Array.isArray(examples)) return examples.map((item, i) => unwrapped(`example${i + 1}`, item))
  if (isObject(examples))
    return Object.entries(examples).map(([name, item]) => unwrapped(name, item))
  return []
}
