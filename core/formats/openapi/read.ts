import {
  methods,
  type Body,
  type Contract,
  type MediaType,
  type NamedSchema,
  type Operation,
  type Parameter,
  type Response,
  type Schema,
  type SecurityRequirement,
  type Server,
} from '../../contract/model'
import { follow, localPointer, referencesOf } from '../../contract/references'
import { pointerTo, valueAt, type Pointer } from '../../text/pointer'
import type { PlacedProblem } from '../../text/problem'
import { isObject } from '../../text/values'

type Node = Record<string, unknown>

const nameOfKind = (value: unknown) =>
  value === null || value === undefined
    ? 'nothing'
    : Array.isArray(value)
      ? 'a list'
      : typeof value === 'object'
        ? 'an object'
        : `the ${typeof value} ${JSON.stringify(value).slice(0, 40)}`

/** Reads an OpenAPI 3.0 or 3.1 document (OpenAPI Specification, "OpenAPI Document") that is already values. */
export class OpenApiReader {
  readonly problems: PlacedProblem[] = []

  constructor(private readonly document: Node) {}

  read(): Contract {
    const root = this.document
    const info = this.object(
      root['info'],
      '/info',
      'The document needs "info" with title and version',
    )
    this.references()
    const security = this.security(root['security'], '/security') ?? []
    const components = this.optional(root['components'], '/components')
    return {
      format: { name: 'OpenAPI', version: String(root['openapi']) },
      title: this.text(info, 'title', '/info', 'info needs a "title"'),
      version: this.version(info),
      description: this.maybeText(info, 'description', '/info'),
      contact: this.contact(info),
      servers: this.servers(root['servers']),
      tags: this.list(root['tags'], '/tags').map(({ value, at }) => ({
        name: this.text(value, 'name', at, 'A tag needs a "name"'),
        description: this.maybeText(value, 'description', at),
      })),
      operations: this.paths(security),
      webhooks: this.webhooks(security),
      schemas: this.schemas(components),
      securitySchemes: Object.keys(
        this.optional(components['securitySchemes'], '/components/securitySchemes'),
      ),
      document: root,
    }
  }

  private problem(at: Pointer, message: string, level: PlacedProblem['level'] = 'error'): void {
    this.problems.push({ at, message, level })
  }

  private object(value: unknown, at: Pointer, message: string): Node {
    if (isObject(value)) return value
    this.problem(at, `${message}; found ${nameOfKind(value)}`)
    return {}
  }

  private optional(value: unknown, at: Pointer): Node {
    return value === undefined ? {} : this.object(value, at, 'An object belongs here')
  }

  private text(node: Node, key: string, at: Pointer, message: string): string {
    const value = node[key]
    if (typeof value === 'string' && value.trim() !== '') return value
    this.problem(pointerTo(at, key), `${message}; found ${nameOfKind(value)}`)
    return ''
  }

  private maybeText(node: Node, key: string, at: Pointer): string | undefined {
    const value = node[key]
    if (value === undefined || typeof value === 'string') return value
    this.problem(pointerTo(at, key), `"${key}" is text; found ${nameOfKind(value)}`)
    return undefined
  }

  /** The objects of a list, references followed; anything else in it is a problem. */
  private list(value: unknown, at: Pointer): { value: Node; at: Pointer }[] {
    if (value === undefined) return []
    if (!Array.isArray(value)) {
      this.problem(at, `A list belongs here; found ${nameOfKind(value)}`)
      return []
    }
    return value.flatMap((item, index) => this.resolved(item, pointerTo(at, index)) ?? [])
  }

  private entries(value: unknown, at: Pointer): { key: string; value: Node; at: Pointer }[] {
    return Object.entries(this.optional(value, at)).flatMap(([key, item]) => {
      if (key.startsWith('x-')) return []
      const target = this.resolved(item, pointerTo(at, key))
      return target ? [{ key, ...target }] : []
    })
  }

  /** An object where it is written. References that lead nowhere are already reported by {@link references}. */
  private resolved(value: unknown, at: Pointer): { value: Node; at: Pointer } | undefined {
    const target = follow(this.document, value, at)
    if (!target) return undefined
    return { value: this.object(target.value, target.at, 'An object belongs here'), at: target.at }
  }

