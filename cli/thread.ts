import { inspect } from './inspect'
import { lint, type LintTask } from './lint-one'
import type { SourceTask } from './open'

export type ThreadTask = { do: 'inspect'; task: SourceTask } | { do: 'lint'; task: LintTask }

/** The work of one thread: one definition in, what there is to say of it out. */
export default function work(asked: ThreadTask) {
  return asked.do === 'inspect' ? inspect(asked.task) : lint(asked.task)
}
