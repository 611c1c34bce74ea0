/**
 * Counts of durations in buckets that each reach a tenth further than the one before. A quantile read from it is off by
 * less than 5 % of its value (above half a millisecond, and up to ten minutes); two of them add up to the histogram of all.
 */
export class Histogram {
  /** The buckets that have any, in the order in which they came, and how many are in each. */
  private readonly buckets: number[] = []
  private readonly counts: number[] = []

  /** Adds durations of so many milliseconds. */
  add(ms: number, times = 1): this {
    return this.put(bucketOf(ms), times)
  }

  merge({ buckets, counts }: Histogram): this {
    for (let at = 0; at < buckets.length; at++) this.put(buckets[at]!, counts[at]!)
    return this
  }

  /** Adds to a bucket. There are few, most of them the same: looking through them is faster than an index. */
  put(bucket: number, times: number): this {
    const at = this.buckets.indexOf(bucket)
    if (at !== -1) this.counts[at]! += times
    else {
      this.buckets.push(bucket)
      this.counts.push(times)
    }
    return this
  }

  get total(): number {
    let sum = 0
    for (const times of this.counts) sum += times
    return sum
  }

  /** The duration in milliseconds that a share (0 to 1) of all stay at or below; undefined where there are none. */
  quantile(share: number): number | undefined {
    const rank = Math.max(1, Math.ceil(share * this.total))
    let passed = 0
    for (const [bucket, times] of this.sorted()) {
      passed += times
      if (passed >= rank) return middleOf(bucket)
    }
    return undefined
  }

  private sorted(): [number, number][] {
    return this.buckets
      .map((bucket, at): [number, number] => [bucket, this.counts[at]!])
      .sort(([one], [other]) => one - other)
  }

  /** As bytes: for each bucket that has any, the distance from the one before and the count, seven bits to a byte. */
  encode(): Uint8Array {
    const bytes: number[] = []
    let before = 0
    for (const [bucket, times] of this.sorted()) {
      write(bytes, bucket - before)
      write(bytes, times)
      before = bucket
    }
    return Uint8Array.from(bytes)
  }

  static decode(bytes: Uint8Array): Histogram {
    return new Histogram().mergeEncoded(bytes)
  }

  /** Merges another one from its bytes. */
  mergeEncoded(bytes: Uint8Array): this {
    let bucket = 0
    let isDistance = true
    let value = 0
    let weight = 1
    for (const byte of bytes) {
      value += (byte % 128) * weight
      if (byte >= 128) {
        weight *= 128
        continue
      }
      if (isDistance) bucket += value
      // Bytes are ours; those that are not must not grow without bound.
      else if (bucket <= last) this.put(bucket, value)
      isDistance = !isDistance
      value = 0
      weight = 1
    }
    return this
  }
}

const growth = 1.1
const least = 0.5
const last = Math.ceil(Math.log(600_000 / least) / Math.log(growth))

/** The bucket that a duration of so many milliseconds is in. */
export const bucketOf = (ms: number) =>
  ms <= least ? 0 : Math.min(last, Math.ceil(Math.log(ms / least) / Math.log(growth) - 1e-9))

/** As far from either end of its bucket, as a share. */
const middleOf = (bucket: number) =>
  bucket === 0 ? least / 2 : least * growth ** bucket * (2 / (growth + 1))

function write(bytes: number[], value: number): void {
  let rest = value
  while (rest > 127) {
    bytes.push((rest % 128) + 128)
    rest = Math.floor(rest / 128)
  }
  bytes.push(rest)
}
