import { readFileSync } from 'node:fs'
import { describe, expect, it } from 'vitest'
import { readDefinition } from '../formats/read'
import { estateOf } from './estate'
import { fixedTexts, planFix } from './fix'
import { circumstancesOf, type Fix, type Rule } from './model'
import { completeSample } from './samples'
import { checkText, isWord, readHouse, today } from '../../tests/support/rules'
import { readable } from '../../tests/support/reading'

const house = readHouse()
const ruleNamed = (id: string) => house.rules.find((rule) => rule.id === id)!

function applied(text: string, rule: Rule, fix: Fix, keys?: Set<string>) {
  const { documents, contract } = readable(text)
  const surroundings = {
    circumstances: circumstancesOf({ today }),
    domain: house.domain,
    words: house.words,
    estate: estateOf([], ''),
    isWord,
  }
  const plan = planFix(documents, contract, surroundings, rule, fix, keys)
  return { plan, text: fixedTexts(documents, plan).get('a.yaml') ?? text }
}

const only = (rule: Rule) => ({ ...house, rules: [rule] })
const findingsOf = (text: string, rule: Rule) =>
  checkText(text, only(rule)).findings.filter((finding) => finding.rule === rule.id)

const fixable = house.rules.flatMap((rule) =>
  (rule.fixes ?? []).map((fix) => [rule.id, fix.title, rule, fix] as const),
)

describe('the fixes of the house rules', () => {
  it.each(fixable)('%s: "%s" fixes every sample that breaks it', (_id, _title, rule, fix) => {
    for (const sample of rule.samples.breaks) {
      const text = completeSample(sample)
      expect(findingsOf(text, rule)).not.toEqual([])
      const { plan, text: fixed } = applied(text, rule, fix)
      expect(plan.faults).toEqual([])
      expect(findingsOf(fixed, rule)).toEqual([])
    }
  })

  it.each([
    'tanker-dispatch/0.8.0.raml',
    'connections-and-permits/1.0.3.json',
    'lab-sampling/1.8.0/lab-sampling.wsdl',
    'payments-desk/1.5.0.yaml',
    'supply-interruptions/2.5.0.yaml',
  ])('leave no problem in %s, and as many lines as there were or a few more', (file) => {
    const text = readFileSync(`demo/definitions/${file}`, 'utf8')
    for (const [, , rule, fix] of fixable) {
      if (rule.id === 'schema-used') continue
      const before = findingsOf(text, rule).length
      const { plan, text: fixed } = applied(text, rule, fix)
      if (plan.places === 0) continue
      expect(plan.faults).toEqual([])
      expect(findingsOf(fixed, rule).length, rule.id).toBeLessThan(before)
      const errors = (candidate: string) => {
        const reading = readDefinition({ file: 'a.yaml', text: candidate })
        return reading.diagnostics.filter(({ severity }) => severity === 'error').length
      }
      expect(errors(fixed)).toBe(errors(text))
    }
  })
})

const text = `openapi: 3.1.0 # kept
info: { title: Hydrants, version: 1.0.0 }
paths:
  /hydrants/{hydrant_id}:
    get:
      parameters:
        - { name: hydrant_id, in: path, required: true, schema: { type: string } }
        - name: max_flow # litres
          in: query
          schema: { type: integer }
      responses:
        '200':
          description: It
          content:
            application/json:
              schema: { $ref: '#/components/schemas/hydrant_state' }
components:
  schemas:
    hydrant_state:
      type: object
      required: [flow_rate, code]
      properties:
        code: { type: string }
        # how much
        flow_rate: { type: number }
        before: { $ref: '#/components/schemas/hydrant_state' }
`

describe('renaming', () => {
  const rename = (id: string, keys?: Set<string>, source = text) => {
    const rule = ruleNamed(id)
    return applied(source, rule, rule.fixes![0]!, keys)
  }

  it('of a property follows into the list of required ones, and touches nothing else', () => {
    expect(rename('property-casing').text).toBe(text.replaceAll('flow_rate', 'flowRate'))
  })

  it('of a schema follows every reference', () => {
    expect(rename('schema-casing').text).toBe(text.replaceAll('hydrant_state', 'HydrantState'))
  })

  it('of a path parameter follows into the path', () => {
    expect(rename('parameter-casing').text).toBe(
      text.replaceAll('hydrant_id', 'hydrantId').replace('max_flow', 'maxFlow'),
    )
  })

  it('of one place leaves the others', () => {
    const [first] = findingsOf(text, ruleNamed('parameter-casing'))
    const { plan, text: fixed } = rename('parameter-casing', new Set([first!.key]))
    expect(plan.places).toBe(1)
    expect(fixed).toBe(text.replaceAll('hydrant_id', 'hydrantId'))
  })

  it('refuses a name that is taken', () => {
    const taken = text.replace('code: { type: string }', 'flowRate: { type: string }')
    const { plan, text: same } = rename('property-casing', undefined, taken)
    expect(plan.faults).toEqual(['There is a property "flowRate" already'])
    expect(same).toBe(taken)
  })

  it('works in RAML and in a WSDL', () => {
    const raml =
      '#%RAML 1.0\ntitle: H\nversion: 1.0.0\ntypes:\n  Hydrant:\n    properties:\n      flow_rate: number # how much\n/h:\n  get:\n    responses:\n      200:\n        body:\n          application/json: Hydrant\n'
    expect(rename('property-casing', undefined, raml).text).toBe(
      raml.replace('flow_rate', 'flowRate'),
    )
    const wsdl = readFileSync('demo/definitions/works-orders/3.2.0.wsdl', 'utf8')
    expect(wsdl).toContain('name="state"')
    const snake = wsdl.replace('name="state"', 'name="order_state"')
    expect(rename('property-casing', undefined, snake).text).toBe(
      snake.replace('name="order_state"', 'name="orderState"'),
    )
  })
})

describe('moving to a shared component', () => {
  it('writes the part once and refers to it', () => {
    const rule: Rule = {
      ...ruleNamed('error-body-shared'),
      id: 'responses-shared',
      about: 'response',
      where: 'response.isError',
      expect: 'false',
    }
    const source = `openapi: 3.1.0
info: { title: Hydrants, version: 1.0.0 }
paths:
  /a: { get: { responses: { '404': { description: There is none } } } }
  /b: { get: { responses: { '404': { description: There is none } } } }
`
    const { plan, text: moved } = applied(source, rule, {
      kind: 'extract',
      into: 'Missing',
      title: 'Share it',
    })
    expect(plan.faults).toEqual([])
    expect(moved).toBe(
      `${source.replaceAll('{ description: There is none }', "{ $ref: '#/components/responses/Missing' }")}components:\n  responses:\n    Missing:\n      description: There is none\n`,
    )
  })
})
