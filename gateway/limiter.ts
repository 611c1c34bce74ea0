import type { ConfigOf } from '../core/runtime/policies'
import { Bounded } from './bounded'

/** What a limit says to one request: how many are left, and when there are more; times in whole seconds. */
export type Admission =
  { admitted: true; remaining: number; reset: number } | { admitted: false; retryAfter: number }

/** Counters for more clients than this are not kept: those that were silent longest begin anew. */
const mostClients = 50_000

/** Buckets that fill at a rate, and hold a burst. */
export class RateLimiter {
  private readonly buckets = new Bounded<{ tokens: number; at: number }>(mostClients)

  constructor(private readonly now: () => number = Date.now) {}

  get size(): number {
    return this.buckets.size
  }

  admit(who: string, { requests, seconds, burst = requests }: ConfigOf<'rate'>): Admission {
    const now = this.now()
    const perSecond = requests / seconds
    let bucket = this.buckets.get(who)
    if (!bucket) this.buckets.set(who, (bucket = { tokens: burst, at: now }))
    // A clock that was put back gives nothing and takes nothing.
    const passed = Math.max(0, now - bucket.at) / 1000
    bucket.tokens = Math.min(burst, bucket.tokens + passed * perSecond)
    bucket.at = now
    if (bucket.tokens < 1)
      return {
        admitted: false,
        retryAfter: Math.max(1, Math.ceil((1 - bucket.tokens) / perSecond)),
      }
    bucket.tokens--
    const reset = Math.ceil((burst - bucket.tokens) / perSecond)
    return { admitted: true, remaining: Math.floor(bucket.tokens), reset }
  }
}

/** Requests that are under way at once. */
export class ConcurrencyLimiter {
  private readonly running = new Map<string, number>()

  /** Takes a place; what it returns gives it back. Undefined where there is none. */
  enter(who: string, most: number): (() => void) | undefined {
    const now = this.running.get(who) ?? 0
    if (now >= most) return undefined
    this.running.set(who, now + 1)
    return () => {
      const left = this.running.get(who)! - 1
      if (left === 0) this.running.delete(who)
      else this.running.set(who, left)
    }
  }
}
