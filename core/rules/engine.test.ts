import { describe, expect, it } from 'vitest'
import { examine } from '../definition'
import { readDefinition } from '../formats/read'
import { compileCondition, ConditionError } from './condition'
import { check } from './engine'
import type { Circumstances } from './model'
import { starterRules } from './starter'

const edition = { number: 1, domain: 'brackenmere.example', rules: starterRules }

function findingsOf(text: string, audience: Circumstances['audience'] = 'partner') {
  const examination = examine({ file: 'a.yaml', text }, edition, { audience, team: 'Field' })
  if (!examination.readable) throw new Error(JSON.stringify(examination.problems))
  return examination.findings
}

const clean = `openapi: 3.1.0
info:
  title: Hydrants
  version: 1.0.0
  description: Where hydrants are and how they flow.
  contact: { email: field@brackenmere.example }
servers:
  - url: https://api.brackenmere.example/hydrants
security: [{ key: [] }]
paths:
  /hydrants:
    get:
      operationId: listHydrants
      summary: List hydrants
      description: All of them.
      parameters:
        - { name: limit, in: query, description: How many., schema: { type: integer } }
        - { name: cursor, in: query, description: Where to go on., schema: { type: string } }
      responses:
        '200':
          description: A page
          content:
            application/json:
              schema: { type: array, items: { $ref: '#/components/schemas/Hydrant' } }
              example: []
        '400': { $ref: '#/components/responses/Bad' }
  /hydrants/{hydrantId}:
    get:
      operationId: getHydrant
      summary: Read a hydrant
      description: One of them.
      parameters:
        - { name: hydrantId, in: path, required: true, description: Which., schema: { type: string } }
      responses:
        '200':
          description: The hydrant
          content: { application/json: { schema: { $ref: '#/components/schemas/Hydrant' }, example: {} } }
        '400': { $ref: '#/components/responses/Bad' }
components:
  securitySchemes: { key: { type: apiKey, in: header, name: X-Api-Key } }
  responses:
    Bad:
      description: Not understood
      content: { application/problem+json: { schema: { $ref: '#/components/schemas/Problem' } } }
  schemas:
    Hydrant:
      type: object
      properties:
        hydrantId: { type: string }
        flow: { type: number, description: Litres a minute. }
    Problem: { type: object, properties: { title: { type: string } } }
`

/** For each starter rule, one change of the clean definition that breaks it and nothing else at its level. */
const breaks: Record<string, [from: string, to: string]> = {
  'contact-email': ['field@brackenmere.example', 'field@elsewhere.example'],
  'definition-described': ['Where hydrants are and how they flow.', 'Hydrants'],
  'version-semver': ['version: 1.0.0', 'version: "1.0"'],
  'server-named': ['servers:\n  - url: https://api.brackenmere.example/hydrants\n', ''],
  'server-https': ['https://api', 'http://api'],
  'operation-identifier': ['operationId: getHydrant', 'operationId: listHydrants'],
  'operation-verb-first': ['operationId: getHydrant', 'operationId: hydrantById'],
  'operation-summary': ['summary: Read a hydrant', 'tags: []'],
  'operation-described': ['description: One of them.', 'deprecated: false'],
  'operation-secured': ['security: [{ key: [] }]\n', ''],
  'operation-errors': [
    "        '400': { $ref: '#/components/responses/Bad' }\n  /hydrants/",
    '  /hydrants/',
  ],
  'list-paged': ['name: cursor', 'name: colour'],
  'no-default-on-required': [
    'description: Which., schema: { type: string }',
    'description: Which., schema: { type: string, default: H1 }',
  ],
  'parameter-described': ['description: Which., ', ''],
  'parameter-casing': ['{ name: limit, in: query', '{ name: max_rows, in: query'],
  'property-casing': ['flow: {', 'flow_rate: {'],
  'path-plural': ['/hydrants/{hydrantId}:', '/hydrant/{hydrantId}:'],
  'path-casing': ['  /hydrants:', '  /hydrants/:'],
  'error-described': ['description: Not understood', 'description: Bad'],
  'error-body-shared': [
    "'400': { $ref: '#/components/responses/Bad' }\ncomponents",
    "'400': { description: Not understood, content: { text/plain: { schema: { type: string } } } }\ncomponents",
  ],
  'response-example': [', example: {} }', ' }'],
  'schema-used': ['    Problem: {', '    Spare: { type: object }\n    Problem: {'],
  'property-described': [', description: Litres a minute.', ''],
}

describe('the starter rulebook', () => {
  it('has only conditions that can be applied', () => {
    const source = { file: 'a.yaml', text: clean }
    const reading = readDefinition(source)
    if (!reading.readable) throw new Error('not readable')
    const { faults } = check(reading.documents, reading.contract, edition, {
      audience: 'partner',
      team: 'x',
    })
    expect(faults).toEqual([])
  })

  it('finds nothing in a definition that keeps it', () => {
    expect(findingsOf(clean)).toEqual([])
  })

  it.each(starterRules.map((rule) => [rule.id] as const))(
    '%s finds what breaks it, at its line',
    (id) => {
      const [from, to] = breaks[id]!
      expect(clean).toContain(from)
      const text = clean.replace(from, to)
      const found = findingsOf(text).filter((finding) => finding.rule === id)
      expect(found.length).toBeGreaterThan(0)
      for (const { line, column, message } of found) {
        expect(line).toBeLessThanOrEqual(text.split('\n').length)
        expect(column).toBeGreaterThan(0)
        expect(message).not.toMatch(/[{}]\w+\./)
      }
    },
  )

  it('lets a public API go without credentials', () => {
    const text = clean.replace('security: [{ key: [] }]\n', '')
    expect(findingsOf(text, 'public')).toEqual([])
    expect(findingsOf(text, 'private').map(({ rule }) => rule)).toEqual([
      'operation-secured',
      'operation-secured',
    ])
  })

  it('points a finding at the shared part its author must change', () => {
    const text = clean.replace('description: Not understood', 'description: Bad')
    const found = findingsOf(text).filter(({ rule }) => rule === 'error-described')
    expect(found).toMatchObject([
      {
        at: '/components/responses/Bad',
        line: text.split('\n').indexOf('    Bad:') + 1,
        column: 5,
      },
    ])
  })
})

describe('conditions', () => {
  it('match patterns in time linear in the text', () => {
    const started = performance.now()
    expect(compileCondition('text.matches("^(a+)+$")')({ text: `${'a'.repeat(50_000)}b` })).toBe(
      false,
    )
    expect(performance.now() - started).toBeLessThan(1500)
  })

  it('leave the word matches alone inside text', () => {
    expect(
      compileCondition('text == "matches(x)" && "a".matches("a")')({ text: 'matches(x)' }),
    ).toBe(true)
  })

  it('say what is wrong with them', () => {
    expect(() => compileCondition('a ==')).toThrow(ConditionError)
    expect(() => compileCondition('1 + 1')({})).toThrow(/yes or no/)
  })

  it('of a broken rule do not stop the others', () => {
    const rules = [{ ...starterRules[0]!, condition: 'nonsense(' }, starterRules[1]!]
    const text = clean.replace('Where hydrants are and how they flow.', 'x')
    const examination = examine(
      { file: 'a', text },
      { ...edition, rules },
      { audience: 'partner', team: 'x' },
    )
    expect(examination.readable && examination.findings.map(({ rule }) => rule)).toEqual([
      'definition-described',
    ])
  })
})
