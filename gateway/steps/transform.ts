import { methodsOf } from '../../core/runtime/policies/authenticate'
import type { ConfigOf } from '../../core/runtime/policies'
import type { HeaderChanges, ParameterMapping } from '../../core/runtime/policies/transform'
import { canonicalName } from '../../core/runtime/headers'
import { rewritePath, type Route } from '../../core/runtime/routes'
import { readTarget } from '../../core/runtime/target'
import {
  parseTemplate,
  pathValues,
  type PathTemplate,
  type PathValue,
} from '../../core/runtime/template'
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
import { headerOf, type Passage, type Refusal } from '../passage'

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
  if (inside === undefined) {
    const text = `${outside} does not have the values that ${rewrite!.path} asks for`
    passage.steps.push({ name: 'transform', policy: 'rewrite', passed: false, text })
    return { status: 400, title: 'A path parameter cannot be sent on' }
  }
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
function partsOf(passage: Passage, route: Route): Parts {
  const { head, request } = passage
  const spent = methodsOf(route.policies.authentication)
  const without = new Set<string>()
  let query = readQuery(head.target.query)
  let cookies = readCookies(headerOf(passage, 'cookie'))
  for (const method of spent) {
    if (method.kind === 'basic') without.add('authorization')
    else if (method.kind === 'api-key' && method.in === 'header') without.add(method.name)
    else if (method.kind === 'api-key' && method.in === 'query')
      query = query.filter(({ name }) => name !== method.name)
    else if (method.kind === 'api-key') cookies = cookies.filter(({ name }) => name !== method.name)
  }
  const raw = forwardedHeaders(request.rawHeaders, without, namedIn(route.policies.parameters))
  const headers: [string, string][] = []
  for (let i = 0; i < raw.length; i += 2)
    if (canonicalName(raw[i]!) !== 'cookie') headers.push([raw[i]!, raw[i + 1]!])
  return { query, cookies, headers }
}

/** Headers that mappings send on: a policy that names one says that it may come from outside. */
const namedIn = (parameters: ConfigOf<'parameters'> | undefined): Set<string> | undefined =>
  parameters &&
  new Set(
    parameters.map.flatMap((one) =>
      one.kind === 'rename' && one.in === 'header' ? [canonicalName(one.name)] : [],
    ),
  )

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
    const canonical = canonicalName(name)
    const values = parts.headers.filter(([header]) => canonicalName(header) === canonical)
    parts.headers = parts.headers.filter(([header]) => canonicalName(header) !== canonical)
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
    ...set.map(({ name }) => canonicalName(name)),
    ...remove.map((name) => canonicalName(name)),
  ])
  return [
    ...headers.filter(([name]) => !gone.has(canonicalName(name))),
    ...[...set, ...add].map(({ name, value }): [string, string] => [name, value]),
  ]
}

/** The values that a path has for the path parameters of its route; none where the route does not take it. */
export const valuesInPath = (route: Route, outside: string): Map<string, PathValue> =>
  pathValues(templateOf(route), outside) ?? new Map<string, PathValue>()

const templates = new WeakMap<Route, PathTemplate>()

function templateOf(route: Route): PathTemplate {
  let template = templates.get(route)
  if (!template) templates.set(route, (template = parseTemplate(route.path, route.open)))
  return template
}

/**
 * A path inside with the values that the request has for the route's path parameters; undefined where one is missing, or
 * where together they would be another path than they say, such as one with a dot segment.
 */
function fill(template: string, route: Route, outside: string): string | undefined {
  const values = valuesInPath(route, outside)
  let isWhole = true
  const path = template.replace(/\{([^{}]+)\}/g, (_, name: string) => {
    const value = values.get(name)?.written ?? ''
    if (value === '') isWhole = false
    return value
  })
  return isWhole && !('refused' in readTarget(path)) ? path : undefined
}
