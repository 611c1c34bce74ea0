import {
  operationName,
  type Contract,
  type Operation,
  type Parameter,
  type Response,
  type Schema,
} from '../contract/model'
import { everyOperation, schemasOf } from '../contract/parts'
import { referencedName, referencesIn, resolveSchema } from '../contract/schemas'
import { pointerTo, type Pointer } from '../text/pointer'
import type { SubjectKind } from './model'

/** One thing a rule can judge: what its condition sees, and the place it is written at. */
export interface Subject {
  at: Pointer
  fields: Record<string, unknown>
}

export type Subjects = Record<SubjectKind, Subject[]>

const isError = (status: string) => /^[45]/.test(status) || status === 'default'
const isSuccess = (status: string) => status.startsWith('2')

const firstWord = (id: string) => /^[a-z]+|^[A-Z][a-z]*/.exec(id)?.[0].toLowerCase() ?? ''

/** Builds every subject of a contract once. All fields are always present, so that conditions need no guards. */
export function subjectsOf(contract: Contract): Subjects {
  return new SubjectBuilder(contract).build()
}

class SubjectBuilder {
  private readonly used = new Set<string>()

  constructor(private readonly contract: Contract) {
    for (const operation of everyOperation(contract)) {
      for (const schema of schemasOf(operation)) referencesIn(schema, this.used)
    }
    for (const { schema } of contract.schemas) referencesIn(schema, this.used)
  }

  build(): Subjects {
    const { contract } = this
    const operations = contract.operations
    const ids = new Map<string, number>()
    for (const { id } of operations) if (id) ids.set(id, (ids.get(id) ?? 0) + 1)
    const responses = this.responses()
    return {
      definition: [this.definition(commonest(responses))],
      server: contract.servers.map(({ at, url, description }) => ({
        at,
        fields: { url, description: description ?? '', scheme: schemeOf(url) },
      })),
      path: this.paths(),
      operation: operations.map((operation) => this.operation(operation, ids)),
      parameter: this.once(operations, (operation) =>
        operation.parameters.map((parameter) => this.parameter(parameter, operation)),
      ),
      response: responses,
      schema: contract.schemas.map(({ name, schema, at }) => ({
        at,
        fields: {
          name,
          used: this.used.has(name),
          description: textOf(schema, 'description'),
          type: typeOf(schema),
        },
      })),
      property: this.properties(),
    }
  }

  /** Parts that several operations share by reference are judged once, where they are written. */
  private once(operations: Operation[], parts: (operation: Operation) => Subject[]): Subject[] {
    const byPlace = new Map<Pointer, Subject>()
    for (const operation of operations) {
      for (const part of parts(operation)) if (!byPlace.has(part.at)) byPlace.set(part.at, part)
    }
    return [...byPlace.values()]
  }

  private definition(errorBody: string): Subject {
    const { title, version, description, contact, servers, tags, operations } = this.contract
    return {
      at: '',
      fields: {
        title,
        version,
        description: description ?? '',
        contact: {
          name: contact?.name ?? '',
          email: contact?.email ?? '',
          url: contact?.url ?? '',
        },
        servers: servers.length,
        tags: tags.map((tag) => tag.name),
        operations: operations.length,
        errorBody,
        format: this.contract.format.name,
        // What a format has no words for cannot be asked of it.
        names: ['OpenAPI', 'Swagger'].includes(this.contract.format.name),
        secures: !['WSDL', 'WADL'].includes(this.contract.format.name),
      },
    }
  }

  private paths(): Subject[] {
    const paths = [...new Set(this.contract.operations.map((operation) => operation.path))]
    return paths.map((path) => {
      const segments = path.split('/').filter((segment) => segment !== '')
      const isParameter = (segment: string | undefined) => segment?.includes('{') ?? false
      return {
        at: pointerTo('/paths', path),
        fields: {
          path,
          words: segments.filter((segment) => !isParameter(segment)),
          collections: segments.filter(
            (segment, index) => !isParameter(segment) && isParameter(segments[index + 1]),
          ),
          slashAtEnd: path.length > 1 && path.endsWith('/'),
        },
      }
    })
  }

  private operation(operation: Operation, ids: Map<string, number>): Subject {
    const id = operation.id ?? ''
    const query = operation.parameters.filter((parameter) => parameter.in === 'query')
    return {
      at: operation.at,
      fields: {
        name: operationName(operation),
        id,
        verb: firstWord(id),
        sameId: ids.get(id) ?? 0,
        method: operation.method.toUpperCase(),
        path: operation.path,
        summary: operation.summary ?? '',
        description: operation.description ?? '',
        tags: operation.tags,
        deprecated: operation.deprecated,
        secured:
          operation.security.length > 0 &&
          operation.security.every((requirement) => Object.keys(requirement).length > 0),
        statuses: operation.responses.map((response) => response.status),
        lists: operation.method === 'get' && operation.responses.some((r) => this.isList(r)),
        query: query.map((parameter) => parameter.name),
        hasBody: operation.body !== undefined,
      },
    }
  }

