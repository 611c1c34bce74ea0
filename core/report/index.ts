import { jsonReport } from './json'
import { junitReport } from './junit'
import { markdownReport } from './markdown'
import type { Report, ReportFrame, ReportWriter } from './model'
import { sarifReport } from './sarif'
import { textReport } from './text'

/** Every way a report can be written. */
export const reportFormats = ['text', 'json', 'sarif', 'junit', 'markdown'] as const
export type ReportFormat = (typeof reportFormats)[number]

const writers: Record<ReportFormat, (frame: ReportFrame) => ReportWriter> = {
  text: textReport,
  json: jsonReport,
  sarif: sarifReport,
  junit: junitReport,
  markdown: markdownReport,
}

/** A writer of reports in a format, for one report. */
export const reportWriter = (format: ReportFormat, frame: ReportFrame): ReportWriter =>
  writers[format](frame)

/** The report of one definition. */
export function writeReport(format: ReportFormat, frame: ReportFrame, report: Report): string {
  const writer = reportWriter(format, frame)
  return writer.begin() + writer.add(report) + writer.end()
}
