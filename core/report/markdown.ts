import type { Level } from '../rules/model'
import { count } from '../text/counted'
import { counting, failing, type Report, type ReportFrame, type ReportWriter } from './model'

/** A text inside of a Markdown table, with nothing in it that would be read as markup. */
export const plainMarkdown = (text: string): string =>
  text.replace(/[\\`*_{}[\]<>#|!]/g, (character) => `\\${character}`).replace(/\s+/g, ' ')

/** A table for each definition, for a comment on a change or a page. What is found in all stands at its head. */
export function markdownReport({ edition, level }: ReportFrame): ReportWriter {
  const sections: string[] = []
  let found = 0
  return {
    begin: () => `# ${plainMarkdown(edition.name)}\n\n`,
    add(report) {
      found += failing(report, level).length
      sections.push(section(report, level))
      return ''
    },
    end() {
      const all = found === 0 ? 'Nothing is found' : `${found} found`
      const head = `${all} in ${count(sections.length, 'definition')}.\n`
      return [head, ...sections].join('\n')
    },
  }
}

function section(report: Report, level: Level): string {
  const { file, unreadable } = report
  const lines = [`## ${plainMarkdown(file)}`, '']
  for (const { message, line, column } of unreadable ?? []) {
    lines.push(`Not readable at ${line}:${column}: ${plainMarkdown(message)}`, '')
  }
  const shown = counting(report, level)
  if (!unreadable && shown.length === 0) lines.push('It keeps every rule.', '')
  if (shown.length > 0) {
    lines.push('| Level | Place | Finding | Rule |', '| --- | --- | --- | --- |')
    for (const { level: own, line, column, message, rule, waived, file: where } of shown) {
      const place = `${where && where !== file ? `${plainMarkdown(where)}:` : ''}${line}:${column}`
      lines.push(
        `| ${waived ? 'accepted' : own} | ${place} | ${plainMarkdown(message)} | \`${rule}\` |`,
      )
    }
    lines.push('')
  }
  return lines.join('\n')
}
