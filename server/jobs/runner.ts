import { errorText } from '../../core/text/values'

/** How long what waits for something is left alone, in milliseconds. */
const patienceMs = 2000

/** A table of what has to be done, which is its own queue. */
export interface Table {
  /** What a row is called. */
  what: string
  /** How many are carried out side by side at most; any number where nothing is said. */
  atOnce?: number
  unfinished: () => Promise<number[]>
  /** Carries one out as far as it gets; safe to call at any time, by any process. */
  work: (id: number) => Promise<'ended' | 'waits'>
}

/**
 * Carries out every row that has not ended, side by side, so that nothing is lost with a process. Any number of runners
 * may work on one database.
 */
export class Runner {
  private readonly working = new Map<number, Promise<unknown>>()
  private timer: NodeJS.Timeout | undefined
  private stopped = false

  constructor(
    private readonly table: Table,
    private readonly patience = patienceMs,
  ) {}

  /** Looks for work now. */
  async wake(): Promise<void> {
    if (this.stopped) return
    let ids: number[]
    try {
      ids = await this.table.unfinished()
    } catch (error) {
      console.warn(`${this.table.what}s:`, errorText(error))
      return this.later()
    }
    for (const id of ids) {
      if (this.working.has(id) || this.stopped) continue
      if (this.working.size >= (this.table.atOnce ?? Infinity)) return
      const work = this.table
        .work(id)
        .catch((error: unknown) => {
          console.error(`${this.table.what} ${id}:`, error)
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
