import { choice, flag, list, object, text, whole } from '../fields'
import { beyond, whyNoOrigin, whyNoToken } from './checks'
import { policyKind } from './kind'
import { duration, someOf } from './words'

const headerNames = (label: string, says: string) =>
  list(
    text({ label: 'Header', says: 'Its name.', example: 'X-Trace-Id', max: 60, why: whyNoToken }),
    {
      label,
      says,
      max: 64,
      default: [],
    },
  )

/** Whether an origin is one of a list, as the gateway decides it: letter by letter, or below a `*.`. */
export const originAllowed = (allowed: readonly string[], origin: string) =>
  allowed.some((one) => {
    if (one === '*' || one === origin) return true
    const [scheme = '', below] = one.split('*')
    return (
      below !== undefined &&
      origin.startsWith(scheme) &&
      origin.endsWith(below) &&
      /^[a-z\d.-]+$/.test(origin.slice(scheme.length))
    )
  })

export const cors = policyKind({
  resource: 'CorsPolicy',
  step: 'respond',
  title: 'CORS',
  says: 'Lets scripts of some web origins call the API from a browser (Fetch, section 3.3): preflights are answered by the gateway itself, before any credential is asked for, with the methods that are routed at that path. Origins that are not named get no permission, and nothing is echoed to them. Written as Gateway API’s CORS filter.',
  config: object(
    { label: 'CORS', says: 'Which web origins may call.' },
    {
      origins: list(
        text({
          label: 'Origin',
          says: 'One origin; *. stands for everything below a host.',
          example: 'https://app.brackenmere.example',
          max: 300,
          why: whyNoOrigin,
        }),
        { label: 'Origins', says: 'Whose scripts may call; * for anybody’s.', min: 1, max: 64 },
      ),
      headers: headerNames(
        'Request headers',
        'Headers that scripts may send, besides the simple ones.',
      ),
      expose: headerNames(
        'Response headers',
        'Headers that scripts may read, besides the simple ones.',
      ),
      credentials: flag({
        label: 'With cookies and credentials',
        says: 'Whether the browser may send cookies and credentials of its own.',
        default: false,
      }),
      maxAgeSeconds: whole({
        label: 'Remembered',
        says: 'How long a browser may remember the answer to a preflight.',
        min: 0,
        max: 86_400,
        unit: 's',
        default: 600,
      }),
    },
  ),
  words: ({ origins, credentials, maxAgeSeconds }) => ({
    text: `CORS for ${someOf(origins.map((origin) => origin.replace(/^https?:\/\//, '')))}`,
    note: `${credentials ? 'with' : 'without'} credentials; preflights are remembered ${duration(maxAgeSeconds)}`,
  }),
  misfits: ({ origins, credentials }) =>
    credentials && origins.includes('*')
      ? [
          {
            field: 'origins',
            message:
              'Any origin (*) together with credentials would let every page act as its reader',
          },
        ]
      : [],
  loosens(outer, inner) {
    const more = inner.origins.filter((origin) => !originAllowed(outer.origins, origin))
    if (more.length > 0) return `it lets ${someOf(more)} in`
    if (inner.credentials && !outer.credentials) return 'it lets credentials through'
    const headers = beyond(inner.headers, outer.headers)
    return headers.length > 0 ? `it takes ${someOf(headers)} too` : undefined
  },
})

export const caching = policyKind({
  resource: 'CachePolicy',
  step: 'respond',
  title: 'Caching',
  says: 'Says how long a response may be kept, in Cache-Control (RFC 9111, section 5.2), in the place of what the backend says. Only responses to GET and HEAD with a status below 400 may be kept; everything else is said not to be.',
  config: object(
    { label: 'Caching', says: 'How long responses may be kept.' },
    {
      visibility: choice(
        [
          { value: 'no-store', label: 'by nobody' },
          { value: 'private', label: 'by the client' },
          { value: 'public', label: 'by everybody on the way' },
        ],
        { label: 'Kept', says: 'Who may keep them.', default: 'no-store' },
      ),
      maxAgeSeconds: whole({
        label: 'For',
        says: 'How long.',
        min: 0,
        max: 31_536_000,
        unit: 's',
        default: 0,
      }),
    },
  ),
  words: ({ visibility, maxAgeSeconds }) =>
    visibility === 'no-store'
      ? { text: 'no caching' }
      : {
          text: `kept ${duration(maxAgeSeconds)} by ${visibility === 'private' ? 'the client' : 'everybody on the way'}`,
        },
  loosens(outer, inner) {
    const rank = { 'no-store': 0, private: 1, public: 2 }
    return rank[inner.visibility] > rank[outer.visibility] ||
      inner.maxAgeSeconds > outer.maxAgeSeconds
      ? 'it lets responses be kept longer or by more'
      : undefined
  },
})

export const errors = policyKind({
  resource: 'ErrorPolicy',
  step: 'respond',
  title: 'Errors',
  says: 'The shape of what the gateway itself answers where it stops a request: problem details (RFC 9457), a SOAP fault (1.1, section 4.4) or plain text. What a backend answers is left as it is.',
  config: object(
    { label: 'Errors', says: 'What the gateway’s own errors look like.' },
    {
      shape: choice(
        [
          { value: 'problem', label: 'problem details' },
          { value: 'soap-fault', label: 'SOAP fault' },
          { value: 'text', label: 'plain text' },
        ],
        { label: 'Shape', says: 'Of the body.', default: 'problem' },
      ),
    },
  ),
  words: ({ shape }) => ({
    text: {
      problem: 'errors as problem details',
      'soap-fault': 'errors as SOAP faults',
      text: 'errors as plain text',
    }[shape],
  }),
})
