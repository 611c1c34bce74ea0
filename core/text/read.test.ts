import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { isMap, isPair, isScalar, isSeq, parseDocument, stringify, type Node } from 'yaml'
import { pointersOf } from '../../tests/support/pointers'
import { limits } from './limits'
import { pointerTo, valueAt } from './pointer'
import { decodeText, locate, readText } from './read'
import { mayShareParts } from './yaml'

const problemsOf = (text: string) =>
  readText({ text, file: /^[[{]/.test(text) ? 'a.json' : 'a.yaml' }).diagnostics

describe('texts that cannot be read', () => {
  it('says where YAML breaks', () => {
    const [problem] = problemsOf('openapi: 3.1.0\ninfo:\n  title: [a\npaths: {}\n')
    expect(problem).toMatchObject({ file: 'a.yaml', line: 4, severity: 'error' })
  })

  it('names a key that stands twice, in YAML and in JSON', () => {
    expect(problemsOf('a: 1\nb: 2\na: 3\n')[0]).toMatchObject({ line: 3, column: 1 })
    expect(problemsOf('{\n "a": 1,\n "b": {"x": 1, "x": 2},\n "a": 3\n}')).toMatchObject([
      { message: '"x" stands twice in the same object; the last one counts', line: 3, column: 16 },
      { message: '"a" stands twice in the same object; the last one counts', line: 4, column: 2 },
    ])
  })

  it.each([
    ['{"a": 1,}', 'A comma before the closing brace', 9],
    ['{"a" 1}', 'A colon is missing after the member name', 6],
    ['{"a": tru}', 'A value is missing or not valid JSON', 7],
    ['{"a": "x', 'A string is not closed', 7],
    ['[1 2]', 'A comma is missing', 4],
    ['{"a": 1} {}', 'Text after the end of the document', 10],
  ])('says what is wrong with %s', (text, message, column) => {
    expect(problemsOf(text)[0]).toMatchObject({ message, line: 1, column })
  })

  it('reports each slip once, and those of other parts too', () => {
    const yaml = `openapi: 3.1.0
info:
  title: [a
  version: "1"
paths:
  /a:
    get: { tags: [x }
  /b:
    get: {}
servers:
  - url: "x
`
    const lines = problemsOf(yaml).map(({ line }) => line)
    expect(lines.length).toBeGreaterThan(1)
    expect(new Set(lines).size).toBe(lines.length)
    const json = '{\n "a": 1\n "b": 2,\n "c": [1, 2,],\n\n "d": tru,\n\n "e": 3\n}'
    expect(problemsOf(json).map(({ line }) => line)).toEqual([3, 6])
  })

  it('refuses aliases that multiply, quickly and with their place', () => {
    const levels = Array.from(
      { length: 12 },
      (_, i) =>
        `l${i}: &l${i} [${Array(10)
          .fill(i === 0 ? 'x' : `*l${i - 1}`)
          .join(', ')}]`,
    )
    const started = performance.now()
    const [problem] = problemsOf(levels.join('\n'))
    expect(problem?.message).toMatch(/aliases multiply/)
    expect(problem?.line).toBeGreaterThan(6)
    expect(performance.now() - started).toBeLessThan(2000)
  })

  it.each(['a: &b [1]\n', '- &b 1\n', '&b a: 1\n', '{"a":&b 1}', '[&b 1]', '{a: [1,&b 2]}'])(
    'sees that %j names a part',
    (text) => {
      expect(mayShareParts(text)).toBe(true)
    },
  )

  it.each(['a: Q&A\n', 'a: salt & pepper\n', 'a: b&c=d\n'])('sees none in %j', (text) => {
    expect(mayShareParts(text)).toBe(false)
  })

  it('refuses an alias inside its own anchor', () => {
    expect(problemsOf('a: &a\n  b: *a\n')[0]?.message).toMatch(/inside its own anchor/)
  })

  it('refuses 200 levels of nesting, in every way of writing them', () => {
    const deep = 200
    expect(problemsOf('['.repeat(deep) + ']'.repeat(deep))[0]?.message).toMatch(/Nested deeper/)
    expect(problemsOf(`a: ${'['.repeat(deep)}${']'.repeat(deep)}`)[0]?.message).toMatch(
      /Nested deeper/,
    )
    const block = Array.from({ length: deep }, (_, i) => `${' '.repeat(i)}a:`).join('\n')
    expect(problemsOf(`${block} 1`)[0]).toMatchObject({
      message: expect.stringMatching(/Nested deeper/) as string,
      line: limits.depth,
    })
    expect(problemsOf('['.repeat(100_000))[0]?.message).toMatch(/Nested deeper/)
    expect(problemsOf(`a: ${'['.repeat(20_000)}`)[0]?.message).toMatch(/Nested deeper/)
  })

  it('reads 100 levels', () => {
    expect(problemsOf('['.repeat(100) + ']'.repeat(100))).toEqual([])
  })

  it('takes UTF-8 with a byte order mark and nothing that is no text', () => {
    expect(decodeText(new TextEncoder().encode('\uFEFFa: 1'), 'a')).toEqual({ text: 'a: 1' })
    expect(decodeText(new Uint8Array([0x89, 0x50, 0x4e, 0x47, 0, 1]), 'a')).toHaveProperty(
      'problem.message',
      expect.stringMatching(/binary/),
    )
    expect(decodeText(new Uint8Array([0x61, 0xff, 0x62]), 'a')).toHaveProperty(
      'problem.message',
      expect.stringMatching(/not UTF-8/),
    )
    expect(decodeText(new Uint8Array(90 * 1024 * 1024), 'a')).toHaveProperty(
      'problem.message',
      expect.stringMatching(/90\.0 MB; up to 64 MB/),
    )
  })

  it('keeps dates and versions as they are written', () => {
    const reading = readText({ text: 'd: 2026-01-01\nv: "1.0"\n', file: 'a' })
    expect(reading).toMatchObject({ value: { d: '2026-01-01', v: '1.0' } })
  })
})

const key = fc.oneof(
  fc.stringMatching(/^[a-zA-Z/{}$~-]{1,8}$/),
  fc.constantFrom('200', '/a/{id}', 'x: y', "it's", '"q"', '#c'),
)
const document = fc.letrec<{ value: unknown; node: unknown }>((tie) => ({
  value: fc.oneof(
    { maxDepth: 4 },
    fc.string({ maxLength: 12 }),
    fc.integer(),
    fc.boolean(),
    fc.constant(null),
    tie('node'),
  ),
  node: fc.oneof(
    fc.dictionary(key, tie('value'), { maxKeys: 5 }),
    fc.array(tie('value'), { maxLength: 4 }),
  ),
})).node

/** Where the YAML library of another author sees the keys and items. */
function placesOf(text: string): Map<string, number> {
  const places = new Map<string, number>()
  const visit = (node: Node | null, at: string) => {
    if (isMap(node)) {
      for (const pair of node.items) {
        if (!isPair(pair) || !isScalar(pair.key)) continue
        const here = pointerTo(at, String(pair.key.value))
        places.set(here, pair.key.range![0])
        visit(pair.value as Node | null, here)
      }
    } else if (isSeq(node)) {
      node.items.forEach((item, index) => {
        const here = pointerTo(at, index)
        places.set(here, (item as Node).range![0])
        visit(item as Node, here)
      })
    }
  }
  visit(parseDocument(text).contents, '')
  return places
}

describe('positions', () => {
  it('are where another YAML reader sees the same keys', () => {
    fc.assert(
      fc.property(document, fc.boolean(), (value, flow) => {
        const text = stringify(value, {
          collectionStyle: flow ? 'flow' : 'block',
          lineWidth: 0,
          aliasDuplicateObjects: false,
        })
        const expected = placesOf(text)
        const lines = text.split('\n')
        const found = locate(text, 'yaml', expected.keys())
        for (const [pointer, offset] of expected) {
          const { line, column } = found.get(pointer)!
          const at = lines.slice(0, line - 1).reduce((sum, l) => sum + l.length + 1, 0) + column - 1
          expect([pointer, at]).toEqual([pointer, offset])
        }
      }),
      { numRuns: 150 },
    )
  })

  it('lead back to the value in JSON', () => {
    fc.assert(
      fc.property(document, fc.constantFrom(0, 2), (value, indent) => {
        const text = JSON.stringify(value, null, indent)
        const lines = text.split('\n')
        for (const [pointer, { line, column }] of locate(text, 'json', pointersOf(value))) {
          const rest = [lines[line - 1]!.slice(column - 1), ...lines.slice(line)].join('\n')
          const target = JSON.stringify(valueAt(value, pointer), null, indent)
          const name = pointer
            .slice(pointer.lastIndexOf('/') + 1)
            .replaceAll('~1', '/')
            .replaceAll('~0', '~')
          const shown = target.split('\n')[0]!
          expect(rest.startsWith(shown) || rest.startsWith(JSON.stringify(name))).toBe(true)
        }
      }),
      { numRuns: 150 },
    )
  })

  it('of what is not there are those of the nearest part that is', () => {
    const text = 'info:\n  contact:\n    name: Field\npaths: {}\n'
    expect(
      locate(text, 'yaml', ['/info/contact/email', '/servers']).get('/info/contact/email'),
    ).toEqual({ line: 2, column: 3 })
    expect(locate(text, 'yaml', ['/servers']).get('/servers')).toEqual({ line: 1, column: 1 })
  })

  it('go on into JSON that stands in a literal block', () => {
    const text = [
      'schemas:',
      '  - Valve: |',
      '',
      '      {',
      '        "properties": {',
      '          "turns": { "type": "integer" }',
      '        }',
      '      }',
      '  - Other: >',
      '      { "a": 1 }',
    ].join('\n')
    const below = '/schemas/0/Valve/properties/turns'
    const found = locate(text, 'yaml', [
      below,
      `${below}/type`,
      `${below}/none`,
      '/schemas/1/Other/a',
    ])
    expect(found.get(below)).toEqual({ line: 6, column: 11 })
    expect(found.get(`${below}/type`)).toEqual({ line: 6, column: 22 })
    expect(found.get(`${below}/none`)).toEqual({ line: 6, column: 11 })
    expect(found.get('/schemas/1/Other/a')).toMatchObject({ line: 9 })
  })

  it('follow aliases and merge keys to where the part is written', () => {
    const text = 'base: &b\n  x: 1\na: *b\nc:\n  <<: *b\n  y: 2\n'
    const found = locate(text, 'yaml', ['/a/x', '/c/x', '/c/y'])
    expect([...found.values()].map(({ line }) => line)).toEqual([2, 2, 6])
  })
})
