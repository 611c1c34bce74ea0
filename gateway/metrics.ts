import { Counter, Gauge, Histogram, Registry } from 'prom-client'
import type { TrafficEvent } from '../core/traffic/event'
import type { Configuration } from './configuration'
import type { Journal } from './journal'
import type { Targets } from './targets'

/** What one gateway tells of itself (Prometheus text format). */
export class Metrics {
  private readonly registry = new Registry()
  private readonly requests: Counter
  private readonly durations: Histogram

  constructor(configuration: Configuration, targets: Targets, journal: Journal) {
    const registers = [this.registry]
    this.requests = new Counter({
      name: 'gateway_requests_total',
      help: 'Requests that ended, by status and the step that stopped them.',
      labelNames: ['status', 'step'],
      registers,
    })
    this.durations = new Histogram({
      name: 'gateway_request_duration_seconds',
      help: 'How long requests took.',
      buckets: [0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 10],
      registers,
    })
    const gauge = (name: string, help: string, value: () => number) =>
      new Gauge({
        name,
        help,
        registers,
        collect() {
          this.set(value())
        },
      })
    gauge(
      'gateway_routes',
      'Routes that are served.',
      () => configuration.current.router.routes.length,
    )
    gauge('gateway_journal_bytes', 'Events on disk that nobody has taken.', () => journal.size)
    gauge(
      'gateway_targets_unhealthy',
      'Watched targets that are not healthy.',
      () => targets.health().filter(({ state }) => state !== 'healthy').length,
    )
  }

  count({ status, step, ms }: Pick<TrafficEvent, 'status' | 'step' | 'ms'>): void {
    this.requests.inc({ status: String(status), step })
    this.durations.observe(ms / 1000)
  }

  get contentType(): string {
    return this.registry.contentType
  }

  text = (): Promise<string> => this.registry.metrics()
}
