import type { Level } from '../rules/model'
import { counts, type Reported, type ReportSet } from './model'

const levels: Record<Level, string> = { MUST: 'error', SHOULD: 'warning', MAY: 'note' }

const validity = {
  id: 'valid',
  shortDescription: { text: 'Keep to the specification of the format' },
  fullDescription: {
    text: 'What departs from its specification is read differently by every tool.',
  },
  defaultConfiguration: { level: 'error' },
}

const uriOf = (file: string) =>
  encodeURI(file.replaceAll('\\', '/')).replace(/[?#]/g, encodeURIComponent)

/** A small hash that tells findings apart; nobody's secret hangs on it. */
function fingerprint(text: string): string {
  let [a, b] = [0xdeadbeef, 0x41c6ce57]
  for (let i = 0; i < text.length; i++) {
    const code = text.charCodeAt(i)
    a = Math.imul(a ^ code, 2654435761)
    b = Math.imul(b ^ code, 1597334677)
  }
  const hex = (n: number) => (n >>> 0).toString(16).padStart(8, '0')
  return hex(a) + hex(b)
}

/** The Static Analysis Results Interchange Format, version 2.1.0. */
export function sarifReport(set: ReportSet): string {
  const rules = [
    ...set.edition.rules.map(({ id, title, reason, remedy, level, link, group }) => ({
      id,
      shortDescription: { text: title },
      fullDescription: { text: reason },
      ...(remedy && { help: { text: remedy } }),
      ...(link && { helpUri: link }),
      defaultConfiguration: { level: levels[level] },
      properties: { tags: [group] },
    })),
    validity,
  ]
  const indexes = new Map(rules.map(({ id }, index) => [id, index]))
  const result = (file: string, finding: Reported) => {
    const { rule, level, message, line, column, endLine, endColumn, key, waived } = finding
    return {
      ruleId: rule,
      ruleIndex: indexes.get(rule) ?? -1,
      level: levels[level],
      message: { text: message },
      locations: [
        {
          physicalLocation: {
            artifactLocation: { uri: uriOf(finding.file || file) },
            region: { startLine: line, startColumn: column, endLine, endColumn },
          },
          logicalLocations: [{ fullyQualifiedName: finding.at || '/' }],
        },
      ],
      partialFingerprints: { 'place/v1': fingerprint(key) },
      ...(waived && { suppressions: [{ kind: 'external' }] }),
    }
  }
  const unread = set.reports.flatMap(({ unreadable = [] }) => unreadable)
  const sarif = {
    $schema:
      'https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json',
    version: '2.1.0',
    runs: [
      {
        tool: { driver: { name: 'Elm Ledger', version: set.version, rules } },
        columnKind: 'utf16CodeUnits',
        invocations: [
          {
            executionSuccessful: unread.length === 0,
            endTimeUtc: set.at,
            toolExecutionNotifications: unread.map(({ message, file, line, column }) => ({
              level: 'error',
              message: { text: message },
              locations: [
                {
                  physicalLocation: {
                    artifactLocation: { uri: uriOf(file) },
                    region: { startLine: line, startColumn: column },
                  },
                },
              ],
            })),
          },
        ],
        results: set.reports.flatMap(({ file, findings }) =>
          findings
            .filter((finding) => counts(finding, set.level))
            .map((finding) => result(file, finding)),
        ),
      },
    ],
  }
  return `${JSON.stringify(sarif, null, 1)}\n`
}
