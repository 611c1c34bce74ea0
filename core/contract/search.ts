import type { Location } from '../text/location'
import { isObject } from '../text/values'
import { operationName, type Contract, type Extensions, type Schema } from './model'
import { subschemas } from './schemas'

export const searchKinds = ['api', 'operation', 'schema', 'tag', 'extension'] as const
export type SearchKind = (typeof searchKinds)[number]

/** What counts as one word of a text, and of a question. */
export const wordPattern = /[\p{L}\p{N}]+/gu

/** One thing that can be found: what it is called, what else is said of it, and where it is written. */
export interface SearchEntry {
  kind: SearchKind
  name: string
  text: string
  at: Location
}

/** Text kept of one entry; more says nothing that finds it better. */
const longest = 4000

/** Everything in a contract that somebody may look for. */
export function searchEntries(contract: Contract): SearchEntry[] {
  const {
    title,
    description,
    summary,
    version,
    tags,
    operations,
    webhooks,
    schemas,
    servers,
    contact,
  } = contract
  const entries: SearchEntry[] = [
    entry('api', title, '', [
      summary,
      description,
      version,
      contact?.name,
      contact?.email,
      ...servers.map(({ url }) => url),
    ]),
  ]
  for (const operation of [...operations, ...webhooks]) {
    const parameters = operation.parameters.flatMap(({ name, description: said }) => [name, said])
    const said = operation.responses.map((response) => response.description)
    entries.push(
      entry('operation', operationName(operation), operation.at, [
        operation.id,
        operation.summary,
        operation.description,
        ...operation.tags,
        ...parameters,
        ...said,
        ...(operation.soap ?? []).map(({ action }) => action),
      ]),
      ...extensionEntries(operation.extensions, operation.at),
    )
  }
  for (const { name, schema, at } of schemas)
    entries.push(entry('schema', name, at, wordsOf(schema)))
  for (const tag of tags)
    entries.push(entry('tag', tag.name, tag.at, [tag.summary, tag.description]))
  entries.push(...extensionEntries(contract.extensions, ''))
  return entries
}

function entry(
  kind: SearchKind,
  name: string,
  at: Location,
  texts: (string | undefined)[],
): SearchEntry {
  const text = texts.filter((part) => part !== undefined && part !== '').join(' ')
  return { kind, name: name.slice(0, 300), text: text.slice(0, longest), at }
}

const extensionEntries = (extensions: Extensions | undefined, at: Location): SearchEntry[] =>
  Object.entries(extensions ?? {}).map(([name, value]) =>
    entry('extension', name, at, [typeof value === 'string' ? value : JSON.stringify(value)]),
  )

/** Property names, descriptions and values of a schema and what is written inside of it. */
function wordsOf(schema: Schema): string[] {
  const words: string[] = []
  const stack: { schema: Schema; name: string }[] = [{ schema, name: '' }]
  let length = 0
  while (stack.length > 0 && length < longest) {
    const here = stack.pop()!
    const found = [here.name, ...ownWords(here.schema)].filter((word) => word !== '')
    words.push(...found)
    for (const word of found) length += word.length
    if (!isObject(here.schema)) continue
    for (const { schema: inner, steps } of subschemas(here.schema)) {
      stack.push({ schema: inner, name: steps[0] === 'properties' ? steps[1]! : '' })
    }
  }
  return words
}

function ownWords(schema: Schema): string[] {
  if (!isObject(schema)) return []
  const { title, description, enum: values } = schema
  const words: string[] = []
  if (typeof title === 'string') words.push(title)
  if (typeof description === 'string') words.push(description)
  if (Array.isArray(values)) words.push(...values.slice(0, 50).map(String))
  return words
}
