import { readdirSync, readFileSync } from 'node:fs'
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { readXml } from '../text/xml'
import { readable } from '../../tests/support/reading'
import type { Contract, QualifiedName, Schema } from './model'
import { sampleValue } from './samples'
import { invalidity } from './validate'
import { whyNoXml, xmlElement, xmlValue } from './xml-values'

function definition(folder: string, main: string): Contract {
  const texts = readdirSync(folder).map(
    (name) => [name, readFileSync(`${folder}/${name}`, 'utf8')] as const,
  )
  const others = Object.fromEntries(texts.filter(([name]) => name !== main))
  return readable(readFileSync(`${folder}/${main}`, 'utf8'), main, others).contract
}
const lab = definition('demo/definitions/lab-sampling/1.8.0', 'lab-sampling.wsdl')
const orders = readable(
  readFileSync('demo/definitions/works-orders/3.2.0.wsdl', 'utf8'),
  '3.2.0.wsdl',
).contract

const messages = [lab, orders].flatMap((contract) =>
  contract.operations.flatMap(({ path, body, responses, soap }) => {
    const [binding] = soap ?? []
    const sides: [string, Schema | undefined, QualifiedName | undefined][] = [
      ['request', body?.content[0]?.schema, binding?.input],
      ['response', responses[0]?.content[0]?.schema, binding?.output],
    ]
    return sides.flatMap(([side, schema, name]) =>
      schema !== undefined && name ? [{ contract, side: `${side} of ${path}`, schema, name }] : [],
    )
  }),
)

const there = (contract: Contract, schema: Schema, value: unknown, name: QualifiedName) =>
  readXml(xmlElement(contract, schema, value, name))
const back = (contract: Contract, schema: Schema, value: unknown, name: QualifiedName) =>
  xmlValue(contract, schema, there(contract, schema, value, name).root!)

describe('values as XML', () => {
  it.each(messages)('come back as they were: the $side', ({ contract, schema, name }) => {
    for (const isLean of [false, true]) {
      const value = sampleValue(contract, schema, {
        isLean,
        textLike: (pattern) => (pattern.includes('S-[0-9]') ? 'S-0000001' : 'A1'),
      })
      expect(there(contract, schema, value, name).faults).toEqual([])
      const again = back(contract, schema, value, name)
      expect(again).toEqual(value)
      expect(invalidity(contract, again, schema)).toBe(invalidity(contract, value, schema))
    }
  })

  const sequence: Schema = {
    type: 'object',
    properties: {
      first: { type: 'string' },
      many: { type: 'array', items: { type: 'integer' } },
      flag: { type: 'boolean', xml: { attribute: true } },
      amount: { type: ['number', 'null'] },
      codes: { type: 'array', items: { type: 'string' }, 'x-xml-list': true },
    },
  }
  const none: Contract = { ...lab, schemas: [] }
  const name = { namespace: 'urn:a', name: 'thing' }
  const text = fc
    .string({ unit: 'grapheme' })
    .filter((one) => whyNoXml(one) === undefined && !one.includes('\r'))

  it('come back whatever texts, numbers and lists they have', () => {
    const values = fc.record(
      {
        first: text,
        many: fc.array(fc.integer(), { minLength: 1 }),
        flag: fc.boolean(),
        amount: fc.option(fc.double({ noNaN: true, noDefaultInfinity: true }).map((n) => n + 0)),
        codes: fc.array(
          fc.stringMatching(/^[^\s<>&"']{1,5}$/).filter((one) => whyNoXml(one) === undefined),
        ),
      },
      { requiredKeys: [] },
    )
    fc.assert(
      fc.property(values, (value) => {
        expect(back(none, sequence, value, name)).toEqual(value)
      }),
    )
  })

  it.each([
    ['9007199254740993', '9007199254740993'],
    ['70101610554570410', 70101610554570410],
    ['70101610554570408', '70101610554570408'],
    ['0042', 42],
    ['1000000000000000000000', '1000000000000000000000'],
    ['1e21', 1e21],
  ])('are numbers only where JSON writes the same number: %s', (written, amount) => {
    expect(
      xmlValue(
        none,
        sequence,
        readXml(`<thing xmlns="urn:a"><amount>${written}</amount></thing>`).root!,
      ),
    ).toEqual({ amount })
  })

  it('stand in the order of the schema, whatever order they came in', () => {
    const xml = xmlElement(none, sequence, { codes: ['a', 'b'], many: [1, 2], first: 'x' }, name)
    expect(xml).toBe(
      '<thing xmlns="urn:a"><first>x</first><many>1</many><many>2</many><codes>a b</codes></thing>',
    )
  })

  it('are written for no more than the schema has, and read with what it does not have', () => {
    expect(xmlElement(none, sequence, { first: 'x', 'y><z': 1, __proto__: 2 }, name)).toBe(
      '<thing xmlns="urn:a"><first>x</first></thing>',
    )
    const { root } = readXml('<t xmlns="urn:a"><first>x</first><more>1</more><more><b/></more></t>')
    expect(xmlValue(none, sequence, root!)).toEqual({
      first: 'x',
      more: ['1', { b: '' }],
    })
    const odd = readXml('<t xmlns="urn:a"><__proto__>1</__proto__></t>').root!
    expect(Object.getPrototypeOf(xmlValue(none, sequence, odd))).toBe(Object.prototype)
  })

  it('keep numbers that JSON would round', () => {
    const { root } = readXml('<t xmlns="urn:a"><many>12345678901234567890</many><many>7</many></t>')
    expect(xmlValue(none, sequence, root!)).toEqual({ many: ['12345678901234567890', 7] })
  })

  it('have no characters that XML cannot carry', () => {
    expect(whyNoXml({ a: [{ b: 'x\u0000' }] })).toBe('/a/0/b has a character that XML cannot carry')
    expect(whyNoXml({ a: '\ud800' })).toMatch(/^\/a/)
    expect(whyNoXml({ a: 'ä\n😀', b: 1, c: null })).toBeUndefined()
  })
})
