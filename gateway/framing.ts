import type { IncomingMessage } from 'node:http'
import { readTarget, type RequestTarget } from '../core/runtime/target'

/** How the body of a request is delimited (RFC 9112, section 6). */
export type Framing = { kind: 'none' } | { kind: 'length'; length: number } | { kind: 'chunked' }

/** A request whose head can be understood in one way only. */
export interface RequestHead {
  host: string
  target: RequestTarget
  framing: Framing
}

export interface Refusal {
  status: 400 | 501
  refused: string
}

const authority = /^(?:[a-z\d](?:[a-z\d.-]*[a-z\d.])?|\[[\da-f:.]+\])(?::\d{1,5})?$/i

/** Reads what a request is for, or says why it is refused before anything is matched. */
export function readHead(request: IncomingMessage): RequestHead | Refusal {
  const hosts = valuesOf(request.rawHeaders, 'host')
  if (hosts.length > 1) return { status: 400, refused: 'The request has more than one Host header' }
  const [host = ''] = hosts
  if (host !== '' && !authority.test(host))
    return { status: 400, refused: 'The Host header is not a host name' }
  const target = readTarget(request.url ?? '')
  if ('refused' in target) return { status: 400, refused: target.refused }
  const framing = framingOf(request)
  if ('refused' in framing) return framing
  return { host: host.replace(/\.?(?::\d+)?$/, '').toLowerCase(), target, framing }
}

function framingOf(request: IncomingMessage): Framing | Refusal {
  const codings = valuesOf(request.rawHeaders, 'transfer-encoding')
  const lengths = valuesOf(request.rawHeaders, 'content-length')
  if (codings.length > 0) {
    if (codings.length > 1 || codings[0]!.trim().toLowerCase() !== 'chunked')
      return { status: 501, refused: 'The only transfer coding taken is chunked' }
    if (lengths.length > 0)
      return { status: 400, refused: 'The request has both a length and a transfer coding' }
    return { kind: 'chunked' }
  }
  if (lengths.length > 1) return { status: 400, refused: 'The request has more than one length' }
  const length = Number(lengths[0] ?? 0)
  if (!Number.isSafeInteger(length) || length < 0)
    return { status: 400, refused: 'The length of the body is not a number' }
  return length === 0 ? { kind: 'none' } : { kind: 'length', length }
}

function valuesOf(raw: string[], name: string): string[] {
  const values: string[] = []
  for (let i = 0; i < raw.length; i += 2)
    if (raw[i]!.length === name.length && raw[i]!.toLowerCase() === name) values.push(raw[i + 1]!)
  return values
}

/** Headers that belong to one connection (RFC 9110, section 7.6.1) or to the framing of one message. */
const ofTheConnection = new Set([
  'connection',
  'content-length',
  'expect',
  'host',
  'http2-settings',
  'keep-alive',
  'proxy-authenticate',
  'proxy-authorization',
  'proxy-connection',
  'te',
  'trailer',
  'transfer-encoding',
  'upgrade',
])

/** By these a backend is told who asks and what for; from outside they would be lies. */
const told = new Set([
  'forwarded',
  'x-client-ip',
  'x-cluster-client-ip',
  'x-http-method',
  'x-http-method-override',
  'x-method-override',
  'x-original-url',
  'x-real-ip',
  'x-request-id',
  'x-rewrite-url',
  'true-client-ip',
])

/** Spellings of names that were met; strangers make no more of them than this. */
const spellings = new Map<string, string>()
const mostSpellings = 1000

/** The name as a backend may read it: some take `X_Real_IP` for `X-Real-IP`. Most requests have the same few names. */
function readAs(name: string): string {
  const known = spellings.get(name)
  if (known !== undefined) return known
  const read = name.toLowerCase().replaceAll('_', '-')
  if (spellings.size < mostSpellings) spellings.set(name, read)
  return read
}

/** Names of the headers that `Connection` says are for this connection only; mostly it says something else. */
const namedByConnection = (raw: string[]): Set<string> =>
  new Set(
    valuesOf(raw, 'connection').flatMap((value) =>
      value === 'keep-alive' || value === 'close'
        ? []
        : value.split(',').map((name) => readAs(name.trim())),
    ),
  )

/** The headers of a request that go on to a backend, as a list of names and values; `without` are kept back too. */
export function forwardedHeaders(raw: string[], without: Iterable<string>): string[] {
  const named = namedByConnection(raw)
  for (const name of without) named.add(readAs(name))
  return kept(raw, (name) => {
    const read = readAs(name)
    return (
      !ofTheConnection.has(read) &&
      !told.has(read) &&
      !read.startsWith('x-forwarded-') &&
      !named.has(read)
    )
  })
}

/** The headers of a backend's response that go on to the client. A length stays, since nothing is changed on the way. */
export function returnedHeaders(raw: string[]): string[] {
  const named = namedByConnection(raw)
  const length = valuesOf(raw, 'content-length')
  const plain =
    length.length === 1 &&
    /^\d+$/.test(length[0]!) &&
    valuesOf(raw, 'transfer-encoding').length === 0
  return kept(raw, (name) => {
    const read = readAs(name)
    if (read === 'content-length') return plain
    return !ofTheConnection.has(read) && read !== 'x-request-id' && !named.has(read)
  })
}

function kept(raw: string[], keeps: (name: string) => boolean): string[] {
  const headers: string[] = []
  for (let i = 0; i < raw.length; i += 2) if (keeps(raw[i]!)) headers.push(raw[i]!, raw[i + 1]!)
  return headers
}
