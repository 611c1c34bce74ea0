import { availableParallelism } from 'node:os'
import { join } from 'node:path'
import { MessageChannel } from 'node:worker_threads'
import { Piscina } from 'piscina'
import type { Examiner } from '../services/context'
import { Failure } from '../services/failure'
import { analyse, type CompareTask, type Comparison, type Progressed, type Task } from './analysis'
import { errorText } from '../../core/text/values'

const longestMs = 120_000

/** A thread that has just begun is slow: it opens the dictionary and compiles the rules. So it is kept for a while. */
const idleMs = 60_000

/** Reads texts in worker threads, so that no event loop waits for them. `directory` holds the built thread. */
export function threadedExaminer(
  directory: string,
  threads = availableParallelism(),
): Examiner & { close(): Promise<void> } {
  const pool = new Piscina<Task, unknown>({
    filename: join(directory, 'analysis-thread.mjs'),
    minThreads: 1,
    maxThreads: threads,
    idleTimeout: idleMs,
    maxQueue: 200,
    resourceLimits: { maxOldGenerationSizeMb: 2048, maxYoungGenerationSizeMb: 64 },
  })
  const run = async <T>(task: Task): Promise<T> => {
    try {
      const signal = AbortSignal.timeout(longestMs)
      const transferList = 'progress' in task && task.progress ? [task.progress] : []
      return (await pool.run(task, { signal, transferList })) as T
    } catch (error) {
      const { name, code } = error as NodeJS.ErrnoException
      if (name === 'AbortError' || code === 'ERR_WORKER_OUT_OF_MEMORY') {
        throw new Failure(
          422,
          'Too much work',
          'Reading the text takes more time or memory than is given to one text. Split it, or remove what repeats.',
        )
      }
      // Doing it again would fail again: whoever waits is told, and the log has the rest.
      console.error(error)
      throw new Failure(
        500,
        'The text could not be worked on',
        `That is a fault of Elm Ledger, not of the text, and nothing is lost: ${errorText(error)}. Tell whoever runs it.`,
      )
    }
  }
  return { ...examinerBy(run), close: () => pool.close() }
}

/** The same work on the caller's own thread: for tests. */
export const directExaminer: Examiner = examinerBy(<T>(task: Task) =>
  Promise.resolve(analyse(task) as T),
)

function examinerBy(run: <T>(task: Task) => Promise<T>): Examiner {
  return {
    examine: (files, edition, { facts, estate = [], earlier = [] }, derives = false) =>
      run({ task: 'examine', files, edition, facts, estate, earlier, derives }),
    names: (files) => run({ task: 'names', files }),
    unpack: (bytes) => run({ task: 'unpack', bytes }),
    convert: (files, to, dereference, syntax, routed) =>
      run({ task: 'convert', files, to, dereference, syntax, routed }),
    compare: (before, after, told) => compareBy(run, { task: 'compare', before, after }, told),
    fix: (files, edition, { facts, estate = [], earlier = [] }, choice, version) =>
      run({ task: 'fix', files, edition, facts, estate, earlier, choice, version }),
  }
}

async function compareBy(
  run: <T>(task: Task) => Promise<T>,
  task: CompareTask,
  told: ((progress: Progressed) => void) | undefined,
): Promise<Comparison | { fault: string }> {
  if (!told) return run(task)
  const { port1, port2 } = new MessageChannel()
  port1.on('message', told)
  try {
    return await run({ ...task, progress: port2 })
  } finally {
    port1.close()
  }
}
