import type { ByteWriter, VarintReader } from './varints'

/**
 * Counts of durations in buckets that each reach a tenth further than the one before. A quantile read from it is off by
 * less than 5 % of its value (above half a millisecond, and up to ten minutes); two of them add up to the histogram of all.
 */
export class Histogram {
  /** Buckets and how many are in each, in turns: most histograms are of a single duration. */
  private few: number[] | undefined
  /** How many are in each bucket, once a look through the few would take longer. */
  private all: number[] | undefined

  /** Adds durations of so many milliseconds. */
  add(ms: number, times = 1): this {
    return this.put(bucketOf(ms), times)
  }

  merge(other: Histogram): this {
    const list = other.sorted()
    for (let at = 0; at < list.length; at += 2) this.put(list[at]!, list[at + 1]!)
    return this
  }

  /** Adds to a bucket. */
  put(bucket: number, times: number): this {
    const { few, all } = this
    if (all) all[bucket]! += times
    else if (few) this.putFew(few, bucket, times)
    else this.few = [bucket, times]
    return this
  }

  private putFew(few: number[], bucket: number, times: number): void {
    for (let at = 0; at < few.length; at += 2)
      if (few[at] === bucket) {
        few[at + 1]! += times
        return
      }
    few.push(bucket, times)
    if (few.length > mostFew) this.spread(few)
  }

  private spread(few: readonly number[]): void {
    const all = new Array<number>(last + 1).fill(0)
    for (let at = 0; at < few.length; at += 2) all[few[at]!] = few[at + 1]!
    this.all = all
    this.few = undefined
  }

  get total(): number {
    let sum = 0
    const list = this.sorted()
    for (let at = 1; at < list.length; at += 2) sum += list[at]!
    return sum
  }

  /** The duration in milliseconds that a share (0 to 1) of all stay at or below; undefined where there are none. */
  quantile(share: number): number | undefined {
    const rank = Math.max(1, Math.ceil(share * this.total))
    let passed = 0
    const list = this.sorted()
    for (let at = 0; at < list.length; at += 2) {
      passed += list[at + 1]!
      if (passed >= rank) return middleOf(list[at]!)
    }
    return undefined
  }

  /** The buckets that have any in order, each with how many are in it. */
  private sorted(): readonly number[] {
    if (this.all) {
      const list: number[] = []
      for (const [bucket, times] of this.all.entries()) if (times > 0) list.push(bucket, times)
      return list
    }
    const { few = [] } = this
    // They are few, and mostly in order.
    for (let at = 2; at < few.length; at += 2)
      for (let to = at; to > 0 && few[to - 2]! > few[to]!; to -= 2) {
        const [bucket, times] = [few[to]!, few[to + 1]!]
        few[to] = few[to - 2]!
        few[to + 1] = few[to - 1]!
        few[to - 2] = bucket
        few[to - 1] = times
      }
    return few
  }

  /** Appends how many buckets have any, and for each the distance from the one before and its count. */
  write(writer: ByteWriter): void {
    const list = this.sorted()
    writer.varint(list.length / 2)
    let before = 0
    for (let at = 0; at < list.length; at += 2) {
      writer.varint(list[at]! - before)
      writer.varint(list[at + 1]!)
      before = list[at]!
    }
  }

  /** Adds what {@link write} wrote. */
  addFrom(reader: VarintReader): this {
    let bucket = 0
    for (let left = reader.read(); left > 0 && !reader.isAtEnd; left--) {
      bucket += reader.read()
      const times = reader.read()
      // Bytes are ours; those that are not must not grow without bound.
      if (bucket <= last) this.put(bucket, times)
    }
    return this
  }

  /** Reads past what {@link write} wrote. */
  static skip(reader: VarintReader): void {
    reader.skip(2 * reader.read())
  }
}

/** So many numbers are looked through one by one. */
const mostFew = 32
const growth = 1.1
const least = 0.5
const last = Math.ceil(Math.log(600_000 / least) / Math.log(growth))

/** The bucket that a duration of so many milliseconds is in. */
export const bucketOf = (ms: number) =>
  ms <= least ? 0 : Math.min(last, Math.ceil(Math.log(ms / least) / Math.log(growth) - 1e-9))

/** As far from either end of its bucket, as a share. */
const middleOf = (bucket: number) =>
  bucket === 0 ? least / 2 : least * growth ** bucket * (2 / (growth + 1))
