import type { Schema } from '../contract/model'
import { isSchema } from '../contract/schemas'
import type { Described, DescribedContent, DescribedOperation } from './described'
import { ConfigurationError, list, record, text } from './config-values'

/** What a definition says, as far as its shape goes; schemas are prepared when they are used, whatever they hold. */
export function describedOf(spec: Record<string, unknown>, where: string): Described {
  const operations: Record<string, DescribedOperation> = {}
  for (const [name, value] of Object.entries(record(spec['operations'], `${where}, operations`)))
    operations[name] = operationOf(record(value, `${where}, ${name}`), `${where}, ${name}`)
  return { schemas: schemasOf(spec, where), operations }
}

/** The named schemas that a resource carries. */
export const schemasOf = (spec: Record<string, unknown>, where: string): Described['schemas'] =>
  list(spec['schemas'], `${where}, schemas`).map((item) => {
    const { name, schema } = record(item, `${where}, schemas`)
    return { name: text(name, `${where}, schemas.name`), schema: schemaOf(schema, where) }
  })

export function schemaOf(value: unknown, where: string): Schema {
  if (isSchema(value)) return value
  throw new ConfigurationError(`${where}: a schema is an object or true or false`)
}

const contentOf = (value: unknown, where: string): DescribedContent[] =>
  list(value, `${where}, content`).map((item) => {
    const { type, schema } = record(item, `${where}, content`)
    return {
      type: text(type, `${where}, content.type`),
      ...(schema !== undefined && { schema: schemaOf(schema, where) }),
    }
  })

function operationOf(node: Record<string, unknown>, where: string): DescribedOperation {
  const body = node['body'] === undefined ? undefined : record(node['body'], `${where}, body`)
  return {
    parameters: list(node['parameters'], `${where}, parameters`).map((item) => {
      const { name, in: place, required, schema, explode } = record(item, `${where}, parameters`)
      return {
        name: text(name, `${where}, parameters.name`),
        in: text(place, `${where}, parameters.in`),
        required: required === true,
        explode: explode === true,
        ...(schema !== undefined && { schema: schemaOf(schema, where) }),
      }
    }),
    ...(body && {
      body: { required: body['required'] === true, content: contentOf(body['content'], where) },
    }),
    responses: list(node['responses'], `${where}, responses`).map((item) => {
      const { status, content } = record(item, `${where}, responses`)
      return {
        status: text(status, `${where}, responses.status`),
        content: contentOf(content, where),
      }
    }),
  }
}
