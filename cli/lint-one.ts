import type { Report } from '../core/report/model'
import { check } from '../core/rules/engine'
import { estatePart, type EstatePart } from '../core/rules/estate'
import type { Estate } from '../core/rules/facts/fact'
import type { Circumstances, Edition } from '../core/rules/model'
import { asksForWords } from '../core/rules/spelling'
import { dictionary } from './dictionary'
import { open, type SourceTask } from './open'

export interface LintTask extends SourceTask {
  /** Its position among all, by which its result is known. */
  number: number
  edition: Omit<Edition, 'number'>
  circumstances: Circumstances
  /** What the other definitions hold of what this one has, once all have been read. */
  estate?: Estate
}

/** What a check says of one definition, and what it adds to the estate. */
export interface Linted {
  number: number
  report: Report
  part?: EstatePart
  /** The names of its schemas, also of those that add nothing to the estate. */
  names?: string[]
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
export function lint(task: LintTask): Linted | undefined {
  const { number } = task
  const opened = open(task)
  if (!opened) return undefined
  const { file, problems, reading } = opened
  if (!reading) {
    return { number, report: { file, unreadable: problems, findings: [], reach: [], faults: [] } }
  }
  const { circumstances, ...known } = surroundingsOf(task, reading.contract.title || file)
  const { findings, ...rest } = check(
    reading.documents,
    reading.contract,
    task.edition,
    circumstances,
    { ...known, problems: task.estate ? [] : problems },
  )
  const { archive } = task.source
  const named = (name: string) => (archive === undefined ? name : `${archive}!${name}`)
  return {
    number,
    report: {
      file,
      findings: findings.map((finding) => ({
        ...finding,
        file: named(finding.file),
        waived: false,
      })),
      ...rest,
    },
    part: estatePart(reading.contract.title || file, reading.contract),
    names: reading.contract.schemas.map(({ name }) => name),
  }
}
