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
