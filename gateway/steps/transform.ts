import { methodsOf } from '../../core/runtime/policies/authenticate'
import type { HeaderChanges, ParameterMapping } from '../../core/runtime/policies/transform'
import { rewritePath, type Route } from '../../core/runtime/routes'
import { splitPath } from '../../core/runtime/template'
import {
  cookiePiece,
  queryPiece,
  readCookies,
  readQuery,
  writeCookies,
  writeQuery,
  type Piece,
} from '../fields'
import { forwardedHeaders } from '../framing'
import type { Passage, Refusal } from '../passage'

/** What the backend gets: everything of a request but its body. */
export interface Inside {
  method: string
  /** With its query. */
  path: string
  /** Names and values. */
  headers: string[]
}

/** A request in parts that mappings change. */
interface Parts {
  query: Piece[]
  cookies: Piece[]
  headers: [string, string][]
}

type Place = 'query' | 'header' | 'cookie'

/** Works out what a backend gets of a request, or why it cannot. */
export function transform(passage: Passage, route: Route): Inside | Refusal {
  const { head, request } = passage
  const { parameters, requestHeaders, rewrite } = route.policies
  const parts = partsOf(passage, route)
  for (const mapping of parameters?.map ?? []) {
    const refusal = apply(passage, parts, mapping)
    if (refusal) return refusal
  }
  if (requestHeaders) parts.headers = changeHeaders(parts.headers, requestHeaders)
  const cookies = writeCookies(parts.cookies)
  const outside = head.target.path
  const inside =
    rewrite?.path === undefined ? rewritePath(route, outside) : fill(rewrite.path, route, outside)
  const method = rewrite?.method ?? request.method ?? 'GET'
  noteStep(passage, route, outside, inside, method)
  return {
    method,
    path: inside + writeQuery(parts.query),
    headers: [...parts.headers.flat(), ...(cookies === '' ? [] : ['cookie', cookies])],
  }
}

function noteStep(
  { steps, request }: Passage,
  route: Route,
  outside: string,
  inside: string,
  method: string,
) {
  const { parameters, requestHeaders, rewrite } = route.policies
  const said = [
    inside === outside
      ? `The path ${inside} is sent on as it came`
      : `${outside} becomes ${inside}`,
    ...(method === request.method ? [] : [`as ${method}`]),
    ...(parameters ? [`${parameters.map.length} parameters are mapped`] : []),
    ...(requestHeaders ? ['headers are changed'] : []),
  ]
  const policy = rewrite
    ? 'rewrite'
    : parameters
      ? 'parameters'
      : requestHeaders
        ? 'requestHeaders'
        : undefined
  steps.push({ name: 'transform', ...(policy && { policy }), passed: true, text: said.join('; ') })
}

/** The parts of a request without what was a credential for the gateway alone. */
function partsOf({ head, request }: Passage, route: Route): Parts {
  const spent = methodsOf(route.policies.authentication)
  const without = new Set<string>()
  let query = readQuery(head.target.query)
  let cookies = readCookies(request.headers.cookie)
  for (const method of spent) {
    if (method.kind === 'basic') without.add('authorization')
    else if (method.kind === 'api-key' && method.in === 'header') without.add(method.name)
    else if (method.kind === 'api-key' && method.in === 'query')
      query = query.filter(({ name }) => name !== method.name)
    else if (method.kind === 'api-key') cookies = cookies.filter(({ name }) => name !== method.name)
  }
  const raw = forwardedHeaders(request.rawHeaders, without)
  const headers: [string, string][] = []
  for (let i = 0; i < raw.length; i += 2)
    if (raw[i]!.toLowerCase() !== 'cookie') headers.push([raw[i]!, raw[i + 1]!])
  return { query, cookies, headers }
}

/** What no header may carry (RFC 9110, section 5.5), and what would not arrive as it is. */
const unfit = /[^\t\x20-\x7e\x80-\xff]/

function apply(passage: Passage, parts: Parts, mapping: ParameterMapping): Refusal | undefined {
  const values = take(parts, mapping.in, mapping.name)
  if (mapping.kind === 'drop') return undefined
  const [place, name] =
    mapping.kind === 'rename' ? [mapping.toIn, mapping.toName] : [mapping.in, mapping.name]
  const given = mapping.kind === 'constant' ? [mapping.value] : values
  if (place === 'header' && given.some((value) => unfit.test(value))) {
    const text = `The parameter ${mapping.name} has a character that no header can carry`
    passage.steps.push({ name: 'transform', policy: 'parameters', passed: false, text })
    return { status: 400, title: 'A parameter cannot be sent on' }
  }
  // What the caller sent under the inside name would be taken for what was mapped.
  if (mapping.kind === 'rename' && given.length > 0) take(parts, place, name)
  for (const value of given) put(parts, place, name, value)
  return undefined
}

/** Takes every value of a parameter out of a request. */
function take(parts: Parts, place: Place, name: string): string[] {
  if (place === 'header') {
    const lower = name.toLowerCase()
    const values = parts.headers.filter(([header]) => header.toLowerCase() === lower)
    parts.headers = parts.headers.filter(([header]) => header.toLowerCase() !== lower)
    return values.map(([, value]) => value)
  }
  const pieces = place === 'query' ? parts.query : parts.cookies
  const others = pieces.filter((piece) => piece.name !== name)
  if (place === 'query') parts.query = others
  else parts.cookies = others
  return pieces.filter((piece) => piece.name === name).map(({ value }) => value)
}

function put(parts: Parts, place: Place, name: string, value: string): void {
  if (place === 'header') parts.headers.push([name, value])
  else if (place === 'query') parts.query.push(queryPiece(name, value))
  else parts.cookies.push(cookiePiece(name, value))
}

/** Headers with changes of Gateway API's kind: set, then add, then remove. */
export function changeHeaders(
  headers: readonly [string, string][],
  { set, add, remove }: HeaderChanges,
): [string, string][] {
  const gone = new Set([
    ...set.map(({ name }) => name.toLowerCase()),
    ...remove.map((name) => name.toLowerCase()),
  ])
  return [
    ...headers.filter(([name]) => !gone.has(name.toLowerCase())),
    ...[...set, ...add].map(({ name, value }): [string, string] => [name, value]),
  ]
}

/** The values that a path has for the path parameters of its route, as they came. */
export function pathValues(route: Route, outside: string): Map<string, string> {
  const values = new Map<string, string>()
  const parts = splitPath(outside)
  splitPath(route.path).forEach((segment, index) => {
    const names = [...segment.matchAll(/\{([^{}]+)\}/g)].map(([, name]) => name!)
    if (names.length === 0) return
    const pattern = segment
      .split(/\{[^{}]+\}/)
      .map((piece) => piece.replace(/[.*+?^${}()|[\]\\]/g, '\\$&'))
    const found = new RegExp(`^${pattern.join('([^/]+?)')}$`).exec(parts[index] ?? '')
    names.forEach((name, n) => values.set(name, found?.[n + 1] ?? ''))
  })
  return values
}

/** A path inside with the values that the request has for the route's path parameters, as they came. */
function fill(template: string, route: Route, outside: string): string {
  const values = pathValues(route, outside)
  return template.replace(/\{([^{}]+)\}/g, (_, name: string) => values.get(name) ?? '')
}
