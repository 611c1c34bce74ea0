import { beforeIn } from './before'
import { inspect } from './inspect'
import { lint, readNames, type LintTask } from './lint-one'
import type { SourceTask } from './open'

export type ThreadTask =
  | { do: 'inspect'; task: SourceTask }
  | { do: 'names'; task: SourceTask }
  | { do: 'lint'; task: LintTask }

/** The work of one thread: one definition in, what there is to say of it out. */
export default function work(asked: ThreadTask) {
  switch (asked.do) {
    case 'inspect':
      return inspect(asked.task)
    case 'names':
      return readNames(asked.task)
    case 'lint':
      return lintAfter(asked.task)
  }
}

const lintAfter = (task: LintTask) =>
  task.before === undefined
    ? lint(task)
    : beforeIn(task.before).then((before) => lint(task, before))
