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

/** One minute, hour or day of them. What was written before stays as it is until somebody adds to it. */
class Part {
  constructor(
    readonly part: number,
    private what: Counts | Written,
  ) {}

  get calls(): number {
    return this.what.calls
  }

  get broken(): number {
    return this.what.broken
  }

  /** Its counts, to add to. */
  get counts(): Counts {
    if (!('bytes' in this.what)) return this.what
    const counts = noCounts()
    readParts(this.what.bytes, () => counts)
    this.what = counts
    return counts
  }

  write(writer: ByteWriter): void {
    if ('bytes' in this.what) writer.append(this.what.bytes)
    else writePart(writer, this.part, this.what)
  }
}

interface Written {
  bytes: Uint8Array
  calls: number
  broken: number
}

/** Counts of an hour, a day or a month, by its minutes, hours or days. */
export class Parts {
  /** Those that have any, in the order in which they came: most often one. */
  private readonly known: Part[] = []
  /** All of them together, where that is known. */
  private sum: Counts | undefined

  /** The counts of a part, to add to. */
  at(part: number): Counts {
    this.sum = undefined
    return this.partAt(part).counts
  }

  private partAt(part: number): Part {
    // What comes next mostly belongs to what came last.
    for (let n = this.known.length - 1; n >= 0; n--)
      if (this.known[n]!.part === part) return this.known[n]!
    const made = new Part(part, noCounts())
    this.known.push(made)
    return made
  }

  /** How many each part has, from the first to the last that has any; undefined where none has. */
  line(what: 'calls' | 'broken'): { first: number; times: number[] } | undefined {
    let first = Infinity
    let last = -1
    for (const { part, [what]: times } of this.known)
      if (times > 0) {
        first = Math.min(first, part)
        last = Math.max(last, part)
      }
    if (last === -1) return undefined
    const line = new Array<number>(last - first + 1).fill(0)
    for (const { part, [what]: times } of this.known) if (times > 0) line[part - first] = times
    return { first, times: line }
  }

  get calls(): number {
    let sum = 0
    for (const { calls } of this.known) sum += calls
    return sum
  }

  /** Writes all of it. */
  write(writer: ByteWriter): void {
    this.known.sort((one, other) => one.part - other.part)
    for (const part of this.known) part.write(writer)
  }

  /** Writes the calls of each part and the rest of all as one; nothing where there is only one, which is all by itself. */
  writeWhole(writer: ByteWriter): void {
    const line = this.line('calls')
    if (this.known.length < 2 || !line) return
    writer.varint(line.first)
    writer.varint(line.times.length)
    for (const calls of line.times) writer.varint(calls)
    writeCounts(writer, this.sum ?? this.added(noCounts()))
  }

  private added(sum: Counts): Counts {
    for (const { counts } of this.known) addCounts(sum, counts)
    return sum
  }

  /** Adds what was written, with all of it as one. */
  addWritten({ parts, whole }: WrittenParts): this {
    const sum = this.added(noCounts())
    if (whole.length === 0) readParts(parts, () => sum)
    else readWholes(whole, sum)
    const own = this.known.slice()
    for (const written of writtenParts(parts)) {
      const same = own.find(({ part }) => part === written.part)
      if (same) readParts(written.bytes, () => same.counts)
      else this.known.push(new Part(written.part, written))
    }
    this.sum = sum
    return this
  }

  /** Adds the parts of what was written that it has none of. */
  addOthers({ parts }: Pick<WrittenParts, 'parts'>): this {
    const own = new Set(this.known.map(({ part }) => part))
    for (const written of writtenParts(parts))
      if (!own.has(written.part)) this.known.push(new Part(written.part, written))
    this.sum = undefined
    return this
  }
}

/** {@link Parts} as they were written: by part, and all as one, which is empty where there is only one. */
export interface WrittenParts {
  parts: Uint8Array
  whole: Uint8Array
}

/** The parts that were written, one after the other. */
function* writtenParts(bytes: Uint8Array): Generator<Written & { part: number }> {
  const reader = new VarintReader(bytes)
  while (!reader.isAtEnd) {
    const at = reader.at
    const [part, calls, broken] = [reader.read(), reader.read(), reader.read()]
    reader.skip(2)
    Histogram.skip(reader)
    Histogram.skip(reader)
    yield { part, calls, broken, bytes: bytes.subarray(at, reader.at) }
  }
}

function writePart(writer: ByteWriter, part: number, counts: Counts): void {
  writer.varint(part)
  writeCounts(writer, counts)
}

function writeCounts(writer: ByteWriter, counts: Counts): void {
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
    if (counts) addRest(reader, calls, counts)
    else {
      reader.skip(3)
      Histogram.skip(reader)
      Histogram.skip(reader)
    }
  }
}

/** Adds what was written as whole, of one span or of several one after the other; the calls of each part are told as well. */
export function readWholes(
  bytes: Uint8Array,
  to: Counts,
  tell?: (part: number, calls: number) => void,
): void {
  const reader = new VarintReader(bytes)
  while (!reader.isAtEnd) {
    const first = reader.read()
    const parts = reader.read()
    if (tell) for (let n = 0; n < parts && !reader.isAtEnd; n++) tell(first + n, reader.read())
    else reader.skip(parts)
    addRest(reader, reader.read(), to)
  }
}

function addRest(reader: VarintReader, calls: number, to: Counts): void {
  to.calls += calls
  to.broken += reader.read()
  to.bytesIn += reader.read()
  to.bytesOut += reader.read()
  to.durations.addFrom(reader)
  to.upstream.addFrom(reader)
}
