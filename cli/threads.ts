import { availableParallelism } from 'node:os'
import { fileURLToPath } from 'node:url'
import { Piscina } from 'piscina'
import work, { type ThreadTask } from './thread'

/** Fewer files than this are read before threads would have started. */
const fewFiles = 4

/** Does many tasks on all cores, and gives their results in the order of the tasks; what is undefined is left out. */
export async function* runAll<T>(tasks: ThreadTask[]): AsyncGenerator<T> {
  if (tasks.length < fewFiles) {
    for (const task of tasks) {
      const found = work(task) as T | undefined
      if (found) yield found
    }
    return
  }
  const threads = availableParallelism()
  const pool = new Piscina<ThreadTask, T | undefined>({
    filename: fileURLToPath(new URL('./thread.mjs', import.meta.url)),
    minThreads: threads,
    maxThreads: threads,
    resourceLimits: { maxOldGenerationSizeMb: 400, maxYoungGenerationSizeMb: 48 },
  })
  const ahead = threads * 4
  const running: Promise<T | undefined>[] = []
  for (let i = 0; i < tasks.length || running.length > 0;) {
    while (running.length < ahead && i < tasks.length) running.push(pool.run(tasks[i++]!))
    const found = await running.shift()
    if (found) yield found
  }
  await pool.destroy()
}
