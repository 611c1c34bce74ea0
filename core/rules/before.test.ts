import { describe, expect, it } from 'vitest'
import { compareContracts } from '../compare/contracts'
import { readable } from '../../tests/support/reading'
import { asksForChanges, beforeFrom, type Before } from './before'
import { check } from './engine'
import { circumstancesOf, type Rule } from './model'

const definition = (version: string, rest: string) =>
  readable(`openapi: 3.1.0\ninfo: { title: Hydrants, version: ${version} }\n${rest}`)
const old = definition(
  '1.4.0',
  `paths:
  /hydrants:
    get:
      deprecated: true
      parameters: [{ name: near, in: query, deprecated: true, schema: { type: string } }]
      responses: { '200': { description: x } }
    post: { responses: { '201': { description: x } } }
`,
)
const before: Before = {
  ...beforeFrom(old.contract, compareContracts),
  deprecatedSince: { 'GET /hydrants': '2026-08-01' },
}
const rule = (parts: Partial<Rule>): Rule => ({
  id: 'tried',
  group: 'tried',
  level: 'SHOULD',
  title: 'Tried',
  about: 'change',
  expect: 'false',
  message: '{change.operation} {change.says}',
  reason: 'It is tried.',
  samples: { passes: [], breaks: [] },
  ...parts,
})
const found = (parts: Partial<Rule>, next: string, version = '2.0.0', known?: Before) => {
  const { documents, contract } = definition(version, next)
  const circumstances = circumstancesOf({ today: '2026-11-28' })
  const edition = { rules: [rule(parts)], domain: '', words: [] }
  const { findings, faults } = check(documents, contract, edition, circumstances, {
    before: known,
  })
  expect(faults).toEqual([])
  return findings
}
const messages = (...args: Parameters<typeof found>) => found(...args).map(({ message }) => message)

describe('rules about what changed', () => {
  it('see each change, with its place, its operation and a key of its own', () => {
    const next = `paths:
  /hydrants:
    post:
      parameters: [{ name: by, in: query, required: true, schema: { type: string } }]
      responses: { '201': { description: x } }
`
    const findings = found({ where: 'change.effect == "breaking"' }, next, '2.0.0', before)
    expect(findings.map(({ message, operation, line }) => [message, operation, line])).toEqual([
      ['GET /hydrants Is gone', 'GET /hydrants', 1],
      ['POST /hydrants Query parameter by is new, and required', 'POST /hydrants', 6],
    ])
    expect(new Set(findings.map(({ key }) => key)).size).toBe(2)
  })

  it('know what was deprecated, and for how long', () => {
    const gone = { where: 'change.part == "operation" && change.gone' }
    const says = (expects: string) =>
      messages({ ...gone, expect: expects }, 'paths: {}\n', '2.0.0', before)
    expect(says('change.wasDeprecated')).toEqual(['POST /hydrants Is gone'])
    expect(says('change.daysDeprecated >= 90')).toEqual(['POST /hydrants Is gone'])
    expect(says('change.daysDeprecated >= 180')).toHaveLength(2)
  })

  it.each([
    ['2.0.0', []],
    ['1.5.0', ['2.0.0 after 1.4.0']],
  ])('ask of %s whether its number fits', (version, says) => {
    const parts: Partial<Rule> = {
      about: 'definition',
      expect: 'definition.versionFits',
      message: '{definition.fittingVersion} after {definition.versionBefore}',
    }
    expect(messages(parts, 'paths: {}\n', version, before)).toEqual(says)
  })

  it('allow no breaking change within a major version', () => {
    const parts = { where: 'change.effect == "breaking"', expect: 'change.rise == "major"' }
    expect(messages(parts, 'paths: {}\n', '2.0.0', before)).toEqual([])
    expect(messages(parts, 'paths: {}\n', '1.9.0', before)).toHaveLength(2)
  })

  it('say nothing where no version before is known', () => {
    expect(messages({}, 'paths: {}\n')).toEqual([])
  })

  it('are told from others, so that nothing is compared for those', () => {
    expect(asksForChanges([rule({})])).toBe(true)
    expect(asksForChanges([rule({ about: 'definition', expect: 'definition.versionFits' })])).toBe(
      true,
    )
    expect(asksForChanges([rule({ about: 'operation', expect: 'operation.id != ""' })])).toBe(false)
  })
})
