import { applyChanges } from '../../edit/change'
import { statusSays, taken, type BodyDraft, type OperationDraft } from '../../edit/draft'
import { schemaFromExample } from '../../edit/example'
import { follow, holds, readTree } from '../../edit/tree'
import { pointerTo, type Pointer } from '../../text/pointer'
import { isObject, type Node } from '../../text/values'
import type { Layout } from '../layout-model'

const typeOf = (body: BodyDraft): Node =>
  body.kind === 'schema' ? { type: body.name } : plainTypes(schemaFromExample(body.value))
const exampleOf = (body: BodyDraft) => (body.kind === 'example' ? { example: body.value } : {})

/** A draft as RAML writes it. */
function methodNode(draft: OperationDraft): Node {
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
      'application/json': { ...typeOf(draft.body), ...exampleOf(draft.body) },
    }
  const answer: Node = { description: statusSays(draft) }
  if (draft.answer)
    answer['body'] = {
      'application/json': { ...typeOf(draft.answer), ...exampleOf(draft.answer) },
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

/** A resource is nested (RAML 1.0, "Resources"): the longest written prefix of the path takes the rest. */
function placeOf(text: string, syntax: 'json' | 'yaml', path: string): Pointer {
  const root = readTree(text, syntax)
  let at: Pointer = ''
  let rest = path
  for (;;) {
    const here = follow(root, at).nodes.at(-1)!
    const next = here.entries
      .map(({ key }) => key)
      .filter((key) => key.startsWith('/') && (rest === key || rest.startsWith(`${key}/`)))
      .sort((a, b) => b.length - a.length)[0]
    if (next === undefined) return rest === '' ? at : pointerTo(at, rest)
    at = pointerTo(at, next)
    rest = rest.slice(next.length)
  }
}

/** Writes an operation into the resource that its path leads to. */
export const insertInResources: NonNullable<Layout['insert']> = (text, syntax, draft) => {
  const tree = syntax === 'json' ? 'json' : 'yaml'
  const at = pointerTo(placeOf(text, tree, draft.path), draft.method)
  if (holds(text, tree, at)) throw taken(draft)
  return applyChanges(text, tree, [{ kind: 'set', at, value: methodNode(draft) }])
}
