import {
  methods,
  type Body,
  type Callback,
  type Contract,
  type Encoding,
  type Flow,
  type Header,
  type Link,
  type MediaType,
  type Operation,
  type Parameter,
  type PathItem,
  type Response,
  type SecurityRequirement,
  type SecurityScheme,
  type Server,
} from '../../contract/model'
import { overridden } from '../../contract/parts'
import type { Location } from '../../text/location'
import { pointerStep } from '../../text/pointer'
import { compact, isObject, namesOf, textOf, type Node } from '../../text/values'
import { Builder, extensionsOf } from './builder'

const flag = (value: unknown): boolean | undefined =>
  typeof value === 'boolean' ? value : undefined

const allMethods = [...methods, 'query']

/** Builds the contract of an OpenAPI 3.0, 3.1 or 3.2 document (OpenAPI Specification, "OpenAPI Object"). */
export class OpenApiBuilder extends Builder {
  private readonly paths: PathItem[] = []
  /** What several operations share by reference is one part of the contract. */
  private readonly builtParameters = new Map<Node, Parameter>()
  private readonly builtResponses = new Map<Node, Response>()

  build(): Contract {
    const { root } = this
    const security = this.security(root['security']) ?? []
    const components = this.node(root['components'], '/components')
    const operations = this.entries(root['paths'], '/paths', (path, item, at) =>
      path.startsWith('x-') ? undefined : this.pathOperations(path, item, at, security),
    ).flat()
    return compact({
      format: { name: 'OpenAPI', version: String(root['openapi']) },
      ...this.info(),
      externalDocs: this.externalDocs(root['externalDocs']),
      servers: this.servers(root['servers'], '/servers'),
      tags: this.tags(),
      paths: this.paths,
      operations,
      webhooks: this.entries(root['webhooks'], '/webhooks', (name, item, at) =>
        this.pathOperations(name, item, at, security),
      ).flat(),
      schemas: [
        ...this.namedSchemas(components['schemas'], '/components/schemas'),
        ...this.references.undeclared,
      ],
      securitySchemes: this.entries(
        components['securitySchemes'],
        '/components/securitySchemes',
        (name, node, at) => this.securityScheme(name, node, at),
      ),
      extensions: extensionsOf(root),
    }) satisfies Contract
  }

  private servers(value: unknown, at: Location): Server[] {
    return this.list(value, at, (server, here) =>
      compact({
        at: here,
        url: textOf(server['url']) ?? '',
        name: textOf(server['name']),
        description: textOf(server['description']),
        variables: this.entries(
          server['variables'],
          pointerStep(here, 'variables'),
          (name, variable) =>
            compact({
              name,
              default: textOf(variable['default']) ?? '',
              enum: Array.isArray(variable['enum']) ? namesOf(variable['enum']) : undefined,
              description: textOf(variable['description']),
            }),
        ),
        extensions: extensionsOf(server),
      }),
    )
  }

  private pathOperations(
    path: string,
    value: Node,
    at: Location,
    security: SecurityRequirement[],
  ): Operation[] {
    const told = this.pathItem(path, value, at)
    if (told && path.startsWith('/')) this.paths.push(told)
    const shared = this.parameters(value['parameters'], pointerStep(at, 'parameters'))
    const servers =
      value['servers'] === undefined
        ? undefined
        : this.servers(value['servers'], pointerStep(at, 'servers'))
    const common = { shared, servers, security }
    const found: Operation[] = []
    for (const method of allMethods) {
      const node = value[method]
      if (isObject(node))
        found.push(this.operation(method, path, node, pointerStep(at, method), common))
    }
    const additional = value['additionalOperations']
    if (isObject(additional)) {
      const here = pointerStep(at, 'additionalOperations')
      for (const [method, node] of Object.entries(additional)) {
        if (isObject(node))
          found.push(this.operation(method, path, node, pointerStep(here, method), common))
      }
    }
    return found
  }

  private operation(
    method: string,
    path: string,
    node: Node,
    at: Location,
    common: { shared: Parameter[]; servers: Server[] | undefined; security: SecurityRequirement[] },
  ): Operation {
    const own = this.parameters(node['parameters'], pointerStep(at, 'parameters'))
    const parameters = own.length === 0 ? common.shared : overridden(common.shared, own)
    return compact({
      at,
      method,
      path,
      ...this.aboutOperation(node),
      parameters,
      body: this.body(node['requestBody'], pointerStep(at, 'requestBody')),
      responses: this.responses(node['responses'], pointerStep(at, 'responses')),
      callbacks: this.callbacks(node['callbacks'], pointerStep(at, 'callbacks'), common.security),
      servers:
        node['servers'] === undefined
          ? common.servers
          : this.servers(node['servers'], pointerStep(at, 'servers')),
      security: this.security(node['security']) ?? common.security,
    })
  }

  private parameters(value: unknown, at: Location): Parameter[] {
    return this.list(value, at, (node, here) => {
      const known = this.builtParameters.get(node)
      if (known) return known
      const header = this.header(textOf(node['name']) ?? '', node, here)
      const parameter: Parameter = Object.assign(header, { in: textOf(node['in']) ?? '' })
      const allowReserved = flag(node['allowReserved'])
      if (allowReserved !== undefined) parameter.allowReserved = allowReserved
      const allowEmptyValue = flag(node['allowEmptyValue'])
      if (allowEmptyValue !== undefined) parameter.allowEmptyValue = allowEmptyValue
      this.builtParameters.set(node, parameter)
      return parameter
    })
  }