  private version(info: Node): string {
    const value = info['version']
    if (typeof value === 'number') {
      this.problem('/info/version', `The version ${value} is a number; put it in quotes`, 'warning')
      return String(value)
    }
    return this.text(info, 'version', '/info', 'info needs a "version"')
  }

  private contact(info: Node): Contract['contact'] {
    if (info['contact'] === undefined) return undefined
    const at = '/info/contact'
    const contact = this.object(info['contact'], at, '"contact" is an object')
    return {
      name: this.maybeText(contact, 'name', at),
      email: this.maybeText(contact, 'email', at),
      url: this.maybeText(contact, 'url', at),
    }
  }

  private servers(value: unknown): Server[] {
    return this.list(value, '/servers').map(({ value: server, at }) => ({
      at,
      url: this.text(server, 'url', at, 'A server needs a "url"'),
      description: this.maybeText(server, 'description', at),
    }))
  }

  private references(): void {
    for (const [reference, places] of referencesOf(this.document)) {
      const target = localPointer(reference)
      const report = (message: string) => places.forEach((at) => this.problem(at, message))
      if (target === undefined) {
        report(`"${reference}" leads out of this file; bring in one file that holds everything`)
      } else if (valueAt(this.document, target) === undefined) {
        report(`"${reference}" leads nowhere: this file has no such place`)
      } else if (!follow(this.document, { $ref: reference }, '')) {
        report(`"${reference}" goes in a circle and never reaches a definition`)
      }
    }
  }

