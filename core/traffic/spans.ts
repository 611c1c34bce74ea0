import { Histogram } from './histogram'
import { VarintReader, type ByteWriter } from './varints'

/** How long a count is of; in UTC. Minutes are kept by the hour, hours by the day and days by the month. */
export const resolutions = ['minute', 'hour', 'day'] as const
export type Resolution = (typeof resolutions)[number]

export const lengthOf: Record<Resolution, number> = {
  minute: 60_000,
  hour: 3_600_000,
  day: 86_400_000,
}

/** When the minute, hour or day of a moment began; both in milliseconds since 1970. */
export const beginOf = (resolution: Resolution, at: number): number =>
  at - (at % lengthOf[resolution])

/** When the hour, day or month began that the minutes, hours or days of a moment are kept by. */
export function spanOf(resolution: Resolution, at: number): number {
  if (resolution === 'minute') return beginOf('hour', at)
  if (resolution === 'hour') return beginOf('day', at)
  const day = new Date(at)
  return Date.UTC(day.getUTCFullYear(), day.getUTCMonth())
}

/** When the hour, day or month after one begins. */
export function spanAfter(resolution: Resolution, span: number): number {
  if (resolution === 'minute') return span + lengthOf.hour
  if (resolution === 'hour') return span + lengthOf.day
  const day = new Date(span)
  return Date.UTC(day.getUTCFullYear(), day.getUTCMonth() + 1)
}

/** The so-manieth part of its span a moment is in, from 0. */
export const partOf = (resolution: Resolution, at: number): number =>
  Math.floor((at - spanOf(resolution, at)) / lengthOf[resolution])

export interface Counts {
  calls: number
  /** Those whose messages broke the definition. */
  broken: number
  bytesIn: number
  bytesOut: number
  durations: Histogram
  upstream: Histogram
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

/** Counts of an hour, a day or a month, by its minutes, hours or days. */
export class Parts {
  /** Those that have any, in the order in which they came: most often one. */
  private readonly known: { part: number; counts: Counts }[] = []

  /** The counts of a part, to add to. */
  at(part: number): Counts {
    // What comes next mostly belongs to what came last.
    for (let n = this.known.length - 1; n >= 0; n--)
      if (this.known[n]!.part === part) return this.known[n]!.counts
    const counts = noCounts()
    this.known.push({ part, counts })
    return counts
  }

  /** How many each part has, from the first to the last that has any; undefined where none has. */
  line(what: 'calls' | 'broken'): { first: number; times: number[] } | undefined {
    let first = Infinity
    let last = -1
    for (const { part, counts } of this.known)
      if (counts[what] > 0) {
        first = Math.min(first, part)
        last = Math.max(last, part)
      }
    if (last === -1) return undefined
    const times = new Array<number>(last - first + 1).fill(0)
    for (const { part, counts } of this.known)
      if (counts[what] > 0) times[part - first] = counts[what]
    return { first, times }
  }

  get calls(): number {
    let sum = 0
    for (const { counts } of this.known) sum += counts.calls
    return sum
  }

  /** Writes all of it. */
  write(writer: ByteWriter): void {
    this.known.sort((one, other) => one.part - other.part)
    for (const { part, counts } of this.known) writePart(writer, part, counts)
  }

  /** Writes all parts as one; nothing where there is only one, which is all by itself. */
  writeWhole(writer: ByteWriter): void {
    if (this.known.length < 2) return
    const whole = noCounts()
    for (const { counts } of this.known) addCounts(whole, counts)
    writePart(writer, 0, whole)
  }

  /** Adds what was written. */
  addWritten(bytes: Uint8Array): this {
    readParts(bytes, (part) => this.at(part))
    return this
  }

  /** Adds the parts of what was written that it has none of. */
  addOthers(bytes: Uint8Array): this {
    const own = new Set(this.known.map(({ part }) => part))
    readParts(bytes, (part) => (own.has(part) ? undefined : this.at(part)))
    return this
  }
}

function writePart(writer: ByteWriter, part: number, counts: Counts): void {
  writer.varint(part)
  writer.varint(counts.calls)
  writer.varint(counts.broken)
  writer.varint(counts.bytesIn)
  writer.varint(counts.bytesOut)
  counts.durations.write(writer)
  counts.upstream.write(writer)
}

/** Adds each of written {@link Parts} to the counts that it belongs to; those that belong to none are passed over. */
export function readParts(
  bytes: Uint8Array,
  to: (part: number, calls: number) => Counts | undefined,
): void {
  const reader = new VarintReader(bytes)
  while (!reader.isAtEnd) {
    const part = reader.read()
    const calls = reader.read()
    const counts = to(part, calls)
    const [broken, bytesIn, bytesOut] = [reader.read(), reader.read(), reader.read()]
    if (!counts) {
      Histogram.skip(reader)
      Histogram.skip(reader)
      continue
    }
    counts.calls += calls
    counts.broken += broken
    counts.bytesIn += bytesIn
    counts.bytesOut += bytesOut
    counts.durations.addFrom(reader)
    counts.upstream.addFrom(reader)
  }
}
