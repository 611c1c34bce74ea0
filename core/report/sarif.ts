import type { Level, Rule } from '../rules/model'
import type { Diagnostic } from '../text/diagnostic'
import { JsonList } from './list'
import { counting, type Reported, type ReportFrame, type ReportWriter } from './model'

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

/** A result at a place of a file, or at the file. */
export interface SarifResult {
  ruleId: string
  level: 'error' | 'warning' | 'note'
  text: string
  /** Lines and columns count from 1. */
  place: { file: string; line?: number; column?: number } | null
  properties?: object
}

/** A whole log, where all results are known at once. */
export function sarifLog(version: string, rules: object[], results: SarifResult[]): string {
  const driver = { name: 'Elm Ledger', version, rules }
  const placed = results.map(({ ruleId, level, text, place, properties }) => ({
    ruleId,
    level,
    message: { text },
    ...(place && {
      locations: [
        {
          physicalLocation: {
            artifactLocation: { uri: uriOf(place.file) },
            ...(place.line !== undefined && {
              region: { startLine: place.line, startColumn: place.column },
            }),
          },
        },
      ],
    }),
    ...(properties && { properties }),
  }))
  const run = { tool: { driver }, columnKind: 'utf16CodeUnits', results: placed }
  return `${JSON.stringify({ $schema: schema, version: '2.1.0', runs: [run] }, null, 1)}\n`
}

/** The Static Analysis Results Interchange Format, version 2.1.0. */
export function sarifReport({ edition, level: least, version, at }: ReportFrame): ReportWriter {
  const rules = [...edition.rules.map(described), validity]
  const indexes = new Map(rules.map(({ id }, index) => [id, index]))
  const results = new JsonList()
  const unread: Diagnostic[] = []
  // What could not be read is known at the end only, so that the results stand before it.
  return {
    begin() {
      const driver = { name: 'Elm Ledger', version, rules }
      const head = JSON.stringify({ $schema: schema, version: '2.1.0' }, null, 1).slice(0, -2)
      return `${head},\n "runs": [{\n"tool": ${JSON.stringify({ driver }, null, 1)},\n"columnKind": "utf16CodeUnits",\n"results": ${results.begin()}`
    },
    add(report) {
      unread.push(...(report.unreadable ?? []))
      return results.add(
        counting(report, least).map((finding) => resultOf(report.file, finding, indexes)),
      )
    },
    end() {
      const invocation = {
        executionSuccessful: unread.length === 0,
        endTimeUtc: at,
        toolExecutionNotifications: unread.map(notification),
      }
      return `${results.end()},\n"invocations": ${JSON.stringify([invocation], null, 1)}\n}]\n}\n`
    },
  }
}

const schema =
  'https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json'

const described = ({ id, title, reason, remedy, level, link, group }: Rule) => ({
  id,
  shortDescription: { text: title },
  fullDescription: { text: reason },
  ...(remedy && { help: { text: remedy } }),
  ...(link && { helpUri: link }),
  defaultConfiguration: { level: levels[level] },
  properties: { tags: [group] },
})

function resultOf(file: string, finding: Reported, indexes: ReadonlyMap<string, number>) {
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

const notification = ({ message, file, line, column }: Diagnostic) => ({
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
})
