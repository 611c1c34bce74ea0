import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { readXml } from '../text/xml'
import type { Level } from '../rules/model'
import { reportFormats, reportWriter, writeReport, type ReportFormat } from '.'
import { jsonFindings, type JsonFinding } from './json'
import { plainMarkdown } from './markdown'
import type { Report, ReportFrame, Reported } from './model'

const level = fc.constantFrom<Level>('MUST', 'SHOULD', 'MAY')
const text = fc.string({ unit: 'binary' })

const finding = fc.record<Reported>({
  rule: fc.constantFrom('path-casing', 'valid'),
  level,
  message: text,
  at: fc.constantFrom('', '/paths', 'parts.yaml#/Berth'),
  key: text,
  file: fc.constantFrom('', 'parts.yaml', 'a b#.yaml'),
  line: fc.nat(),
  column: fc.nat(),
  endLine: fc.nat(),
  endColumn: fc.nat(),
  waived: fc.boolean(),
})
const diagnostic = fc.record({
  severity: fc.constant('error' as const),
  message: text,
  file: text,
  line: fc.nat(),
  column: fc.nat(),
})
const report = fc.record(
  {
    file: text,
    unreadable: fc.array(diagnostic, { maxLength: 2 }),
    findings: fc.array(finding, { maxLength: 4 }),
    reach: fc.constant<Report['reach']>([{ rule: 'path-casing', asked: 3, broken: 1 }]),
    faults: fc.constant<Report['faults']>([{ rule: 'spelling', message: 'is too long' }]),
  },
  { requiredKeys: ['file', 'findings', 'reach', 'faults'] },
)
const reports = fc.array(report, { maxLength: 4 })

const frame = (least: Level = 'MAY'): ReportFrame => ({
  edition: { name: 'House', rules: [] },
  level: least,
  version: '1.0.0',
  at: '2026-11-25T09:00:00.000Z',
})

function written(format: ReportFormat, all: readonly Report[], least?: Level): string {
  const writer = reportWriter(format, frame(least))
  return [writer.begin(), ...all.map((one) => writer.add(one)), writer.end()].join('')
}

const order: Level[] = ['MAY', 'SHOULD', 'MUST']
const counted = (all: readonly Report[], least: Level) =>
  all
    .flatMap(({ findings }) => findings)
    .filter((found) => order.indexOf(found.level) >= order.indexOf(least))

describe('a report', () => {
  it('in JSON is one list of every finding that counts, however many definitions there are', () => {
    fc.assert(
      fc.property(reports, level, (all, least) => {
        const list = JSON.parse(written('json', all, least)) as JsonFinding[]
        expect(list.map(({ message, waived }) => ({ message, waived }))).toEqual(
          counted(all, least).map(({ message, waived }) => ({ message, waived })),
        )
        for (const { pointer } of list) expect(['', '/paths', '/Berth']).toContain(pointer)
      }),
    )
  })

  it('in SARIF holds the same results, and what could not be read', () => {
    fc.assert(
      fc.property(reports, level, (all, least) => {
        const log = JSON.parse(written('sarif', all, least)) as {
          runs: {
            results: { message: { text: string }; suppressions?: unknown[] }[]
            invocations: { executionSuccessful: boolean; toolExecutionNotifications: unknown[] }[]
          }[]
        }
        const [run] = log.runs
        const [invocation] = run!.invocations
        expect(run!.results.map(({ message }) => message.text)).toEqual(
          counted(all, least).map(({ message }) => message),
        )
        expect(run!.results.filter(({ suppressions }) => suppressions)).toHaveLength(
          counted(all, least).filter(({ waived }) => waived).length,
        )
        const unread = all.flatMap(({ unreadable = [] }) => unreadable)
        expect(invocation!.toolExecutionNotifications).toHaveLength(unread.length)
        expect(invocation!.executionSuccessful).toBe(unread.length === 0)
      }),
    )
  })

  it('in JUnit is well-formed whatever it holds, with a suite for each definition', () => {
    fc.assert(
      fc.property(reports, (all) => {
        const { root, faults } = readXml(written('junit', all))
        expect(faults).toEqual([])
        expect(root!.children.map(({ local }) => local)).toEqual(all.map(() => 'testsuite'))
      }),
    )
  })

  it('for people ends with how many were found, without those that are accepted', () => {
    fc.assert(
      fc.property(reports, (all) => {
        const open = (name: Level) =>
          all
            .flatMap(({ findings }) => findings)
            .filter((found) => found.level === name && !found.waived).length
        const last = written('text', all).trimEnd().split('\n').at(-1)!
        expect(last).toContain(
          `House: ${open('MUST')} MUST, ${open('SHOULD')} SHOULD, ${open('MAY')} MAY`,
        )
      }),
    )
  })

  it('in Markdown lets no text become markup', () => {
    fc.assert(
      fc.property(text, (said) => {
        const plain = plainMarkdown(said)
        expect(plain.replace(/\\[\\`*_{}[\]<>#|!]/g, '')).not.toMatch(/[\\`*_{}[\]<>#|!\n]/)
      }),
    )
  })

  it('of one definition is the same in one piece', () => {
    fc.assert(
      fc.property(report, fc.constantFrom(...reportFormats), (one, format) => {
        expect(writeReport(format, frame(), one)).toBe(written(format, [one]))
      }),
    )
  })
})

it('gives pointers whole, through members with # in their names too', () => {
  const at = (place: string) => {
    const one: Report = {
      file: 'a.yaml',
      findings: [
        {
          rule: 'valid',
          level: 'MUST',
          message: 'x',
          at: place,
          key: 'k',
          file: '',
          line: 1,
          column: 1,
          endLine: 1,
          endColumn: 1,
          waived: false,
        },
      ],
      reach: [],
      faults: [],
    }
    return jsonFindings(one, 'MAY')[0]!.pointer
  }
  expect(at('/paths/~1#Action=List/post')).toBe('/paths/~1#Action=List/post')
  expect(at('parts.yaml#/paths/~1#Action=List')).toBe('/paths/~1#Action=List')
})
