import {
  operationName,
  type Body,
  type Contract,
  type Flow,
  type Header,
  type MediaType,
  type Operation,
  type Parameter,
  type Response,
  type Schema,
  type SchemaObject,
  type SecurityScheme,
} from '../../contract/model'
import { resolveSchema, typesOf } from '../../contract/schemas'
import type { Location } from '../../text/location'
import { isObject, type Node, table } from '../../text/values'
import { simpleKeywords } from '../openapi/shapes'
import { docsOf, OperationIds, people, versionOf } from './addresses'
import { supported } from './support'
import { Losses, schemeWords, standInResponse } from './losses'
import { byName, node, nonEmpty } from './node'
import { OldSchemas } from './schemas'

const methods = new Set(['get', 'put', 'post', 'delete', 'options', 'head', 'patch'])
/** What a flow is called, and the addresses it has to have. */
const flows20 = table<{ name: string; needs: ('authorizationUrl' | 'tokenUrl')[] }>({
  implicit: { name: 'implicit', needs: ['authorizationUrl'] },
  password: { name: 'password', needs: ['tokenUrl'] },
  clientCredentials: { name: 'application', needs: ['tokenUrl'] },
  authorizationCode: { name: 'accessCode', needs: ['authorizationUrl', 'tokenUrl'] },
})

/** Writes a contract as a Swagger 2.0 document of values; what it cannot hold is in `losses`. */
export function writeSwagger(contract: Contract): { document: Node; losses: Losses } {
  const writer = new SwaggerWriter(contract)
  return { document: writer.document(), losses: writer.losses }
}

class SwaggerWriter {
  readonly losses = new Losses()
  private readonly ids = new OperationIds(this.losses)
  readonly target = 'Swagger 2.0'
  private readonly schemas: OldSchemas

  constructor(private readonly contract: Contract) {
    this.schemas = new OldSchemas('2.0', this.losses, contract.origins)
  }

  document(): Node {
    const { contract } = this
    const { title, description, license } = contract
    const said = people(this.losses, contract)
    supported(this, 'info', contract, '/info')
    if (license) supported(this, 'info', license, '/info/license')
    for (const hook of contract.webhooks) {
      this.losses.whole(hook, hook.at, `Swagger 2.0 has no webhooks: ${hook.path} is left out`)
    }
    const schemes = contract.securitySchemes.flatMap((scheme) => this.securityScheme(scheme))
    return node({
      swagger: '2.0',
      info: node({
        title,
        version: versionOf(this.losses, contract),
        description,
        ...said,
        license: license && node({ name: license.name, url: (said['license'] as Node)['url'] }),
      }),
      ...this.address(),
      externalDocs: docsOf(this.losses, contract, ''),
      tags: nonEmpty(
        contract.tags.map((tag) => {
          supported(this, 'tag', tag, tag.at)
          return node({
            name: tag.name,
            description: tag.description,
            externalDocs: docsOf(this.losses, tag, tag.at),
            ...tag.extensions,
          })
        }),
      ),
      paths: this.paths(),
      definitions: byName(contract.schemas, ({ name, schema, at }) => [
        name,
        this.schemas.write(schema, at),
      ]),
      securityDefinitions: schemes.length === 0 ? undefined : Object.fromEntries(schemes),
      ...contract.extensions,
    })
  }

  /** One host and base path; schemes are the ways to reach it. */
  private address(): Node {
    const parsed = this.contract.servers.map((server) => ({
      server,
      parts: /^(?:(https?|wss?):\/\/([^/{}]+))?(\/[^{}]*)?$/i.exec(server.url),
    }))
    const [first] = parsed
    if (!first?.parts || first.server.url === '') {
      for (const { server } of parsed)
        this.losses.whole(server, server.at, `Swagger 2.0 cannot write the address ${server.url}`)
      return {}
    }
    const [, , host, basePath] = first.parts
    const schemes: string[] = []
    for (const { server, parts } of parsed) {
      const [, scheme, otherHost, otherPath] = parts ?? []
      if (parts && otherHost === host && (otherPath ?? '') === (basePath ?? '')) {
        if (scheme) schemes.push(scheme.toLowerCase())
        supported(this, 'server', server, server.at)
      } else
        this.losses.whole(
          server,
          server.at,
          `Swagger 2.0 has one host and base path: ${server.url} is left out`,
        )
    }
    return node({
      host,
      basePath: basePath === '' ? undefined : basePath,
      schemes: nonEmpty(schemes),
    })
  }

