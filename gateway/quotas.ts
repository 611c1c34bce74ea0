import { readFileSync } from 'node:fs'
import type { ConfigOf } from '../core/runtime/policies'
import { writeDurably } from './durable'
import type { Admission } from './limiter'

interface Count {
  /** The day or month it is of: `2026-11-28`, `2026-11`. */
  period: string
  /** Taken by this gateway, and by the others of its group as they last said. */
  own: number
  others: number
}

/** More counters than this are not kept; those of ended periods go first. */
const most = 100_000

const periodAt = (length: 'day' | 'month', at: number) =>
  new Date(at).toISOString().slice(0, length === 'day' ? 10 : 7)

function endOf(length: 'day' | 'month', at: number): number {
  const date = new Date(at)
  return length === 'day'
    ? Date.UTC(date.getUTCFullYear(), date.getUTCMonth(), date.getUTCDate() + 1)
    : Date.UTC(date.getUTCFullYear(), date.getUTCMonth() + 1, 1)
}

/** Requests by the calendar. Counts are kept on disk, a second behind at most. */
export class Quotas {
  private counts = new Map<string, Count>()
  private changed = false
  private readonly timer: NodeJS.Timeout

  constructor(
    private readonly file: string,
    private readonly now: () => number = Date.now,
  ) {
    this.counts = readKept(file)
    this.timer = setInterval(() => this.keep(), 1000)
    this.timer.unref()
  }

  admit(who: string, { requests, in: length }: ConfigOf<'quota'>): Admission {
    const now = this.now()
    const count = this.countOf(who, periodAt(length, now))
    const reset = Math.max(1, Math.ceil((endOf(length, now) - now) / 1000))
    const taken = count.own + count.others
    if (taken >= requests) return { admitted: false, retryAfter: reset }
    count.own++
    this.changed = true
    return { admitted: true, remaining: requests - taken - 1, reset }
  }

  private countOf(who: string, period: string): Count {
    let count = this.counts.get(who)
    if (count?.period !== period) {
      if (this.counts.size >= most) this.sweep()
      this.counts.set(who, (count = { period, own: 0, others: 0 }))
    }
    return count
  }

  /** Forgets counters of ended periods, and the oldest where there are still too many. */
  private sweep(): void {
    const now = this.now()
    const current = new Set([periodAt('day', now), periodAt('month', now)])
    for (const [who, { period }] of this.counts) if (!current.has(period)) this.counts.delete(who)
    for (const who of this.counts.keys()) {
      if (this.counts.size < most) break
      this.counts.delete(who)
    }
  }

  /** What this gateway has taken in periods that have not ended. */
  taken(): { who: string; period: string; own: number }[] {
    const now = this.now()
    const current = new Set([periodAt('day', now), periodAt('month', now)])
    return [...this.counts]
      .filter(([, { period, own }]) => current.has(period) && own > 0)
      .map(([who, { period, own }]) => ({ who, period, own }))
  }

  /** What the others of the group have taken, as somebody who asked all of them says. */
  learn(others: readonly { who: string; period: string; taken: number }[]): void {
    for (const { who, period, taken } of others) {
      const count = this.countOf(who, period)
      // What others have taken only grows within a period; what is older than what is known says nothing.
      count.others = Math.max(count.others, taken)
    }
    this.changed ||= others.length > 0
  }

  /** Writes what was counted, where anything was. */
  keep(): void {
    if (!this.changed) return
    this.changed = false
    writeDurably(this.file, JSON.stringify([...this.counts]))
  }

  close(): void {
    clearInterval(this.timer)
    this.keep()
  }
}

function readKept(file: string): Map<string, Count> {
  try {
    return new Map(JSON.parse(readFileSync(file, 'utf8')) as [string, Count][])
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'ENOENT')
      console.error(`${file} cannot be read; quotas begin anew:`, error)
    return new Map()
  }
}
