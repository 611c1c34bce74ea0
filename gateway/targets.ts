import { request, type Dispatcher } from 'undici'
import type { ConfigOf } from '../core/runtime/policies'
import type { WeightedTarget } from '../core/runtime/routes'
import { errorText } from '../core/text/values'

type Breaker = ConfigOf<'breaker'>
type Health = ConfigOf<'health'>

/** What is known of one target, whatever routes lead to it. */
interface Known {
  /** Failures one after the other, as requests met them. */
  failures: number
  /** Left alone until then; 0 where it is not. */
  restsUntil: number
  /** One request is trying whether it is back. */
  trying: boolean
  watch: { timer: NodeJS.Timeout; config: string } | undefined
  /** Failures one after the other, as health checks met them. */
  unanswered: number
  healthy: boolean
  trouble: string
}

/** How a target stands, for whoever asks. */
export interface TargetHealth {
  url: string
  state: 'healthy' | 'unhealthy' | 'resting'
  trouble: string
}

const healthTimeoutMs = 2000
const retryWindowMs = 10_000
/** So many retries in a window are always allowed. */
const fewRetries = 10

/** The targets of all backends: which of them can be sent to. */
export class Targets {
  private readonly known = new Map<string, Known>()
  private readonly budgets = new Map<string, { since: number; requests: number; retries: number }>()

  constructor(
    private readonly agent: Dispatcher,
    private readonly now: () => number = Date.now,
  ) {}

  private of(url: string): Known {
    let known = this.known.get(url)
    if (!known) {
      const begun: Known = {
        failures: 0,
        restsUntil: 0,
        trying: false,
        watch: undefined,
        unanswered: 0,
        healthy: true,
        trouble: '',
      }
      this.known.set(url, (known = begun))
    }
    return known
  }

  /** One of some targets, by weight among those that can be sent to; or in how many seconds one can. */
  choose(
    targets: readonly WeightedTarget[],
    tried: ReadonlySet<string>,
  ): WeightedTarget | { seconds: number } {
    const now = this.now()
    const rested = targets.filter(({ url }) => {
      const { restsUntil, trying } = this.of(url)
      return restsUntil === 0 || (restsUntil <= now && !trying)
    })
    if (rested.length === 0) {
      const until = Math.min(...targets.map(({ url }) => this.of(url).restsUntil))
      return { seconds: Math.max(1, Math.ceil((until - now) / 1000)) }
    }
    const healthy = rested.filter(({ url }) => this.of(url).healthy)
    const usable = healthy.length > 0 ? healthy : rested
    const fresh = usable.filter(({ url }) => !tried.has(url))
    const chosen = byWeight(fresh.length > 0 ? fresh : usable)
    const known = this.of(chosen.url)
    if (known.restsUntil !== 0) known.trying = true
    return chosen
  }

  /** Takes note of what became of a request; a target that keeps failing is left alone for a while. */
  note(url: string, failed: boolean, breaker: Breaker | undefined): void {
    const known = this.of(url)
    known.trying = false
    if (!failed) {
      known.failures = 0
      known.restsUntil = 0
      return
    }
    known.failures++
    if (breaker && known.failures >= breaker.failures)
      known.restsUntil = this.now() + breaker.seconds * 1000
  }

  /** Nothing is known of how a request went that its client gave up. */
  forget(url: string): void {
    this.of(url).trying = false
  }

  /** Counts a request to a backend; for a retry, whether the budget has one. */
  count(backend: string, retry: boolean, percent: number): boolean {
    const now = this.now()
    let budget = this.budgets.get(backend)
    if (!budget || now - budget.since > retryWindowMs)
      this.budgets.set(backend, (budget = { since: now, requests: 0, retries: 0 }))
    if (!retry) {
      budget.requests++
      return true
    }
    if (budget.retries >= Math.max(fewRetries, (budget.requests * percent) / 100)) return false
    budget.retries++
    return true
  }

  /** Watches these targets from now on, and no others. */
  watch(wanted: ReadonlyMap<string, Health>): void {
    for (const [url, known] of this.known) {
      const config = wanted.get(url)
      if (known.watch && (!config || known.watch.config !== JSON.stringify(config))) {
        clearInterval(known.watch.timer)
        Object.assign(known, { watch: undefined, healthy: true, unanswered: 0, trouble: '' })
      }
    }
    for (const [url, config] of wanted) {
      const known = this.of(url)
      if (known.watch) continue
      const timer = setInterval(() => void this.look(url, config), config.seconds * 1000)
      timer.unref()
      known.watch = { timer, config: JSON.stringify(config) }
      void this.look(url, config)
    }
  }

  private async look(
    url: string,
    { path, failures, timeoutMs = healthTimeoutMs }: Health,
  ): Promise<void> {
    const known = this.of(url)
    const { watch } = known
    let trouble = ''
    try {
      const { statusCode, body } = await request(`${url}${path}`, {
        dispatcher: this.agent,
        signal: AbortSignal.timeout(timeoutMs),
      })
      await body.dump()
      if (statusCode >= 400) trouble = `${path} answered ${statusCode}`
    } catch (error) {
      trouble = `${path}: ${errorText(error)}`
    }
    // Somebody may have stopped watching meanwhile, or watches otherwise.
    if (known.watch !== watch) return
    known.unanswered = trouble === '' ? 0 : known.unanswered + 1
    known.trouble = trouble
    known.healthy = known.unanswered < failures
  }

  /** How the targets stand that are watched or were sent to. */
  health(): TargetHealth[] {
    const now = this.now()
    return [...this.known].map(([url, { healthy, restsUntil, trouble }]) => ({
      url,
      state: !healthy ? 'unhealthy' : restsUntil > now ? 'resting' : 'healthy',
      trouble,
    }))
  }

  close(): void {
    this.watch(new Map())
  }
}

function byWeight(targets: readonly WeightedTarget[]): WeightedTarget {
  const sum = targets.reduce((total, { weight }) => total + weight, 0)
  let at = Math.random() * sum
  return targets.find(({ weight }) => (at -= weight) < 0) ?? targets.at(-1)!
}
