import { methodKeys, resourceKeys, rootKeys } from '../formats/raml/read'
import { declarationKeys } from '../formats/raml/types'
import { isObject, namesOf } from '../text/values'
import type { CursorPlace } from './location'
import type { Suggestion } from './index'

const methods = ['get', 'post', 'put', 'patch', 'delete', 'head', 'options']
const builtin = [
  ...['string', 'number', 'integer', 'boolean', 'object', 'array', 'any', 'nil', 'file'],
  ...['date-only', 'time-only', 'datetime-only', 'datetime'],
]
/** Fields whose values are maps from names to type declarations. */
const declarations = new Set([
  ...['types', 'schemas', 'properties', 'queryParameters', 'uriParameters', 'baseUriParameters'],
  ...['headers', 'formParameters', 'annotationTypes'],
])
const bodies = ['application/json', 'application/xml', 'text/plain', 'multipart/form-data']

const words = (labels: Iterable<string>, detail?: string): Suggestion[] =>
  [...labels].map((label) => ({ label, ...(detail !== undefined && { detail }) }))

/** Suggestions in RAML: its fields and facets, and the types, traits and schemes the definition has. */
export function completeRaml(value: unknown, { path, asks }: CursorPlace): Suggestion[] {
  const root = isObject(value) ? value : {}
  const named = (key: string, detail: string) =>
    words(isObject(root[key]) ? Object.keys(root[key]) : namesOf(root[key]), detail)
  const last = path.at(-1)
  const above = String(path.at(typeof last === 'number' ? -2 : -1) ?? '')
  if (asks === 'value' || typeof last === 'number') {
    if (above === 'is') return named('traits', 'trait')
    if (above === 'securedBy') return named('securitySchemes', 'security scheme')
    if (['type', 'items', 'schema'].includes(above)) {
      const holder = path.at(-2)
      return typeof holder === 'string' && holder.startsWith('/')
        ? named('resourceTypes', 'resource type')
        : [...named('types', 'type'), ...named('schemas', 'type'), ...words(builtin)]
    }
    if (above === 'required' || above === 'uniqueItems') return words(['true', 'false'])
    // A property that is written as only the name of its type.
    if (asks === 'value' && declarations.has(String(path.at(-2)))) {
      return [...named('types', 'type'), ...named('schemas', 'type'), ...words(builtin)]
    }
    return []
  }
  if (path.length === 0) return words(rootKeys)
  if (above.startsWith('/')) return [...words(methods, 'method'), ...words(resourceKeys)]
  if (methods.includes(above)) return words(methodKeys)
  if (above === 'responses') return words(['200', '201', '204', '400', '401', '403', '404', '409'])
  if (path.at(-2) === 'responses') return words(['description', 'headers', 'body'])
  if (above === 'body') return words([...bodies, ...declarationKeys])
  if (path.at(-2) === 'body' || above === 'items' || declarations.has(String(path.at(-2)))) {
    return words(declarationKeys)
  }
  return []
}
