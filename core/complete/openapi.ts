import { shapesOf, type Specification, type Type } from '../formats/openapi/shapes'
import { keywords30, notIn20 } from '../formats/openapi/keywords'
import { pointerTo } from '../text/pointer'
import { isObject, table } from '../text/values'
import type { CursorPlace } from './location'
import type { Suggestion } from './index'

/** Schema keywords that OpenAPI 3.1 takes over from JSON Schema 2020-12 besides those of 3.0. */
const later = [
  'const',
  'examples',
  'prefixItems',
  'contains',
  'patternProperties',
  'propertyNames',
  'dependentRequired',
  'dependentSchemas',
  'unevaluatedProperties',
  'if',
  'then',
  'else',
  'contentMediaType',
  'contentEncoding',
  '$defs',
  '$comment',
]
const inSchemas: Partial<Record<string, 'schema' | 'map' | 'list'>> = {
  items: 'schema',
  not: 'schema',
  additionalProperties: 'schema',
  if: 'schema',
  then: 'schema',
  else: 'schema',
  contains: 'schema',
  propertyNames: 'schema',
  unevaluatedProperties: 'schema',
  properties: 'map',
  patternProperties: 'map',
  dependentSchemas: 'map',
  $defs: 'map',
  allOf: 'list',
  anyOf: 'list',
  oneOf: 'list',
  prefixItems: 'list',
}
const schema: Type = { kind: 'schema' }

/** What a field of a schema holds. */
function typeInSchema(key: string): Type | undefined {
  const held = inSchemas[key]
  return held === 'schema' ? schema : held ? { kind: held, of: schema } : undefined
}

/** The type of the value at a path, as the specification has it. */
function typeAt(root: Type, path: readonly (string | number)[]): Type | undefined {
  let type: Type | undefined = root
  for (const step of path) {
    if (type === undefined) return undefined
    if (type.kind === 'list' || type.kind === 'map') type = type.of
    else if (type.kind === 'schema') type = typeInSchema(String(step))
    else if (type.kind === 'object') {
      type = type.shape.fields.get(String(step)) ?? type.shape.also?.(String(step))
    } else return undefined
  }
  return type
}

const statuses: Suggestion[] = [
  ['200', 'OK'],
  ['201', 'Created'],
  ['202', 'Accepted'],
  ['204', 'No Content'],
  ['301', 'Moved Permanently'],
  ['304', 'Not Modified'],
  ['400', 'Bad Request'],
  ['401', 'Unauthorized'],
  ['403', 'Forbidden'],
  ['404', 'Not Found'],
  ['409', 'Conflict'],
  ['412', 'Precondition Failed'],
  ['415', 'Unsupported Media Type'],
  ['422', 'Unprocessable Content'],
  ['429', 'Too Many Requests'],
  ['500', 'Internal Server Error'],
  ['503', 'Service Unavailable'],
].map(([label, detail]) => ({ label: label!, detail: detail! }))

const words = (...labels: string[]): Suggestion[] => labels.map((label) => ({ label }))

const schemaValues = table<Suggestion[]>({
  type: words('string', 'integer', 'number', 'boolean', 'array', 'object', 'null'),
  format: words(
    ...['date', 'date-time', 'time', 'duration', 'email', 'hostname', 'ipv4', 'ipv6', 'uri'],
    ...['uuid', 'int32', 'int64', 'float', 'double', 'byte', 'binary', 'password'],
  ),
})
const objectValues: Record<string, Record<string, Suggestion[]>> = {
  Parameter: table({
    in: words('path', 'query', 'header', 'cookie', 'body', 'formData'),
    style: words(
      'form',
      'simple',
      'label',
      'matrix',
      'spaceDelimited',
      'pipeDelimited',
      'deepObject',
    ),
    ...schemaValues,
  }),
  SecurityScheme: table({
    type: words('apiKey', 'http', 'oauth2', 'openIdConnect', 'mutualTLS', 'basic'),
    in: words('query', 'header', 'cookie'),
    scheme: words('basic', 'bearer', 'digest'),
  }),
  Header: schemaValues,
}

/** Which section of the components a reference points into from a place of some type. */
const sections = table<[openApi: string, swagger: string]>({
  schema: ['/components/schemas', '/definitions'],
  Response: ['/components/responses', '/responses'],
  Parameter: ['/components/parameters', '/parameters'],
  Header: ['/components/headers', ''],
  RequestBody: ['/components/requestBodies', ''],
  Example: ['/components/examples', ''],
  Link: ['/components/links', ''],
  Callback: ['/components/callbacks', ''],
})

const mediaTypes = words(
  'application/json',
  'application/problem+json',
  'application/xml',
  'application/x-www-form-urlencoded',
  'multipart/form-data',
  'text/csv',
  'text/plain',
)

