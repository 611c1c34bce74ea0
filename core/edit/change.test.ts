import fc from 'fast-check'
import yaml from 'js-yaml'
import { describe, expect, it } from 'vitest'
import { valueAt, pointerTo } from '../text/pointer'
import { loadYaml } from '../text/yaml'
import { applyChanges, EditFault, type Change } from './change'

const block = `# head
info:
  title: "Hydrants" # said
  contact:
    email: 'a@b.example'
    url: https://b.example
tags:
  - name: A
    description: One.
  - name: B
empty:
flow: { a: 1, b: [x, y] }
text: |
  several
  lines
last: yes
`
const json = `{
  "info": {
    "title": "Hydrants"
  },
  "tags": [{ "name": "A" }],
  "empty": {}
}
`
const change = (text: string, ...changes: Change[]) => applyChanges(text, 'yaml', changes)
const set = (at: string, value: unknown): Change => ({ kind: 'set', at, value })
const remove = (at: string): Change => ({ kind: 'remove', at })
const rename = (at: string, to: string): Change => ({ kind: 'rename', at, to })

describe('changing YAML whose parts are used by name', () => {
  const shared = `first:
  limits: &limits
    most: 10
    least: 1
second:
  limits: *limits
third: { limits: *limits }
list:
  - &name Hydrant
  - *name
`
  const meaning = (text: string) => loadYaml(text) as Record<string, unknown>

  it.each([
    ['replaced', set('/first/limits', { most: 5 })],
    ['taken away', remove('/first/limits')],
    ['taken away with what is around it', remove('/first')],
    ['an item', remove('/list/0')],
  ])('keeps what others mean when the named part is %s', (_what, asked) => {
    const changed = meaning(change(shared, asked))
    expect(changed['second']).toEqual({ limits: { most: 10, least: 1 } })
    expect(changed['third']).toEqual({ limits: { most: 10, least: 1 } })
    expect((changed['list'] as unknown[]).at(-1)).toBe('Hydrant')
  })

  it('hands the name on, so that the rest is written once', () => {
    const changed = change(shared, remove('/first'))
    expect(changed).toContain('second:\n  limits: &limits\n    most: 10\n    least: 1\n')
    expect(changed).toContain('third: { limits: *limits }')
  })

  it('changes inside of a named part count for all that use it', () => {
    const changed = meaning(
      change(shared, set('/first/limits/most', 7), remove('/first/limits/least')),
    )
    expect(changed['second']).toEqual({ limits: { most: 7 } })
  })
})

describe('changing YAML', () => {
  it.each([
    [set('/info/title', 'Valves'), 'title: "Hydrants" # said', 'title: "Valves" # said'],
    [set('/info/contact/email', "o'b@b.example"), "'a@b.example'", "'o''b@b.example'"],
    [set('/info/contact/url', 'yes'), 'url: https://b.example', "url: 'yes'"],
    [
      set('/info/version', '1.0'),
      'url: https://b.example\n',
      "url: https://b.example\n  version: '1.0'\n",
    ],
    [
      set('/info/license/name', 'MIT'),
      'url: https://b.example\n',
      'url: https://b.example\n  license:\n    name: MIT\n',
    ],
    [set('/tags/1/description', 'Two.'), '  - name: B\n', '  - name: B\n    description: Two.\n'],
    [set('/empty/a', 1), 'empty:\n', 'empty:\n  a: 1\n'],
    [set('/flow/c', 'z'), 'b: [x, y] }', 'b: [x, y], c: z }'],
    [set('/text', 'one'), 'text: |\n  several\n  lines\n', "text: 'one'\n"],
    [set('/new/deep', { a: [1] }), 'last: yes\n', 'last: yes\nnew:\n  deep:\n    a:\n      - 1\n'],
    [remove('/info/contact/email'), "    email: 'a@b.example'\n", ''],
    [
      remove('/info/contact'),
      "  contact:\n    email: 'a@b.example'\n    url: https://b.example\n",
      '',
    ],
    [remove('/tags/0/name'), '- name: A\n    description', '- description'],
    [remove('/tags/0'), '  - name: A\n    description: One.\n', ''],
    [remove('/flow/a'), '{ a: 1, b', '{ b'],
    [remove('/flow/b'), ', b: [x, y] }', ' }'],
    [remove('/text'), 'text: |\n  several\n  lines\n', ''],
    [rename('/info/contact', 'who'), '  contact:', '  who:'],
  ])('%j touches nothing else', (asked, from, to) => {
    expect(block).toContain(from)
    expect(change(block, asked)).toBe(block.replace(from, to))
  })

  it('does several at once, and keeps line ends', () => {
    const dos = block.replaceAll('\n', '\r\n')
    const changed = change(
      dos,
      set('/info/version', '1'),
      set('/info/summary', 'Where'),
      remove('/last'),
    )
    expect(changed).toBe(
      block
        .replace(
          'url: https://b.example\n',
          "url: https://b.example\n  version: '1'\n  summary: Where\n",
        )
        .replace('last: yes\n', '')
        .replaceAll('\n', '\r\n'),
    )
  })

  it('does not write through an alias', () => {
    expect(() => change('a: &x { n: 1 }\nb: *x\n', set('/b/n', 2))).toThrow(EditFault)
  })

  it('leaves what it is not asked about, whatever is changed', () => {
    const name = fc.stringMatching(/^[a-zA-Z][a-zA-Z0-9 _-]{0,8}$/)
    const leaf = fc.oneof(
      fc.string({ maxLength: 12 }),
      fc.integer(),
      fc.boolean(),
      fc.constant(null),
    )
    const value = fc.letrec((tie) => ({
      node: fc.oneof(
        { depthSize: 'small' },
        leaf,
        fc.dictionary(name, tie('node'), { maxKeys: 3 }),
        fc.array(tie('node'), { maxLength: 3 }),
      ),
    })).node
    const document = fc.dictionary(name, value, { minKeys: 1, maxKeys: 4 })
    fc.assert(
      fc.property(
        document,
        name,
        value,
        fc.constantFrom('block', 'flow', 'json'),
        (before, key, added, style) => {
          const text =
            style === 'json'
              ? JSON.stringify(before, null, 2)
              : style === 'flow'
                ? JSON.stringify(before)
                : yaml.dump(before, { noRefs: true })
          const syntax = style === 'json' ? 'json' : 'yaml'
          const read = (changed: string) =>
            style === 'json' ? (JSON.parse(changed) as unknown) : loadYaml(changed)
          const at = pointerTo('', key)
          const withIt = applyChanges(text, syntax, [{ kind: 'set', at, value: added }])
          expect(read(withIt)).toEqual(read(JSON.stringify({ ...before, [key]: added })))
          const without = applyChanges(withIt, syntax, [{ kind: 'remove', at }])
          const rest = Object.fromEntries(Object.entries(before).filter(([other]) => other !== key))
          expect(read(without)).toEqual(read(JSON.stringify(rest)))
          expect(valueAt(read(without), at)).toBeUndefined()
        },
      ),
      { numRuns: 150 },
    )
  })
})

