import {
  operationName,
  type Body,
  type Contract,
  type Header,
  type MediaType,
  type Operation,
  type Parameter,
  type Response,
  type Schema,
  type SchemaObject,
  type SecurityScheme,
} from '../../contract/model'
import { exampleName } from '../../contract/parts'
import { referencedName, typesOf } from '../../contract/schemas'
import { freeName } from '../../text/names'
import type { Location } from '../../text/location'
import { isObject, type Node, table } from '../../text/values'
import { builtIns, wholeQuery } from '../raml/types'
import { knownXml } from './addresses'
import { Losses, schemeWords } from './losses'
import { supported } from './support'
import { byName, node } from './node'

/** The name of a type in which nothing is taken for an operator or for the name of a library. */
const typeName = (name: string) => name.replace(/[^\w-]+/g, '_')

const isEmpty = (value: Node) => Object.keys(value).length === 0

const methods = new Set(['get', 'patch', 'put', 'post', 'delete', 'options', 'head'])
const facets = [
  'description',
  'default',
  'enum',
  'pattern',
  'minLength',
  'maxLength',
  'minimum',
  'maximum',
  'multipleOf',
  'uniqueItems',
  'minItems',
  'maxItems',
  'minProperties',
  'maxProperties',
] as const
const stringTypes = table<string>({
  'date-time': 'datetime',
  date: 'date-only',
  time: 'time-only',
  'date-time-local': 'datetime-only',
  binary: 'file',
})
const numberFormats = new Set(['int32', 'int64', 'float', 'double'])
const grants = table<string>({
  authorizationCode: 'authorization_code',
  implicit: 'implicit',
  password: 'password',
  clientCredentials: 'client_credentials',
})

/** Facets of the contract that RAML holds as annotations, with the types they are declared by. */
const annotations: Node = {
  operationId: { type: 'string', allowedTargets: ['Method'] },
  tags: { type: 'string[]', allowedTargets: ['Method'] },
  deprecated: { type: 'boolean', allowedTargets: ['Method'] },
}

/** Writes a contract as a RAML 1.0 document of values; what RAML cannot hold is in `losses`. */
export function writeRaml(contract: Contract): { document: Node; losses: Losses } {
  const writer = new RamlWriter(contract)
  return { document: writer.document(), losses: writer.losses }
}

class RamlWriter {
  readonly losses = new Losses()
  readonly target = 'RAML'
  private readonly names = new Map<string, string>()

  constructor(private readonly contract: Contract) {
    const taken = new Set(Object.keys(builtIns))
    // Names that can stay are kept for those who have them.
    for (const { name } of contract.schemas) if (typeName(name) === name) taken.add(name)
    for (const named of contract.schemas) {
      const { name } = named
      let now = name
      if (typeName(name) !== name || Object.hasOwn(builtIns, name)) {
        now = freeName(typeName(name), (candidate) => taken.has(candidate))
        taken.add(now)
        this.losses.renamed(named, now, `RAML cannot call a type "${name}"; it becomes "${now}"`)
      }
      this.names.set(name, now)
    }
  }

  document(): Node {
    const { contract } = this
    for (const key of [
      'summary',
      'termsOfService',
      'contact',
      'license',
      'externalDocs',
    ] as const) {
      if (contract[key] !== undefined)
        this.losses.memberAt('/info', contract, key, `RAML has no "${key}"`)
    }
    for (const tag of contract.tags)
      this.losses.whole(tag, tag.at, 'RAML has no description of a tag')
    for (const item of contract.paths)
      this.losses.whole(item, item.at, 'Words for a whole path are not carried over')
    for (const hook of contract.webhooks)
      this.losses.whole(hook, hook.at, `RAML has no webhooks: ${hook.path} is left out`)
    const { documentation, rest } = this.rootExtensions()
    const resources = this.resources()
    return node({
      title: this.title(),
      version: contract.version === '' ? undefined : contract.version,
      description: contract.description,
      ...this.address(),
      documentation,
      annotationTypes:
        this.usedAnnotations.size > 0
          ? Object.fromEntries(
              [...this.usedAnnotations].map((name) => [name, annotations[name] ?? 'any']),
            )
          : undefined,
      securitySchemes: byName(contract.securitySchemes, (scheme) => [
        scheme.name,
        this.securityScheme(scheme),
      ]),
      types: byName(contract.schemas, ({ name, schema, at }) => [
        this.names.get(name)!,
        this.type(schema, at),
      ]),
      ...rest,
      ...resources,
    })
  }

