import { describe, expect, it } from 'vitest'
import { compile } from './cel'
import { scopeOf, Subjects } from './facts/collect'
import { library } from './library'
import { newMeter } from './meter'
import { circumstancesOf, emptyEstate, subjectKinds, type SubjectKind } from './model'
import { estateOf, estatePart } from './estate'
import { readable } from '../../tests/support/reading'

const text = `openapi: 3.1.0
info: { title: Hydrants, version: 2.1.0 }
servers: [{ url: https://api.brackenmere.example/hydrants/v2/ }]
tags: [{ name: Valves }, { name: Valves }]
paths:
  /hydrants:
    get:
      operationId: listHydrants
      responses:
        200:
          description: All of them
          content:
            application/json:
              schema: { type: array, items: { $ref: '#/components/schemas/Hydrant' } }
components:
  schemas:
    Hydrant:
      allOf: [{ $ref: '#/components/schemas/Thing' }]
      type: object
      additionalProperties: false
      properties: { valve: { $ref: '#/components/schemas/Valve' } }
    Thing: { type: object, properties: { thingId: { type: string } } }
    Valve: { type: object, properties: { turns: { type: integer, examples: [three] } } }
`
const other = text.replace('turns: { type: integer', 'turns: { type: string')

const contractOf = (source: string) => readable(source).contract
const contract = contractOf(text)
const estate = estateOf([estatePart('valves', contractOf(other))], 'hydrants')
const known = new Set(['the', 'water', 'runs'])
const subjects = new Subjects(contract, {
  circumstances: circumstancesOf({ today: '2026-11-25' }),
  domain: 'brackenmere.example',
  words: ['Hydrant'],
  estate,
  isWord: (word) => known.has(word),
})

/** The answer for the first subject of a kind. */
function answer(expression: string, kind: SubjectKind = 'definition'): unknown {
  const { run } = compile(expression, scopeOf(kind))
  let found: unknown
  subjects.each(kind, (fact) => {
    const frame: unknown[] = []
    subjects.fill(frame, kind, fact)
    found = run(frame, newMeter(subjects.world))
    return false
  })
  return found
}

const calls: [name: string, expression: string, answers: unknown, kind?: SubjectKind][] = [
  ['size', 'size("abc") + size([1, 2])', 5],
  ['matches', '"meter-points".matches("^[a-z]+-points$")', true],
  ['startsWith', '"hydrants".startsWith("hyd")', true],
  ['endsWith', '"hydrants".endsWith("hyd")', false],
  ['contains', '"hydrants".contains("dra")', true],
  ['lower', 'lower("HYDRANT")', 'hydrant'],
  ['upper', 'upper("hydrant")', 'HYDRANT'],
  ['trim', 'trim("  a b  ")', 'a b'],
  ['split', 'split("a/b/c", "/")', ['a', 'b', 'c']],
  ['join', 'join(["a", "b"], ", ")', 'a, b'],
  ['replace', 'replace("a_b_c", "_", "-")', 'a-b-c'],
  ['words', 'words("readHydrant2")', ['read', 'hydrant', '2']],
  ['firstWord', 'firstWord("readHydrant")', 'read'],
  ['lastWord', 'lastWord("readHydrant")', 'hydrant'],
  ['isVerb', 'isVerb("read") && !isVerb("hydrant")', true],
  ['isPlural', 'isPlural("pumpingStations") && isPlural("zone-2") && !isPlural("pump")', true],
  ['isSingular', 'isSingular("Pump") && isSingular("Zone2") && !isSingular("Pumps")', true],
  ['plural', 'plural("main")', 'mains'],
  ['singular', 'singular("mains")', 'main'],
  ['isCamelCase', 'isCamelCase("flowRate") && !isCamelCase("FlowRate")', true],
  ['isPascalCase', 'isPascalCase("FlowRate") && !isPascalCase("flowRate")', true],
  ['isKebabCase', 'isKebabCase("flow-rate") && !isKebabCase("flow_rate")', true],
  ['isSnakeCase', 'isSnakeCase("flow_rate") && !isSnakeCase("flow-rate")', true],
  ['isUpperSnakeCase', 'isUpperSnakeCase("FLOW_RATE") && !isUpperSnakeCase("Flow_Rate")', true],
  ['isHeaderCase', 'isHeaderCase("Flow-Rate") && !isHeaderCase("flow-rate")', true],
  ['camelCase', 'camelCase("flow_rate")', 'flowRate'],
  ['pascalCase', 'pascalCase("flow rate")', 'FlowRate'],
  ['kebabCase', 'kebabCase("FlowRate")', 'flow-rate'],
  ['snakeCase', 'snakeCase("FlowRate")', 'flow_rate'],
  ['capitalised', 'capitalised("how it stands")', 'How it stands'],
  ['isSentence', 'isSentence("It runs.") && !isSentence("it runs")', true],
  ['isPlaceholder', 'isPlaceholder("tbd") && !isPlaceholder("To be drained")', true],
  ['misspelled', 'misspelled("The watr runs, the watr `xyz`; hydrant.")', ['watr']],
  ['isSemver', 'isSemver("1.2.3-rc.1") && !isSemver("1.2")', true],
  ['majorOf', 'majorOf("v12.3")', 12],
  ['schemeOf', 'schemeOf("HTTPS://a.example")', 'https'],
  ['hostOf', 'hostOf("https://a.example:8443/b")', 'a.example'],
  ['pathOf', 'pathOf("https://a.example/b/c?d=e")', '/b/c'],
  ['isAddress', 'isAddress("https://a.example/b") && !isAddress("a.example")', true],
  ['isEmail', 'isEmail("field@a.example") && !isEmail("field@a")', true],
  ['isDate', 'isDate("2026-02-28") && !isDate("2026-2-28")', true],
  ['isMediaType', 'isMediaType("text/csv; header=present") && !isMediaType("csv")', true],
  [
    'isMediaRange',
    'isMediaRange("*/*") && isMediaRange("text/*;q=1") && !isMediaRange("*/json")',
    true,
  ],
  ['counted', 'counted(["a"], "tag", "tags") + ", " + counted(2, "tag", "tags")', '1 tag, 2 tags'],
  ['mediaTypeIs', 'mediaTypeIs("application/hal+json", "application/*+json")', true],
  ['occurrences', 'occurrences(definition.tagNames, "Valves")', 2],
  ['duplicates', 'duplicates(definition.tagNames)', ['Valves']],
  ['isUnique', 'isUnique(definition.tagNames)', false],
  ['containsAll', 'containsAll(["a", "b"], ["b"]) && !containsAll(["a"], ["a", "b"])', true],
  ['containsAny', 'containsAny(["a", "b"], ["b", "c"]) && !containsAny(["a"], ["c"])', true],
  ['first', 'first(["a", "b"])', 'a'],
  [
    'hasProperty',
    'hasProperty(schema, "thingId") && !hasProperty(schema, "turns")',
    true,
    'schema',
  ],
  ['isList', 'isList(mediaType.schema)', true, 'mediaType'],
  ['isClosed', 'isClosed(schema)', true, 'schema'],
  ['reaches', 'reaches(mediaType.schema, "Valve")', true, 'mediaType'],
  ['fits', 'fits(example.value, example.schema)', false, 'example'],
  ['misfit', 'misfit("x", example.schema)', 'It is a string, and integer is asked for', 'example'],
  ['sharesBasePath', 'sharesBasePath(server)', ['valves'], 'server'],
  ['differsElsewhere', 'differsElsewhere(schema)', [], 'schema'],
]