  private paths(security: SecurityRequirement[]): Operation[] {
    const paths = this.document['paths']
    if (paths === undefined && String(this.document['openapi']).startsWith('3.0')) {
      this.problem('', 'OpenAPI 3.0 needs "paths", even if it is empty')
    }
    const shapes = new Map<string, string>()
    return this.entries(paths, '/paths').flatMap(({ key, value, at }) => {
      if (!key.startsWith('/')) {
        this.problem(pointerTo('/paths', key), `The path "${key}" does not begin with a slash`)
      }
      const shape = key.replace(/\{[^}]*\}/g, '{}')
      const twin = shapes.get(shape)
      if (twin) {
        this.problem(pointerTo('/paths', key), `"${key}" and "${twin}" answer the same addresses`)
      }
      shapes.set(shape, key)
      return this.operations(key, value, at, security)
    })
  }

  private webhooks(security: SecurityRequirement[]): Operation[] {
    return this.entries(this.document['webhooks'], '/webhooks').flatMap(({ key, value, at }) =>
      this.operations(key, value, at, security),
    )
  }

  private operations(
    path: string,
    item: Node,
    at: Pointer,
    security: SecurityRequirement[],
  ): Operation[] {
    const shared = this.parameters(item['parameters'], pointerTo(at, 'parameters'))
    return methods.flatMap((method) => {
      if (item[method] === undefined) return []
      const here = pointerTo(at, method)
      const node = this.object(item[method], here, `${method.toUpperCase()} is an object`)
      const own = this.parameters(node['parameters'], pointerTo(here, 'parameters'))
      const overridden = new Set(own.map(({ name, in: place }) => `${place} ${name}`))
      const body = this.body(node['requestBody'], pointerTo(here, 'requestBody'))
      const operation: Operation = {
        at: here,
        method,
        path,
        id: this.maybeText(node, 'operationId', here),
        summary: this.maybeText(node, 'summary', here),
        description: this.maybeText(node, 'description', here),
        tags: this.names(node['tags'], pointerTo(here, 'tags')),
        deprecated: node['deprecated'] === true,
        parameters: [...shared.filter((p) => !overridden.has(`${p.in} ${p.name}`)), ...own],
        responses: this.responses(node, here),
        security: this.security(node['security'], pointerTo(here, 'security')) ?? security,
      }
      if (body) operation.body = body
      this.pathParameters(operation)
      return [operation]
    })
  }

  private pathParameters({ path, parameters, at, method }: Operation): void {
    const declared = new Set(parameters.filter((p) => p.in === 'path').map((p) => p.name))
    for (const [, name] of path.matchAll(/\{([^}]+)\}/g)) {
      if (!declared.has(name!)) {
        const operation = `${method.toUpperCase()} ${path}`
        this.problem(at, `${operation} does not describe its path parameter "${name}"`, 'warning')
      }
    }
  }

  private names(value: unknown, at: Pointer): string[] {
    if (value === undefined) return []
    if (Array.isArray(value) && value.every((item) => typeof item === 'string')) return value
    this.problem(at, `A list of names belongs here; found ${nameOfKind(value)}`)
    return []
  }

  private parameters(value: unknown, at: Pointer): Parameter[] {
    return this.list(value, at).map(({ value: node, at: here }) => {
      const place = this.text(node, 'in', here, 'A parameter needs "in"')
      if (place && !['query', 'header', 'path', 'cookie'].includes(place)) {
        this.problem(
          pointerTo(here, 'in'),
          `A parameter is in path, query, header or cookie, not in "${place}"`,
        )
      }
      const parameter: Parameter = {
        at: here,
        name: this.text(node, 'name', here, 'A parameter needs a "name"'),
        in: place,
        required: node['required'] === true,
        description: this.maybeText(node, 'description', here),
        hasExample: node['example'] !== undefined || node['examples'] !== undefined,
      }
      const schema = this.schema(node['schema'], pointerTo(here, 'schema'))
      if (schema !== undefined) parameter.schema = schema
      return parameter
    })
  }

  private body(value: unknown, at: Pointer): Body | undefined {
    if (value === undefined) return undefined
    const target = this.resolved(value, at)
    if (!target) return undefined
    return {
      at: target.at,
      required: target.value['required'] === true,
      description: this.maybeText(target.value, 'description', target.at),
      content: this.content(target.value['content'], pointerTo(target.at, 'content')),
    }
  }

  private responses(node: Node, at: Pointer): Response[] {
    const here = pointerTo(at, 'responses')
    if (node['responses'] === undefined && String(this.document['openapi']).startsWith('3.0')) {
      this.problem(at, 'An operation needs "responses"')
    }
    return this.entries(node['responses'], here).map(({ key, value, at: place }) => {
      if (!/^([1-5](\d\d|XX)|default)$/.test(key)) {
        this.problem(
          pointerTo(here, key),
          `"${key}" is not a status code, a range like 4XX, or "default"`,
        )
      }
      return {
        at: place,
        status: key,
        description: this.maybeText(value, 'description', place),
        content: this.content(value['content'], pointerTo(place, 'content')),
      }
    })
  }

  private content(value: unknown, at: Pointer): MediaType[] {
    return this.entries(value, at).map(({ key, value: node, at: here }) => {
      const media: MediaType = { at: here, type: key, examples: this.examples(node, here) }
      const schema = this.schema(node['schema'], pointerTo(here, 'schema'))
      if (schema !== undefined) media.schema = schema
      return media
    })
  }

  private examples(node: Node, at: Pointer): MediaType['examples'] {
    if (node['example'] !== undefined) return [{ name: 'example', value: node['example'] }]
    return this.entries(node['examples'], pointerTo(at, 'examples')).flatMap(({ key, value }) =>
      value['value'] === undefined ? [] : [{ name: key, value: value['value'] }],
    )
  }

  private schema(value: unknown, at: Pointer): Schema | undefined {
    if (value === undefined || typeof value === 'boolean' || isObject(value)) return value
    this.problem(at, `A schema is an object; found ${nameOfKind(value)}`)
    return undefined
  }

  private schemas(components: Node): NamedSchema[] {
    const at = '/components/schemas'
    return Object.entries(this.optional(components['schemas'], at)).flatMap(([name, value]) => {
      const here = pointerTo(at, name)
      const schema = this.schema(value, here)
      return schema === undefined ? [] : [{ at: here, name, schema }]
    })
  }

  private security(value: unknown, at: Pointer): SecurityRequirement[] | undefined {
    if (value === undefined) return undefined
    if (Array.isArray(value) && value.every(isObject)) return value as SecurityRequirement[]
    this.problem(at, `"security" is a list of requirements; found ${nameOfKind(value)}`)
    return []
  }
}
