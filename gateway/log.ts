import ipaddr from 'ipaddr.js'
import type { Step } from '../core/runtime/explain'
import { canonicalName } from '../core/runtime/headers'
import type { ConfigOf } from '../core/runtime/policies'
import { methodsOf } from '../core/runtime/policies/authenticate'
import { neverKept } from '../core/runtime/policies/log'
import type { Route } from '../core/runtime/routes'
import { Bounded } from './bounded'
import { readQuery, writeQuery } from './fields'
import { headerOf, type Passage } from './passage'

/** One request as the gateway saw it. Times in milliseconds. */
export interface LogEntry {
  id: string
  at: string
  method: string
  host: string
  path: string
  status: number
  ms: number
  consumer: string
  placement: string
  /** As much of the client's address as the policy keeps. */
  address: string
  /** As much of the query as the policy keeps. */
  query: string
  /** Request headers that the policy keeps. */
  headers: Record<string, string>
  steps: Step[]
}

/** What is kept where no policy says otherwise. */
const usual: ConfigOf<'log'> = { headers: [], address: 'shortened', query: 'names', percent: 100 }

/** What is kept of a request; nothing where it went well and was not drawn. */
export function entryOf(passage: Passage): LogEntry | undefined {
  const { id, head, request, response, route, matched, client, steps } = passage
  const policy = route?.policies.log ?? usual
  const status = response.statusCode
  if (status < 400 && policy.percent < 100 && Math.random() * 100 >= policy.percent)
    return undefined
  return {
    id,
    at: new Date().toISOString(),
    method: request.method ?? 'GET',
    host: head.host,
    path: head.target.path || (request.url ?? ''),
    status,
    ms: Math.round(((passage.ended ?? performance.now()) - passage.started) * 10) / 10,
    consumer: client,
    placement: (route ?? matched)?.placement ?? '',
    address: addressKept(passage),
    query: head.target.query === '' ? '' : keptQuery(head.target.query, policy.query, route),
    headers: keptHeaders(passage, policy.headers),
    steps,
  }
}

/** As much of a client's address as may be told of it. */
export const addressKept = ({ address, route, matched }: Passage): string =>
  keptAddress(address, ((route ?? matched)?.policies.log ?? usual).address)

function keptAddress(address: string, how: ConfigOf<'log'>['address']): string {
  if (how === 'dropped') return ''
  if (how === 'whole') return address
  let short = shortened.get(address)
  if (short === undefined) shortened.set(address, (short = shorten(address)))
  return short
}

const shortened = new Bounded<string>(10_000)

/** An address without what tells one client from its neighbours. */
function shorten(address: string): string {
  if (!ipaddr.isValid(address)) return address
  const ip = ipaddr.process(address)
  const bits = ip.kind() === 'ipv4' ? 24 : 48
  const bytes = ip.toByteArray().map((byte, index) => (index * 8 < bits ? byte : 0))
  return `${ipaddr.fromByteArray(bytes).toString()}/${bits}`
}

/** Names under which a request shows a credential, in lower case. */
const spent = (where: 'query' | 'header', route: Route | undefined): string[] =>
  methodsOf(route?.policies.authentication).flatMap((method) =>
    method.kind === 'api-key' && method.in === where ? method.name.toLowerCase() : [],
  )

function keptQuery(query: string, how: ConfigOf<'log'>['query'], route: Route | undefined): string {
  if (how === 'whole') {
    const credentials = spent('query', route)
    return writeQuery(
      readQuery(query).filter(({ name }) => !credentials.includes(name.toLowerCase())),
    )
  }
  return how === 'dropped'
    ? ''
    : readQuery(query)
        .map(({ name }) => name)
        .join(', ')
}

function keptHeaders(passage: Passage, names: readonly string[]): Record<string, string> {
  const kept: Record<string, string> = {}
  if (names.length === 0) return kept
  const credentials = spent('header', passage.route).map(canonicalName)
  for (const name of names) {
    const value = headerOf(passage, name)
    const canonical = canonicalName(name)
    if (value !== undefined && !neverKept.test(canonical) && !credentials.includes(canonical))
      kept[name] = value.slice(0, longest)
  }
  return kept
}

/** Longer paths and texts are cut in the log. */
const longest = 2000
const cut = (text: string) => (text.length > longest ? `${text.slice(0, longest)}…` : text)

/** The last requests, within bounds of number and size. */
export class AccessLog {
  /** In the order they came. */
  private readonly entries = new Map<string, { entry: LogEntry; bytes: number }>()
  private bytes = 0

  constructor(
    private readonly mostBytes: number,
    private readonly most = 5000,
  ) {}

  /** Takes an entry, and cuts what is too long of it. */
  add(entry: LogEntry): void {
    entry.host = cut(entry.host)
    entry.path = cut(entry.path)
    entry.query = cut(entry.query)
    for (const step of entry.steps) step.text = cut(step.text)
    const bytes = sizeOf(entry)
    this.entries.set(entry.id, { entry, bytes })
    this.bytes += bytes
    for (const [id, oldest] of this.entries) {
      if (this.bytes <= this.mostBytes && this.entries.size <= this.most) break
      this.entries.delete(id)
      this.bytes -= oldest.bytes
    }
  }

  find(id: string): LogEntry | undefined {
    return this.entries.get(id)?.entry
  }

  /** The newest so many, newest last. */
  latest(count: number): LogEntry[] {
    return [...this.entries.values()].slice(-count).map(({ entry }) => entry)
  }
}

/** Two bytes for a character, and a share for the objects themselves. */
function sizeOf({ host, path, query, consumer, placement, headers, steps }: LogEntry): number {
  let size =
    500 + 2 * (host.length + path.length + query.length + consumer.length + placement.length)
  for (const name in headers) size += 2 * (name.length + headers[name]!.length)
  for (const { text } of steps) size += 100 + 2 * text.length
  return size
}
