/**
 * What the OpenAPI and Swagger specifications say about the objects of a document, as tables: the fields of each, their
 * types, and which must be there. `name!` is required; `[x]` is a list of x, `{x}` a map with values x.
 */

import { table } from '../../text/values'
import { methods } from '../../contract/model'
import type { Node } from '../../text/values'

export type Type =
  | { kind: 'text' | 'flag' | 'number' | 'any' | 'schema' }
  | { kind: 'list' | 'map'; of: Type }
  | { kind: 'object'; shape: Shape }

/** One object of the specification; `also` gives the type of fields that are named by the document's author. */
export interface Shape {
  title: string
  fields: Map<string, Type>
  required: string[]
  also?: (key: string) => Type | undefined
  /** What a name that fits neither is called in a problem. */
  otherwise?: string
  /** What a field with such a name was probably meant to be. */
  meant?: Type
  /** Whether a Reference Object may stand in its place. */
  referable: boolean
  check?: Check
}

/** A condition a table cannot say; `report` names the field it is about. */
export type Check = (node: Node, report: (field: string, message: string) => void) => void

type Fields = Record<string, string>
interface ShapeText {
  fields: Fields
  referable?: boolean
  also?: (key: string) => string | undefined
  otherwise?: string
  meant?: string
  check?: Check
}

/** A specification's root shape by name: `OpenAPI` or `Swagger`. */
function compile(texts: Record<string, ShapeText>): Map<string, Shape> {
  const shapes = new Map<string, Shape>()
  const typeOf = (text: string): Type => {
    if (text.startsWith('[')) return { kind: 'list', of: typeOf(text.slice(1, -1)) }
    if (text.startsWith('{')) return { kind: 'map', of: typeOf(text.slice(1, -1)) }
    if (/^(text|flag|number|any|schema)$/.test(text)) return { kind: text as 'text' }
    return { kind: 'object', shape: shapeOf(text) }
  }
  const shapeOf = (title: string): Shape => {
    const known = shapes.get(title)
    if (known) return known
    const { fields, also, otherwise, meant, referable = false, check } = texts[title]!
    const shape: Shape = { title, fields: new Map(), required: [], referable }
    shapes.set(title, shape)
    for (const [key, type] of Object.entries(fields)) {
      const required = key.endsWith('!')
      const name = required ? key.slice(0, -1) : key
      shape.fields.set(name, typeOf(type))
      if (required) shape.required.push(name)
    }
    if (also) {
      const types = new Map<string, Type>()
      shape.also = (key) => {
        const text = also(key)
        if (text === undefined) return undefined
        let type = types.get(text)
        if (!type) types.set(text, (type = typeOf(text)))
        return type
      }
    }
    if (otherwise) shape.otherwise = otherwise
    if (meant) shape.meant = typeOf(meant)
    if (check) shape.check = check
    return shape
  }
  for (const title of Object.keys(texts)) shapeOf(title)
  return shapes
}

const oneOf = (field: string, allowed: string[]): Check => {
  const names = `${allowed.slice(0, -1).join(', ')} or ${allowed.at(-1)}`
  return (node, report) => {
    const value = node[field]
    if (typeof value === 'string' && !allowed.includes(value)) {
      report(field, `"${field}" is ${names}, not "${value}"`)
    }
  }
}

const all =
  (...checks: Check[]): Check =>
  (node, report) => {
    for (const check of checks) check(node, report)
  }

const pathIsRequired: Check = (node, report) => {
  if (node['in'] === 'path' && node['required'] !== true) {
    report('required', `The path parameter "${String(node['name'])}" needs "required: true"`)
  }
}

const needs = (
  node: Node,
  report: (field: string, message: string) => void,
  what: string,
  fields: string[],
) => {
  for (const field of fields) {
    if (node[field] === undefined) report(field, `${what} needs "${field}"`)
  }
}

const schemaOrContent: Check = (node, report) => {
  if (node['schema'] === undefined && node['content'] === undefined) {
    report('', 'A parameter or header needs "schema" or "content"')
  }
}

const operations = (names: readonly string[]): Fields =>
  Object.fromEntries(names.map((name) => [name, 'Operation']))

