import type { Edition, Finding, Level } from '../rules/model'
import type { Reach, RuleFault } from '../rules/engine'
import type { Diagnostic } from '../text/diagnostic'

/** A finding with whether somebody accepted it. */
export type Reported = Finding & { waived: boolean }

/** What a check says of one definition. */
export interface Report {
  file: string
  /** Set where it could not be read. */
  unreadable?: Diagnostic[]
  findings: Reported[]
  reach: Reach[]
  faults: RuleFault[]
}

/** What every part of a report is written with. */
export interface ReportFrame {
  edition: Pick<Edition, 'name' | 'rules'>
  /** The weakest level that counts. */
  level: Level
  /** The version of the program that checked. */
  version: string
  /** The moment of the check, ISO 8601. */
  at: string
}

/** Writes a report definition by definition, so that many need not be held at once. */
export interface ReportWriter {
  begin(): string
  add(report: Report): string
  end(): string
}

const strength: Record<Level, number> = { MUST: 2, SHOULD: 1, MAY: 0 }

/** Whether a finding is at or above a level. */
export const counts = ({ level }: Pick<Finding, 'level'>, least: Level): boolean =>
  strength[level] >= strength[least]

/** The findings of a definition that are at or above a level. */
export const counting = ({ findings }: Report, least: Level): Reported[] =>
  findings.filter((finding) => counts(finding, least))

/** The findings that make a check fail. */
export const failing = (report: Report, least: Level): Reported[] =>
  counting(report, least).filter(({ waived }) => !waived)
