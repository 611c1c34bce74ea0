import { looksLikeDefinition } from '../core/formats/detect'
import { readDefinition, type Reading } from '../core/formats/read'
import type { Diagnostic } from '../core/text/diagnostic'
import { decodeText } from '../core/text/read'
import { besideOf, bytesOf, nameOf, type Source } from './files'

export interface SourceTask {
  source: Source
  /** The folder the person named, below which files may refer to one another. */
  root?: string
}

type Readable = Extract<Reading, { readable: true }>

/** One definition of those that were named. Without a reading, it could not be read, and the problems say why. */
export interface Opened {
  file: string
  text: string
  diagnostics: Diagnostic[]
  reading?: Readable
}

/** Reads what a person named; undefined for a file of a folder that is no definition. */
export function open({ source, root }: SourceTask): Opened | undefined {
  const { archive, fault, named } = source
  const file = nameOf(source)
  if (fault !== undefined) {
    const unread = { severity: 'error' as const, message: fault, file, line: 1, column: 1 }
    return { file, text: '', diagnostics: [unread] }
  }
  const decoded = decodeText(bytesOf(source), file)
  if ('problem' in decoded) {
    return named ? { file, text: '', diagnostics: [decoded.problem] } : undefined
  }
  const { text } = decoded
  if (!named && !looksLikeDefinition(text)) return undefined
  const reading = readDefinition({ file: source.file, text }, besideOf(source, root))
  const diagnostics =
    archive === undefined
      ? reading.diagnostics
      : reading.diagnostics.map((problem) => ({ ...problem, file: `${archive}!${problem.file}` }))
  return { file, text, diagnostics, ...(reading.readable && { reading }) }
}