const byPath = (key: string) => (key.startsWith('/') ? 'PathItem' : undefined)
const header: Fields = {
  description: 'text',
  required: 'flag',
  deprecated: 'flag',
  allowEmptyValue: 'flag',
  style: 'text',
  explode: 'flag',
  allowReserved: 'flag',
  schema: 'schema',
  example: 'any',
  examples: '{Example}',
  content: '{MediaType}',
}
const shared: Record<string, ShapeText> = {
  Contact: { fields: { name: 'text', url: 'text', email: 'text' } },
  ExternalDocs: { fields: { description: 'text', 'url!': 'text' } },
  SecurityRequirement: { fields: {}, also: () => '[text]' },
  Paths: {
    fields: {},
    also: byPath,
    otherwise: 'does not begin with a slash, as a path must',
    meant: 'PathItem',
  },
}
const info: Fields = {
  'title!': 'text',
  description: 'text',
  termsOfService: 'text',
  contact: 'Contact',
  license: 'License',
  'version!': 'text',
}

const schemeNeeds = table<string[]>({
  apiKey: ['name', 'in'],
  http: ['scheme'],
  oauth2: ['flows'],
  openIdConnect: ['openIdConnectUrl'],
})

const openapi30: Record<string, ShapeText> = {
  ...shared,
  OpenAPI: {
    fields: {
      'openapi!': 'text',
      'info!': 'Info',
      servers: '[Server]',
      'paths!': 'Paths',
      components: 'Components',
      security: '[SecurityRequirement]',
      tags: '[Tag]',
      externalDocs: 'ExternalDocs',
    },
  },
  Info: { fields: info },
  License: { fields: { 'name!': 'text', url: 'text' } },
  Server: { fields: { 'url!': 'text', description: 'text', variables: '{ServerVariable}' } },
  ServerVariable: { fields: { enum: '[text]', 'default!': 'text', description: 'text' } },
  Components: {
    fields: {
      schemas: '{schema}',
      responses: '{Response}',
      parameters: '{Parameter}',
      examples: '{Example}',
      requestBodies: '{RequestBody}',
      headers: '{Header}',
      securitySchemes: '{SecurityScheme}',
      links: '{Link}',
      callbacks: '{Callback}',
    },
  },
  PathItem: {
    fields: {
      $ref: 'text',
      summary: 'text',
      description: 'text',
      ...operations(methods),
      servers: '[Server]',
      parameters: '[Parameter]',
    },
  },
  Operation: {
    fields: {
      tags: '[text]',
      summary: 'text',
      description: 'text',
      externalDocs: 'ExternalDocs',
      operationId: 'text',
      parameters: '[Parameter]',
      requestBody: 'RequestBody',
      'responses!': 'Responses',
      callbacks: '{Callback}',
      deprecated: 'flag',
      security: '[SecurityRequirement]',
      servers: '[Server]',
    },
  },
  Parameter: {
    referable: true,
    fields: { 'name!': 'text', 'in!': 'text', ...header },
    check: all(oneOf('in', ['path', 'query', 'header', 'cookie']), pathIsRequired, schemaOrContent),
  },
  Header: { referable: true, fields: header, check: schemaOrContent },
  RequestBody: {
    referable: true,
    fields: { description: 'text', 'content!': '{MediaType}', required: 'flag' },
  },
  MediaType: {
    fields: { schema: 'schema', example: 'any', examples: '{Example}', encoding: '{Encoding}' },
  },
  Encoding: {
    fields: {
      contentType: 'text',
      headers: '{Header}',
      style: 'text',
      explode: 'flag',
      allowReserved: 'flag',
    },
  },
  Responses: {
    fields: { default: 'Response' },
    also: (key) => (/^[1-5](\d\d|XX)$/.test(key) ? 'Response' : undefined),
    otherwise: 'is not a status code, a range like 4XX, or "default"',
    meant: 'Response',
  },
  Response: {
    referable: true,
    fields: {
      'description!': 'text',
      headers: '{Header}',
      content: '{MediaType}',
      links: '{Link}',
    },
  },
  Callback: { referable: true, fields: {}, also: () => 'PathItem' },
  Example: {
    referable: true,
    fields: { summary: 'text', description: 'text', value: 'any', externalValue: 'text' },
  },
  Link: {
    referable: true,
    fields: {
      operationRef: 'text',
      operationId: 'text',
      parameters: '{any}',
      requestBody: 'any',
      description: 'text',
      server: 'Server',
    },
  },
  Tag: { fields: { 'name!': 'text', description: 'text', externalDocs: 'ExternalDocs' } },
  SecurityScheme: {
    referable: true,
    fields: {
      'type!': 'text',
      description: 'text',
      name: 'text',
      in: 'text',
      scheme: 'text',
      bearerFormat: 'text',
      flows: 'Flows',
      openIdConnectUrl: 'text',
    },
    check: all(oneOf('type', ['apiKey', 'http', 'oauth2', 'openIdConnect']), (node, report) => {
      const type = String(node['type'])
      needs(node, report, `A scheme of type ${type}`, schemeNeeds[type] ?? [])
    }),
  },
  Flows: {
    fields: {
      implicit: 'Flow',
      password: 'Flow',
      clientCredentials: 'Flow',
      authorizationCode: 'Flow',
    },
  },
  Flow: {
    fields: { authorizationUrl: 'text', tokenUrl: 'text', refreshUrl: 'text', 'scopes!': '{text}' },
  },
}

