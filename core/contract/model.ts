import type { Pointer } from '../text/pointer'

/** A schema as its definition writes it (JSON Schema 2020-12 shape); references stay references. */
export type Schema = Record<string, unknown> | boolean

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
export type Method = (typeof methods)[number]

/** Every part carries `at`: the pointer of the place where its author must change it. */
interface Part {
  at: Pointer
}

export interface Contact {
  name?: string
  email?: string
  url?: string
}

export interface Server extends Part {
  url: string
  description?: string
}

export interface Parameter extends Part {
  name: string
  in: string
  required: boolean
  description?: string
  schema?: Schema
  hasExample: boolean
}

export interface MediaType extends Part {
  type: string
  schema?: Schema
  examples: Example[]
}

export interface Example {
  name: string
  value: unknown
}

export interface Body extends Part {
  required: boolean
  description?: string
  content: MediaType[]
}

export interface Response extends Part {
  status: string
  description?: string
  content: MediaType[]
}

/** Names of security schemes with their scopes; all of one requirement together, any requirement enough. */
export type SecurityRequirement = Record<string, string[]>

export interface Operation extends Part {
  /** Where the operation stands under its path, even when `at` leads elsewhere. */
  method: Method
  path: string
  id?: string
  summary?: string
  description?: string
  tags: string[]
  deprecated: boolean
  parameters: Parameter[]
  body?: Body
  responses: Response[]
  security: SecurityRequirement[]
}

export interface NamedSchema extends Part {
  name: string
  schema: Schema
}

/** The model every format is read into. `document` is the whole text as values, extensions included. */
export interface Contract {
  format: { name: 'OpenAPI'; version: string }
  title: string
  version: string
  description?: string
  contact?: Contact
  servers: Server[]
  tags: { name: string; description?: string }[]
  operations: Operation[]
  webhooks: Operation[]
  schemas: NamedSchema[]
  securitySchemes: string[]
  document: Record<string, unknown>
}

/** How a contract's operation is named on screen and matched between revisions: `GET /notices/{id}`. */
export const operationName = (operation: Pick<Operation, 'method' | 'path'>) =>
  `${operation.method.toUpperCase()} ${operation.path}`
