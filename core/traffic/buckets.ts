import type { TrafficEvent } from './event'
import { bucketOf, Histogram } from './histogram'

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

/** Whether counts of a time are kept at all. */
type IsKept = (resolution: Resolution, at: number) => boolean

/**
 * Counts events of one gateway, each once in every grain and in every resolution that is kept for its time. Buckets of one
 * series share it as one object.
 */
export function bucketsOf(events: readonly TrafficEvent[], isKept: IsKept = () => true): Bucket[] {
  const all: Bucket[] = []
  const known = new Map<string, { series: Series; buckets: Map<number, Bucket> }>()
  const unknown = new Map<string, Set<string>>()
  for (const event of events) {
    const operation = boundedOperation(event, unknown)
    const { placement, version, client, status, step, policy } = event
    const ended = `${status}\n${step}\n${policy}`
    const placed = `${placement}\n${version}\n${ended}`
    const keys = {
      gateway: ended,
      placement: placed,
      operation: `${placed}\n${client}\n${operation}`,
    }
    const duration = bucketOf(event.ms)
    const upstream = event.upstreamMs === undefined ? undefined : bucketOf(event.upstreamMs)
    for (const grain of grains) {
      const key = `${grain}\n${keys[grain]}`
      let of = known.get(key)
      if (!of) {
        of = { series: seriesOf(event, grain, operation), buckets: new Map() }
        known.set(key, of)
      }
      for (const [index, resolution] of resolutions.entries()) {
        const at = beginOf(resolution, event.at)
        if (!isKept(resolution, at)) continue
        // Beginnings are whole seconds: what is added tells hours from their first minutes.
        let bucket = of.buckets.get(at + index)
        if (!bucket) {
          bucket = { ...noCounts(), resolution, at, series: of.series }
          of.buckets.set(at + index, bucket)
          all.push(bucket)
        }
        count(bucket, event, duration, upstream)
      }
    }
  }
  return all
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

/** Counts an event; its times are in these buckets of histograms. */
function count(bucket: Bucket, event: TrafficEvent, duration: number, upstream?: number): void {
  bucket.calls++
  bucket.broken += event.breaks === '' ? 0 : 1
  bucket.bytesIn += event.bytesIn
  bucket.bytesOut += event.bytesOut
  bucket.durations.put(duration, 1)
  if (upstream !== undefined) bucket.upstream.put(upstream, 1)
}
