import { failing, type Report, type ReportFrame, type ReportWriter } from './model'

const escapes: Record<string, string> = {
  '&': '&amp;',
  '<': '&lt;',
  '>': '&gt;',
  '"': '&quot;',
  '\n': '&#10;',
}

/** A text inside of XML; what XML 1.0 has no way to write is left out. */
const xml = (text: string) =>
  text
    .replace(/[\u0000-\u0008\u000B\u000C\u000E-\u001F\uFFFE\uFFFF]/g, '')
    .replace(/[&<>"\n]/g, (c) => escapes[c]!)

/** JUnit XML: a suite for each definition, a test for each rule that was asked of something in it. */
export function junitReport(frame: ReportFrame): ReportWriter {
  let suites = 0
  return {
    begin: () => '<?xml version="1.0" encoding="UTF-8"?>\n<testsuites>\n',
    add: (report) => suite(frame, report, suites++),
    end: () => '</testsuites>\n',
  }
}

function suite({ edition, level, at }: ReportFrame, report: Report, index: number): string {
  const { file, unreadable, reach } = report
  const name = xml(file)
  const asked = reach.filter(({ asked: times }) => times > 0).map(({ rule }) => rule)
  const found = failing(report, level)
  const rules = [...new Set([...asked, ...found.map(({ rule }) => rule)])]
  const cases = rules.map((rule) => {
    const own = found.filter((finding) => finding.rule === rule)
    const title =
      edition.rules.find(({ id }) => id === rule)?.title ??
      'Keep to the specification of the format'
    const head = `  <testcase name="${xml(`${rule}: ${title}`)}" classname="${name}" time="0"`
    if (own.length === 0) return `${head}/>\n`
    const lines = own.map(
      (finding) => `${finding.file || file}:${finding.line}:${finding.column} ${finding.message}`,
    )
    return `${head}>\n   <failure message="${xml(own.length === 1 ? own[0]!.message : `${own.length} places`)}" type="${own[0]!.level}">${xml(lines.join('\n')).replaceAll('&#10;', '\n')}</failure>\n  </testcase>\n`
  })
  const unread = (unreadable ?? []).map(
    ({ message, line, column }) =>
      `  <testcase name="readable" classname="${name}" time="0">\n   <error message="${xml(message)}" type="unreadable">${name}:${line}:${column}</error>\n  </testcase>\n`,
  )
  const failures = new Set(found.map(({ rule }) => rule)).size
  return [
    ` <testsuite package="${xml(edition.name)}" id="${index}" name="${name}" timestamp="${at.slice(0, 19)}" hostname="localhost" tests="${cases.length + unread.length}" failures="${failures}" errors="${unread.length}" time="0">\n`,
    `  <properties>\n   <property name="rulebook" value="${xml(edition.name)}"/>\n  </properties>\n`,
    ...unread,
    ...cases,
    '  <system-out></system-out>\n  <system-err></system-err>\n </testsuite>\n',
  ].join('')
}
