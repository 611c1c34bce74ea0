import type { IncomingMessage } from 'node:http'
import { canonicalName, isOfProxies, standsOnce } from '../core/runtime/headers'
import { readTarget, type RequestTarget } from '../core/runtime/target'

/** How the body of a request is delimited (RFC 9112, section 6). */
export type Framing = { kind: 'none' } | { kind: 'length'; length: number } | { kind: 'chunked' }

/** A request whose head can be understood in one way only. */
export interface RequestHead {
  host: string
  target: RequestTarget
  framing: Framing
  /** What it has for each header, by its canonical name. */
  fields: ReadonlyMap<string, readonly string[]>
}

export interface Refusal {
  status: 400 | 501
  refused: string
}

const authority = /^(?:[a-z\d](?:[a-z\d.-]*[a-z\d.])?|\[[\da-f:.]+\])(?::\d{1,5})?$/i

/** Reads what a request is for, or says why it is refused before anything is matched. */
export function readHead(request: IncomingMessage): RequestHead | Refusal {
  const fields = fieldsOf(request.rawHeaders)
  for (const [name, { length }] of fields)
    if (length > 1 && standsOnce(name))
      return { status: 400, refused: `The request has more than one ${name} header` }
  for (const name of namedByConnection(fields.get('connection') ?? []))
    if (name.startsWith('content-'))
      return {
        status: 400,
        refused: `Connection names ${name.slice(0, 60)}, which is of the message`,
      }
  const [host = ''] = fields.get('host') ?? []
  if (host !== '' && !authority.test(host))
    return { status: 400, refused: 'The Host header is not a host name' }
  const target = readTarget(request.url ?? '')
  if ('refused' in target) return { status: 400, refused: target.refused }
  const framing = framingOf(fields)
  if ('refused' in framing) return framing
  return { host: host.replace(/\.?(?::\d+)?$/, '').toLowerCase(), target, framing, fields }
}

function fieldsOf(raw: string[]): Map<string, string[]> {
  const fields = new Map<string, string[]>()
  for (let i = 0; i < raw.length; i += 2) {
    const name = canonicalName(raw[i]!)
    const values = fields.get(name)
    if (values) values.push(raw[i + 1]!)
    else fields.set(name, [raw[i + 1]!])
  }
  return fields
}

function framingOf(fields: RequestHead['fields']): Framing | Refusal {
  const codings = fields.get('transfer-encoding') ?? []
  const lengths = fields.get('content-length') ?? []
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

/** Names of the headers that `Connection` says are for this connection only; mostly it says something else. */
const namedByConnection = (values: readonly string[]): Set<string> =>
  new Set(
    values.flatMap((value) =>
      value === 'keep-alive' || value === 'close'
        ? []
        : value.split(',').map((name) => canonicalName(name.trim())),
    ),
  )

const nothing: ReadonlySet<string> = new Set()

/** Whether a header is one that a stranger may send to a backend; each name is asked about once. */
const passes = new Map<string, boolean>()
const mostNames = 1000

function mayPass(canonical: string): boolean {
  let known = passes.get(canonical)
  if (known === undefined) {
    known = !ofTheConnection.has(canonical) && !isOfProxies(canonical)
    if (passes.size < mostNames) passes.set(canonical, known)
  }
  return known
}

/**
 * The headers of a request that go on to a backend, as a list of names and values. Those of `without` are kept back too;
 * those of `asked` are sent on although mostly only proxies set them, since a policy names them.
 */
export function forwardedHeaders(
  raw: string[],
  without: Iterable<string>,
  asked: ReadonlySet<string> = nothing,
): string[] {
  const dropped = namedByConnection(valuesOf(raw, 'connection'))
  for (const name of without) dropped.add(canonicalName(name))
  return kept(raw, (name) => {
    const canonical = canonicalName(name)
    return (mayPass(canonical) || asked.has(canonical)) && !dropped.has(canonical)
  })
}

/** The headers of a backend's response that go on to the client. A length stays, since nothing is changed on the way. */
export function returnedHeaders(raw: string[], status: number): string[] {
  const named = namedByConnection(valuesOf(raw, 'connection'))
  const length = valuesOf(raw, 'content-length')
  const plain =
    status !== 204 &&
    length.length === 1 &&
    /^\d+$/.test(length[0]!) &&
    valuesOf(raw, 'transfer-encoding').length === 0
  return kept(raw, (name) => {
    const canonical = canonicalName(name)
    if (canonical === 'content-length') return plain
    return !ofTheConnection.has(canonical) && canonical !== 'x-request-id' && !named.has(canonical)
  })
}

function kept(raw: string[], keeps: (name: string) => boolean): string[] {
  const headers: string[] = []
  for (let i = 0; i < raw.length; i += 2) if (keeps(raw[i]!)) headers.push(raw[i]!, raw[i + 1]!)
  return headers
}
