import { readdirSync, readFileSync, statSync } from 'node:fs'
import { join } from 'node:path'
import { describe, expect, it } from 'vitest'
import { readDefinition, type Reading } from '../../formats/read'
import { besideIn } from '../../text/documents'
import { circumstancesOf, emptyEstate, subjectKinds } from '../model'
import { scopeOf, Subjects } from './collect'
import { Fact, typeLabel, type FactType } from './fact'

type Readable = Extract<Reading, { readable: true }>

const folder = 'demo/definitions'
const names = readdirSync(folder, { recursive: true, encoding: 'utf8' }).filter((name) =>
  statSync(join(folder, name)).isFile(),
)
const texts = new Map(names.map((name) => [name, readFileSync(join(folder, name), 'utf8')]))
const definitions = [...texts]
  .map(([file, text]) => [file, readDefinition({ file, text }, besideIn(texts))] as const)
  .filter((entry): entry is [string, Readable] => entry[1].readable)

const subjectsOf = ({ contract }: Readable) =>
  new Subjects(contract, {
    circumstances: circumstancesOf({ today: '2026-11-25' }),
    domain: 'brackenmere.example',
    words: [],
    estate: emptyEstate,
  })

/** Whether a value is what a field or a name is said to hold; a fact may be missing, and a number. */
function isOfType(value: unknown, type: FactType): boolean {
  if (type === 'value') return value !== undefined
  if (type === 'text') return typeof value === 'string'
  if (type === 'truth') return typeof value === 'boolean'
  if (type === 'number') return typeof value === 'number' || value === null
  if ('list' in type)
    return Array.isArray(value) && value.every((item) => isOfType(item, type.list))
  if (value === null) return true
  // What a webhook carries is seen as what an operation carries; both have the same fields.
  const names = type.fact === 'operation' ? ['operation', 'webhook'] : [type.fact]
  return value instanceof Fact && names.includes(value.shape.name)
}

describe.each(definitions)('the facts of %s', (_file, reading) => {
  it.each(subjectKinds)('about every %s are what the reference says of them', (kind) => {
    const subjects = subjectsOf(reading)
    subjects.each(kind, (fact) => {
      for (const [name, field] of Object.entries(fact.shape.fields)) {
        const value = field.read(fact)
        if (!isOfType(value, field.type))
          expect.fail(
            `${fact.key}: ${name} is ${JSON.stringify(value)}, not ${typeLabel(field.type)}`,
          )
      }
      return true
    })
  })

  it.each(['property', 'parameter', 'header', 'tag'] as const)(
    'about every %s lead to where its name is written',
    (kind) => {
      const { documents } = reading
      const facts: Fact[] = []
      subjectsOf(reading).each(kind, (fact) => facts.push(fact) > 0)
      const places = documents.locate(facts.map(({ at }) => at))
      for (const { at, own } of facts) {
        const { file, line, column } = places.get(at)!
        const { text } = documents.get(file)!
        const written = text
          .split('\n')
          .slice(line - 1)
          .join('\n')
          .slice(column - 1)
        const name = own.replace(/^\w+:/, '')
        // One of a list, or an element, names itself in one of its first members or attributes.
        const isListed = kind === 'parameter' || kind === 'tag' || /^[{<]/.test(written)
        const upTo = isListed ? 300 : name.length + 2
        // What stands between the tags of an element has no name of its own.
        const isBetween = name === 'value' && written.startsWith('<xs:complexType')
        if (!isBetween && !written.slice(0, upTo).includes(name))
          expect.fail(`${own} is not at ${file}:${line}:${column}: ${written.slice(0, 40)}`)
      }
    },
  )

  it('stand beside what a condition about them can name', () => {
    const subjects = subjectsOf(reading)
    for (const kind of subjectKinds) {
      const scope = Object.entries(scopeOf(kind))
      subjects.each(kind, (fact) => {
        const frame: unknown[] = []
        subjects.fill(frame, kind, fact)
        expect(frame.length).toBeGreaterThanOrEqual(scope.length)
        scope.forEach(([name, type], i) => {
          if (!isOfType(frame[i], type)) expect.fail(`${fact.key}: ${name} is not of its type`)
        })
        return true
      })
    }
  })

  it('keep their keys when they are asked for again', () => {
    const keys = (kind: (typeof subjectKinds)[number]) => {
      const found: string[] = []
      subjectsOf(reading).each(kind, (fact) => found.push(fact.key) > 0)
      return found
    }
    for (const kind of subjectKinds) expect(keys(kind)).toEqual(keys(kind))
  })
})