  private title(): string {
    const { title } = this.contract
    if (title !== '') return title
    this.losses.memberAt('', this.contract, 'title', 'RAML wants a title; "Untitled" stands in')
    return 'Untitled'
  }

  private readonly usedAnnotations = new Set<string>()

  private annotate(name: string, value: unknown): Node {
    if (value === undefined) return {}
    this.usedAnnotations.add(name)
    return { [`(${name})`]: value }
  }

  private rootExtensions(): { documentation: unknown; rest: Node } {
    const { 'x-documentation': documentation, ...extensions } = this.contract.extensions ?? {}
    return { documentation, rest: this.extensions(extensions) }
  }

  /** Annotations of RAML come back as they were; extensions of other formats become annotations. */
  private extensions(extensions: Record<string, unknown> | undefined): Node {
    const written: Node = {}
    for (const [key, value] of Object.entries(extensions ?? {})) {
      const name = key.startsWith('x-annotation-') ? key.slice('x-annotation-'.length) : key
      Object.assign(written, this.annotate(name, value))
    }
    return written
  }

  private address(): Node {
    const [first, ...others] = this.contract.servers
    if (!first) return {}
    const protocols = [first.url.split(':')[0]!.toUpperCase()]
    for (const server of others) {
      const same =
        [first, server].every(({ url }) => /^https?:/i.test(url)) &&
        server.url.replace(/^\w+:/, '') === first.url.replace(/^\w+:/, '') &&
        JSON.stringify(server.variables) === JSON.stringify(first.variables)
      const again =
        others.indexOf(server) !== others.findIndex(({ url }) => url === server.url) ||
        server.url === first.url
      if (same && !again) protocols.push(server.url.split(':')[0]!.toUpperCase())
      else
        this.losses.whole(server, server.at, `RAML has one base address: ${server.url} is left out`)
    }
    for (const server of this.contract.servers) supported(this, 'server', server, server.at)
    if (first.url.includes('{version}')) {
      const message = 'RAML puts the version of the API where an address says {version}'
      for (const server of this.contract.servers)
        this.losses.members(server, ['url', 'variables'], message)
    }
    return node({
      baseUri: first.url,
      baseUriParameters: byName(first.variables, (variable) => [
        variable.name,
        node({
          type: 'string',
          description: variable.description,
          default: variable.default,
          enum: variable.enum,
        }),
      ]),
      protocols: protocols.length > 1 ? [...new Set(protocols)] : undefined,
    })
  }

  private resources(): Node {
    const resources: Node = {}
    for (const operation of this.contract.operations) {
      const { method, path, at } = operation
      const key = path.startsWith('/') ? path : `/${path}`
      const resource = (resources[key] ??= {}) as Node
      if (!methods.has(method)) {
        this.losses.whole(
          operation,
          at,
          `RAML 1.0 does not know the method ${method.toUpperCase()}: ${operationName(operation)} is left out`,
        )
      } else if (resource[method] !== undefined) {
        this.losses.whole(
          operation,
          at,
          `RAML has one method of a name for a resource: another ${operationName(operation)} is left out`,
        )
      } else {
        resource[method] = this.method(operation)
        this.uriParameters(resource, operation)
      }
    }
    return resources
  }

  /** Path parameters belong to the resource; where methods disagree, the first one speaks. */
  private uriParameters(resource: Node, operation: Operation): void {
    const own = operation.parameters.filter(
      (parameter) => parameter.in === 'path' && operation.path.includes(`{${parameter.name}}`),
    )
    if (own.length === 0) return
    const written = (resource['uriParameters'] ??= {}) as Node
    for (const parameter of own) {
      const declaration = this.parameter(parameter)
      const known = written[parameter.name]
      if (known === undefined) written[parameter.name] = declaration
      else if (JSON.stringify(known) !== JSON.stringify(declaration)) {
        this.losses.member(
          operation,
          'parameters',
          `RAML describes "${parameter.name}" once for all methods of ${operation.path}`,
        )
      }
    }
  }

