import type { TrafficEvent } from './event'
import { Histogram } from './histogram'

/** How finely requests are counted: all of a gateway, those of a placement, or those of an operation and client. */
export const grains = ['gateway', 'placement', 'operation'] as const
export type Grain = (typeof grains)[number]

/** How long a count is of; in UTC. */
export const resolutions = ['minute', 'hour', 'day'] as const
export type Resolution = (typeof resolutions)[number]

export const lengthOf: Record<Resolution, number> = {
  minute: 60_000,
  hour: 3_600_000,
  day: 86_400_000,
}

/** For how many days counts are kept. */
export const keptDays: Record<Resolution, number> = { minute: 3, hour: 92, day: 3 * 366 }

/** When the minute, hour or day of a moment began; both in milliseconds since 1970. */
export const beginOf = (resolution: Resolution, at: number): number =>
  at - (at % lengthOf[resolution])

/** What requests are counted by. Empty words stand for all. */
export interface Series {
  grain: Grain
  placement: string
  version: string
  operation: string
  client: string
  status: number
  step: string
  policy: string
}

export interface Counts {
  calls: number
  /** Those whose messages broke the definition. */
  broken: number
  bytesIn: number
  bytesOut: number
  durations: Histogram
  upstream: Histogram
}

export interface Bucket extends Counts {
  resolution: Resolution
  /** When it begins, in milliseconds since 1970. */
  at: number
  series: Series
}

export const noCounts = (): Counts => ({
  calls: 0,
  broken: 0,
  bytesIn: 0,
  bytesOut: 0,
  durations: new Histogram(),
  upstream: new Histogram(),
})

/** Adds counts to others. */
export function addCounts(to: Counts, more: Counts): void {
  to.calls += more.calls
  to.broken += more.broken
  to.bytesIn += more.bytesIn
  to.bytesOut += more.bytesOut
  to.durations.merge(more.durations)
  to.upstream.merge(more.upstream)
}

/** So many operations of one placement that nobody described are told apart in a batch; the rest are counted together. */
const mostUnknown = 50

/** Counts events of one gateway, each once in every resolution and grain. */
export function bucketsOf(events: readonly TrafficEvent[]): Bucket[] {
  const buckets = new Map<string, Bucket>()
  const unknown = new Map<string, Set<string>>()
  for (const event of events) {
    const operation = boundedOperation(event, unknown)
    for (const grain of grains) {
      const series = seriesOf(event, grain, operation)
      const name = Object.values(series).join('\n')
      for (const resolution of resolutions) {
        const at = beginOf(resolution, event.at)
        const key = `${resolution} ${at}\n${name}`
        let bucket = buckets.get(key)
        if (!bucket) buckets.set(key, (bucket = { ...noCounts(), resolution, at, series }))
        count(bucket, event)
      }
    }
  }
  return [...buckets.values()]
}

/** What strangers make up must not fill the store. */
function boundedOperation(
  { placement, step, operation }: TrafficEvent,
  unknown: Map<string, Set<string>>,
): string {
  if (step !== 'match') return operation
  let known = unknown.get(placement)
  if (!known) unknown.set(placement, (known = new Set()))
  if (known.size >= mostUnknown && !known.has(operation)) return 'others'
  known.add(operation)
  return operation
}

function seriesOf(event: TrafficEvent, grain: Grain, operation: string): Series {
  const { placement, version, client, status, step, policy } = event
  return {
    grain,
    placement: grain === 'gateway' ? '' : placement,
    version: grain === 'gateway' ? '' : version,
    operation: grain === 'operation' ? operation : '',
    client: grain === 'operation' ? client : '',
    status,
    step,
    policy,
  }
}

function count(bucket: Bucket, event: TrafficEvent): void {
  bucket.calls++
  bucket.broken += event.breaks === '' ? 0 : 1
  bucket.bytesIn += event.bytesIn
  bucket.bytesOut += event.bytesOut
  bucket.durations.add(event.ms)
  if (event.upstreamMs !== undefined) bucket.upstream.add(event.upstreamMs)
}
