import type { Location } from '../text/location'

/**
 * A schema in the shape of JSON Schema 2020-12, whatever its definition wrote. A reference in it is always
 * `#/components/schemas/NAME` with NAME the name of one of the contract's schemas (escaped as in RFC 6901).
 */
export type Schema = SchemaObject | boolean
export type SchemaObject = Record<string, unknown>

/** The methods that every OpenAPI version knows, in the order definitions are read. */
export const methods = [
  'get',
  'put',
  'post',
  'delete',
  'options',
  'head',
  'patch',
  'trace',
] as const

/** What a format says that the model has no field for: `x-…` members, annotations, protocol details. */
export type Extensions = Record<string, unknown>

/** Every part carries `at`: the place where its author must change it. */
export interface Part {
  at: Location
  extensions?: Extensions
}

export interface Contact {
  name?: string
  email?: string
  url?: string
}

export interface License {
  name: string
  identifier?: string
  url?: string
}

export interface ExternalDocs {
  url: string
  description?: string
}

export interface ServerVariable {
  name: string
  default: string
  enum?: string[]
  description?: string
}

export interface Server extends Part {
  url: string
  name?: string
  description?: string
  variables: ServerVariable[]
}

export interface Tag extends Part {
  name: string
  summary?: string
  description?: string
  /** The name of the tag above it. */
  parent?: string
  kind?: string
  externalDocs?: ExternalDocs
}

export interface Example {
  name: string
  summary?: string
  description?: string
  value?: unknown
  externalValue?: string
}

/** What a parameter and a header have in common (OpenAPI 3.1, sections 4.8.12 and 4.8.21). */
export interface Header extends Part {
  name: string
  required: boolean
  deprecated: boolean
  description?: string
  schema?: Schema
  /** Set where the value is a document of a media type instead of a plain value. */
  content?: MediaType[]
  style?: string
  explode?: boolean
  examples: Example[]
}

/** `in` is path, query, header or cookie; or querystring, where the whole query is one value. */
export interface Parameter extends Header {
  in: string
  allowReserved?: boolean
  allowEmptyValue?: boolean
}

export interface Encoding extends Part {
  property: string
  contentType?: string
  style?: string
  explode?: boolean
  allowReserved?: boolean
  headers: Header[]
}

export interface MediaType extends Part {
  type: string
  schema?: Schema
  /** The schema of each item of a stream (OpenAPI 3.2). */
  itemSchema?: Schema
  examples: Example[]
  encoding: Encoding[]
}

export interface Body extends Part {
  required: boolean
  description?: string
  content: MediaType[]
}

export interface Link extends Part {
  name: string
  operationId?: string
  operationRef?: string
  parameters?: Record<string, unknown>
  requestBody?: unknown
  description?: string
}

export interface Response extends Part {
  status: string
  summary?: string
  description?: string
  headers: Header[]
  content: MediaType[]
  links: Link[]
}

/** Names of security schemes with their scopes; all of one requirement together, any requirement enough. */
export type SecurityRequirement = Record<string, string[]>

export interface Callback extends Part {
  name: string
  /** The runtime expression that gives the address (OpenAPI 3.1, section 4.8.20.4). */
  expression: string
  operations: Operation[]
}

/** A name in a namespace; an empty namespace is none. */
export interface QualifiedName {
  namespace: string
  name: string
}

/** How an operation travels as SOAP (WSDL 1.1 section 3, WSDL 2.0 part 2 section 5). */
export interface SoapBinding {
  /** The port type, or the interface, that the operation is one of. */
  portType: string
  binding: string
  version: '1.1' | '1.2'
  style: 'document' | 'rpc'
  use: 'literal' | 'encoded'
  action?: string
  /** The first elements of the bodies of its messages, where a message has one. */
  input?: QualifiedName
  output?: QualifiedName
  headers: { name: string; schema: Schema }[]
  addresses: string[]
}

export interface Operation extends Part {
  /** In lower case; `get` … `trace`, `query`, or any other token that a definition names. */
  method: string
  path: string
  id?: string
  summary?: string
  description?: string
  tags: string[]
  deprecated: boolean
  externalDocs?: ExternalDocs
  parameters: Parameter[]
  body?: Body
  responses: Response[]
  callbacks: Callback[]
  servers?: Server[]
  security: SecurityRequirement[]
  soap?: SoapBinding[]
}

/** What a path says for all of its operations. */
export interface PathItem extends Part {
  path: string
  summary?: string
  description?: string
}

export interface NamedSchema extends Part {
  name: string
  schema: Schema
  /** False where it has a name only because something refers to a place that its definition did not name. */
  declared: boolean
  /** The name of the schema that this one is a copy of, with its dynamic references led elsewhere. */
  generic?: string
}

export interface Flow {
  kind: 'implicit' | 'password' | 'clientCredentials' | 'authorizationCode' | 'deviceAuthorization'
  authorizationUrl?: string
  tokenUrl?: string
  deviceAuthorizationUrl?: string
  refreshUrl?: string
  scopes: Record<string, string>
}

export interface SecurityScheme extends Part {
  name: string
  /** apiKey, http, oauth2, openIdConnect, mutualTLS; or what a format calls a scheme of its own. */
  type: string
  description?: string
  in?: string
  parameterName?: string
  scheme?: string
  bearerFormat?: string
  flows: Flow[]
  openIdConnectUrl?: string
}

/** Where schemas are written that were translated from a format's own types. */
export interface Origins {
  get(schema: SchemaObject): Location | undefined
}

export const formatNames = ['OpenAPI', 'Swagger', 'RAML', 'WSDL', 'WADL'] as const
export type FormatName = (typeof formatNames)[number]

/** The model every format is read into. */
export interface Contract {
  format: { name: FormatName; version: string }
  title: string
  version: string
  summary?: string
  description?: string
  termsOfService?: string
  contact?: Contact
  license?: License
  externalDocs?: ExternalDocs
  servers: Server[]
  tags: Tag[]
  /** Only the paths that say something themselves. */
  paths: PathItem[]
  operations: Operation[]
  webhooks: Operation[]
  schemas: NamedSchema[]
  securitySchemes: SecurityScheme[]
  extensions?: Extensions
  /** Where schemas are written that a format's own types were translated into. */
  origins?: Origins
}

/** How a contract's operation is named on screen and matched between revisions: `GET /notices/{id}`. */
export const operationName = (operation: Pick<Operation, 'method' | 'path'>) =>
  `${operation.method.toUpperCase()} ${operation.path}`

/** The format with the part of its version that matters: `OpenAPI 3.1`. */
export const formatLabel = ({ format }: Pick<Contract, 'format'>) =>
  `${format.name} ${format.version.split('.').slice(0, 2).join('.')}`.trim()
