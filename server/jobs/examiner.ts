import { join } from 'node:path'
import { Piscina } from 'piscina'
import type { Examination } from '../../core/definition'
import type { Examiner } from '../services/context'
import { Failure } from '../services/failure'
import type { Task } from './analysis-thread'

const longestMs = 120_000

/** Examines texts in worker threads, so that no event loop waits for them. `directory` holds the built thread. */
export function threadedExaminer(
  directory: string,
  threads = 2,
): Examiner & { close(): Promise<void> } {
  const pool = new Piscina<Task, Examination>({
    filename: join(directory, 'analysis-thread.mjs'),
    minThreads: 1,
    maxThreads: threads,
    maxQueue: 200,
    resourceLimits: { maxOldGenerationSizeMb: 2048 },
  })
  return {
    async examine(bytes, file, edition, circumstances) {
      const { domain, number, rules } = edition
      try {
        return await pool.run(
          {
            bytes,
            file,
            edition: { domain, number, rules },
            circumstances: { team: circumstances.team, audience: circumstances.audience },
          },
          { signal: AbortSignal.timeout(longestMs) },
        )
      } catch (error) {
        const { name, code } = error as NodeJS.ErrnoException
        if (name === 'AbortError' || code === 'ERR_WORKER_OUT_OF_MEMORY') {
          throw new Failure(
            422,
            'Too much work',
            'Reading the text takes more time or memory than is given to one text. Split it, or remove what repeats.',
          )
        }
        throw error
      }
    },
    close: () => pool.close(),
  }
}
