import { applyEdits, modify } from 'jsonc-parser'
import yaml from 'js-yaml'
import { isMap, isScalar, parseDocument, type Pair, type ParsedNode, type YAMLMap } from 'yaml'
import type { Syntax } from '../text/read'
import { isObject, type Node } from '../text/values'
import { statusSays, taken, type BodyDraft, type OperationDraft } from './draft'
import { schemaFromExample } from './example'
import { EditFault, eolOf } from './tree'
import { intoWadl } from './wadl'

/** The formats whose operations are methods of paths, into which one can be written. */
export const writableFormats = ['OpenAPI', 'Swagger', 'RAML', 'WADL'] as const
export type WritableFormat = (typeof writableFormats)[number]

/** A draft as the format writes it. `modern` is OpenAPI 3.1 or later. */
export function operationNode(
  draft: OperationDraft,
  format: Exclude<WritableFormat, 'WADL'>,
  modern: boolean,
): Node {
  const schemaOf = (body: BodyDraft) => {
    if (body.kind === 'schema') {
      if (format === 'RAML') return { type: body.name }
      return {
        $ref: `${format === 'Swagger' ? '#/definitions/' : '#/components/schemas/'}${body.name}`,
      }
    }
    return withNull(schemaFromExample(body.value), modern)
  }
  const exampleOf = (body: BodyDraft) => (body.kind === 'example' ? { example: body.value } : {})
  if (format === 'RAML') return ramlNode(draft, schemaOf, exampleOf)
  const node: Node = {}
  if (draft.tag !== '') node['tags'] = [draft.tag]
  if (draft.summary !== '') node['summary'] = draft.summary
  if (draft.id !== '') node['operationId'] = draft.id
  const parameters: Node[] = draft.parameters.map(
    ({ name, in: place, type, required, description }) => ({
      name,
      in: place,
      ...(description === '' ? {} : { description }),
      ...(required || place === 'path' ? { required: true } : {}),
      ...(format === 'Swagger' ? { type } : { schema: { type } }),
    }),
  )
  if (draft.body && format === 'Swagger') {
    parameters.push({ name: 'body', in: 'body', required: true, schema: schemaOf(draft.body) })
  }
  if (parameters.length > 0) node['parameters'] = parameters
  if (draft.body && format === 'OpenAPI') {
    node['requestBody'] = {
      required: true,
      content: { 'application/json': { schema: schemaOf(draft.body), ...exampleOf(draft.body) } },
    }
  }
  const answer: Node = { description: statusSays(draft) }
  if (draft.answer) {
    if (format === 'Swagger') {
      answer['schema'] = schemaOf(draft.answer)
      if (draft.answer.kind === 'example')
        answer['examples'] = { 'application/json': draft.answer.value }
    } else
      answer['content'] = {
        'application/json': { schema: schemaOf(draft.answer), ...exampleOf(draft.answer) },
      }
  }
  node['responses'] = { [draft.status]: answer }
  return node
}

function ramlNode(
  draft: OperationDraft,
  schemaOf: (body: BodyDraft) => Node,
  exampleOf: (body: BodyDraft) => Node,
): Node {
  const node: Node = {}
  if (draft.summary !== '') node['displayName'] = draft.summary
  const declare = (place: string) =>
    Object.fromEntries(
      draft.parameters
        .filter((parameter) => parameter.in === place)
        .map(({ name, type, required, description }) => [
          name,
          { type, required, ...(description === '' ? {} : { description }) },
        ]),
    )
  const [query, headers] = [declare('query'), declare('header')]
  if (Object.keys(query).length > 0) node['queryParameters'] = query
  if (Object.keys(headers).length > 0) node['headers'] = headers
  if (draft.body)
    node['body'] = {
      'application/json': { ...plainTypes(schemaOf(draft.body)), ...exampleOf(draft.body) },
    }
  const answer: Node = { description: statusSays(draft) }
  if (draft.answer)
    answer['body'] = {
      'application/json': { ...plainTypes(schemaOf(draft.answer)), ...exampleOf(draft.answer) },
    }
  node['responses'] = { [draft.status]: answer }
  return node
}

