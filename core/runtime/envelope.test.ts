import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { envelope, envelopeNamespaces } from '../contract/envelopes'
import { readXml } from '../text/xml'
import { firstElement, whyNoEnvelope } from './envelope'

const soap = envelopeNamespaces['1.1']

/** Documents that are nearly envelopes: prefixes bound, bound anew, and not at all. */
const prefix = fc.constantFrom('', 'a:', 'b:')
const declarations = fc
  .uniqueArray(
    fc.tuple(
      fc.constantFrom('xmlns', 'xmlns:a', 'xmlns:b'),
      fc.constantFrom(soap, 'urn:x', 'urn:y'),
    ),
    { selector: ([name]) => name, maxLength: 3 },
  )
  .map((pairs) => pairs.map(([name, uri]) => ` ${name}="${uri}"`).join(''))
const element = fc.letrec<{ node: string }>((tie) => ({
  node: fc
    .tuple(
      prefix,
      fc.constantFrom('Body', 'Header', 'c', 'd'),
      declarations,
      fc.oneof(
        { maxDepth: 3 },
        fc.constant(''),
        fc.array(tie('node'), { maxLength: 3 }).map((all) => all.join(' ')),
      ),
    )
    .map(([at, name, said, inside]) => `<${at}${name}${said}>${inside}</${at}${name}>`),
})).node
const documents = fc
  .tuple(prefix, declarations, fc.array(element, { maxLength: 3 }))
  .map(([at, said, inside]) => `<${at}Envelope${said}>${inside.join('')}</${at}Envelope>`)

/** What a reader of the whole tree takes for the operation. */
function byTree(text: string): string | undefined {
  const { root } = readXml(text)
  if (root?.local !== 'Envelope' || root.namespace !== soap) return undefined
  const first = root.first(soap, 'Body')?.children[0]
  return first && `{${first.namespace}}${first.local}`
}

describe('the first element of a message', () => {
  it('is that of a reader of the whole tree, wherever the message is taken', () => {
    let taken = 0
    fc.assert(
      fc.property(documents, (text) => {
        if (whyNoEnvelope(text, '1.1') !== undefined) return
        const found = firstElement(text, '1.1', true)
        expect('element' in found ? found.element : undefined).toBe(byTree(text))
        taken++
      }),
      { numRuns: 3000 },
    )
    expect(taken).toBeGreaterThan(20)
  })

  it('is the same of each beginning that says it', () => {
    const text = envelope('1.1', '<s:get xmlns:s="urn:x"><a>1</a></s:get>')
    const said = text.indexOf('<a>')
    for (let at = 0; at <= text.length; at++) {
      const found = firstElement(text.slice(0, at), '1.1', false)
      if (at >= said) expect(found).toEqual({ element: '{urn:x}get' })
      else expect(found).toHaveProperty('refused')
    }
  })

  it('has bounds of depth, elements, attributes and namespaces', () => {
    const whole = (inside: string) => whyNoEnvelope(envelope('1.1', inside), '1.1')
    const names = (count: number, name: (i: number) => string) =>
      Array.from({ length: count }, (_, i) => name(i)).join(' ')
    expect(whole(`${'<a>'.repeat(98)}${'</a>'.repeat(98)}`)).toBeUndefined()
    expect(whole(`${'<a>'.repeat(99)}${'</a>'.repeat(99)}`)).toMatch(/nested more than 100 deep/)
    expect(whole(`<a ${names(101, (i) => `a${i}=""`)}/>`)).toMatch(/more than 100 attributes/)
    expect(whole(`<a ${names(99, (i) => `xmlns:a${i}="u"`)}/>`.repeat(11))).toMatch(
      /more than 1000 namespaces/,
    )
    expect(whole('<a/>'.repeat(500_000))).toMatch(/more than 500000 elements/)
  })
})
