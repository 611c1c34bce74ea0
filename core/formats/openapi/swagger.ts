import {
  methods,
  type Body,
  type Contract,
  type Flow,
  type Header,
  type MediaType,
  type Operation,
  type Parameter,
  type PathItem,
  type Response,
  type SchemaObject,
  type SecurityRequirement,
  type SecurityScheme,
  type Server,
} from '../../contract/model'
import type { Location } from '../../text/location'
import { pointerStep } from '../../text/pointer'
import { compact, isObject, namesOf, none, textOf, type Node, table } from '../../text/values'
import { Builder, extensionsOf, type At } from './builder'
import { simpleKeywords } from './shapes'
import { modernise } from './walk'

const flowKinds = table<Flow['kind']>({
  implicit: 'implicit',
  password: 'password',
  application: 'clientCredentials',
  accessCode: 'authorizationCode',
})

interface Defaults {
  consumes: string[]
  produces: string[]
  security: SecurityRequirement[]
}

/** Builds the contract of a Swagger 2.0 document (Swagger 2.0 Specification, "Swagger Object"). */
export class SwaggerBuilder extends Builder {
  private readonly paths: PathItem[] = []
  /** Where parameters are that became properties of a form. */
  private readonly origins = new Map<SchemaObject, Location>()

  build(): Contract {
    const { root } = this
    const defaults: Defaults = {
      consumes: namesOf(root['consumes']),
      produces: namesOf(root['produces']),
      security: this.security(root['security']) ?? [],
    }
    const operations = this.entries(root['paths'], '/paths', (path, item, at) =>
      path.startsWith('x-') ? undefined : this.pathOperations(path, item, at, defaults),
    ).flat()
    return compact({
      format: { name: 'Swagger', version: String(root['swagger']) },
      ...this.info(),
      externalDocs: this.externalDocs(root['externalDocs']),
      servers: this.servers(),
      tags: this.tags(),
      paths: this.paths,
      operations,
      webhooks: [],
      schemas: [
        ...this.namedSchemas(root['definitions'], '/definitions'),
        ...this.references.undeclared,
      ],
      securitySchemes: this.entries(
        root['securityDefinitions'],
        '/securityDefinitions',
        (name, node, at) => this.securityScheme(name, node, at),
      ),
      extensions: extensionsOf(root),
      origins: this.origins.size > 0 ? this.origins : undefined,
    }) satisfies Contract
  }

  private servers(): Server[] {
    const host = textOf(this.root['host'])
    const basePath = textOf(this.root['basePath']) ?? ''
    const schemes = namesOf(this.root['schemes'])
    if (host === undefined && basePath === '') return []
    const at = host === undefined ? '/basePath' : '/host'
    if (host === undefined) return [{ at, url: basePath, variables: [] }]
    return (schemes.length > 0 ? schemes : ['https']).map((scheme) => ({
      at,
      url: `${scheme}://${host}${basePath}`,
      variables: [],
    }))
  }

  private pathOperations(path: string, value: Node, at: Location, defaults: Defaults): Operation[] {
    const told = this.pathItem(path, value, at)
    if (told) this.paths.push(told)
    const shared = this.written(value['parameters'], pointerStep(at, 'parameters'))
    return methods.flatMap((method) => {
      const node = value[method]
      return isObject(node)
        ? [this.operation(method, path, node, pointerStep(at, method), shared, defaults)]
        : []
    })
  }

  private operation(
    method: string,
    path: string,
    node: Node,
    at: Location,
    shared: At[],
    defaults: Defaults,
  ): Operation {
    const own = this.written(node['parameters'], pointerStep(at, 'parameters'))
    const isOwn = ({ value }: At) =>
      own.some((o) => o.value['name'] === value['name'] && o.value['in'] === value['in'])
    const all = [...shared.filter((parameter) => !isOwn(parameter)), ...own]
    const consumes = Array.isArray(node['consumes']) ? namesOf(node['consumes']) : defaults.consumes
    const produces = Array.isArray(node['produces']) ? namesOf(node['produces']) : defaults.produces
    return compact({
      at,
      method,
      path,
      ...this.aboutOperation(node),
      parameters: all.filter(({ value }) => !inBody(value)).map((item) => this.parameter(item)),
      body: this.body(
        all.filter(({ value }) => inBody(value)),
        consumes,
      ),
      responses: this.responses(node['responses'], pointerStep(at, 'responses'), produces),
      callbacks: none,
      security: this.security(node['security']) ?? defaults.security,
    })
  }

  /** Parameters as they are written: those in a body become no parameters. */
  private written(value: unknown, at: Location): At[] {
    return this.list(value, at, (node, here) => ({ value: node, at: here }))
  }

  private parameter({ value: node, at }: At): Parameter {
    return compact({
      ...this.header(textOf(node['name']) ?? '', node, at),
      in: textOf(node['in']) ?? '',
      allowEmptyValue:
        typeof node['allowEmptyValue'] === 'boolean' ? node['allowEmptyValue'] : undefined,
    })
  }

  private header(name: string, node: Node, at: Location): Header {
    return compact({
      at,
      name,
      required: node['required'] === true,
      deprecated: false,
      description: textOf(node['description']),
      schema: simpleSchema(node),
      ...collection(node),
      examples: none,
      extensions: extensionsOf(node),
    })
  }