describe('the library of functions', () => {
  it.each(calls)('%s: %s', (_name, expression, answers, kind) => {
    expect(answer(expression, kind)).toEqual(answers)
  })

  it('is tried out whole', () => {
    expect(calls.map(([name]) => name).sort()).toEqual(Object.keys(library).sort())
  })

  it('gives examples that can be written in a rule', () => {
    for (const [name, { example }] of Object.entries(library)) {
      const readable = subjectKinds.filter((kind) => {
        try {
          compile(example, scopeOf(kind))
          return true
        } catch {
          return false
        }
      })
      expect(readable, `${name}: ${example}`).not.toEqual([])
    }
  })

  it('sees a schema that another API has in another shape', () => {
    const { run } = compile('differsElsewhere(schema)', scopeOf('schema'))
    const found: Record<string, unknown> = {}
    subjects.each('schema', (fact) => {
      const frame: unknown[] = []
      subjects.fill(frame, 'schema', fact)
      found[fact.own] = run(frame, newMeter(subjects.world))
      return true
    })
    expect(found).toEqual({ Hydrant: [], Thing: [], Valve: ['valves'] })
  })

  it('remembers answers of one check only, and answers the same with or without', () => {
    const { run } = compile('isPlural(lower(text)) || text.matches("^X")', { text: 'text' })
    const meter = newMeter()
    const texts = ['Mains', 'Main', 'Xa', 'Mains', 'Main', 'Xa', 'x'.repeat(300), 'mains']
    const remembered = texts.map((item) => run([item], meter))
    expect(remembered).toEqual(texts.map((item) => run([item], newMeter())))
    expect(remembered).toEqual([true, false, true, true, false, true, false, true])
  })

  it('knows nothing of other APIs where there is no register', () => {
    const alone = new Subjects(contract, {
      circumstances: circumstancesOf({ today: '2026-11-25' }),
      domain: '',
      words: [],
      estate: emptyEstate,
    })
    const { run } = compile('sharesBasePath(server)', scopeOf('server'))
    alone.each('server', (fact) => {
      const frame: unknown[] = []
      alone.fill(frame, 'server', fact)
      expect(run(frame, newMeter(alone.world))).toEqual([])
      return true
    })
  })
})
