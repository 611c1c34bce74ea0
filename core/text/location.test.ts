import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { besideIn, Documents } from './documents'
import { isRemote, partsOf, locationIn, resolveName } from './location'
import { decodeText } from './read'

describe('names of files', () => {
  it.each([
    ['a.yaml', 'b.yaml', 'b.yaml'],
    ['x/a.yaml', '../b.yaml', 'b.yaml'],
    ['x/a.yaml', './y/b.yaml', 'x/y/b.yaml'],
    ['a.yaml', '../b.yaml', '../b.yaml'],
    ['/srv/x/a.yaml', '../b.yaml', '/srv/b.yaml'],
    ['a.yaml', 'b%20c.yaml', 'b c.yaml'],
    ['a.yaml', 'https://other.example/b.yaml', 'https://other.example/b.yaml'],
    ['https://one.example/x/a.yaml', '../b.yaml', 'https://one.example/b.yaml'],
    ['x\\a.yaml', 'b.yaml', 'b.yaml'],
  ])('%s refers to %s: %s', (base, written, expected) =>
    expect(resolveName(base, written)).toBe(expected),
  )

  it.each(['http://', '//', 'https://[', 'http://a b'])(
    'that are no addresses stay as they are: %s',
    (written) => {
      expect(resolveName('a.yaml', written)).toBe(written)
    },
  )

  it('never turn a file into another host', () => {
    fc.assert(
      fc.property(fc.webPath(), fc.stringMatching(/^[a-z./]{0,20}$/), (base, written) => {
        fc.pre(!base.startsWith('//'))
        expect(isRemote(resolveName(base, written))).toBe(written.startsWith('//'))
      }),
    )
  })

  it('lead back from a place', () => {
    fc.assert(
      fc.property(
        fc.stringMatching(/^[a-z/.]{1,12}$/),
        fc.stringMatching(/^(\/[a-z#]{1,5}){0,3}$/),
        (file, pointer) => {
          if (file.startsWith('/')) return
          expect(partsOf(locationIn(file, pointer))).toEqual({ file, pointer })
          expect(partsOf(locationIn(undefined, pointer))).toEqual({ file: undefined, pointer })
        },
      ),
    )
  })
})

describe('a definition of several files', () => {
  it('reads each once, knows what is missing, and finds places in all of them', () => {
    let asked = 0
    const texts = besideIn(new Map([['b.yaml', 'x:\n  y: 1\n']]))
    const documents = new Documents({ file: 'a.json', text: '{\n "p": 1\n}' }, (name) => {
      asked++
      return texts(name)
    })
    expect(documents.get('b.yaml')?.reading.readable).toBe(true)
    documents.get('b.yaml')
    expect(asked).toBe(1)
    expect(documents.get('c.yaml')).toBeUndefined()
    expect([...documents.missing]).toEqual(['c.yaml'])
    expect(Object.fromEntries(documents.locate(['/p', 'b.yaml#/x/y', 'c.yaml#/z']))).toEqual({
      '/p': { file: 'a.json', line: 2, column: 2 },
      'b.yaml#/x/y': { file: 'b.yaml', line: 2, column: 3 },
      'c.yaml#/z': { file: 'c.yaml', line: 1, column: 1 },
    })
  })
})

describe('encodings', () => {
  const text = '<?xml version="1.0"?><a>Höhe</a>'
  const utf16 = (little: boolean, mark: boolean) => {
    const units = [...(mark ? ['\uFEFF'] : []), ...text]
    const bytes = units.flatMap((unit) => {
      const code = unit.charCodeAt(0)
      return little ? [code & 255, code >> 8] : [code >> 8, code & 255]
    })
    return new Uint8Array(bytes)
  }
  it.each([
    ['UTF-8', new TextEncoder().encode(text)],
    ['UTF-16 with a mark', utf16(true, true)],
    ['UTF-16 with a mark, big end first', utf16(false, true)],
    ['UTF-16 without a mark', utf16(true, false)],
    ['UTF-16 without a mark, big end first', utf16(false, false)],
  ])('%s', (_name, bytes) => expect(decodeText(bytes, 'a.xml')).toEqual({ text }))

  it('of an XML declaration are honoured', () => {
    const latin = Uint8Array.from(
      '<?xml version="1.0" encoding="ISO-8859-1"?><a>H\u00f6he</a>',
      (c) => c.charCodeAt(0),
    )
    expect(decodeText(latin, 'a.xml')).toHaveProperty('text', expect.stringContaining('Höhe'))
    const strange = new TextEncoder().encode('<?xml version="1.0" encoding="x-none"?><a/>')
    expect(decodeText(strange, 'a.xml')).toHaveProperty(
      'problem.message',
      expect.stringMatching(/not known/),
    )
  })
})
