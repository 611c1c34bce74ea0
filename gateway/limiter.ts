import type { RateLimit } from '../core/routing/placement'

/** What a limit says to one request. `retryAfter` is in whole seconds, as the header wants it. */
export type Admission =
  { admitted: true; remaining: number } | { admitted: false; retryAfter: number }

/** Counts requests in fixed windows. Counters of windows that have ended are dropped as new ones begin. */
export class Limiter {
  private readonly windows = new Map<string, { ends: number; count: number }>()

  constructor(private readonly now: () => number = Date.now) {}

  admit(who: string, { requests, seconds }: RateLimit): Admission {
    const now = this.now()
    let window = this.windows.get(who)
    if (!window || window.ends <= now) {
      if (this.windows.size > 10_000) this.sweep(now)
      window = { ends: now + seconds * 1000, count: 0 }
      this.windows.set(who, window)
    }
    if (window.count >= requests) {
      return { admitted: false, retryAfter: Math.max(1, Math.ceil((window.ends - now) / 1000)) }
    }
    window.count++
    return { admitted: true, remaining: requests - window.count }
  }

  private sweep(now: number): void {
    for (const [who, window] of this.windows) if (window.ends <= now) this.windows.delete(who)
  }
}