describe('changing JSON', () => {
  const changeJson = (...changes: Change[]) => applyChanges(json, 'json', changes)
  it.each([
    [set('/info/title', 'Valves'), '"Hydrants"', '"Valves"'],
    [set('/info/version', '1.0'), '"Hydrants"\n', '"Hydrants",\n    "version": "1.0"\n'],
    [set('/empty/a', [1]), '"empty": {}', '"empty": {\n    "a": [\n      1\n    ]\n  }'],
    [set('/tags/0/description', 'One'), '{ "name": "A" }', '{ "name": "A", "description": "One" }'],
    [remove('/tags'), '  "tags": [{ "name": "A" }],\n', ''],
    [rename('/info/title', 'name'), '"title"', '"name"'],
  ])('%j touches nothing else', (asked, from, to) => {
    expect(json).toContain(from)
    expect(changeJson(asked)).toBe(json.replace(from, to))
  })
})

describe('changing XML', () => {
  const xml = '<a>\n  <b name="x" kind=\'y\'>\n    <b/>\n  </b>\n  <b name="z"/>\n</a>\n'
  const changeXml = (...changes: Change[]) => applyChanges(xml, 'xml', changes)
  it.each([
    [rename('/a/b[2]', 'q"'), 'name="z"', 'name="q&quot;"'],
    [set('/a/b[1]/@kind', 'n'), "kind='y'", "kind='n'"],
    [set('/a/b[2]/@kind', 'n'), '<b name="z"/>', '<b kind="n" name="z"/>'],
    [remove('/a/b[1]/@kind'), " kind='y'", ''],
    [remove('/a/b[2]'), '  <b name="z"/>\n', ''],
    [remove('/a/b[1]'), '  <b name="x" kind=\'y\'>\n    <b/>\n  </b>\n', ''],
  ])('%j touches nothing else', (asked, from, to) => {
    expect(xml).toContain(from)
    expect(changeXml(asked)).toBe(xml.replace(from, to))
  })
})

it('writes versions without quotes, and quotes what would be read as a number', () => {
  const set = (value: string) =>
    applyChanges('info:\n  version: 1.0.0 # kept\n', 'yaml', [
      { kind: 'set', at: '/info/version', value },
    ])
  expect(set('2.5.1')).toBe('info:\n  version: 2.5.1 # kept\n')
  expect(set('2.5.1-rc.1')).toBe('info:\n  version: 2.5.1-rc.1 # kept\n')
  expect(set('2.5')).toBe("info:\n  version: '2.5' # kept\n")
})