  private paths(): Node {
    const paths = table<Node>()
    for (const item of this.contract.paths) {
      supported(this, 'path', item, item.at)
      if (item.extensions) paths[item.path] = { ...item.extensions }
      else this.losses.whole(item, item.at, 'Swagger 2.0 has no words for a path')
    }
    for (const operation of this.contract.operations) {
      const { method, path, at } = operation
      const item = (paths[path] ??= {})
      if (!methods.has(method)) {
        this.losses.whole(
          operation,
          at,
          `Swagger 2.0 does not know the method ${method.toUpperCase()}: ${operationName(operation)} is left out`,
        )
      } else if (item[method] !== undefined) {
        this.losses.whole(
          operation,
          at,
          `Swagger 2.0 has one operation for a method and path: another ${operationName(operation)} is left out`,
        )
      } else item[method] = this.operation(operation)
    }
    return paths
  }

  private operation(operation: Operation): Node {
    const {
      tags,
      summary,
      description,
      deprecated,
      security,
      servers,
      extensions,
      body,
      responses,
      callbacks,
    } = operation
    if (operation.soap)
      this.losses.members(
        operation,
        ['soap', 'extensions'],
        'Swagger has no SOAP: action, style and headers are kept as x-soap only',
      )
    if (servers)
      this.losses.member(operation, 'servers', 'Swagger 2.0 has no addresses for an operation')
    for (const callback of callbacks)
      this.losses.whole(
        callback,
        callback.at,
        `Swagger 2.0 has no callbacks: "${callback.name}" is left out`,
      )
    const produced = new Set(responses.flatMap(({ content }) => content.map(({ type }) => type)))
    return node({
      tags: nonEmpty(tags),
      summary,
      description,
      externalDocs: docsOf(this.losses, operation, operation.at),
      operationId: this.ids.of(operation),
      consumes: body && nonEmpty(body.content.map(({ type }) => type)),
      produces: nonEmpty([...produced]),
      parameters: nonEmpty([
        ...operation.parameters.flatMap((parameter) => this.parameter(parameter)),
        ...(body ? this.body(body) : []),
      ]),
      responses: this.responses(operation, produced),
      deprecated: deprecated ? true : undefined,
      security: nonEmpty(security),
      'x-soap': operation.soap,
      ...extensions,
    })
  }

  private responses(operation: Operation, produced: Set<string>): Node {
    const written = operation.responses.flatMap((response) => this.numbered(response, produced))
    return written.length > 0
      ? Object.fromEntries(written)
      : standInResponse(operation, 'Swagger 2.0', this.losses)
  }

  /** An address of a flow made whole by the first server's; Swagger 2.0 wants a URI. */
  private flowAddress(
    scheme: SecurityScheme,
    flow: Flow,
    key: 'authorizationUrl' | 'tokenUrl',
  ): string | undefined {
    const written = flow[key]
    if (written === undefined || URL.canParse(written)) return written
    const whole = URL.parse(written, this.contract.servers[0]?.url)?.href
    if (whole !== undefined)
      this.losses.memberAt(
        scheme.at,
        flow,
        key,
        'Swagger 2.0 wants a whole address; it is resolved against the server',
      )
    return whole
  }

  private parameter(parameter: Parameter): Node[] {
    const { at, name, in: place, allowEmptyValue } = parameter
    if (place === 'cookie' || place === 'querystring') {
      this.losses.whole(
        parameter,
        at,
        `Swagger 2.0 has no parameter in ${place}: "${name}" is left out`,
      )
      return []
    }
    return [
      node({
        name,
        in: place,
        ...this.header(parameter, place),
        required: parameter.required ? true : undefined,
        allowEmptyValue,
      }),
    ]
  }

  private header(header: Header, place: string): Node {
    const { at, description, schema, extensions } = header
    supported(this, 'parameter', header, at)
    return node({
      description,
      ...this.simple(header, schema, at),
      ...this.collection(header, place),
      ...extensions,
    })
  }

  /** The schema of a parameter, spelled out in its own fields. */
  private simple(header: Header, schema: Schema | undefined, at: Location): Node {
    const resolved = resolveSchema(this.contract, schema)
    const written = isObject(resolved) ? this.schemas.write(resolved, at) : {}
    const type = isObject(written) ? written['type'] : undefined
    const isSimple =
      isObject(schema) &&
      schema === resolved &&
      typeof type === 'string' &&
      type !== 'object' &&
      saysOnlySimple(written as SchemaObject)
    if (!isSimple) {
      this.losses.member(
        header,
        'schema',
        'Swagger 2.0 has only simple types for a parameter; what can be said is',
      )
    }
    const fields: Node = {}
    for (const keyword of simpleKeywords) {
      const value = isObject(written) ? written[keyword] : undefined
      if (value !== undefined) fields[keyword] = value
    }
    if (typeof fields['type'] !== 'string' || fields['type'] === 'object') fields['type'] = 'string'
    if (fields['type'] === 'array') fields['items'] = this.items(header, fields['items'])
    return fields
  }

