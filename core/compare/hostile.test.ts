import { describe, expect, it } from 'vitest'
import type { Contract } from '../contract/model'
import { contractOf } from '../../tests/support/reading'
import { compareContracts } from './contracts'

/** A definition whose one operation gives and takes a schema, beside others that it may refer to. */
const definition = (schema: object, schemas: object = {}): Contract =>
  contractOf({
    openapi: '3.1.0',
    info: { title: 'Hydrants', version: '1.0.0' },
    paths: {
      '/hydrants': {
        post: {
          requestBody: { content: { 'application/json': { schema } } },
          responses: {
            200: { description: 'Done', content: { 'application/json': { schema } } },
          },
        },
      },
    },
    components: { schemas },
  })
const ref = (name: string) => ({ $ref: `#/components/schemas/${name}` })
const worst = (before: Contract, after: Contract) => {
  const effects = compareContracts(before, after).map(({ effect }) => effect)
  return effects.includes('breaking') ? 'breaking' : effects.includes('risky') ? 'risky' : 'safe'
}

/** What strangers send ends, and nothing that could not be decided is left out in silence. */
describe('what has no end, or seems to have none', () => {
  const levels = (leaf: object, keyword: string) =>
    Object.fromEntries(
      Array.from({ length: 60 }, (_, i) => [
        `L${i}`,
        i === 59
          ? leaf
          : {
              [keyword]: [
                ref(`L${i + 1}`),
                { type: 'object', properties: { next: ref(`L${i + 1}`) } },
              ],
            },
      ]),
    )

  it.each(['oneOf', 'anyOf', 'allOf'])('%s on sixty levels, each twice', (keyword) => {
    const [a, b] = [{ type: 'string' }, { type: 'string', maxLength: 3 }].map((leaf) =>
      definition(ref('L0'), levels(leaf, keyword)),
    ) as [Contract, Contract]
    expect(worst(a, b)).not.toBe('safe')
    expect(worst(a, a)).toBe('safe')
  })

  it('schemas that hold one another, through lists, choices and parts', () => {
    const circle = (kind: object) => ({
      A: { type: 'object', properties: { b: ref('B'), list: { type: 'array', items: ref('A') } } },
      B: { oneOf: [ref('A'), ref('C')] },
      C: { allOf: [ref('A'), { type: 'object', properties: { kind, back: ref('B') } }] },
    })
    const before = definition(ref('A'), circle({ type: 'string' }))
    expect(worst(before, definition(ref('A'), circle({ type: 'integer' })))).not.toBe('safe')
    expect(worst(before, definition(ref('A'), circle({ type: 'string' })))).toBe('safe')
  })

  it.each([
    ['references in a circle', ref('A'), { A: ref('B'), B: ref('A') }],
    ['a part of itself', ref('A'), { A: { allOf: [ref('A'), { type: 'object' }] } }],
    ['a choice of itself', ref('A'), { A: { anyOf: [ref('A'), { type: 'null' }] } }],
    ['nothing there', ref('Gone'), {}],
  ])('%s', (_, schema, schemas) => {
    const odd = definition(schema, schemas)
    expect(worst(odd, odd)).toBe('safe')
    compareContracts(odd, definition({ type: 'string' }))
    compareContracts(definition({ type: 'string' }), odd)
  })

  it.each([
    ['^(a+)+$', '^(a|aa)+$'],
    ['^(?:a?){60}a{60}$', '^a{60,120}$'],
    ['^[a-z]{1,50000}$', '^[a-z]{2,50000}$'],
    ['^(.*a.{20})$', '^(.*b.{20})$'],
    ['^((((((((((a*)*)*)*)*)*)*)*)*)*)$', '^a*$'],
    ['(x+x+)+y', '(x+x+)+z'],
    ['^(a', '^a'],
    ['^\\p{L}+$', '^\\p{Lu}+$'],
  ])('patterns %s and %s', (a, b) => {
    const of = (pattern: string) => definition({ type: 'string', pattern })
    for (const change of [...compareContracts(of(a), of(b)), ...compareContracts(of(b), of(a))]) {
      expect(['breaking', 'risky', 'safe']).toContain(change.effect)
      if (change.effect === 'risky') expect(change.undecided).not.toBe('')
      if (change.effect === 'breaking') expect(change.witness?.()).toBeDefined()
    }
  })

  it('five thousand values, and five thousand parts', () => {
    const values = Array.from({ length: 5000 }, (_, i) => ({ code: i }))
    const listed = definition({ enum: values })
    expect(worst(listed, definition({ enum: values.toReversed() }))).toBe('safe')
    const parts = Array.from({ length: 5000 }, (_, i) => ({
      type: 'object',
      properties: { [`p${i}`]: { type: 'string' } },
    }))
    expect(worst(definition({ allOf: parts }), definition({ allOf: parts.toReversed() }))).toBe(
      'safe',
    )
  })
})
