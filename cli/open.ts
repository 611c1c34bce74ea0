import { looksLikeDefinition } from '../core/formats/detect'
import { readDefinition, type Reading } from '../core/formats/read'
import type { Problem } from '../core/text/problem'
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
  problems: Problem[]
  reading?: Readable
}

/** Reads what a person named; undefined for a file of a folder that is no definition. */
export function open({ source, root }: SourceTask): Opened | undefined {
  const { archive, fault, named } = source
  const file = nameOf(source)
  if (fault !== undefined) {
    const problem = { level: 'error' as const, message: fault, file, line: 1, column: 1 }
    return { file, text: '', problems: [problem] }
  }
  const decoded = decodeText(bytesOf(source), file)
  if ('problem' in decoded) {
    return named ? { file, text: '', problems: [decoded.problem] } : undefined
  }
  const { text } = decoded
  if (!named && !looksLikeDefinition(text)) return undefined
  const reading = readDefinition({ file: source.file, text }, besideOf(source, root))
  const problems =
    archive === undefined
      ? reading.problems
      : reading.problems.map((problem) => ({ ...problem, file: `${archive}!${problem.file}` }))
  return { file, text, problems, ...(reading.readable && { reading }) }
}
