import { scopeOf } from './facts/collect'
import { typeLabel } from './facts/fact'
import { shapes } from './facts/shapes'
import { library } from './library'
import { subjectKinds } from './model'

export interface ReferenceEntry {
  name: string
  type: string
  says: string
  example?: string
}

export interface ReferenceSection {
  name: string
  says: string
  /** What else a condition about it sees, where it is something a rule can be about. */
  beside?: string[]
  entries: ReferenceEntry[]
}

/** Everything that expressions of rules can ask, from the same tables that they are checked and run by. */
export function reference(): {
  subjects: ReferenceSection[]
  others: ReferenceSection[]
  functions: ReferenceEntry[]
} {
  const section = (name: string): ReferenceSection => {
    const { says, fields } = shapes.get(name)!
    return {
      name,
      says,
      entries: Object.entries(fields).map(([field, { type, says: words }]) => ({
        name: field,
        type: typeLabel(type),
        says: words,
      })),
    }
  }
  const subjects = subjectKinds.map((kind) => ({
    ...section(kind),
    beside: Object.keys(scopeOf(kind)).filter((name) => name !== kind),
  }))
  const known = new Set<string>(subjectKinds)
  return {
    subjects,
    others: [...shapes.keys()].filter((name) => !known.has(name)).map(section),
    functions: Object.entries(library).map(([name, { takes, gives, says, example }]) => ({
      name: `${name}(${takes.join(', ')})`,
      type: gives === 'item' ? 'an item of the list' : typeLabel(gives),
      says,
      example,
    })),
  }
}

const cell = (text: string) => text.replaceAll('|', '\\|').replaceAll('\n', ' ')

function table(heads: string[], rows: string[][]): string[] {
  const line = (cells: string[]) => `| ${cells.map(cell).join(' | ')} |`
  return [line(heads), line(heads.map(() => '---')), ...rows.map(line), '']
}

function sectionPage({ name, says, beside, entries }: ReferenceSection): string[] {
  return [
    `### ${name}`,
    '',
    says,
    '',
    ...(beside ? [`Beside it: ${beside.map((other) => `\`${other}\``).join(', ')}.`, ''] : []),
    ...table(
      ['field', 'type', 'what it is'],
      entries.map((entry) => [`\`${entry.name}\``, entry.type, entry.says]),
    ),
  ]
}

/** The reference as a page of Markdown. */
export function referencePage(): string {
  const { subjects, others, functions } = reference()
  return [
    '# What conditions of rules can ask',
    '',
    'Printed by `elm-ledger rules reference` from the tables that expressions are checked and run by.',
    '',
    '## Subjects',
    '',
    ...subjects.flatMap(sectionPage),
    '## What subjects hold',
    '',
    ...others.flatMap(sectionPage),
    '## Functions',
    '',
    'Beside those of the Common Expression Language.',
    '',
    ...table(
      ['function', 'gives', 'what it is', 'example'],
      functions.map(({ name, type, says, example = '' }) => [
        `\`${name}\``,
        type,
        says,
        `\`${example}\``,
      ]),
    ),
  ].join('\n')
}