/** RAML says necessity at the property, and knows dates by types of their own. */
function plainTypes(schema: Node): Node {
  const { required, nullable: _, format, ...rest } = schema
  const needed = new Set(Array.isArray(required) ? (required as string[]) : [])
  const type = format === 'date-time' ? 'datetime' : format === 'date' ? 'date-only' : rest['type']
  const node: Node = { ...rest, ...(type === undefined ? {} : { type }) }
  if (isObject(rest['properties'])) {
    node['properties'] = Object.fromEntries(
      Object.entries(rest['properties']).map(([name, property]) => [
        needed.has(name) ? name : `${name}?`,
        plainTypes(property as Node),
      ]),
    )
  }
  if (isObject(rest['items'])) node['items'] = plainTypes(rest['items'])
  return node
}

function withNull(schema: Node, modern: boolean): Node {
  const { nullable, ...rest } = schema
  const node: Node =
    modern && nullable === true ? { ...rest, type: [rest['type'], 'null'] } : schema
  if (isObject(node['properties'])) {
    node['properties'] = Object.fromEntries(
      Object.entries(node['properties']).map(([name, property]) => [
        name,
        withNull(property as Node, modern),
      ]),
    )
  }
  if (isObject(node['items'])) node['items'] = withNull(node['items'], modern)
  return node
}

/**
 * Writes an operation into a definition's text at its place: below its path where that stands, or as a new path after
 * the last one. Everything else stays byte for byte; comments, order and indentation of what is there are kept.
 */
export function insertOperation(
  text: string,
  syntax: Syntax,
  format: WritableFormat,
  draft: OperationDraft,
  modern: boolean,
): string {
  if (format === 'WADL') return intoWadl(text, draft)
  const node = operationNode(draft, format, modern)
  if (syntax === 'json') return intoJson(text, draft, node)
  return format === 'RAML' ? intoRaml(text, draft, node) : intoYaml(text, draft, node)
}

function intoJson(text: string, draft: OperationDraft, node: Node): string {
  const root = JSON.parse(text.replace(/^\uFEFF/, '')) as { paths?: Record<string, Node> }
  if (root.paths?.[draft.path]?.[draft.method] !== undefined) throw taken(draft)
  const indent = /\n([ \t]+)"/.exec(text)?.[1] ?? '  '
  const eol = eolOf(text)
  const formattingOptions = { insertSpaces: !indent.startsWith('\t'), tabSize: indent.length, eol }
  return applyEdits(
    text,
    modify(text, ['paths', draft.path, draft.method], node, { formattingOptions }),
  )
}

type TextMap = YAMLMap.Parsed
type TextPair = Pair<ParsedNode, ParsedNode | null>
const pairOf = (map: TextMap, name: string): TextPair | undefined =>
  map.items.find(({ key }) => isScalar(key) && String(key.value) === name)

function intoYaml(text: string, draft: OperationDraft, node: Node): string {
  const document = parseDocument(text)
  if (document.errors.length > 0 || !isMap(document.contents)) {
    throw new EditFault('The text has to be readable before something can be written into it')
  }
  const root = document.contents
  const paths = pairOf(root, 'paths')
  if (!paths) return appended(text, root, { paths: { [draft.path]: { [draft.method]: node } } })
  if (!isMap(paths.value) || paths.value.flow) {
    if (isMap(paths.value) && paths.value.items.length > 0)
      throw new EditFault('The paths are written in one line; spread them over lines first')
    return replacedValue(
      text,
      paths,
      { [draft.path]: { [draft.method]: node } },
      columnOf(text, paths.key.range[0]),
    )
  }
  const path = pairOf(paths.value, draft.path)
  if (!path) return appended(text, paths.value, { [draft.path]: { [draft.method]: node } })
  if (!isMap(path.value) || path.value.flow) {
    if (isMap(path.value) && path.value.items.length > 0)
      throw new EditFault(
        `The path ${draft.path} is written in one line; spread it over lines first`,
      )
    return replacedValue(text, path, { [draft.method]: node }, columnOf(text, path.key.range[0]))
  }
  if (pairOf(path.value, draft.method)) throw taken(draft)
  return appended(text, path.value, { [draft.method]: node })
}