  private body(parameters: At[], consumes: string[]): Body | undefined {
    const whole = parameters.find(({ value }) => value['in'] === 'body')
    if (whole) {
      const { value: node, at } = whole
      const schema = this.schema(node['schema'])
      return compact({
        at,
        required: node['required'] === true,
        description: textOf(node['description']),
        content: typesOr(consumes, 'application/json').map((type) => mediaType(type, at, schema)),
        extensions: named(node),
      })
    }
    if (parameters.length === 0) return undefined
    const { at } = parameters[0]!
    const properties: Record<string, SchemaObject> = {}
    const required: string[] = []
    let hasFile = false
    for (const { value: node, at: written } of parameters) {
      const name = textOf(node['name']) ?? ''
      hasFile ||= node['type'] === 'file'
      const property = compact({
        ...simpleSchema(node),
        description: textOf(node['description']),
      })
      properties[name] = property
      this.origins.set(property, written)
      if (node['required'] === true) required.push(name)
    }
    const schema: SchemaObject = { type: 'object', properties }
    if (required.length > 0) schema['required'] = required
    const forms = consumes.filter((type) => type.includes('form'))
    const type = hasFile ? 'multipart/form-data' : 'application/x-www-form-urlencoded'
    return {
      at,
      required: required.length > 0,
      content: typesOr(forms, type).map((form) => mediaType(form, at, schema)),
    }
  }

  private responses(value: unknown, at: Location, produces: string[]): Response[] {
    return this.entries(value, at, (status, node, here): Response | undefined => {
      if (status.startsWith('x-')) return undefined
      return compact({
        at: here,
        status,
        description: textOf(node['description']),
        headers: this.entries(
          node['headers'],
          pointerStep(here, 'headers'),
          (name, header, headerAt) => this.header(name, header, headerAt),
        ),
        content: this.content(node, here, produces),
        links: none,
        extensions: extensionsOf(node),
      })
    })
  }

  private content(node: Node, at: Location, produces: string[]): MediaType[] {
    const schema = this.schema(node['schema'])
    const examples = isObject(node['examples']) ? node['examples'] : {}
    const types = schema === undefined ? [] : typesOr(produces, 'application/json')
    const all = new Set([...types, ...Object.keys(examples)])
    return [...all].map((type) => {
      const media = mediaType(type, at, schema)
      const value = examples[type]
      return value === undefined ? media : { ...media, examples: [{ name: 'example', value }] }
    })
  }

  private securityScheme(name: string, node: Node, at: Location): SecurityScheme {
    const common = {
      at,
      name,
      description: textOf(node['description']),
      extensions: extensionsOf(node),
    }
    if (node['type'] === 'basic')
      return compact({ ...common, type: 'http', scheme: 'basic', flows: [] })
    if (node['type'] !== 'oauth2') {
      return compact({
        ...common,
        type: textOf(node['type']) ?? '',
        in: textOf(node['in']),
        parameterName: textOf(node['name']),
        flows: [],
      })
    }
    const scopes = isObject(node['scopes']) ? node['scopes'] : {}
    const flow: Flow = compact({
      kind: flowKinds[textOf(node['flow']) ?? ''] ?? 'implicit',
      authorizationUrl: textOf(node['authorizationUrl']),
      tokenUrl: textOf(node['tokenUrl']),
      scopes: Object.fromEntries(
        Object.entries(scopes)
          .filter(([scope]) => !scope.startsWith('x-'))
          .map(([scope, text]) => [scope, textOf(text) ?? '']),
      ),
    })
    return compact({ ...common, type: 'oauth2', flows: [flow] })
  }
}

const inBody = (node: Node) => node['in'] === 'body' || node['in'] === 'formData'
const typesOr = (types: string[], otherwise: string) => (types.length > 0 ? types : [otherwise])
const mediaType = (type: string, at: Location, schema: MediaType['schema']): MediaType =>
  compact({ at, type, schema, examples: none, encoding: none })

/** The name of a body parameter means nothing on the wire, but its author chose it. */
function named(node: Node) {
  const extensions = extensionsOf(node)
  const name = textOf(node['name']) ?? 'body'
  return name === 'body' ? extensions : { ...extensions, 'x-body-name': name }
}

/** The schema that a parameter, header or item of Swagger 2.0 spells out in its own fields. */
function simpleSchema(node: Node): SchemaObject {
  const schema: SchemaObject = {}
  for (const keyword of simpleKeywords)
    if (node[keyword] !== undefined) schema[keyword] = node[keyword]
  if (isObject(schema['items'])) schema['items'] = simpleSchema(schema['items'])
  if (schema['type'] === 'file') Object.assign(schema, { type: 'string', format: 'binary' })
  modernise(schema)
  return schema
}

/** A collection format as style and explode (OpenAPI 3.0, section 4.7.12.3). */
function collection(node: Node): Pick<Header, 'style' | 'explode'> {
  if (node['type'] !== 'array') return {}
  const place = node['in']
  switch (node['collectionFormat']) {
    case 'multi':
      return { style: 'form', explode: true }
    case 'ssv':
      return { style: 'spaceDelimited', explode: false }
    case 'pipes':
      return { style: 'pipeDelimited', explode: false }
    case 'tsv':
      return { style: 'tabDelimited', explode: false }
    default:
      return { style: place === 'query' ? 'form' : 'simple', explode: false }
  }
}