  private items(header: Header, items: unknown): Node {
    if (isSimple(items)) return items
    this.losses.member(
      header,
      'schema',
      'Swagger 2.0 has only simple types for the items of a parameter',
    )
    const resolved =
      isObject(items) && typeof items['$ref'] === 'string'
        ? resolveSchema(this.contract, {
            $ref: items['$ref'].replace('#/definitions/', '#/components/schemas/'),
          })
        : items
    const type = isObject(resolved) ? resolved['type'] : undefined
    return {
      type: typeof type === 'string' && !['object', 'array'].includes(type) ? type : 'string',
    }
  }

  private collection(header: Header, place: string): Node {
    const { style, explode, schema } = header
    const resolved = resolveSchema(this.contract, schema)
    const isArray = isObject(resolved) && typesOf(resolved).includes('array')
    if (!isArray) {
      if (style !== undefined)
        this.losses.member(header, 'style', 'Swagger 2.0 has no style for a single value')
      if (explode !== undefined)
        this.losses.member(header, 'explode', 'Swagger 2.0 has no explode for a single value')
      return {}
    }
    const plain = place === 'query' ? 'form' : 'simple'
    const formats = table<string>({
      [`${plain} false`]: 'csv',
      'form true': 'multi',
      'spaceDelimited false': 'ssv',
      'pipeDelimited false': 'pipes',
      'tabDelimited false': 'tsv',
    })
    const said = `${style ?? plain} ${String(explode ?? (style ?? plain) === 'form')}`
    const format = formats[said]
    if (
      format === undefined ||
      style === undefined ||
      explode === undefined ||
      (format === 'multi' && place !== 'query')
    ) {
      this.losses.member(
        header,
        'style',
        'Swagger 2.0 writes lists in its own formats; the nearest is taken',
      )
      this.losses.member(
        header,
        'explode',
        'Swagger 2.0 writes lists in its own formats; the nearest is taken',
      )
    }
    return { collectionFormat: format ?? 'csv' }
  }

  private body(body: Body): Node[] {
    const { content, at } = body
    const [first] = content
    const form =
      content.length > 0 &&
      content.every(
        ({ type }) =>
          type === 'multipart/form-data' || type === 'application/x-www-form-urlencoded',
      )
    const schema = form ? first!.schema : undefined
    if (
      form &&
      isObject(schema) &&
      schema['type'] === 'object' &&
      isObject(schema['properties']) &&
      this.sameSchema(content)
    ) {
      this.losses.whole(body, at, 'Swagger 2.0 writes a form as single parameters')
      const required = Array.isArray(schema['required']) ? schema['required'] : []
      return Object.entries(schema['properties']).map(([name, property]) => {
        const header: Header = {
          at,
          name,
          required: required.includes(name),
          deprecated: false,
          examples: [],
          schema: property as Schema,
        }
        const fields = this.simple(header, property as Schema, at)
        const isFile = isObject(property) && property['format'] === 'binary'
        return node({
          name,
          in: 'formData',
          required: header.required ? true : undefined,
          description: isObject(property) ? property['description'] : undefined,
          ...fields,
          ...(isFile ? { type: 'file', format: undefined } : {}),
        })
      })
    }
    if (!this.sameSchema(content)) {
      this.losses.member(
        body,
        'content',
        'Swagger 2.0 has one schema for a body of all media types: the first is taken',
      )
    }
    for (const media of content) {
      if (media.schema !== undefined && media !== first) this.schemas.write(media.schema, media.at)
      if (media.examples.length > 0)
        this.losses.member(media, 'examples', 'Swagger 2.0 has no examples for a body')
      this.withoutMedia(media)
    }
    if (first && first.schema === undefined)
      this.losses.member(
        first,
        'schema',
        'Swagger 2.0 wants a schema here; one that allows anything stands in',
      )
    if (content.length === 0) this.losses.member(body, 'content', 'Swagger 2.0 wants a media type')
    const { 'x-body-name': name, ...extensions } = body.extensions ?? {}
    return [
      node({
        name: typeof name === 'string' ? name : 'body',
        in: 'body',
        description: body.description,
        required: body.required ? true : undefined,
        schema: this.schemas.write(first?.schema ?? {}, first?.at ?? at),
        ...extensions,
      }),
    ]
  }

