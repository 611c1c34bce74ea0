import { isObject, table } from '../../text/values'
import {
  methods,
  operationName,
  type Callback,
  type Contract,
  type Encoding,
  type Example,
  type Header,
  type Link,
  type MediaType,
  type Operation,
  type Parameter,
  type Response,
  type Schema,
  type SecurityScheme,
  type Server,
} from '../../contract/model'
import { everyOperation } from '../../contract/parts'
import { identifiers, mapSubschemas } from '../../contract/schemas'
import { freeName } from '../../text/names'
import { partsOf, type Location } from '../../text/location'
import { segmentsOf } from '../../text/pointer'
import type { Node } from '../../text/values'
import { docsOf, knownXml, OperationIds, people, versionOf } from './addresses'
import { supported, type Target } from './support'
import { Losses, schemeWords, standInResponse } from './losses'
import { byName, node, nonEmpty } from './node'
import { OldSchemas, writeOldXml } from './schemas'

export type OpenApiVersion = '3.0' | '3.1' | '3.2'
const full: Record<OpenApiVersion, string> = { '3.0': '3.0.3', '3.1': '3.1.0', '3.2': '3.2.0' }

/** Writes a contract as an OpenAPI document of values; what the version cannot hold is in `losses`. */
export function writeOpenApi(
  contract: Contract,
  version: OpenApiVersion,
): { document: Node; losses: Losses } {
  const writer = new OpenApiWriter(contract, version)
  return { document: writer.document(), losses: writer.losses }
}

class OpenApiWriter {
  readonly losses = new Losses()
  private readonly ids = new OperationIds(this.losses)
  private readonly old: OldSchemas | undefined
  private readonly shared = new SharedParts()
  readonly target: Target

  constructor(
    private readonly contract: Contract,
    private readonly version: OpenApiVersion,
  ) {
    this.target = `OpenAPI ${version}`
    this.old = version === '3.0' ? new OldSchemas('3.0', this.losses, contract.origins) : undefined
    for (const operation of [...contract.operations, ...contract.webhooks])
      this.shared.count(operation)
  }

  document(): Node {
    const { contract } = this
    const security = sameSecurity([...everyOperation(contract)])
    const paths = this.paths(contract.operations, security !== undefined)
    return node({
      openapi: full[this.version],
      info: this.info(),
      externalDocs: docsOf(this.losses, contract, ''),
      servers: nonEmpty(contract.servers.map((server) => this.server(server))),
      tags: nonEmpty(
        contract.tags.map((tag) => {
          const { name, description, extensions, summary, parent, kind } = supported(
            this,
            'tag',
            tag,
            tag.at,
          )
          const externalDocs = docsOf(this.losses, tag, tag.at)
          return node({ name, summary, description, parent, kind, externalDocs, ...extensions })
        }),
      ),
      security: nonEmpty(security ?? []),
      paths,
      webhooks: this.webhooks(security !== undefined),
      components: this.components(),
      ...contract.extensions,
    })
  }

  private info(): Node {
    const { contract } = this
    const { title, description } = contract
    const said = people(this.losses, contract)
    const { summary } = supported(this, 'info', contract, '/info')
    const license = contract.license && supported(this, 'info', contract.license, '/info')
    return node({
      title,
      version: versionOf(this.losses, contract),
      summary,
      description,
      ...said,
      license:
        license &&
        node({
          name: license.name,
          identifier: license.identifier,
          url: (said['license'] as Node)['url'],
        }),
    })
  }

  private server(server: Server): Node {
    const { url, name, description, variables, extensions } = supported(
      this,
      'server',
      server,
      server.at,
    )
    return node({
      url,
      name,
      description,
      variables: byName(variables, (variable) => [
        variable.name,
        node({
          default: variable.default,
          enum: variable.enum,
          description: variable.description,
        }),
      ]),
      ...extensions,
    })
  }

  private paths(operations: Operation[], secured: boolean): Node {
    const paths = table<Node>()
    const told = new Map(this.contract.paths.map((item) => [item.path, item]))
    const itemAt = (path: string) => {
      const { summary, description, extensions } = told.get(path) ?? {}
      return (paths[path] ??= node({ summary, description, ...extensions }))
    }
    for (const operation of operations) this.place(itemAt(operation.path), operation, secured)
    for (const path of told.keys()) itemAt(path)
    return paths
  }

