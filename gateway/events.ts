import type { Socket } from 'node:net'
import { isStopped } from '../core/runtime/explain'
import { mediaTypeOf } from '../core/runtime/media'
import { namesTold, shapeOf, type TrafficEvent } from '../core/traffic/event'
import { readQuery } from './fields'
import { addressKept } from './log'
import { headerOf, type Passage } from './passage'

/** What was counted of a connection when its last request ended. */
const counted = new WeakMap<Socket, { read: number; written: number }>()

/** What is told of a request for counting: names, and nothing of what was sent. */
export function eventOf(passage: Passage, at: number): Omit<TrafficEvent, 'seq'> {
  const { id, request, response, head, matched, client, steps, upstreamMs } = passage
  const stopped = steps.find((step) => isStopped(step)) ?? steps.find(({ passed }) => !passed)
  const { socket } = request
  const before = counted.get(socket) ?? { read: 0, written: 0 }
  const now = { read: socket.bytesRead, written: socket.bytesWritten }
  counted.set(socket, now)
  const { query } = head.target
  return {
    id,
    at,
    placement: matched?.placement ?? '',
    version: matched?.version ?? '',
    operation: operationOf(matched, request.method ?? 'GET', head.target.path),
    host: matched?.placement ? '' : head.host.slice(0, 253),
    client,
    address: addressKept(passage),
    status: response.statusCode,
    step: stopped?.name ?? '',
    policy: stopped?.policy ?? '',
    ms: Math.round(((passage.ended ?? performance.now()) - passage.started) * 10) / 10,
    ...(upstreamMs !== undefined && { upstreamMs: Math.round(upstreamMs * 10) / 10 }),
    bytesIn: Math.max(0, now.read - before.read),
    bytesOut: Math.max(0, now.written - before.written),
    requestType: typeTold(headerOf(passage, 'content-type')),
    responseType: typeTold(passage.responseType),
    query: query === '' ? [] : namesTold(readQuery(query).map(({ name }) => name)),
    members: namesTold(passage.members),
    breaks: breaksOf(passage.breaks),
    ...(passage.tried !== '' && client === '' && { tried: passage.tried }),
  }
}

/** An operation by its name; of nobody's route by its template, where none matched by the shape of the path. */
function operationOf(matched: Passage['matched'], method: string, path: string): string {
  if (!matched) return `${method} ${shapeOf(path)}`
  return matched.placement === '' ? `${method} ${matched.path}` : matched.name
}

/** A media type as an event has it: no longer than one is. */
const typeTold = (contentType: string | undefined) => mediaTypeOf(contentType).slice(0, 100)

const breaksOf = ({ request, response }: Passage['breaks']): TrafficEvent['breaks'] =>
  request && response ? 'both' : request ? 'request' : response ? 'response' : ''