  /** What a media type says beside its schema and examples, which Swagger 2.0 has no objects for. */
  private withoutMedia(media: MediaType): void {
    supported(this, 'mediaType', media, media.at)
  }

  private sameSchema(content: MediaType[]): boolean {
    const [first] = content
    return content.every(
      ({ schema }) =>
        schema === first?.schema || JSON.stringify(schema) === JSON.stringify(first?.schema),
    )
  }

  private numbered(response: Response, produced: Set<string>): [string, Node][] {
    if (/^(\d{3}|default)$/.test(response.status))
      return [[response.status, this.response(response, produced)]]
    this.losses.whole(
      response,
      response.at,
      `Swagger 2.0 has no response "${response.status}": it is left out`,
    )
    return []
  }

  private response(response: Response, produced: Set<string>): Node {
    const { description, headers, content, links, extensions } = response
    if (response.summary !== undefined)
      this.losses.member(response, 'summary', 'Swagger 2.0 has no summary for a response')
    if (description === undefined)
      this.losses.member(
        response,
        'description',
        'Swagger 2.0 wants a description here; an empty one stands in',
      )
    for (const link of links)
      this.losses.whole(link, link.at, `Swagger 2.0 has no links: "${link.name}" is left out`)
    const [first] = content
    const all = content.length === produced.size && this.sameSchema(content)
    if (content.length > 0 && (!all || first?.schema === undefined)) {
      this.losses.member(
        response,
        'content',
        'Swagger 2.0 has one schema for all media types of an operation',
      )
    }
    const examples: Node = {}
    for (const media of content) {
      if (media.schema !== undefined && media !== first) this.schemas.write(media.schema, media.at)
      const [example] = media.examples
      if (example) examples[media.type] = example.value
      if (
        media.examples.length > 1 ||
        (example &&
          (example.name !== 'example' ||
            example.summary !== undefined ||
            example.description !== undefined ||
            example.value === undefined))
      ) {
        this.losses.member(
          media,
          'examples',
          'Swagger 2.0 has one nameless example for a media type',
        )
      }
      this.withoutMedia(media)
    }
    return node({
      description: description ?? '',
      schema: first?.schema === undefined ? undefined : this.schemas.write(first.schema, first.at),
      headers: byName(headers, (header) => {
        if (header.required)
          this.losses.member(header, 'required', 'Swagger 2.0 cannot call a header required')
        return [header.name, this.header(header, 'header')]
      }),
      examples: Object.keys(examples).length > 0 ? examples : undefined,
      ...extensions,
    })
  }

  private securityScheme(scheme: SecurityScheme): [string, Node][] {
    const {
      name,
      type,
      description,
      in: place,
      parameterName,
      scheme: http,
      flows,
      extensions,
    } = scheme
    const common = { description, ...extensions }
    if (type === 'http' && http === 'basic') return [[name, node({ type: 'basic', ...common })]]
    if (type === 'apiKey' && place !== 'cookie')
      return [[name, node({ type, name: parameterName, in: place, ...common })]]
    const [flow] = flows
    const known = flow && flows20[flow.kind]
    if (type === 'oauth2' && flow && known) {
      if (flows.length > 1)
        this.losses.member(
          scheme,
          'flows',
          'Swagger 2.0 has one flow for a scheme: the first is taken',
        )
      if (flow.refreshUrl !== undefined)
        this.losses.memberAt(scheme.at, flow, 'refreshUrl', 'Swagger 2.0 has no refresh address')
      const written = {
        authorizationUrl: this.flowAddress(scheme, flow, 'authorizationUrl'),
        tokenUrl: this.flowAddress(scheme, flow, 'tokenUrl'),
      }
      const { scopes } = flow
      if (known.needs.every((key) => written[key] !== undefined))
        return [[name, node({ type, flow: known.name, ...written, scopes, ...common })]]
    }
    this.losses.members(
      scheme,
      schemeWords,
      `Swagger 2.0 cannot say the scheme "${name}" (${type}); it is written as a key in a header`,
    )
    return [[name, node({ type: 'apiKey', in: 'header', name: 'Authorization', ...common })]]
  }
}

/** Whether an item says nothing but what Swagger 2.0 lets items say, all the way down. */
function isSimple(items: unknown): items is Node {
  if (!isObject(items) || typeof items['type'] !== 'string' || items['type'] === 'object')
    return false
  return saysOnlySimple(items) && (items['type'] !== 'array' || isSimple(items['items']))
}

const saysOnlySimple = (schema: SchemaObject) =>
  Object.keys(schema).every((key) => (simpleKeywords as readonly string[]).includes(key))
