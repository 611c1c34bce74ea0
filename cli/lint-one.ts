import type { Report } from '../core/report/model'
import { check } from '../core/rules/engine'
import { estatePart, namesIn, type EstatePart, type Names } from '../core/rules/estate'
import type { Before } from '../core/rules/before'
import type { Estate } from '../core/rules/facts/fact'
import type { Circumstances, Edition } from '../core/rules/model'
import { asksForWords } from '../core/rules/spelling'
import { dictionary } from './dictionary'
import { open, type SourceTask } from './open'

export interface LintTask extends SourceTask {
  edition: Omit<Edition, 'number'>
  circumstances: Circumstances
  /** What the other definitions hold of what this one has. */
  estate?: Estate | undefined
  /** The file of the version before. */
  before?: string | undefined
}

/** What one definition adds to the estate, and what it looks for there. */
export interface Named {
  file: string
  part: EstatePart
  names: Names
}

/** Reads one definition for its names only; undefined where there is none to read. */
export function readNames(task: SourceTask): Named | undefined {
  const { file, reading } = open(task) ?? {}
  if (file === undefined || !reading) return undefined
  const { contract } = reading
  const part = estatePart(contract.title || file, contract)
  return { file, part, names: namesIn(contract) }
}

/** What is known around one definition, by the name it goes by. */
export const surroundingsOf = (
  { edition, circumstances, estate }: Pick<LintTask, 'edition' | 'circumstances' | 'estate'>,
  api: string,
) => ({
  circumstances: { ...circumstances, api },
  ...(estate && { estate }),
  isWord: asksForWords(edition.rules) ? dictionary() : undefined,
})

/** Checks one definition; undefined for a file of a folder that is no definition. */
export function lint(task: LintTask, before?: Before): Report | undefined {
  const opened = open(task)
  if (!opened) return undefined
  const { file, diagnostics, reading } = opened
  if (!reading) return { file, unreadable: diagnostics, findings: [], reach: [], faults: [] }
  const { circumstances, ...known } = surroundingsOf(task, reading.contract.title || file)
  const { findings, ...rest } = check(
    reading.documents,
    reading.contract,
    task.edition,
    circumstances,
    {
      ...known,
      before,
      diagnostics,
    },
  )
  const { archive } = task.source
  const named = (name: string) => (archive === undefined ? name : `${archive}!${name}`)
  return {
    file,
    findings: findings.map((finding) => ({ ...finding, file: named(finding.file), waived: false })),
    ...rest,
  }
}