  private place(item: Node, operation: Operation, secured: boolean): void {
    const { method } = operation
    const written = (methods as readonly string[]).includes(method)
    if (!written && this.version !== '3.2') {
      this.losses.whole(
        operation,
        operation.at,
        `${this.target} does not know the method ${method.toUpperCase()}: ${operationName(operation)} is left out`,
      )
      return
    }
    if (item[method] !== undefined) {
      this.losses.whole(
        operation,
        operation.at,
        `OpenAPI has one operation for a method and path: another ${operationName(operation)} is left out`,
      )
      return
    }
    if (written || method === 'query') item[method] = this.operation(operation, secured)
    else {
      const additional = (item['additionalOperations'] ??= {}) as Node
      additional[method] = this.operation(operation, secured)
    }
  }

  private webhooks(secured: boolean): Node | undefined {
    const { webhooks } = this.contract
    if (webhooks.length === 0) return undefined
    if (this.version === '3.0') {
      for (const hook of webhooks) {
        this.losses.whole(hook, hook.at, `OpenAPI 3.0 has no webhooks: ${hook.path} is left out`)
      }
      return undefined
    }
    const items = table<Node>()
    for (const hook of webhooks) this.place((items[hook.path] ??= {}), hook, secured)
    return items
  }

  private operation(operation: Operation, secured: boolean): Node {
    const {
      tags,
      summary,
      description,
      parameters,
      body,
      responses,
      callbacks,
      deprecated,
      security,
      servers,
      extensions,
    } = operation
    if (operation.soap) {
      this.losses.members(
        operation,
        ['soap', 'extensions'],
        'OpenAPI has no SOAP: action, style and headers are kept as x-soap only',
      )
    }
    return node({
      tags: nonEmpty(tags),
      summary,
      description,
      externalDocs: docsOf(this.losses, operation, operation.at),
      operationId: this.ids.of(operation),
      parameters: nonEmpty(parameters.flatMap((parameter) => this.sharedParameter(parameter))),
      requestBody:
        body &&
        node({
          description: body.description,
          content: this.content(body.content),
          required: body.required ? true : undefined,
          ...body.extensions,
        }),
      responses:
        responses.length === 0
          ? this.noResponses(operation)
          : Object.fromEntries(
              responses.map((response) => [response.status, this.sharedResponse(response)]),
            ),
      callbacks: this.callbacks(callbacks),
      deprecated: deprecated ? true : undefined,
      security: secured ? undefined : nonEmpty(security),
      servers: servers?.map((server) => this.server(server)),
      'x-soap': operation.soap,
      ...extensions,
    })
  }

  /** Before 3.1 an operation has to have a response. */
  private noResponses(operation: Operation): Node | undefined {
    return this.version === '3.0' ? standInResponse(operation, this.target, this.losses) : undefined
  }

  private sharedParameter(parameter: Parameter): Node[] {
    if (parameter.in === 'querystring' && this.version !== '3.2') {
      this.losses.whole(
        parameter,
        parameter.at,
        `${this.target} has no parameter for the whole query: "${parameter.name}" is left out`,
      )
      return []
    }
    return [this.shared.write('parameters', parameter, () => this.parameter(parameter))]
  }

  private parameter(parameter: Parameter): Node {
    const { name, in: place, allowReserved, allowEmptyValue } = parameter
    return {
      name,
      in: place,
      ...this.header(parameter),
      ...node({ allowReserved, allowEmptyValue }),
    }
  }

  private header(header: Header): Node {
    const {
      at,
      description,
      required,
      deprecated,
      schema,
      content,
      style,
      explode,
      examples,
      extensions,
    } = header
    return node({
      description,
      required: required ? true : undefined,
      deprecated: deprecated ? true : undefined,
      style,
      explode,
      schema: content
        ? undefined
        : this.schema(schema ?? {}, at, schema === undefined ? header : undefined),
      content: content && this.content(content),
      ...this.examples(examples),
      ...extensions,
    })
  }

