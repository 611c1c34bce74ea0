import type { TrafficEvent } from './event'
import { bucketOf } from './histogram'
import { lengthOf, partOf, Parts, resolutions, spanOf, type Counts, type Resolution } from './spans'

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

/** How finely requests are counted, the coarsest first: what each tells them apart by, beside how they ended. */
const told = {
  gateway: [],
  caller: ['client'],
  placement: ['placement', 'version'],
  client: ['placement', 'version', 'client'],
  operation: ['placement', 'version', 'client', 'operation'],
} as const satisfies Record<string, readonly (keyof Series)[]>
export type Grain = keyof typeof told
type Told = (typeof told)[Grain][number]
export const grains = Object.keys(told) as Grain[]

/** The coarsest grain that tells requests apart by all of these. */
export const grainBy = (wanted: readonly Told[]): Grain =>
  grains.find((grain) => wanted.every((field) => tells(grain, field)))!

const tells = (grain: Grain, field: Told) => told[grain].some((one) => one === field)

const day = lengthOf.day

/** For how long counts are kept, in milliseconds. */
export const keptFor: Record<Resolution, number> = {
  minute: 2 * day,
  hour: 92 * day,
  day: 3 * 366 * day,
}

/**
 * Whether an event so old is counted in a resolution. Minutes of clients and operations are many: of what comes late they are
 * counted only for the hour that is looked at, and the one before. Days are made of their hours, while those are kept.
 */
function isCounted(grain: Grain, resolution: Resolution, age: number): boolean {
  if (resolution === 'day') return age >= keptFor.hour && age < keptFor.day
  if (resolution === 'minute' && tells(grain, 'client')) return age < 3 * lengthOf.hour
  return age < keptFor[resolution]
}

/** Counts of a series in an hour, a day or a month. */
export interface Tally {
  series: Series
  resolution: Resolution
  /** When the hour, day or month began, in milliseconds since 1970. */
  span: number
  parts: Parts
}

/** So many operations of one placement that nobody described are told apart in a batch; the rest are counted together. */
const mostUnknown = 50

/** A series with its tallies by resolution. There are few of each, and what comes next mostly belongs to the last. */
type Grained = { series: Series } & Record<Resolution, Tally[]>

/**
 * Counts events of one gateway at a time `now`, and none as later, each once in every grain and in every resolution that is still kept for it.
 * What is of one series shares it as one object.
 */
export function tallied(events: readonly TrafficEvent[], now: number): Tally[] {
  const all: Tally[] = []
  const known = new Map<string, Grained>()
  /** Those of all grains that events of one operation, client and end belong to. */
  const alike = new Map<string, Grained[]>()
  const unknown = new Map<string, Set<string>>()

  const seriesLike = (event: TrafficEvent, operation: string): Grained[] => {
    const { placement, version, client, status, step, policy } = event
    const ended = `${status}\n${step}\n${policy}`
    const placed = `${placement}\n${version}\n${ended}`
    const called = `${placed}\n${client}`
    const key = `${called}\n${operation}`
    let found = alike.get(key)
    if (found) return found
    const keys: Record<Grain, string> = {
      gateway: `g${ended}`,
      caller: `a${ended}\n${client}`,
      placement: `p${placed}`,
      client: `c${called}`,
      operation: `o${key}`,
    }
    found = grains.map((grain) => {
      let of = known.get(keys[grain])
      if (!of) {
        of = { series: seriesOf(event, grain, operation), minute: [], hour: [], day: [] }
        known.set(keys[grain], of)
      }
      return of
    })
    alike.set(key, found)
    return found
  }

  for (const event of events) {
    const { ms, upstreamMs } = event
    // The clock of a gateway may be ahead.
    const at = Math.min(event.at, now)
    const duration = bucketOf(ms)
    const upstream = upstreamMs === undefined ? undefined : bucketOf(upstreamMs)
    const like = seriesLike(event, boundedOperation(event, unknown))
    for (const resolution of resolutions) {
      const span = spanOf(resolution, at)
      const part = partOf(resolution, at)
      for (const of of like) {
        if (!isCounted(of.series.grain, resolution, now - at)) continue
        let tally = of[resolution].findLast((one) => one.span === span)
        if (!tally) {
          tally = { series: of.series, resolution, span, parts: new Parts() }
          of[resolution].push(tally)
          all.push(tally)
        }
        count(tally.parts.at(part), event, duration, upstream)
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
  const { status, step, policy } = event
  const { placement, version, client } = event
  const of = { placement, version, client, operation }
  const word = (field: Told) => (tells(grain, field) ? of[field] : '')
  return {
    grain,
    placement: word('placement'),
    version: word('version'),
    operation: word('operation'),
    client: word('client'),
    status,
    step,
    policy,
  }
}

/** Counts an event; its times are in these buckets of histograms. */
function count(counts: Counts, event: TrafficEvent, duration: number, upstream?: number): void {
  counts.calls++
  counts.broken += event.breaks === '' ? 0 : 1
  counts.bytesIn += event.bytesIn
  counts.bytesOut += event.bytesOut
  counts.durations.put(duration, 1)
  if (upstream !== undefined) counts.upstream.put(upstream, 1)
}
