import http from 'node:http'
import { faultEnvelope, soapMediaTypes } from '../../core/contract/envelopes'
import type { ConfigOf } from '../../core/runtime/policies'
import { originAllowed } from '../../core/runtime/policies/respond'
import { lifecycleFields } from '../../core/runtime/lifecycle'
import { canonicalName } from '../../core/runtime/headers'
import { headerOf, type Passage, type Refusal } from '../passage'
import { changeHeaders } from './transform'

/** What a backend says about these, a policy says in its place. */
const corsFields = /^access-control-/i
const cacheFields = /^(?:cache-control|expires|pragma)$/i

const pairsOf = (raw: readonly string[]): [string, string][] => {
  const pairs: [string, string][] = []
  for (let i = 0; i < raw.length; i += 2) pairs.push([raw[i]!, raw[i + 1]!])
  return pairs
}

/** The headers of a response on their way to the client, whoever gave it. */
export function responseFields(
  passage: Passage,
  status: number,
  given: readonly string[],
): string[] {
  const { id, fields, request, route } = passage
  passage.responseType = typeOf(given)
  const own = [...fields, 'X-Request-Id', id]
  if (route?.lifecycle) own.push(...lifecycleFields(route.lifecycle))
  const { cors, caching, responseHeaders } = route?.policies ?? {}
  if (!cors && !caching && !responseHeaders) return [...given, ...own]
  let pairs = pairsOf(given)
  if (caching) {
    pairs = pairs.filter(([name]) => !cacheFields.test(name))
    own.push('Cache-Control', cacheControl(caching, request.method, status))
  }
  if (cors) {
    pairs = pairs.filter(([name]) => !corsFields.test(name))
    own.push(...corsFieldsFor(cors, headerOf(passage, 'origin')))
  }
  if (responseHeaders) pairs = changeHeaders(pairs, responseHeaders)
  return [...pairs.flat(), ...own]
}

function typeOf(raw: readonly string[]): string {
  for (let i = 0; i < raw.length; i += 2)
    if (canonicalName(raw[i]!) === 'content-type') return raw[i + 1]!
  return ''
}

function cacheControl(
  { visibility, maxAgeSeconds }: ConfigOf<'caching'>,
  method: string | undefined,
  status: number,
): string {
  const kept = visibility !== 'no-store' && (method === 'GET' || method === 'HEAD') && status < 400
  return kept ? `${visibility}, max-age=${maxAgeSeconds}` : 'no-store'
}

/** What a script of an origin may know of a response; nothing where the origin is not one that may call. */
function corsFieldsFor(config: ConfigOf<'cors'>, origin: string | undefined): string[] {
  const { origins, expose, credentials } = config
  const open = origins.includes('*')
  const vary = open ? [] : ['Vary', 'Origin']
  if (origin === undefined || !originAllowed(origins, origin)) return vary
  return [
    ...vary,
    ...['Access-Control-Allow-Origin', open ? '*' : origin],
    ...(credentials ? ['Access-Control-Allow-Credentials', 'true'] : []),
    ...(expose.length > 0 ? ['Access-Control-Expose-Headers', expose.join(', ')] : []),
  ]
}

/** Whether a request asks what a script may send (Fetch, section 3.3.1). */
export const isPreflight = (passage: Passage): boolean =>
  passage.request.method === 'OPTIONS' &&
  headerOf(passage, 'origin') !== undefined &&
  headerOf(passage, 'access-control-request-method') !== undefined

/** Answers a preflight for the methods that are routed at its path. */
export function answerPreflight(
  passage: Passage,
  config: ConfigOf<'cors'>,
  methods: string[],
): void {
  const { response, steps } = passage
  const origin = headerOf(passage, 'origin') ?? ''
  const allowed = originAllowed(config.origins, origin)
  steps.push({
    name: 'respond',
    policy: 'cors',
    passed: allowed,
    text: allowed
      ? `Scripts of ${origin.slice(0, 200)} may call this`
      : `Scripts of ${origin.slice(0, 200)} may not call this`,
  })
  response.writeHead(204, [
    ...corsFieldsFor({ ...config, expose: [] }, origin),
    ...(allowed
      ? [
          ...['Access-Control-Allow-Methods', methods.join(', ')],
          ...(config.headers.length > 0
            ? ['Access-Control-Allow-Headers', config.headers.join(', ')]
            : []),
          ...['Access-Control-Max-Age', String(config.maxAgeSeconds)],
        ]
      : []),
    ...['Content-Length', '0', 'X-Request-Id', passage.id],
  ])
  response.end()
}

/** What the gateway itself answers, in the shape a policy says. */
export function refuse(
  passage: Passage,
  { status, title, detail: given, headers = {} }: Refusal,
): void {
  const { head, response, steps } = passage
  // A connection with a body that nobody read is not used again.
  if (head.framing.kind !== 'none' && !passage.body) response.shouldKeepAlive = false
  const detail = given ?? (status >= 500 ? askAbout(passage) : (steps.at(-1)?.text ?? title))
  const { fields, body } = shapedAnswer(passage, { status, title, detail })
  for (const [name, values] of Object.entries(headers))
    for (const value of [values].flat()) fields.push(name, value)
  response.writeHead(
    status,
    http.STATUS_CODES[status] ?? '',
    responseFields(passage, status, fields),
  )
  response.end(body)
}

/** What is inside is not told outside: who runs the API finds it by the identifier. */
export const askAbout = ({ id }: Pick<Passage, 'id'>) =>
  `Ask whoever runs this API, who finds the reason by the identifier ${id}`

/** What the gateway says of an error, in the shape a policy says; `more` are members of a problem. */
export function shapedAnswer(
  passage: Passage,
  { status, title, detail }: { status: number; title: string; detail: string },
  more: object = {},
): { status: number; fields: string[]; body: string } {
  const shape = passage.route?.policies.errors?.shape ?? (passage.soap ? 'soap-fault' : 'problem')
  const { type, body } = shaped(shape, status, title, detail, passage, more)
  return {
    status,
    fields: ['Content-Type', type, 'Content-Length', String(Buffer.byteLength(body))],
    body,
  }
}

function shaped(
  shape: ConfigOf<'errors'>['shape'],
  status: number,
  title: string,
  detail: string,
  { id, soap = '1.1' }: Passage,
  more: object,
): { type: string; body: string } {
  if (shape === 'text') return { type: 'text/plain; charset=utf-8', body: `${title}. ${detail}.\n` }
  if (shape === 'soap-fault') {
    const fault = {
      isSender: status < 500,
      reason: `${title}. ${detail}.`,
      detail: `<status>${status}</status><request>${id}</request>`,
    }
    return {
      type: `${soapMediaTypes[soap]}; charset=utf-8`,
      body: faultEnvelope(soap, fault),
    }
  }
  const body = JSON.stringify({ type: 'about:blank', title, status, detail, ...more })
  return { type: 'application/problem+json', body }
}
