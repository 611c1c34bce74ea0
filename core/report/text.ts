import { levels } from '../rules/model'
import { count } from '../text/counted'
import { counting, failing, type Report, type ReportFrame, type ReportWriter } from './model'

/** For a person at a terminal: one line for each finding, and how many there are. */
export function textReport({ edition, level }: ReportFrame): ReportWriter {
  const found = { MUST: 0, SHOULD: 0, MAY: 0 }
  let [definitions, accepted] = [0, 0]
  return {
    begin: () => '',
    add(report) {
      definitions++
      accepted += report.findings.filter(({ waived }) => waived).length
      for (const finding of failing(report, level)) found[finding.level]++
      return linesOf(report, level)
        .map((line) => `${line}\n`)
        .join('')
    },
    end() {
      const all = levels.map((name) => `${found[name]} ${name}`).join(', ')
      const more = accepted > 0 ? `, ${accepted} accepted` : ''
      return `${count(definitions, 'definition')}, ${edition.name}: ${all}${more}\n`
    },
  }
}

function linesOf(report: Report, level: ReportFrame['level']): string[] {
  const { file, unreadable = [], faults } = report
  return [
    ...unreadable.map(
      ({ message, file: where, line, column }) =>
        `${where}:${line}:${column} unreadable: ${message}`,
    ),
    ...counting(report, level).map((finding) => {
      const { line, column, message, rule, waived, becomes, since } = finding
      const notes = [
        rule,
        ...(waived ? ['accepted'] : []),
        ...(becomes && since ? [`${becomes} from ${since}`] : []),
      ]
      const place = `${finding.file || file}:${line}:${column}`
      return `${place} ${finding.level} ${message} (${notes.join(', ')})`
    }),
    ...faults.map(
      ({ rule, message }) => `${file}: the rule ${rule} could not be applied: ${message}`,
    ),
  ]
}
