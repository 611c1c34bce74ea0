import { availableParallelism } from 'node:os'
import { fileURLToPath } from 'node:url'
import work, { type ThreadTask } from './thread'

/** Fewer files than this are read before threads would have started. */
const fewFiles = 4

/**
 * Does the tasks of many items on all cores, and gives their results in the order of the items; what is undefined is
 * left out. A task is made when its turn comes.
 */
export async function* runAll<R, T>(
  items: readonly T[],
  taskOf: (item: T) => ThreadTask,
): AsyncGenerator<R> {
  if (items.length < fewFiles) {
    for (const item of items) {
      const found = (await work(taskOf(item))) as R | undefined
      if (found) yield found
    }
    return
  }
  const { Piscina } = await import('piscina')
  const threads = availableParallelism()
  const pool = new Piscina<ThreadTask, R | undefined>({
    filename: fileURLToPath(new URL('./thread.mjs', import.meta.url)),
    minThreads: threads,
    maxThreads: threads,
    resourceLimits: { maxOldGenerationSizeMb: 400, maxYoungGenerationSizeMb: 48 },
  })
  const ahead = threads * 4
  const running: Promise<R | undefined>[] = []
  try {
    for (let i = 0; i < items.length || running.length > 0;) {
      while (running.length < ahead && i < items.length) running.push(pool.run(taskOf(items[i++]!)))
      const found = await running.shift()
      if (found) yield found
    }
  } finally {
    await pool.destroy()
  }
}
