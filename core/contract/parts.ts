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