  /** Where a parameter has no schema, one that says nothing stands in for it. */
  private schema(schema: Schema, at: Location, without?: Header): Schema {
    if (without)
      this.losses.member(
        without,
        'schema',
        'OpenAPI wants a schema here; one that allows anything stands in',
      )
    return this.old ? this.old.write(schema, at) : this.current(schema, at)
  }

  /**
   * A schema in JSON Schema 2020-12. Below an identifier, the contract's references would be resolved against it, and lead
   * nowhere; examples are a list; only 3.2 has node types.
   */
  private current(schema: Schema, at: Location): Schema {
    if (typeof schema === 'boolean') return schema
    const copy = mapSubschemas(schema, (inner) => this.current(inner, at))
    const { examples, xml } = copy
    if (examples !== undefined && !Array.isArray(examples)) {
      this.losses.memberAt(at, schema, 'examples', 'The examples of a schema are a list')
      Reflect.deleteProperty(copy, 'examples')
    }
    if (xml !== undefined)
      copy['xml'] = knownXml(xml, (member) =>
        this.losses.memberAt(at, schema, 'xml', `The XML object has no member "${member}"`),
      )
    if (this.version === '3.1' && isObject(copy['xml']) && 'nodeType' in copy['xml'])
      writeOldXml(copy, copy['xml'], () =>
        this.losses.memberAt(at, schema, 'xml', 'OpenAPI 3.1 has no node types'),
      )
    for (const keyword of identifiers) {
      if (copy[keyword] === undefined) continue
      const message = `"${keyword}" is not written: references go by the names of schemas here`
      this.losses.memberAt(at, schema, keyword, message)
      Reflect.deleteProperty(copy, keyword)
    }
    return copy
  }

  private examples(examples: Example[]): Node {
    if (examples.length === 0) return {}
    const [only] = examples
    const plain =
      only?.name === 'example' &&
      examples.length === 1 &&
      only.summary === undefined &&
      only.description === undefined &&
      only.externalValue === undefined
    if (plain) return { example: only.value }
    return {
      examples: Object.fromEntries(
        examples.map(({ name, summary, description, value, externalValue }) => [
          name,
          node({ summary, description, value, externalValue }),
        ]),
      ),
    }
  }

  private content(content: MediaType[]): Node {
    return Object.fromEntries(content.map((media) => [media.type, this.media(media)]))
  }

  private media(media: MediaType): Node {
    const { at, schema, itemSchema, examples, encoding, extensions } = supported(
      this,
      'mediaType',
      media,
      media.at,
    )
    return node({
      schema: schema === undefined ? undefined : this.schema(schema, at),
      itemSchema,
      ...this.examples(examples),
      encoding: byName(encoding, (item) => [item.property, this.encoding(item)]),
      ...extensions,
    })
  }

  private encoding({
    contentType,
    style,
    explode,
    allowReserved,
    headers,
    extensions,
  }: Encoding): Node {
    return node({
      contentType,
      headers: this.headers(headers),
      style,
      explode,
      allowReserved,
      ...extensions,
    })
  }

  private headers(headers: Header[]): Node | undefined {
    if (headers.length === 0) return undefined
    return Object.fromEntries(headers.map((header) => [header.name, this.header(header)]))
  }

  private sharedResponse(response: Response): Node {
    return this.shared.write('responses', response, () => this.response(response))
  }

  private response(response: Response): Node {
    const { summary, description, headers, content, links, extensions } = supported(
      this,
      'response',
      response,
      response.at,
    )
    if (this.version !== '3.2') {
      if (description === undefined) {
        this.losses.member(
          response,
          'description',
          `${this.target} wants a description here; an empty one stands in`,
        )
      }
    }
    return node({
      summary,
      description: this.version === '3.2' ? description : (description ?? ''),
      headers: this.headers(headers),
      content: content.length === 0 ? undefined : this.content(content),
      links: byName(links, (link) => [link.name, this.link(link)]),
      ...extensions,
    })
  }

  private link({
    operationId,
    operationRef,
    parameters,
    requestBody,
    description,
    extensions,
  }: Link): Node {
    return node({ operationId, operationRef, parameters, requestBody, description, ...extensions })
  }