  /** A list: an array of objects, or an object whose one array of objects carries the items. */
  private isList(response: Response): boolean {
    return (
      isSuccess(response.status) &&
      response.content.some(({ schema }) => {
        const target = this.resolve(schema)
        if (this.isCollection(target)) return true
        const properties = Object.values(propertiesOf(target))
        return properties.length <= 4 && properties.some((property) => this.isCollection(property))
      })
    )
  }

  private isCollection(schema: Schema | undefined): boolean {
    const target = this.resolve(schema)
    if (typeof target !== 'object' || typeOf(target) !== 'array') return false
    return typeOf(this.resolve(target['items'] as Schema | undefined)) === 'object'
  }

  private resolve(schema: Schema | undefined): Schema | undefined {
    return resolveSchema(this.contract, schema)
  }

  private parameter(parameter: Parameter, operation: Operation): Subject {
    const schema = this.resolve(parameter.schema)
    const has = (key: string) => typeof schema === 'object' && schema[key] !== undefined
    return {
      at: parameter.at,
      fields: {
        name: parameter.name,
        place: parameter.in,
        required: parameter.required,
        description: parameter.description ?? textOf(schema, 'description'),
        hasDefault: has('default'),
        hasExample: parameter.examples.length > 0 || has('example') || has('examples'),
        type: typeOf(schema),
        operation: operationName(operation),
      },
    }
  }

  private responses(): Subject[] {
    return this.once(this.contract.operations, (operation) =>
      operation.responses.map((response) => ({
        at: response.at,
        fields: {
          status: response.status,
          error: isError(response.status),
          description: response.description ?? '',
          hasBody: response.content.length > 0,
          hasExample: response.content.every((media) =>
            this.hasExample(media.schema, media.examples),
          ),
          mediaTypes: response.content.map((media) => media.type),
          body: response.content.map((media) => nameOf(media.schema))[0] ?? '',
          operation: operationName(operation),
        },
      })),
    )
  }

  private hasExample(schema: Schema | undefined, examples: unknown[]): boolean {
    if (examples.length > 0) return true
    const target = this.resolve(schema)
    return typeof target === 'object' && ('example' in target || 'examples' in target)
  }

  private properties(): Subject[] {
    return this.contract.schemas.flatMap(({ name, schema, at }) =>
      propertiesBelow(schema, at).map(({ property, value, at: here }) => {
        const target = this.resolve(value)
        return {
          at: here,
          fields: {
            name: property,
            schema: name,
            description: textOf(value, 'description') || textOf(target, 'description'),
            type: typeOf(target),
            format: textOf(target, 'format'),
          },
        }
      }),
    )
  }
}

function* ownProperties(schema: Schema, at: Pointer) {
  for (const [property, value] of Object.entries(propertiesOf(schema))) {
    yield { property, value, at: pointerTo(at, 'properties', property) }
  }
}

/** Properties of a schema and of the objects written inside it; references are other schemas' business. */
function propertiesBelow(schema: Schema, at: Pointer) {
  const found: { property: string; value: Schema; at: Pointer }[] = []
  const stack: { schema: Schema; at: Pointer }[] = [{ schema, at }]
  while (stack.length > 0) {
    const here = stack.pop()!
    if (typeof here.schema !== 'object' || here.schema === null) continue
    for (const item of ownProperties(here.schema, here.at)) {
      found.push(item)
      stack.push({ schema: item.value, at: item.at })
    }
    const items = here.schema['items']
    if (items) stack.push({ schema: items as Schema, at: pointerTo(here.at, 'items') })
    const all = here.schema['allOf']
    if (Array.isArray(all)) {
      all.forEach((part, i) =>
        stack.push({ schema: part as Schema, at: pointerTo(here.at, 'allOf', i) }),
      )
    }
  }
  return found
}

function propertiesOf(schema: Schema | undefined): Record<string, Schema> {
  const properties = typeof schema === 'object' ? schema?.['properties'] : undefined
  return typeof properties === 'object' && properties !== null
    ? (properties as Record<string, Schema>)
    : {}
}

function typeOf(schema: Schema | undefined): string {
  if (typeof schema !== 'object' || schema === null) return ''
  const type = schema['type']
  if (Array.isArray(type)) return String(type.find((name) => name !== 'null') ?? '')
  return typeof type === 'string' ? type : schema['properties'] ? 'object' : ''
}

function textOf(schema: Schema | undefined, key: string): string {
  const value = typeof schema === 'object' && schema !== null ? schema[key] : undefined
  return typeof value === 'string' ? value : ''
}

function nameOf(schema: Schema | undefined): string {
  const reference = textOf(schema, '$ref')
  return reference
    ? (referencedName(reference) ?? reference)
    : schema === undefined
      ? ''
      : '(inline)'
}

const schemeOf = (url: string) => /^([a-z][a-z0-9+.-]*):/i.exec(url)?.[1]?.toLowerCase() ?? ''

/** The error body that most error responses share. */
function commonest(responses: Subject[]): string {
  const counts = new Map<string, number>()
  for (const { fields } of responses) {
    const body = fields['body'] as string
    if (fields['error'] && body !== '') counts.set(body, (counts.get(body) ?? 0) + 1)
  }
  return [...counts].sort((a, b) => b[1] - a[1])[0]?.[0] ?? ''
}
