import { isObject } from '../text/values'
import { stepNames, type StepName } from '../runtime/steps'

/** One request as a gateway tells of it: what it came to, and nothing of what was in it. */
export interface TrafficEvent {
  /** Counts up by one with each event of a journal, from 1. */
  seq: number
  id: string
  /** When it ended, in milliseconds since 1970. */
  at: number
  /** Empty where no placement took it. */
  placement: string
  version: string
  /** The operation as its definition has it, `GET /areas/{areaId}`; for what no route took, method and shape of the path. */
  operation: string
  /** For what no placement took: whom it was for. */
  host: string
  /** The client, by the name of its credential; empty where nobody knows. */
  client: string
  /** As much of its address as the log policy keeps. */
  address: string
  status: number
  /** Where it was stopped, and the policy that did; empty where it went all the way. */
  step: StepName | ''
  policy: string
  /** In all, and until the backend's response began; in milliseconds. Absent where no backend was asked. */
  ms: number
  upstreamMs?: number
  /** On the connection, heads included. */
  bytesIn: number
  bytesOut: number
  /** Media types without their parameters; empty where there was no body. */
  requestType: string
  responseType: string
  /** Names of the query parameters and of the body's members that were sent. */
  query: string[]
  members: string[]
  /** Whether the request, the response or both broke the definition, where they were held against it. */
  breaks: '' | 'request' | 'response' | 'both'
  /** Of a key of the ledger's that was refused the beginning of its SHA-256; absent where there was none. */
  tried?: string
}

/** So many names are told of a request, each cut to so many characters. */
const mostNames = 30
const longestName = 60

/** Names as an event has them: each once, bounded in number and length. */
export const namesTold = (names: Iterable<string>): string[] =>
  [...new Set([...names].slice(0, 10 * mostNames))]
    .slice(0, mostNames)
    .map((name) => name.slice(0, longestName))

/**
 * The shape of a path that no route took: `/areas/*` of `/areas/4711`. A segment with a digit, or longer than a word is,
 * is somebody's data, but for a version's.
 */
export function shapeOf(path: string): string {
  const parts = path.split('/').slice(0, 12)
  const kept = parts.map((part) =>
    /^(?:[A-Za-z._~-]{0,24}|v\d{1,3}(?:\.\d{1,3})?)$/.test(part) ? part : '*',
  )
  return kept.join('/').slice(0, 200)
}

/** Reads an event from strangers' JSON; undefined where it is none. */
export function readEvent(value: unknown): TrafficEvent | undefined {
  if (!isObject(value)) return undefined
  const text = (name: string, most = 300) => {
    const found = value[name]
    return typeof found === 'string' ? found.slice(0, most) : ''
  }
  const number = (name: string, most: number) => {
    const found = value[name]
    return typeof found === 'number' && found >= 0 && found <= most ? found : undefined
  }
  const names = (name: string) => {
    const found = value[name]
    return Array.isArray(found) ? namesTold(found.filter((one) => typeof one === 'string')) : []
  }
  const seq = number('seq', Number.MAX_SAFE_INTEGER)
  const at = number('at', 8.64e15)
  const status = number('status', 999)
  const ms = number('ms', Number.MAX_SAFE_INTEGER)
  if (!seq || at === undefined || status === undefined || ms === undefined) return undefined
  const upstreamMs = number('upstreamMs', Number.MAX_SAFE_INTEGER)
  const step = text('step')
  const breaks = text('breaks')
  const tried = text('tried', 16)
  return {
    seq,
    id: text('id'),
    at,
    placement: text('placement'),
    version: text('version'),
    operation: text('operation', 2000),
    host: text('host'),
    client: text('client'),
    address: text('address', 60),
    status: Math.trunc(status),
    step: stepNames.find((name) => name === step) ?? '',
    policy: text('policy'),
    ms,
    ...(upstreamMs !== undefined && { upstreamMs }),
    bytesIn: number('bytesIn', Number.MAX_SAFE_INTEGER) ?? 0,
    bytesOut: number('bytesOut', Number.MAX_SAFE_INTEGER) ?? 0,
    requestType: text('requestType'),
    responseType: text('responseType'),
    query: names('query'),
    members: names('members'),
    breaks: breaks === 'request' || breaks === 'response' || breaks === 'both' ? breaks : '',
    ...(/^[0-9a-f]{16}$/.test(tried) && { tried }),
  }
}
