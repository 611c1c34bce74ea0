import { counts, failing, type ReportSet } from './model'

/** For a person at a terminal: one line for each finding, and how many there are. */
export function textReport(set: ReportSet): string {
  const lines: string[] = []
  for (const { file, unreadable, findings, faults } of set.reports) {
    for (const { message, file: where, line, column } of unreadable ?? []) {
      lines.push(`${where}:${line}:${column} unreadable: ${message}`)
    }
    for (const finding of findings) {
      if (!counts(finding, set.level)) continue
      const { line, column, level, message, rule, waived, becomes, since } = finding
      const notes = [
        rule,
        ...(waived ? ['accepted'] : []),
        ...(becomes && since ? [`${becomes} from ${since}`] : []),
      ]
      lines.push(
        `${finding.file || file}:${line}:${column} ${level} ${message} (${notes.join(', ')})`,
      )
    }
    for (const { rule, message } of faults)
      lines.push(`${file}: the rule ${rule} could not be applied: ${message}`)
  }
  const found = failing(set)
  const of = (level: string) => found.filter((finding) => finding.level === level).length
  const accepted = set.reports
    .flatMap(({ findings }) => findings)
    .filter(({ waived }) => waived).length
  lines.push(
    `${set.reports.length} ${set.reports.length === 1 ? 'definition' : 'definitions'}, ${set.edition.name}: ${of('MUST')} MUST, ${of('SHOULD')} SHOULD, ${of('MAY')} MAY${accepted > 0 ? `, ${accepted} accepted` : ''}`,
  )
  return `${lines.join('\n')}\n`
}