  private header(name: string, node: Node, at: Location): Header {
    return compact({
      at,
      name,
      required: node['required'] === true,
      deprecated: node['deprecated'] === true,
      description: textOf(node['description']),
      schema: this.schema(node['schema']),
      content:
        node['content'] === undefined
          ? undefined
          : this.content(node['content'], pointerStep(at, 'content')),
      style: textOf(node['style']),
      explode: flag(node['explode']),
      examples: this.examples(node, at),
      extensions: extensionsOf(node),
    })
  }

  private headers(value: unknown, at: Location): Header[] {
    return this.entries(value, at, (name, node, here) => this.header(name, node, here))
  }

  private body(value: unknown, at: Location): Body | undefined {
    if (value === undefined) return undefined
    const target = this.resolved(value, at)
    if (!target) return undefined
    const { value: node } = target
    return compact({
      at: target.at,
      required: node['required'] === true,
      description: textOf(node['description']),
      content: this.content(node['content'], pointerStep(target.at, 'content')),
      extensions: extensionsOf(node),
    })
  }

  private responses(value: unknown, at: Location): Response[] {
    return this.entries(value, at, (status, node, here) => {
      if (status.startsWith('x-')) return undefined
      const known = this.builtResponses.get(node)
      if (known?.status === status) return known
      const response: Response = compact({
        at: here,
        status,
        summary: textOf(node['summary']),
        description: textOf(node['description']),
        headers: this.headers(node['headers'], pointerStep(here, 'headers')),
        content: this.content(node['content'], pointerStep(here, 'content')),
        links: this.links(node['links'], pointerStep(here, 'links')),
        extensions: extensionsOf(node),
      })
      this.builtResponses.set(node, response)
      return response
    })
  }

  private content(value: unknown, at: Location): MediaType[] {
    return this.entries(value, at, (type, node, here) =>
      compact({
        at: here,
        type,
        schema: this.schema(node['schema']),
        itemSchema: this.schema(node['itemSchema']),
        examples: this.examples(node, here),
        encoding: this.encoding(node['encoding'], pointerStep(here, 'encoding')),
        extensions: extensionsOf(node),
      }),
    )
  }

  private encoding(value: unknown, at: Location): Encoding[] {
    return this.entries(value, at, (property, node, here) =>
      compact({
        at: here,
        property,
        contentType: textOf(node['contentType']),
        style: textOf(node['style']),
        explode: flag(node['explode']),
        allowReserved: flag(node['allowReserved']),
        headers: this.headers(node['headers'], pointerStep(here, 'headers')),
        extensions: extensionsOf(node),
      }),
    )
  }

  private links(value: unknown, at: Location): Link[] {
    return this.entries(value, at, (name, node, here) =>
      compact({
        at: here,
        name,
        operationId: textOf(node['operationId']),
        operationRef: textOf(node['operationRef']),
        parameters: isObject(node['parameters']) ? node['parameters'] : undefined,
        requestBody: node['requestBody'],
        description: textOf(node['description']),
        extensions: extensionsOf(node),
      }),
    )
  }

  private readonly openCallbacks = new Set<Location>()

  /** A callback that reaches itself again is left where it would begin anew. */
  private callbacks(value: unknown, at: Location, security: SecurityRequirement[]): Callback[] {
    return this.entries(value, at, (name, node, here) => {
      if (this.openCallbacks.has(here)) return undefined
      this.openCallbacks.add(here)
      const found = this.entries(node, here, (expression, item, itemAt) => {
        if (expression.startsWith('x-')) return undefined
        const operations = this.pathOperations(expression, item, itemAt, security)
        return { at: here, name, expression, operations }
      })
      this.openCallbacks.delete(here)
      return found
    }).flat()
  }

  private securityScheme(name: string, node: Node, at: Location): SecurityScheme {
    const flows = this.node(node['flows'], pointerStep(at, 'flows'))
    return compact({
      at,
      name,
      type: textOf(node['type']) ?? '',
      description: textOf(node['description']),
      in: textOf(node['in']),
      parameterName: textOf(node['name']),
      scheme: textOf(node['scheme']),
      bearerFormat: textOf(node['bearerFormat']),
      openIdConnectUrl: textOf(node['openIdConnectUrl']),
      flows: Object.entries(flows)
        .filter(([kind, flow]) => !kind.startsWith('x-') && isObject(flow))
        .map(([kind, flow]) => flowOf(kind as Flow['kind'], flow as Node)),
      extensions: extensionsOf(node),
    })
  }
}

function flowOf(kind: Flow['kind'], node: Node): Flow {
  const scopes = isObject(node['scopes']) ? node['scopes'] : {}
  return compact({
    kind,
    authorizationUrl: textOf(node['authorizationUrl']),
    tokenUrl: textOf(node['tokenUrl']),
    deviceAuthorizationUrl: textOf(node['deviceAuthorizationUrl']),
    refreshUrl: textOf(node['refreshUrl']),
    scopes: Object.fromEntries(
      Object.entries(scopes).map(([name, text]) => [name, textOf(text) ?? '']),
    ),
  })
}
