import { readdirSync, readFileSync } from 'node:fs'
import fc from 'fast-check'
import yaml from 'js-yaml'
import { join } from 'node:path'
import { stringify } from 'yaml'
import { describe, expect, it } from 'vitest'
import { mutated, random } from '../../tests/support/mutations'
import { pointersOf } from '../../tests/support/pointers'
import { Lines } from './diagnostic'
import { loadYaml, locateInYaml } from './yaml'
import { nodesInBlocks, readBlocks } from './yaml-blocks'
import { loadAny, nodesOfAny, type TextNode } from './yaml-loader'
import { pointerTo, pointerTree } from './pointer'

/** What the loader of the whole language makes of a text; undefined where it refuses it. */
function loaded(text: string): unknown {
  try {
    return loadAny(text)
  } catch {
    return undefined
  }
}

/** The loader takes an item less indented for one of a list that ended with an empty item. */
const endsWithEmptyItem = /^\s*(- +)*-\s*(#.*)?$/m

const anything = fc.object({
  key: fc.oneof(
    fc.string({ maxLength: 9 }),
    fc.constantFrom('200', '0x1F', 'x: y', "it's", '"q"', '#c', '~', 'constructor', '/a/{id}', ''),
  ),
  values: [
    fc.string({ unit: 'grapheme', maxLength: 30 }),
    fc.stringMatching(/^[\sa-c:#'"\-|>]{0,20}$/),
    fc.constantFrom('1.0', '007', 'null', 'True', '2026-11-25', '.inf', '1_000', '...', '- a'),
    fc.double({ noNaN: true }),
    fc.integer(),
    fc.boolean(),
    fc.constant(null),
  ],
  maxDepth: 4,
})

const layouts = [
  (value: object) => yaml.dump(value, { noRefs: true }),
  (value: object) => yaml.dump(value, { noRefs: true, lineWidth: 20, noArrayIndent: true }),
  (value: object) => yaml.dump(value, { noRefs: true, indent: 4, flowLevel: 2, quotingType: '"' }),
  (value: object) => stringify(value, { aliasDuplicateObjects: false, lineWidth: 25 }),
  (value: object) => `# first\n---\n${stringify(value, { indentSeq: false, singleQuote: true })}`,
]

describe('YAML in blocks', () => {
  it('is read as the loader of the whole language reads it, in every layout', () => {
    let read = 0
    fc.assert(
      fc.property(anything, fc.constantFrom(...layouts), (value, write) => {
        const text = write(value)
        const ours = readBlocks(text)
        if (ours === undefined) return
        read++
        expect(ours).toEqual(loadAny(text))
      }),
      { numRuns: 600 },
    )
    expect(read).toBeGreaterThan(300)
  })

  it.each([
    ['a: one\n  two\n\n  three # c\nb:\n- x\n-\n  y: 1\n- - p\n  - q\n', 'lines that go on'],
    ['a: |\n\n   x\n    y\n\nb: >-\n  x\n  y\n\n    z\n  v\nc: |+\n  k\n\n', 'block scalars'],
    ["'a b' : 'it''s'\n\"c\" : \"x\\ty\"\nd: {e: [1, 'f']} # c\n", 'quotes and flow'],
    ['a: 1\nb: 0x1F\nc: .5\nd: -0\ne: 1e3\nf: ~\ng: Null\nh: No\ni: 2026-11-25\n', 'scalars'],
    ['1: a\n0x10: b\n~: c\ntrue: d\nnull_: e\n', 'names that are no texts'],
    ['a:\n  # only this\nb: #c\nc: x#y\nd: "#e"\n', 'comments'],
    ['---\n- - - a\n    - b\n- key: |2\n     two\n', 'lists in lists'],
  ])('reads %j: %s', (text) => {
    const ours = readBlocks(text)
    expect(ours).toBeDefined()
    expect(ours).toEqual(loadAny(text))
  })

  it.each([
    'a: 1\na: 2\n',
    'a: b: c\n',
    'a: "x" y\n',
    'a: &x 1\nb: *x\n',
    'a: !include b\n',
    '? a\n: b\n',
    'a:\n\t- b\n',
    'a: 1\n---\nb: 2\n',
    'a: [1\n',
    'a: 1\n   b: 2\n',
    'a: 1\r\nb: 2\r\n',
    '<<: {a: 1}\n',
    '"a\n b": 1\n',
    'just text\n',
    '',
  ])('gives %j back unread', (text) => {
    expect(readBlocks(text)).toBeUndefined()
  })

  const folder = 'demo/definitions'
  const texts = readdirSync(folder, { recursive: true, encoding: 'utf8' })
    .filter((name) => /\.(yaml|raml)$/.test(name))
    .map((name) => readFileSync(join(folder, name), 'utf8'))

  /** A few lines of one of the texts, moved to its left edge, and broken. */
  const brokenPart = (next: (below: number) => number): string => {
    const lines = texts[next(texts.length)]!.split('\n')
    const from = next(lines.length)
    const part = lines.slice(from, from + 2 + next(20))
    const indent = Math.min(...part.map((line) => line.search(/\S|$/)))
    return mutated(part.map((line) => line.slice(indent)).join('\n'), next)
  }
  const seeds = Number(process.env['ELM_FUZZ'] ?? 4000)

  it('never says something else of a broken text', () => {
    let read = 0
    for (let seed = 0; seed < seeds; seed++) {
      const text = brokenPart(random(seed))
      const ours = readBlocks(text)
      if (ours === undefined || endsWithEmptyItem.test(text)) continue
      read++
      expect({ seed, value: ours }).toEqual({ seed, value: loaded(text) })
    }
    expect(read).toBeGreaterThan(100)
  })

  it('knows the same places where it reads only what is wanted', () => {
    let compared = 0
    for (let seed = 0; seed < seeds; seed++) {
      const next = random(seed)
      const text = next(20) === 0 ? texts[next(texts.length)]! : brokenPart(next)
      const value = readBlocks(text)
      if (value === undefined) continue
      const pointers = [...pointersOf(value)]
      const some = Array.from({ length: 1 + next(4) }, () => pointers[next(pointers.length)]!)
      const found = locateInYaml(text, some, true)
      expect({ seed, found }).toEqual({ seed, found: locateInYaml(text, some) })
      compared += found.size
    }
    expect(compared).toBeGreaterThan(200)
  })

  it('reads and finds the same where lines end as on Windows', () => {
    for (const text of texts) {
      const windows = text.replaceAll('\n', '\r\n')
      expect(loadYaml(windows)).toEqual(loadYaml(text))
      const value = readBlocks(text)
      if (value === undefined) continue
      const pointers = [...pointersOf(value)]
      const [plain, moved] = [new Lines(text), new Lines(windows)]
      const found = locateInYaml(windows, pointers, true)
      for (const [pointer, offset] of locateInYaml(text, pointers, true)) {
        expect([pointer, moved.at(found.get(pointer)!)]).toEqual([pointer, plain.at(offset)])
      }
    }
  })

  it('knows the places that the loader tells of', () => {
    let compared = 0
    const compare = (ours: TextNode | undefined, theirs: TextNode, at: string) => {
      expect([at, ours?.start]).toEqual([at, theirs.start])
      for (const [name, member] of theirs.members ?? []) {
        const here = pointerTo(at, name)
        const known = ours!.members!.get(name)
        expect([here, known?.keyStart]).toEqual([here, member.keyStart])
        if (member.value) compare(known!.value, member.value, here)
        compared++
      }
      theirs.items?.forEach((item, n) => compare(ours!.items![n], item!, pointerTo(at, n)))
    }
    for (const text of texts) {
      const value = readBlocks(text)
      if (value === undefined) continue
      compare(
        nodesInBlocks(text, pointerTree(pointersOf(value)), false),
        nodesOfAny(text).root!,
        '',
      )
    }
    expect(compared).toBeGreaterThan(5000)
  })
})
