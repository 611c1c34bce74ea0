import { counts, failing, type ReportSet } from './model'

/** A text inside of a Markdown table, with nothing in it that would be read as markup. */
export const plainMarkdown = (text: string): string =>
  text.replace(/[\\`*_{}[\]<>#|!]/g, (character) => `\\${character}`).replace(/\s+/g, ' ')

/** A table for each definition, for a comment on a change or a page. */
export function markdownReport(set: ReportSet): string {
  const found = failing(set)
  const lines = [
    `# ${plainMarkdown(set.edition.name)}`,
    '',
    `${found.length === 0 ? 'Nothing is found' : `${found.length} found`} in ${set.reports.length} ${set.reports.length === 1 ? 'definition' : 'definitions'}.`,
    '',
  ]
  for (const { file, unreadable, findings } of set.reports) {
    lines.push(`## ${plainMarkdown(file)}`, '')
    for (const { message, line, column } of unreadable ?? []) {
      lines.push(`Not readable at ${line}:${column}: ${plainMarkdown(message)}`, '')
    }
    const shown = findings.filter((finding) => counts(finding, set.level))
    if (!unreadable && shown.length === 0) lines.push('It keeps every rule.', '')
    if (shown.length === 0) continue
    lines.push('| Level | Place | Finding | Rule |', '| --- | --- | --- | --- |')
    for (const { level, line, column, message, rule, waived, ...finding } of shown) {
      const place = `${finding.file && finding.file !== file ? `${plainMarkdown(finding.file)}:` : ''}${line}:${column}`
      lines.push(
        `| ${waived ? 'accepted' : level} | ${place} | ${plainMarkdown(message)} | \`${rule}\` |`,
      )
    }
    lines.push('')
  }
  return `${lines.join('\n').trimEnd()}\n`
}