/** A RAML resource is nested: the longest written prefix of the path takes the rest. */
function intoRaml(text: string, draft: OperationDraft, node: Node): string {
  const document = parseDocument(text, {
    customTags: [{ tag: '!include', resolve: (value: string) => value }],
  })
  if (document.errors.length > 0 || !isMap(document.contents)) {
    throw new EditFault('The text has to be readable before something can be written into it')
  }
  let map = document.contents
  let rest = draft.path
  for (;;) {
    const next = map.items
      .filter(({ key }) => isScalar(key) && String(key.value).startsWith('/'))
      .map((pair) => ({
        pair: pair,
        name: String((pair.key as unknown as { value: unknown }).value),
      }))
      .filter(({ name }) => rest === name || rest.startsWith(`${name}/`))
      .sort((a, b) => b.name.length - a.name.length)[0]
    if (!next || !isMap(next.pair.value) || next.pair.value.flow) break
    map = next.pair.value
    rest = rest.slice(next.name.length)
  }
  if (rest === '') {
    if (pairOf(map, draft.method)) throw taken(draft)
    return appended(text, map, { [draft.method]: node })
  }
  return appended(text, map, { [rest]: { [draft.method]: node } })
}

function columnOf(text: string, offset: number): number {
  return offset - (text.lastIndexOf('\n', offset - 1) + 1)
}

/** How many columns one level takes in this text. */
function stepOf(text: string): number {
  const first = /^(?:[^\s#-][^\n]*):[ \t]*\r?\n( +)\S/m.exec(text)
  return first ? first[1]!.length : 2
}

function block(value: Node, column: number, text: string): string {
  const eol = eolOf(text)
  const written = yaml.dump(value, {
    indent: stepOf(text),
    lineWidth: 120,
    noRefs: true,
    quotingType: "'",
  })
  const pad = ' '.repeat(column)
  return (
    written
      .trimEnd()
      .split('\n')
      .map((line) => (line === '' ? line : pad + line))
      .join(eol) + eol
  )
}

/** Puts members after the last one of a block mapping, before whatever follows it. */
function appended(text: string, map: TextMap, value: Node): string {
  const first = map.items[0]
  const column = first ? columnOf(text, first.key.range[0]) : 0
  const last = map.items.at(-1)
  const lastValue = last?.value
  const end = lastValue?.range[1] ?? (last ? last.key.range[1] : text.length)
  // The value ends within its last line; what is written begins on the next one.
  let at = end > 0 && text[end - 1] === '\n' ? end : text.indexOf('\n', end) + 1
  let before = text
  if (at === 0) {
    before = text.endsWith('\n') ? text : `${text}\n`
    at = before.length
  }
  return before.slice(0, at) + block(value, column, text) + before.slice(at)
}

/** Gives a key that has no value, or an empty one, a block of its own. */
function replacedValue(text: string, pair: TextPair, value: Node, column: number): string {
  const keyEnd = text.indexOf(':', pair.key.range[1]) + 1
  const valueEnd = Math.max(keyEnd, pair.value?.range[1] ?? keyEnd)
  const lineEnd = text.indexOf('\n', valueEnd)
  const rest = lineEnd === -1 ? '' : text.slice(lineEnd + 1)
  return `${text.slice(0, keyEnd)}\n${block(value, column + stepOf(text), text)}${rest}`
}

/** A definition to begin with. */
export interface NewDefinition {
  title: string
  version: string
  description: string
  contactName: string
  contactEmail: string
  server: string
}

/** The text of a new OpenAPI 3.1 definition, without operations yet. */
export function newDefinition({
  title,
  version,
  description,
  contactName,
  contactEmail,
  server,
}: NewDefinition): string {
  const info: Node = { title, version }
  if (description !== '') info['description'] = description
  const contact: Node = {}
  if (contactName !== '') contact['name'] = contactName
  if (contactEmail !== '') contact['email'] = contactEmail
  if (Object.keys(contact).length > 0) info['contact'] = contact
  const document: Node = { openapi: '3.1.0', info }
  if (server !== '') document['servers'] = [{ url: server }]
  document['paths'] = {}
  return yaml.dump(document, { lineWidth: 120, quotingType: "'" })
}