/** A specification that adds to another: fields are added, and those named here replace. */
function extend(
  base: Record<string, ShapeText>,
  changes: Record<string, Partial<ShapeText>>,
  loosened: Record<string, string[]> = {},
): Record<string, ShapeText> {
  const result = { ...base }
  for (const [title, change] of Object.entries(changes)) {
    const before = result[title] ?? { fields: {} }
    result[title] = { ...before, ...change, fields: { ...before.fields, ...change.fields } }
  }
  for (const [title, names] of Object.entries(loosened)) {
    const { fields, ...rest } = result[title]!
    result[title] = {
      ...rest,
      fields: Object.fromEntries(
        Object.entries(fields).map(([key, type]) => [
          names.some((name) => key === `${name}!`) ? key.slice(0, -1) : key,
          type,
        ]),
      ),
    }
  }
  return result
}

const openapi31 = extend(
  openapi30,
  {
    OpenAPI: {
      fields: { webhooks: '{PathItem}', jsonSchemaDialect: 'text' },
      check: (node, report) => {
        if (['paths', 'components', 'webhooks'].every((field) => node[field] === undefined)) {
          report('', 'The document needs "paths", "components" or "webhooks"')
        }
      },
    },
    Info: { fields: { summary: 'text' } },
    License: { fields: { identifier: 'text' } },
    Components: { fields: { pathItems: '{PathItem}' } },
    SecurityScheme: {
      check: all(
        oneOf('type', ['apiKey', 'http', 'mutualTLS', 'oauth2', 'openIdConnect']),
        (node, report) => {
          const type = String(node['type'])
          needs(node, report, `A scheme of type ${type}`, schemeNeeds[type] ?? [])
        },
      ),
    },
  },
  { OpenAPI: ['paths'], Operation: ['responses'] },
)

const openapi32 = extend(
  openapi31,
  {
    OpenAPI: { fields: { $self: 'text' } },
    Server: { fields: { name: 'text' } },
    PathItem: { fields: { query: 'Operation', additionalOperations: '{Operation}' } },
    Components: { fields: { mediaTypes: '{MediaType}' } },
    MediaType: {
      referable: true,
      fields: { itemSchema: 'schema', prefixEncoding: '[Encoding]', itemEncoding: 'Encoding' },
    },
    Encoding: {
      fields: { encoding: '{Encoding}', prefixEncoding: '[Encoding]', itemEncoding: 'Encoding' },
    },
    Parameter: {
      check: all(
        oneOf('in', ['path', 'query', 'querystring', 'header', 'cookie']),
        pathIsRequired,
        schemaOrContent,
      ),
    },
    Response: { fields: { summary: 'text' } },
    Example: { fields: { dataValue: 'any', serializedValue: 'text' } },
    Tag: { fields: { summary: 'text', parent: 'text', kind: 'text' } },
    SecurityScheme: { fields: { oauth2MetadataUrl: 'text', deprecated: 'flag' } },
    Flows: { fields: { deviceAuthorization: 'Flow' } },
    Flow: { fields: { deviceAuthorizationUrl: 'text' } },
  },
  { Response: ['description'] },
)

