import type { OperationDraft } from '../edit/draft'
import type { Pointer } from '../text/pointer'
import type { Syntax } from '../text/read'

/** A text of a reference, by where it stands and the key it has there. */
export interface Written {
  value: string
  at: Pointer
  key: string
}

/** A schema that gets another name, and whether the text that is looked at is its own file. */
export interface Renaming {
  pointer: Pointer
  name: string
  to: string
  sameFile: boolean
}

/** Where a format writes the parts of a contract, and how it names and refers to them. */
export interface Layout {
  /** Where the version of the API is written; absent where it has no one place. */
  version?: Pointer
  /** Whether parts are elements, and their members attributes. */
  isXml: boolean
  /** The steps from a subject to one of its parts, in the words of the format; none where it has none for it. */
  steps: (subject: string, part: string) => string[]
  /** The same where it is changed. */
  changedSteps: (subject: string, part: string) => string[]
  /** Where parts of a kind stand that others refer to; absent where it shares none. */
  shared: Partial<Record<string, Pointer>>
  /** Where a path stands; absent where paths have no place of their own. */
  path?: (path: string) => Pointer
  /** Whether the name of a type may stand for a whole declaration. */
  typeStandsAlone: boolean
  /** Whether a parameter is named by its key. */
  parametersAreKeys: boolean
  /** A text that refers to a schema as it is once that has another name; undefined where it refers to something else. */
  renamed: (written: Written, renaming: Renaming) => string | undefined
  /** Writes an operation into a text; absent where operations are no methods of paths. */
  insert?: (text: string, syntax: Syntax, draft: OperationDraft, modern: boolean) => string
}

/** What formats of XML have in common. */
export const xmlLayout: Layout = {
  isXml: true,
  steps: () => [],
  changedSteps: (_, part) => (part === '' ? [] : [`@${part}`]),
  shared: {},
  typeStandsAlone: false,
  parametersAreKeys: false,
  renamed: () => undefined,
}

export type PartNames = Partial<Record<string, Record<string, string>>>

/** Steps by a table of what parts are called; one that is not in it is called as in the contract. */
export function stepsBy(names: PartNames): Layout['steps'] {
  return (subject, part) => {
    if (part === '') return []
    const [first = '', ...rest] = part.split('.')
    const written = names[subject]?.[first] ?? first
    return written === '' ? [] : [...written.split('/'), ...rest]
  }
}

/** Parameters that carry what their schema says themselves. */
export const withoutSchema =
  (steps: Layout['steps']): Layout['steps'] =>
  (subject, part) =>
    steps(subject, subject === 'parameter' ? part.replace(/^schema\./, '') : part)
