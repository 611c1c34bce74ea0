import { applyChanges } from '../../edit/change'
import { statusSays, taken, type BodyDraft, type OperationDraft } from '../../edit/draft'
import { schemaFromExample } from '../../edit/example'
import { holds } from '../../edit/tree'
import { pointerTo } from '../../text/pointer'
import { isObject, type Node } from '../../text/values'
import type { Layout } from '../layout-model'

/** A draft as OpenAPI or Swagger 2.0 writes it. `modern` is OpenAPI 3.1 or later. */
function operationNode(
  draft: OperationDraft,
  format: 'OpenAPI' | 'Swagger',
  modern: boolean,
): Node {
  const schemaOf = (body: BodyDraft) => {
    if (body.kind === 'schema') {
      return {
        $ref: `${format === 'Swagger' ? '#/definitions/' : '#/components/schemas/'}${body.name}`,
      }
    }
    return withNull(schemaFromExample(body.value), modern)
  }
  const exampleOf = (body: BodyDraft) => (body.kind === 'example' ? { example: body.value } : {})
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

/** Writes an operation below its path. */
export const insertInPaths =
  (format: 'OpenAPI' | 'Swagger'): NonNullable<Layout['insert']> =>
  (text, syntax, draft, modern) => {
    const at = pointerTo('/paths', draft.path, draft.method)
    if (holds(text, syntax, at)) throw taken(draft)
    return applyChanges(text, syntax, [
      { kind: 'set', at, value: operationNode(draft, format, modern) },
    ])
  }
