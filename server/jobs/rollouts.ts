import type { Services } from '../services/context'
import { unfinished, workRollout } from '../services/rollout-work'
import { errorText } from '../../core/text/values'

/** How long a rollout that waits for a gateway is left alone, in milliseconds. */
const patienceMs = 2000

/**
 * Carries out every rollout that has not ended, side by side: the table of rollouts is the queue, so that nothing is
 * lost with a process. Any number of runners may work on one database.
 */
export class RolloutRunner {
  private readonly working = new Map<number, Promise<unknown>>()
  private timer: NodeJS.Timeout | undefined
  private stopped = false

  constructor(
    private readonly services: Services,
    private readonly patience = patienceMs,
  ) {}

  /** Looks for work now. */
  async wake(): Promise<void> {
    if (this.stopped) return
    let ids: number[]
    try {
      ids = await unfinished(this.services)
    } catch (error) {
      console.warn('rollouts:', errorText(error))
      return this.later()
    }
    for (const id of ids) {
      if (this.working.has(id) || this.stopped) continue
      const work = workRollout(this.services, id)
        .catch((error: unknown) => {
          console.error(`rollout ${id}:`, error)
          return 'waits' as const
        })
        .then((progress) => {
          this.working.delete(id)
          if (progress === 'ended') void this.wake()
          else this.later()
        })
      this.working.set(id, work)
    }
  }

  private later(): void {
    if (this.stopped || this.timer) return
    this.timer = setTimeout(() => {
      this.timer = undefined
      void this.wake()
    }, this.patience)
  }

  /** Begins nothing more, and waits for what is under way to come to a point where it may stop. */
  async stop(): Promise<void> {
    this.stopped = true
    clearTimeout(this.timer)
    await Promise.all(this.working.values())
  }
}
