import type { Contract, Header, MediaType, Operation, Parameter, Schema } from './model'

/** Every operation of a contract: those of paths, webhooks, and callbacks inside of them. */
export function* everyOperation(contract: Contract): Generator<Operation> {
  const stack = [...contract.operations, ...contract.webhooks].reverse()
  while (stack.length > 0) {
    const operation = stack.pop()!
    yield operation
    for (const callback of operation.callbacks) stack.push(...callback.operations)
  }
}

/** What an example is called that its definition gives no name, by its position. */
export const exampleName = (position: number) =>
  position === 0 ? 'example' : `example${position + 1}`

/** The media types of an operation's body and responses. */
export function* mediaOf(operation: Operation): Generator<MediaType> {
  if (operation.body) yield* operation.body.content
  for (const response of operation.responses) yield* response.content
}

/** Every schema that an operation uses by itself, not through a name. */
export function schemasOf({ parameters, body, responses }: Operation): Schema[] {
  const found: Schema[] = []
  const addHeader = ({ schema, content }: Header): void => {
    if (schema !== undefined) found.push(schema)
    content?.forEach(addMedia)
  }
  const addMedia = ({ schema, itemSchema, encoding }: MediaType): void => {
    if (schema !== undefined) found.push(schema)
    if (itemSchema !== undefined) found.push(itemSchema)
    for (const { headers } of encoding) headers.forEach(addHeader)
  }
  parameters.forEach(addHeader)
  body?.content.forEach(addMedia)
  for (const { content, headers } of responses) {
    content.forEach(addMedia)
    headers.forEach(addHeader)
  }
  return found
}

/** What an operation's own parameters leave of those around it, and then its own (OpenAPI 3.1, section 4.8.9). */
export const overridden = (around: Parameter[], own: Parameter[]): Parameter[] => [
  ...around.filter((p) => !own.some((o) => o.in === p.in && o.name === p.name)),
  ...own,
]

/** A copy of an operation with every schema of its own passed through `change`. */
export function mapOperation(operation: Operation, change: (schema: Schema) => Schema): Operation {
  const header = <T extends Header>(part: T): T => ({
    ...part,
    ...(part.schema === undefined ? {} : { schema: change(part.schema) }),
    ...(part.content === undefined ? {} : { content: part.content.map(media) }),
  })
  const media = (part: MediaType): MediaType => ({
    ...part,
    ...(part.schema === undefined ? {} : { schema: change(part.schema) }),
    ...(part.itemSchema === undefined ? {} : { itemSchema: change(part.itemSchema) }),
    encoding: part.encoding.map((item) => ({ ...item, headers: item.headers.map(header) })),
  })
  return {
    ...operation,
    ...(operation.soap
      ? {
          soap: operation.soap.map((bound) => ({
            ...bound,
            headers: bound.headers.map(({ name, schema }) => ({ name, schema: change(schema) })),
          })),
        }
      : {}),
    parameters: operation.parameters.map(header),
    ...(operation.body
      ? { body: { ...operation.body, content: operation.body.content.map(media) } }
      : {}),
    responses: operation.responses.map((response) => ({
      ...response,
      headers: response.headers.map(header),
      content: response.content.map(media),
    })),
    callbacks: operation.callbacks.map((callback) => ({
      ...callback,
      operations: callback.operations.map((inner) => mapOperation(inner, change)),
    })),
  }
}