/** The parts of JSON Schema that Swagger 2.0 lets a parameter, header or item have. */
export const simpleKeywords = [
  'type',
  'format',
  'items',
  'default',
  'maximum',
  'exclusiveMaximum',
  'minimum',
  'exclusiveMinimum',
  'maxLength',
  'minLength',
  'pattern',
  'maxItems',
  'minItems',
  'uniqueItems',
  'enum',
  'multipleOf',
] as const

const simple: Fields = Object.fromEntries(
  [...simpleKeywords, 'collectionFormat'].map((keyword) => [keyword, 'any']),
)

const swagger20: Record<string, ShapeText> = {
  ...shared,
  Swagger: {
    fields: {
      'swagger!': 'text',
      'info!': 'Info',
      host: 'text',
      basePath: 'text',
      schemes: '[text]',
      consumes: '[text]',
      produces: '[text]',
      'paths!': 'Paths',
      definitions: '{schema}',
      parameters: '{Parameter}',
      responses: '{Response}',
      securityDefinitions: '{SecurityScheme}',
      security: '[SecurityRequirement]',
      tags: '[Tag]',
      externalDocs: 'ExternalDocs',
    },
  },
  Info: { fields: info },
  License: { fields: { 'name!': 'text', url: 'text' } },
  PathItem: {
    fields: {
      $ref: 'text',
      ...operations(methods.filter((method) => method !== 'trace')),
      parameters: '[Parameter]',
    },
  },
  Operation: {
    fields: {
      tags: '[text]',
      summary: 'text',
      description: 'text',
      externalDocs: 'ExternalDocs',
      operationId: 'text',
      consumes: '[text]',
      produces: '[text]',
      parameters: '[Parameter]',
      'responses!': 'Responses',
      schemes: '[text]',
      deprecated: 'flag',
      security: '[SecurityRequirement]',
    },
  },
  Parameter: {
    referable: true,
    fields: {
      'name!': 'text',
      'in!': 'text',
      description: 'text',
      required: 'flag',
      allowEmptyValue: 'flag',
      schema: 'schema',
      ...simple,
    },
    check: all(
      oneOf('in', ['path', 'query', 'header', 'body', 'formData']),
      pathIsRequired,
      (node, report) => {
        const field = node['in'] === 'body' ? 'schema' : 'type'
        needs(node, report, `A parameter in ${String(node['in'])}`, [field])
      },
    ),
  },
  Responses: {
    fields: { default: 'Response' },
    also: (key) => (/^\d{3}$/.test(key) ? 'Response' : undefined),
    otherwise: 'is not a status code or "default"',
    meant: 'Response',
  },
  Response: {
    referable: true,
    fields: { 'description!': 'text', schema: 'schema', headers: '{Header}', examples: '{any}' },
  },
  Header: { fields: { description: 'text', ...simple, 'type!': 'text' } },
  Tag: { fields: { 'name!': 'text', description: 'text', externalDocs: 'ExternalDocs' } },
  SecurityScheme: {
    fields: {
      'type!': 'text',
      description: 'text',
      name: 'text',
      in: 'text',
      flow: 'text',
      authorizationUrl: 'text',
      tokenUrl: 'text',
      scopes: '{text}',
    },
    check: oneOf('type', ['basic', 'apiKey', 'oauth2']),
  },
}

delete swagger20['Header']!.fields['type']

export type Specification = '2.0' | '3.0' | '3.1' | '3.2'

const texts: Record<Specification, Record<string, ShapeText>> = {
  '2.0': swagger20,
  '3.0': openapi30,
  '3.1': openapi31,
  '3.2': openapi32,
}
const compiled = new Map<Specification, Map<string, Shape>>()

/** The shapes of a version of the specification by the names of its objects. */
export function shapesOf(specification: Specification): Map<string, Shape> {
  let shapes = compiled.get(specification)
  if (!shapes) compiled.set(specification, (shapes = compile(texts[specification])))
  return shapes
}