const keysAt = (value: unknown, path: readonly (string | number)[]): string[] => {
  const found = valueAlong(value, path)
  return isObject(found) ? Object.keys(found) : []
}

const valueAlong = (value: unknown, path: readonly (string | number)[]): unknown =>
  path.reduce<unknown>(
    (here, step) =>
      Array.isArray(here) ? here[Number(step)] : isObject(here) ? here[String(step)] : undefined,
    value,
  )

/** Suggestions in OpenAPI and Swagger: fields of the specification, and names that the definition has. */
export function completeOpenApi(
  value: unknown,
  specification: Specification,
  place: CursorPlace,
): Suggestion[] {
  const shapes = shapesOf(specification)
  const shape = shapes.get('OpenAPI') ?? shapes.get('Swagger')!
  const root: Type = { kind: 'object', shape }
  const isSwagger = specification === '2.0'
  if (place.asks === 'value') {
    const key = String(place.path.at(-1))
    const owner = typeAt(root, place.path.slice(0, -1))
    if (key === '$ref') return references(value, owner, isSwagger)
    return valuesFor(owner, key, typeAt(root, place.path))
  }
  const type = typeAt(root, place.path)
  const owner = typeAt(root, place.path.slice(0, -1))
  const last = place.path.at(-1)
  const taken = new Set(keysAt(value, place.path))
  const free = (list: Suggestion[]) => list.filter(({ label }) => !taken.has(label))
  if (typeof last === 'number') {
    const inList = listed(value, place.path, owner, isSwagger)
    if (inList) return inList
  }
  if (type?.kind === 'schema') return free(schemaKeywords(specification))
  if (type?.kind === 'map') {
    return last === 'content' ? free(mediaTypes) : []
  }
  if (type?.kind !== 'object') return []
  const { title, fields, required, referable } = type.shape
  if (title === 'SecurityRequirement') {
    return keysAt(
      value,
      isSwagger ? ['securityDefinitions'] : ['components', 'securitySchemes'],
    ).map((label) => ({ label, detail: 'security scheme' }))
  }
  const own = [...fields.keys()].map((label) => ({
    label,
    ...(required.includes(label) && { detail: 'required' }),
  }))
  return free([
    ...own,
    ...(title === 'Responses' ? statuses : []),
    ...(referable ? [{ label: '$ref', detail: 'reference' }] : []),
  ])
}

function schemaKeywords(specification: Specification): Suggestion[] {
  const known = [...keywords30].filter(
    (keyword) =>
      !(specification === '2.0' && notIn20.has(keyword)) &&
      !(specification !== '3.0' && keyword === 'nullable'),
  )
  const all = specification === '3.1' || specification === '3.2' ? [...known, ...later] : known
  return words(...all)
}

/** What may stand as an item of a list: tags, required properties. */
function listed(
  value: unknown,
  path: CursorPlace['path'],
  owner: Type | undefined,
  isSwagger: boolean,
): Suggestion[] | undefined {
  const key = path.at(-2)
  const holder = path.slice(0, -2)
  if (key === 'tags' && holder.length > 0) {
    const tags = valueAlong(value, ['tags'])
    const names = Array.isArray(tags)
      ? tags.flatMap((tag) => (isObject(tag) ? [tag['name']] : []))
      : []
    return names
      .filter((name) => typeof name === 'string')
      .map((label) => ({ label, detail: 'tag' }))
  }
  if (key === 'required' && owner === undefined) {
    return keysAt(value, [...holder, 'properties']).map((label) => ({ label, detail: 'property' }))
  }
  if (isSwagger && (key === 'consumes' || key === 'produces')) return mediaTypes
  return undefined
}

function references(value: unknown, type: Type | undefined, isSwagger: boolean): Suggestion[] {
  const name = type?.kind === 'object' ? type.shape.title : (type?.kind ?? '')
  const section = sections[name]?.[isSwagger ? 1 : 0]
  if (!section) return []
  const steps = section.split('/').slice(1)
  return keysAt(value, steps).map((own) => ({
    label: `#${pointerTo('', ...steps, own)}`,
    detail: name === 'schema' ? 'schema' : name.replace(/([a-z])([A-Z])/g, '$1 $2').toLowerCase(),
  }))
}

function valuesFor(owner: Type | undefined, key: string, type: Type | undefined): Suggestion[] {
  if (owner?.kind === 'schema') {
    return (
      schemaValues[key] ??
      (/^(?:readOnly|writeOnly|deprecated|uniqueItems|nullable|additionalProperties)$/.test(key)
        ? words('true', 'false')
        : [])
    )
  }
  if (type?.kind === 'flag') return words('true', 'false')
  return owner?.kind === 'object' ? (objectValues[owner.shape.title]?.[key] ?? []) : []
}
