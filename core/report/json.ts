import { counts, type ReportSet } from './model'

/** One finding as other programs read it. */
export interface JsonFinding {
  file: string
  rule: string
  level: string
  message: string
  pointer: string
  line: number
  column: number
  endLine: number
  endColumn: number
  waived: boolean
}

/** The findings as a list of plain objects. */
export const jsonFindings = ({ reports, level: least }: ReportSet): JsonFinding[] =>
  reports.flatMap(({ file, findings }) =>
    findings
      .filter((finding) => counts(finding, least))
      .map(
        ({ rule, level, message, at, line, column, endLine, endColumn, waived, ...finding }) => ({
          file: finding.file || file,
          rule,
          level,
          message,
          pointer: at.slice(at.indexOf('#') + 1),
          line,
          column,
          endLine,
          endColumn,
          waived,
        }),
      ),
  )

export const jsonReport = (set: ReportSet): string =>
  `${JSON.stringify(jsonFindings(set), null, 1)}\n`
