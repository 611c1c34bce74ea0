import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { describe, expect, it } from 'vitest'
import { mutated, random } from '../../tests/support/mutations'
import { readElements } from './xml-plain'
import { readAnyXml, type XmlElement } from './xml'

/** All that an element says, and where it stands. */
const said = (element: XmlElement): unknown => ({
  name: [element.prefix, element.local, element.namespace],
  start: element.start,
  attributes: element.attributes,
  scope: element.scope,
  text: element.text,
  children: element.children.map(said),
})

const folder = 'demo/definitions'
const texts = readdirSync(folder, { recursive: true, encoding: 'utf8' })
  .filter((name) => /\.(wsdl|xsd|wadl)$/.test(name))
  .map((name) => readFileSync(join(folder, name), 'utf8'))

/** A line that opens nothing that it does not close. */
const closed = /^\s*<(?:[^>/][^>]*\/|([\w:]+)[^>/]*>[^<>]*<\/\1)>$/

const slips = [
  ...[' ', '\n', '\r\n', '\t', '<', '>', '/', '&', '&amp;', '&#13;', '&#xD;', '&x;', '"', "'", '='],
  ...['<!--', '-->', '<!---->', '<![CDATA[', ']]>', '<![CDATA[x]]>', '<?', '?>', '<?p q?>', '<b>'],
  ...[
    '</b>',
    '<b/>',
    'xmlns="u"',
    ' xmlns:p="u" ',
    'p:',
    ':',
    '😀',
    '\uFEFF',
    'é',
    '\0',
    'x',
    '-',
    '1',
  ],
]

describe('XML as it is mostly written', () => {
  it.each([
    [
      '<?xml version="1.0" encoding="UTF-8"?>\n<!-- a --><a>\n  <b c="1"/>\n</a>\n',
      'a declaration',
    ],
    ['<a>x &lt; y &#38; &#x1F4A7;<![CDATA[ <b>&amp; ]]> z<!-- c --> </a>', 'references'],
    ['<a b=\'"\' c="it\'s\n\tso &#10; &quot;" ></a >', 'attributes'],
    ['<a xmlns="urn:a" xmlns:p="urn:p"><p:b xmlns:p="urn:q" p:c="1"/><p:d/></a>', 'namespaces'],
    ['<a>\r\n  one\rtwo\r\n  <b/>\r\n</a>\r\n', 'line ends of every kind'],
    ['<?style a="b"?><a><?x?>text<?y z?></a><!-- end -->', 'instructions'],
    ['<a> <b/> <![CDATA[]]> </a>', 'white space'],
    ['<é:a xmlns:é="urn:e"/>'.replaceAll('é', 'e'), 'names'],
  ])('reads %j: %s', (text) => {
    const ours = readElements(text)
    expect(ours).toBeDefined()
    expect(said(ours!)).toEqual(said(readAnyXml(text).root!))
  })

  it.each([
    '<a><b></a></b>',
    '<a b="1" b="2"/>',
    '<a b=1/>',
    '<a b="<"/>',
    '<a b="1"c="2"/>',
    '<a>&nbsp;</a>',
    '<a>]]></a>',
    '<a>\u0001</a>',
    '<a>&#0;</a>',
    '<a/><b/>',
    '<a/>text',
    'text<a/>',
    '<a><!-- -- --></a>',
    '<!DOCTYPE a [<!ENTITY x "y">]><a>&x;</a>',
    '<p:a/>',
    '<constructor:a/>',
    '<é/>',
    '<a>',
    '<1a/>',
    '<?xml version="1.1"?><a/>',
    ' <?xml version="1.0"?><a/>',
    '<a><?XML?></a>',
    `${'<a>'.repeat(200)}${'</a>'.repeat(200)}`,
    '',
  ])('gives %j back unread', (text) => {
    expect(readElements(text)).toBeUndefined()
  })

  it('knows no prefix by what every object has', () => {
    const { root, faults } = readAnyXml('<constructor:a b="toString:c"/>')
    expect(faults).toMatchObject([{ message: 'The prefix "constructor" is not declared' }])
    expect(root?.namespace).toBe('')
    expect(root?.qualify('toString:c')).toEqual({ namespace: undefined, local: 'c' })
  })

  it('never says something else of a whole or a broken text', () => {
    expect(texts.length).toBeGreaterThan(5)
    for (const text of texts) expect(readElements(text)).toBeDefined()
    const lines = texts.flatMap((text) => text.split('\n')).filter((line) => closed.test(line))
    let read = 0
    for (let seed = 0; seed < Number(process.env['ELM_FUZZ'] ?? 3000); seed++) {
      const next = random(seed)
      const from = next(lines.length)
      let text = `<a xmlns:xs="x" xmlns:wsdl="w">${lines.slice(from, from + 1 + next(8)).join('\n')}</a>`
      if (next(4) === 0) text = mutated(text, next)
      else {
        const at = next(text.length + 1)
        text = text.slice(0, at) + slips[next(slips.length)]! + text.slice(at + next(2) * next(3))
      }
      const ours = readElements(text)
      if (!ours) continue
      read++
      const { root, faults } = readAnyXml(text)
      expect({ seed, faults, root: said(ours) }).toEqual({
        seed,
        faults: [],
        root: root && said(root),
      })
    }
    expect(read).toBeGreaterThan(500)
  })
})