  private method(operation: Operation): Node {
    const {
      id,
      summary,
      description,
      tags,
      deprecated,
      parameters,
      body,
      responses,
      security,
      callbacks,
      extensions,
    } = operation
    for (const key of ['externalDocs', 'servers', 'soap'] as const) {
      if (operation[key] !== undefined)
        this.losses.member(operation, key, `RAML has no "${key}" for a method`)
    }
    for (const callback of callbacks)
      this.losses.whole(
        callback,
        callback.at,
        `RAML has no callbacks: "${callback.name}" is left out`,
      )
    for (const template of operation.path.match(/\{[^}]+\}/g) ?? []) {
      if (!parameters.some((p) => p.in === 'path' && p.name === template.slice(1, -1))) {
        this.losses.member(
          operation,
          'parameters',
          `RAML takes "${template}" for a parameter of the type string`,
        )
      }
    }
    const inPlace = (place: string) => parameters.filter((parameter) => parameter.in === place)
    for (const parameter of inPlace('cookie')) {
      this.losses.whole(
        parameter,
        parameter.at,
        `RAML has no parameters in cookies: "${parameter.name}" is left out`,
      )
    }
    for (const parameter of inPlace('path')) {
      if (operation.path.includes(`{${parameter.name}}`)) continue
      const message = `RAML has no parameter in a path that does not name it: "${parameter.name}" is left out`
      this.losses.whole(parameter, parameter.at, message)
    }
    const [whole] = inPlace('querystring')
    const query = whole && this.wholeQuery(whole)
    return node({
      displayName: summary,
      description,
      ...this.annotate('operationId', id),
      ...this.annotate('tags', tags.length > 0 ? tags : undefined),
      ...this.annotate('deprecated', deprecated ? true : undefined),
      ...this.extensions(extensions),
      securedBy:
        security.length === 0
          ? undefined
          : security.map((item) => this.requirement(item, operation)),
      queryParameters: this.declarations(inPlace('query')),
      queryString: query,
      headers: this.declarations(inPlace('header')),
      body: body && this.body(body),
      responses: responses.length === 0 ? undefined : this.responses(responses),
    })
  }

  /** A parameter for the whole query (OpenAPI 3.2): RAML says its schema and nothing else of it. */
  private wholeQuery(whole: Parameter): unknown {
    const [media, ...others] = whole.content ?? []
    if (media?.schema === undefined || others.length > 0) {
      this.losses.whole(whole, whole.at, 'A whole query that is not one schema is left out')
      return undefined
    }
    const message = 'The whole query is written as its schema alone'
    this.losses.members(
      whole,
      [
        ...(whole.name === wholeQuery.name ? [] : (['name'] as const)),
        ...(['description', 'required', 'deprecated', 'extensions'] as const).filter(
          (key) => whole[key],
        ),
        ...(whole.examples.length > 0 ? (['examples'] as const) : []),
      ],
      message,
    )
    if (media.type !== wholeQuery.type) this.losses.member(media, 'type', message)
    const lists = (['examples', 'encoding'] as const).filter((key) => media[key].length > 0)
    this.losses.members(media, lists, message)
    return this.type(media.schema, whole.at)
  }

  private requirement(item: Record<string, string[]>, operation: Operation): unknown {
    const names = Object.keys(item)
    if (names.length === 0) return null
    if (names.length > 1)
      this.losses.member(
        operation,
        'security',
        'RAML cannot ask for several credentials together: the first is asked for',
      )
    const name = names[0]!
    if (!this.contract.securitySchemes.some((scheme) => scheme.name === name)) {
      this.losses.member(
        operation,
        'security',
        `No security scheme is called "${name}", which RAML does not allow`,
      )
      return null
    }
    const scopes = item[name]!
    return scopes.length > 0 ? { [name]: { scopes } } : name
  }

  private declarations(parameters: Header[]): Node | undefined {
    if (parameters.length === 0) return undefined
    return Object.fromEntries(
      parameters.map((parameter) => [parameter.name, this.parameter(parameter)]),
    )
  }

  private parameter(parameter: Header): Node {
    const { at, description, required, schema, examples, extensions } = parameter
    supported(this, 'parameter', parameter, at)
    if (schema === undefined)
      this.losses.member(
        parameter,
        'schema',
        'RAML wants a type here; one that allows anything stands in',
      )
    const type = this.type(schema ?? {}, at)
    if (isObject(schema) && Object.keys(schema).some((key) => key.startsWith('x-'))) {
      this.losses.members(
        parameter,
        ['schema', 'extensions'],
        'RAML has one set of annotations for a parameter and its type',
      )
    }
    if (
      isObject(schema) &&
      (schema['description'] !== undefined || schema['examples'] !== undefined)
    ) {
      this.losses.members(
        parameter,
        ['description', 'examples', 'schema'],
        'RAML has one description and one set of examples for a parameter and its type',
      )
    }
    const named = examples.some(
      ({ name, summary, externalValue }, i) =>
        name !== exampleName(i) || summary !== undefined || externalValue !== undefined,
    )
    const isUnsaid = examples.some(
      ({ value, description: said }) => said !== undefined || value === null,
    )
    if (named || isUnsaid) {
      this.losses.member(
        parameter,
        'examples',
        'RAML has neither names nor null for the examples of a parameter',
      )
    }
    return {
      ...this.asObject(type),
      ...node({ description }),
      required,
      ...this.examples(examples.map(({ value }) => value)),
      ...this.extensions(extensions),
    }
  }

  private examples(values: unknown[]): Node {
    if (values.length === 0) return {}
    if (values.length === 1) return { example: wrapped(values[0]) }
    return {
      examples: Object.fromEntries(values.map((value, i) => [exampleName(i), wrapped(value)])),
    }
  }

  private asObject(type: unknown): Node {
    return isObject(type) ? type : { type }
  }

  private body(body: Body): Node {
    if (!body.required) this.losses.member(body, 'required', 'RAML cannot call a body optional')
    if (body.description !== undefined)
      this.losses.member(body, 'description', 'RAML has no description for a body')
    if (body.extensions)
      this.losses.member(
        body,
        'extensions',
        'RAML has no annotations for a body of several media types',
      )
    const content = this.content(body.content)
    if (isEmpty(content)) this.losses.whole(body, body.at, 'RAML has no body without a media type')
    return content
  }

  private content(content: MediaType[]): Node {
    return Object.fromEntries(
      content.flatMap((media) => {
        if (media.type.includes('/')) return [[media.type, this.media(media)]]
        this.losses.whole(media, media.at, `"${media.type}" is no media type: it is left out`)
        return []
      }),
    )
  }

  private media(media: MediaType): Node {
    const { at, schema, examples, encoding, itemSchema, extensions } = media
    if (encoding.length > 0) this.losses.member(media, 'encoding', 'RAML has no encodings')
    if (itemSchema !== undefined)
      this.losses.member(media, 'itemSchema', 'RAML has no schema for the items of a stream')
    if (isObject(schema) && Object.keys(schema).some((key) => key.startsWith('x-'))) {
      this.losses.members(
        media,
        ['schema', 'extensions'],
        'RAML has one set of annotations for a body and its type',
      )
    }
    const lost = examples.some(
      (example) =>
        looksLikeJson(example.value, media.type) ||
        example.summary !== undefined ||
        example.externalValue !== undefined ||
        example.value === undefined,
    )
    if (lost) this.losses.member(media, 'examples', 'RAML has no summary or address for an example')
    const kept = examples.filter((example) => example.value !== undefined)
    const [only] = kept
    const type = schema === undefined ? {} : this.asObject(this.type(schema, at))
    if (isObject(schema) && schema['examples'] !== undefined && examples.length > 0) {
      this.losses.member(media, 'schema', 'RAML has one set of examples for a body and its type')
      delete type['example']
      delete type['examples']
    } else if (isObject(schema) && schema['examples'] !== undefined) {
      this.losses.member(media, 'examples', 'The examples of the type become those of the body')
      this.losses.member(media, 'schema', 'The examples of the type become those of the body')
    }
    const written: Node =
      kept.length === 1 && only?.name === 'example' && only.description === undefined
        ? { example: wrapped(only.value) }
        : kept.length > 0
          ? {
              examples: Object.fromEntries(
                kept.map(({ name, value, description }) => [
                  name,
                  description === undefined
                    ? wrapped(value)
                    : { description, value, strict: false },
                ]),
              ),
            }
          : {}
    return { ...type, ...written, ...this.extensions(extensions) }
  }

  private responses(responses: Response[]): Node {
    const written: Node = {}
    for (const response of responses) {
      if (!/^\d{3}$/.test(response.status)) {
        this.losses.whole(
          response,
          response.at,
          `RAML has no response "${response.status}": it is left out`,
        )
        continue
      }
      for (const link of response.links)
        this.losses.whole(link, link.at, `RAML has no links: "${link.name}" is left out`)
      if (response.summary !== undefined)
        this.losses.member(response, 'summary', 'RAML has no summary for a response')
      written[response.status] = node({
        description: response.description,
        headers: this.declarations(response.headers),
        body: response.content.length === 0 ? undefined : this.content(response.content),
        ...this.extensions(response.extensions),
      })
    }
    return written
  }

  private securityScheme(scheme: SecurityScheme): Node {
    const { type, description, in: place, parameterName, scheme: http, flows, extensions } = scheme
    const { 'x-described-by': describedBy, ...rest } = extensions ?? {}
    if (Object.keys(rest).length > 0)
      this.losses.member(
        scheme,
        'extensions',
        'Extensions of a security scheme are not carried over',
      )
    if (type === 'http' && (http === 'basic' || http === 'digest')) {
      return node({
        type: http === 'basic' ? 'Basic Authentication' : 'Digest Authentication',
        description,
        describedBy,
      })
    }
    if (
      type === 'apiKey' &&
      (place === 'header' || place === 'query') &&
      parameterName !== undefined
    ) {
      const kept = describedBy ?? {
        [place === 'header' ? 'headers' : 'queryParameters']: {
          [parameterName]: { type: 'string' },
        },
      }
      if (describedBy === undefined)
        this.losses.member(
          scheme,
          'extensions',
          'A key is described as a header or query parameter',
        )
      return node({ type: 'Pass Through', description, describedBy: kept })
    }
    const [flow] = flows
    if (type === 'oauth2' && flow) {
      const sameScopes = flows.every(
        (other) =>
          JSON.stringify(Object.keys(other.scopes)) === JSON.stringify(Object.keys(flow.scopes)),
      )
      const described = flows.some((other) =>
        Object.values(other.scopes).some((text) => text !== ''),
      )
      const addresses = flows.every(
        (other) =>
          (other.authorizationUrl ?? flow.authorizationUrl) === flow.authorizationUrl &&
          (other.tokenUrl ?? flow.tokenUrl) === flow.tokenUrl,
      )
      const plain = flows.every(
        (other) => other.refreshUrl === undefined && grants[other.kind] !== undefined,
      )
      if (!sameScopes || described || !addresses || !plain) {
        this.losses.member(
          scheme,
          'flows',
          'RAML has one list of scopes without descriptions and one pair of addresses for all grants',
        )
      }
      return node({
        type: 'OAuth 2.0',
        description,
        describedBy,
        settings: node({
          authorizationUri: flows.flatMap((other) => other.authorizationUrl ?? [])[0],
          accessTokenUri: flows.flatMap((other) => other.tokenUrl ?? [])[0],
          authorizationGrants: flows.flatMap((other) => grants[other.kind] ?? []),
          scopes: Object.keys(flow.scopes).length > 0 ? Object.keys(flow.scopes) : undefined,
        }),
      })
    }
    this.losses.members(
      scheme,
      schemeWords,
      `RAML has no security scheme like "${scheme.name}" (${type}${http === undefined ? '' : ` ${http}`})`,
    )
    return node({ type: `x-${type}${http === undefined ? '' : `-${http}`}`, description })
  }

  /** A schema as a RAML type: a name, an expression, or a declaration. */
  private type(schema: Schema, at: Location): unknown {
    if (typeof schema === 'boolean') {
      if (!schema) this.losses.whole({}, at, 'RAML cannot say that nothing is allowed')
      return 'any'
    }
    const place = this.contract.origins?.get(schema) ?? at
    const lose = (keyword: string) => {
      this.losses.whole(schema, place, `RAML cannot say "${keyword}" in a type`)
    }
    const { $ref, allOf, anyOf, oneOf, type, properties, ...rest } = schema
    const own = this.facets(schema, rest, place, lose)
    const parents = this.parents($ref, allOf, place)
    if (parents.some((parent) => typeof parent !== 'string')) lose('allOf of more than names')
    if (schema['format'] !== undefined && (parents.length > 0 || anyOf || oneOf)) lose('format')
    if (parents.length > 0) {
      if (anyOf !== undefined || oneOf !== undefined) lose(anyOf === undefined ? 'oneOf' : 'anyOf')
      const whole =
        properties === undefined
          ? own
          : { ...own, ...this.properties(properties as Record<string, Schema>, schema, place) }
      if (type !== undefined) lose('a type beside what is inherited')
      const parent = parents.length === 1 ? parents[0] : parents
      return isEmpty(whole) ? parent : { type: parent, ...whole }
    }
    const union = (anyOf ?? oneOf) as Schema[] | undefined
    if (union) {
      const members = union.map((member, i) =>
        this.member(member, `${place}/${anyOf ? 'anyOf' : 'oneOf'}/${i}`),
      )
      if (
        oneOf !== undefined ||
        type !== undefined ||
        properties !== undefined ||
        members.includes(undefined)
      ) {
        lose(oneOf === undefined ? 'anyOf' : 'oneOf')
      }
      const expression = members
        .map((member) => (member?.includes('|') ? `(${member})` : (member ?? 'any')))
        .join(' | ')
      return isEmpty(own) ? expression : { type: expression, ...own }
    }
    return this.plain(schema, own, place, lose)
  }

  /** A member of a union, which has to be a name or a built-in type. */
  private member(schema: Schema, at: Location): string | undefined {
    const written = this.type(schema, at)
    if (typeof written === 'string') return written
    return isObject(written) &&
      Object.keys(written).length === 1 &&
      typeof written['type'] === 'string'
      ? written['type']
      : undefined
  }

  private parents(reference: unknown, allOf: unknown, at: Location): unknown[] {
    const parents: unknown[] = []
    if (typeof reference === 'string') {
      const name = referencedName(reference)
      parents.push((name === undefined ? undefined : this.names.get(name)) ?? 'any')
    }
    if (Array.isArray(allOf)) {
      for (const [i, item] of (allOf as Schema[]).entries())
        parents.push(this.type(item, `${at}/allOf/${i}`))
    }
    return parents
  }

  private plain(
    schema: SchemaObject,
    own: Node,
    at: Location,
    lose: (keyword: string) => void,
  ): unknown {
    const { properties, format } = schema
    const types = typesOf(schema)
    const real = types.filter((name) => name !== 'null')
    if (real.length > 1) lose('several types')
    const [first] = real
    let name = first ?? (types.length > 0 ? 'nil' : properties === undefined ? 'any' : 'object')
    if (first === undefined && types.length === 0 && properties !== undefined)
      lose('properties without a type')
    if (first === 'string' && typeof format === 'string') {
      const special = stringTypes[format]
      if (
        special === undefined ||
        Object.keys(own).some((key) => ['pattern', 'minLength', 'maxLength', 'enum'].includes(key))
      )
        lose('format')
      else name = special
    } else if (
      format !== undefined &&
      !((first === 'integer' || first === 'number') && numberFormats.has(format as string))
    )
      lose('format')
    if ((first === 'integer' || first === 'number') && numberFormats.has(format as string))
      own['format'] = format
    if (real.length < types.length && real.length > 0) {
      lose('null beside a type')
      name = `${name} | nil`
    }
    const inner =
      properties === undefined
        ? own
        : { ...own, ...this.properties(properties as Record<string, Schema>, schema, at) }
    return isEmpty(inner) ? name : { type: name, ...inner }
  }

  private facets(
    schema: SchemaObject,
    rest: SchemaObject,
    at: Location,
    lose: (keyword: string) => void,
  ): Node {
    const own: Node = {}
    for (const facet of facets) {
      if (rest[facet] === null) lose(`${facet}: null`)
      else if (rest[facet] !== undefined) own[facet] = rest[facet]
    }
    for (const [key, value] of Object.entries(rest)) {
      if ((facets as readonly string[]).includes(key)) continue
      switch (key) {
        case 'title':
          own['displayName'] = value
          break
        case 'examples':
          if (Array.isArray(value)) {
            if (value.includes(null)) lose('an example that is null')
            Object.assign(own, this.examples(value))
          } else lose('examples')
          break
        case 'items':
          own['items'] = this.type(value as Schema, `${at}/items`)
          break
        case 'additionalProperties':
          if (typeof value === 'boolean') own['additionalProperties'] = value
          else if (
            schema['properties'] === undefined &&
            schema['patternProperties'] === undefined
          ) {
            own['properties'] = {
              '//': this.asObject(this.type(value as Schema, `${at}/additionalProperties`)),
            }
          }
          break
        case 'discriminator':
          if (isObject(value)) {
            own['discriminator'] = value['propertyName']
            if (Object.keys(value).length > 1) lose('discriminator.mapping')
          }
          break
        case 'xml':
          own['xml'] = knownXml(value, (member) => lose(`xml.${member}`))
          break
        case 'required':
          if (schema['properties'] === undefined) lose('required')
          break
        case 'format':
          break
        case 'patternProperties':
          if (schema['properties'] === undefined) {
            own['properties'] = this.properties({}, schema, at)['properties']
          }
          break
        default:
          if (key === 'x-discriminator-value') own['discriminatorValue'] = value
          else if (key.startsWith('x-')) Object.assign(own, this.extensions({ [key]: value }))
          else lose(key)
      }
    }
    return own
  }

  private properties(properties: Record<string, Schema>, schema: SchemaObject, at: Location): Node {
    const required = new Set(
      Array.isArray(schema['required']) ? (schema['required'] as string[]) : [],
    )
    const written: Node = {}
    for (const [name, property] of Object.entries(properties)) {
      const type = this.type(property, `${at}/properties/${name}`)
      // A name that ends in a question mark, or looks like a pattern, says its necessity by a facet.
      const explicit = name.endsWith('?') || /^\/.*\/$/.test(name)
      const isRequired = required.has(name)
      if (isRequired && !explicit) written[name] = type
      else if (explicit) written[name] = { ...this.asObject(type), required: isRequired }
      else written[`${name}?`] = type
      required.delete(name)
    }
    if (required.size > 0)
      this.losses.whole(schema, at, 'RAML cannot require a property that it does not describe')
    const patterns = schema['patternProperties']
    if (isObject(patterns)) {
      for (const [pattern, value] of Object.entries(patterns)) {
        written[`/${pattern}/`] = this.asObject(
          this.type(value as Schema, `${at}/patternProperties`),
        )
      }
    }
    const additional = schema['additionalProperties']
    if (isObject(additional))
      written['//'] = this.asObject(this.type(additional, `${at}/additionalProperties`))
    return { properties: written }
  }
}

/** Text that is JSON is taken for the value it holds where the media type is JSON. */
function looksLikeJson(value: unknown, type: string): boolean {
  return typeof value === 'string' && /[/+]json\b/.test(type) && /^\s*["{[\dtfn-]/.test(value)
}

/** An example that looks like a wrapped one is wrapped, so that it is read as what it is. */
const wrapped = (value: unknown) =>
  isObject(value) && 'value' in value ? { value, strict: false } : value
