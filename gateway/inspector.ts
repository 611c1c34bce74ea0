import { availableParallelism } from 'node:os'
import { join } from 'node:path'
import { Piscina } from 'piscina'
import { inspections, type Model } from './inspections'

export type Kind = keyof typeof inspections
type Inspection<K extends Kind> = (typeof inspections)[K]
export type ModelOf<K extends Kind> = Parameters<Inspection<K>>[0]
export type InputOf<K extends Kind> = Parameters<Inspection<K>>[1]
export type ResultOf<K extends Kind> = ReturnType<Inspection<K>>

/** What a thread is given to do. The model comes with it where the thread may not know it yet. */
export interface Task {
  kind: Kind
  model: number
  described?: Model | undefined
  input: unknown
  steps: number
}

/** What a thread says: what it found, or that it does not know the model. */
export type Done = { found: unknown } | 'unknown model'

/** Messages up to this are looked into at once, in so few steps that nobody notices; in bytes. */
const atOnce = 8 * 1024
const fewSteps = 5_000
const mostSteps = 500_000
const longestMs = 5_000

/** Looking into a message was given up. */
export class TooLong extends Error {}

/**
 * Looks into whole messages: small ones at once, all others in threads, so that no other request waits for one. Where
 * `directory` holds no built thread, as in tests, everything is done at once.
 */
export class Inspector {
  private readonly models = new WeakMap<object, number>()
  private lastModel = 0
  private readonly pool: Piscina<Task, Done> | undefined

  constructor(directory: string | undefined) {
    this.pool =
      directory === undefined
        ? undefined
        : new Piscina<Task, Done>({
            filename: join(directory, 'inspecting-thread.mjs'),
            minThreads: 1,
            maxThreads: Math.max(1, availableParallelism() - 1),
            idleTimeout: 60_000,
            maxQueue: 256,
            resourceLimits: { maxOldGenerationSizeMb: 512 },
          })
  }

  /** Looks into a message of so many bytes. Throws {@link TooLong} where that takes too much. */
  look<K extends Kind>(
    kind: K,
    model: ModelOf<K>,
    input: InputOf<K>,
    bytes: number,
  ): ResultOf<K> | Promise<ResultOf<K>> {
    const act = inspections[kind] as (
      model: ModelOf<K>,
      input: InputOf<K>,
      steps: number,
    ) => ResultOf<K>
    if (!this.pool) return act(model, input, mostSteps)
    if (bytes <= atOnce) {
      const found = act(model, input, fewSteps)
      if (isWhole(found)) return found
    }
    return this.inThread(this.pool, kind, model, input)
  }

  private async inThread<K extends Kind>(
    pool: Piscina<Task, Done>,
    kind: K,
    model: ModelOf<K>,
    input: InputOf<K>,
  ): Promise<ResultOf<K>> {
    const task = { kind, input, model: this.numberOf(model), steps: mostSteps }
    const signal = AbortSignal.timeout(longestMs)
    try {
      const done = await pool.run(task, { signal })
      if (done !== 'unknown model') return done.found as ResultOf<K>
      const again = await pool.run({ ...task, described: model }, { signal })
      return (again as { found: ResultOf<K> }).found
    } catch (error) {
      const { name, code } = error as NodeJS.ErrnoException
      if (name === 'AbortError' || code === 'ERR_WORKER_OUT_OF_MEMORY' || isFull(error))
        throw new TooLong()
      throw error
    }
  }

  /** A model is sent to each thread once and called by its number from then on; 0 is none. */
  private numberOf(model: Model | undefined): number {
    if (!model) return 0
    let number = this.models.get(model)
    if (number === undefined) this.models.set(model, (number = ++this.lastModel))
    return number
  }

  async close(): Promise<void> {
    await this.pool?.destroy()
  }
}

const isFull = (error: unknown) => error instanceof Error && /queue/i.test(error.message)

/** Whether an inspection came to its end in the steps that it had. */
const isWhole = (found: unknown): boolean =>
  typeof found !== 'object' || found === null || !('isWhole' in found) || found.isWhole === true
