import { jsonReport } from './json'
import { junitReport } from './junit'
import { markdownReport } from './markdown'
import type { ReportSet } from './model'
import { sarifReport } from './sarif'
import { textReport } from './text'

/** Every way a report can be written. */
export const reportFormats = ['text', 'json', 'sarif', 'junit', 'markdown'] as const
export type ReportFormat = (typeof reportFormats)[number]

const writers: Record<ReportFormat, (set: ReportSet) => string> = {
  text: textReport,
  json: jsonReport,
  sarif: sarifReport,
  junit: junitReport,
  markdown: markdownReport,
}

/** Writes a report. */
export const writeReport = (set: ReportSet, format: ReportFormat): string => writers[format](set)
