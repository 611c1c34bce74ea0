import { readFileSync } from 'node:fs'
import { describe, expect, it } from 'vitest'
import { compareContracts } from './contracts'
import { readable } from '../../tests/support/reading'

const contractOf = (text: string) => readable(text).contract
const demo = (name: string) => contractOf(readFileSync(`demo/definitions/${name}`, 'utf8'))
const base = `openapi: 3.1.0
info: { title: Hydrants, version: "1.0.0" }
paths:
  /hydrants:
    get:
      operationId: listHydrants
      parameters: [{ name: limit, in: query, schema: { type: integer, maximum: 50 } }]
      responses: { '200': { description: Hydrants, content: { application/json: { schema: { $ref: '#/components/schemas/Hydrant' } } } } }
components:
  schemas:
    Hydrant: { type: object, required: [id], properties: { id: { type: string }, state: { type: string, enum: [good, weak] } } }
`
const changed = (...edits: [string, string][]) =>
  compareContracts(
    contractOf(base),
    contractOf(edits.reduce((text, [from, to]) => text.replace(from, to), base)),
  ).map(({ kind, subject, words }) => `${kind}: ${subject} ${words}`)

describe('what changed', () => {
  it.each([
    'supply-interruptions/2.5.0.yaml',
    'meter-readings/4.0.0.yaml',
    'tanker-dispatch/0.9.4.raml',
  ])('between %s and itself is nothing', (name) => {
    expect(compareContracts(demo(name), demo(name))).toEqual([])
  })

  it('is said in words', () => {
    expect(changed(['maximum: 50', 'maximum: 20'])).toEqual([
      'changed: GET /hydrants query parameter "limit": maximum is 20, was 50',
    ])
    expect(changed(['in: query', 'in: query, required: true'])).toEqual([
      'changed: GET /hydrants query parameter "limit" is now required',
    ])
    expect(changed(['[good, weak]', '[good, out]'])).toEqual([
      'added: Hydrant property "state": value "out" is new',
      'removed: Hydrant property "state": value "weak" is gone',
    ])
    expect(changed(['required: [id]', 'required: [id, state]'])).toEqual([
      'changed: Hydrant property "state" is now required',
    ])
    expect(changed(['id: { type: string }', 'id: { type: integer }'])).toEqual([
      'changed: Hydrant property "id": is integer, was string',
    ])
    expect(changed(['    get:', '    post:'])).toEqual([
      'added: POST /hydrants is new',
      'removed: GET /hydrants is gone',
    ])
    expect(changed(["'200'", "'203'"])).toEqual([
      'added: GET /hydrants response 203 is new',
      'removed: GET /hydrants response 200 is gone',
    ])
  })

  it('does not count a parameter that is only called otherwise in the path', () => {
    const text = (name: string) =>
      `openapi: 3.1.0\ninfo: { title: A, version: "1" }\npaths:\n  /a/{${name}}: { get: { responses: { '204': { description: x } } } }\n`
    expect(
      compareContracts(contractOf(text('x')), contractOf(text('y'))).map(({ words }) => words),
    ).toEqual(['path is written /a/{y}, was /a/{x}'])
  })

  it('between two versions of the demo names what each is about', () => {
    const changes = compareContracts(
      demo('meter-readings/3.9.2.yaml'),
      demo('meter-readings/4.0.0.yaml'),
    )
    expect(changes.length).toBeGreaterThan(3)
    for (const change of changes) expect(change.subject).not.toBe('')
  })
})
