import { partsOf } from '../text/location'
import type { Level } from '../rules/model'
import { JsonList } from './list'
import { counting, type Report, type ReportFrame, type ReportWriter } from './model'

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

/** The findings of a definition as plain objects. */
export const jsonFindings = (report: Report, least: Level): JsonFinding[] =>
  counting(report, least).map(
    ({ rule, level, message, at, line, column, endLine, endColumn, waived, file }) => ({
      file: file || report.file,
      rule,
      level,
      message,
      pointer: partsOf(at).pointer,
      line,
      column,
      endLine,
      endColumn,
      waived,
    }),
  )

/** All findings as one list. */
export function jsonReport({ level }: ReportFrame): ReportWriter {
  const list = new JsonList()
  return {
    begin: () => list.begin(),
    add: (report) => list.add(jsonFindings(report, level)),
    end: () => `${list.end()}\n`,
  }
}