  private callbacks(callbacks: Callback[]): Node | undefined {
    if (callbacks.length === 0) return undefined
    const byName = table<Node>()
    for (const { name, expression, operations } of callbacks) {
      const item: Node = {}
      for (const operation of operations) this.place(item, operation, false)
      byName[name] = { ...byName[name], [expression]: item }
    }
    return byName
  }

  private components(): Node | undefined {
    const { schemas, securitySchemes } = this.contract
    const components = node({
      schemas: byName(schemas, ({ name, schema, at }) => [name, this.schema(schema, at)]),
      ...this.shared.components(),
      securitySchemes: byName(securitySchemes, (scheme) => [
        scheme.name,
        this.securityScheme(scheme),
      ]),
    })
    return Object.keys(components).length > 0 ? components : undefined
  }

  private securityScheme(scheme: SecurityScheme): Node {
    const {
      type,
      description,
      in: place,
      parameterName,
      scheme: http,
      bearerFormat,
      flows,
      openIdConnectUrl,
      extensions,
    } = scheme
    const known = [
      'apiKey',
      'http',
      'oauth2',
      'openIdConnect',
      ...(this.version === '3.0' ? [] : ['mutualTLS']),
    ]
    if (!known.includes(type)) {
      this.losses.members(
        scheme,
        schemeWords,
        `${this.target} has no security scheme of the type "${type}"; "${scheme.name}" is written as a key in a header`,
      )
      return node({
        type: 'apiKey',
        in: 'header',
        name: 'Authorization',
        description,
        ...extensions,
      })
    }
    return node({
      type,
      description,
      in: place,
      name: parameterName,
      scheme: http,
      bearerFormat,
      flows:
        type === 'oauth2'
          ? Object.fromEntries(
              flows.flatMap((flow) => {
                const { kind, ...rest } = flow
                if (kind === 'deviceAuthorization' && this.version !== '3.2') {
                  this.losses.whole(flow, scheme.at, `${this.target} has no device flow`)
                  return []
                }
                return [[kind, rest]]
              }),
            )
          : undefined,
      openIdConnectUrl,
      ...extensions,
    })
  }
}

/** The one requirement that all operations share, if they do. */
function sameSecurity(operations: Operation[]): Operation['security'] | undefined {
  const [first] = operations
  if (!first || first.security.length === 0) return undefined
  const expected = JSON.stringify(first.security)
  return operations.every(({ security }) => JSON.stringify(security) === expected)
    ? first.security
    : undefined
}

/** Parts that several operations share are written once, as components. */
class SharedParts {
  private readonly uses = new Map<object, number>()
  private readonly names = new Map<object, string>()
  private readonly written: Record<'parameters' | 'responses', Node> = {
    parameters: {},
    responses: {},
  }

  count(operation: Operation): void {
    for (const part of [...operation.parameters, ...operation.responses]) {
      this.uses.set(part, (this.uses.get(part) ?? 0) + 1)
    }
  }

  write(kind: 'parameters' | 'responses', part: Parameter | Response, build: () => Node): Node {
    if ((this.uses.get(part) ?? 0) < 2) return build()
    let name = this.names.get(part)
    if (name === undefined) {
      name = this.freeName(kind, part)
      this.names.set(part, name)
      this.written[kind][name] = build()
    }
    return { $ref: `#/components/${kind}/${name}` }
  }

  private freeName(kind: 'parameters' | 'responses', part: Parameter | Response): string {
    const last = segmentsOf(partsOf(part.at).pointer).at(-1) ?? ''
    const said = /^\d*$|\[/.test(last)
      ? 'name' in part
        ? part.name
        : `Response${part.status}`
      : last
    const base = said.replace(/[^A-Za-z0-9._-]+/g, '_') || 'Part'
    return freeName(base, (name) => Object.hasOwn(this.written[kind], name))
  }

  components(): Node {
    return node({
      parameters:
        Object.keys(this.written.parameters).length > 0 ? this.written.parameters : undefined,
      responses:
        Object.keys(this.written.responses).length > 0 ? this.written.responses : undefined,
    })
  }
}
