import { looksLikeDefinition } from '../core/formats/detect'
import { readDefinition } from '../core/formats/read'
import type { Problem } from '../core/text/problem'
import { decodeText } from '../core/text/read'
import { besideOf, bytesOf, type Source } from './files'

/** What `inspect --json` prints for one definition. */
export interface Inspection {
  file: string
  format: string | null
  formatVersion: string | null
  title: string | null
  version: string | null
  operations: number
  schemas: number
  servers: number
  problems: Problem[]
  ms: number
}

export interface InspectionTask {
  source: Source
  /** The folder the person named, below which files may refer to one another. */
  root?: string
}

/** Reads one definition and counts its parts; undefined for a file of a folder that is no definition. */
export function inspect({ source, root }: InspectionTask): Inspection | undefined {
  const started = performance.now()
  const file = source.archive === undefined ? source.file : `${source.archive}!${source.file}`
  const nothing = {
    file,
    format: null,
    formatVersion: null,
    title: null,
    version: null,
    operations: 0,
    schemas: 0,
    servers: 0,
  }
  const elapsed = () => Math.round((performance.now() - started) * 10) / 10
  if (source.fault !== undefined) {
    const problem = { level: 'error' as const, message: source.fault, file, line: 1, column: 1 }
    return { ...nothing, problems: [problem], ms: elapsed() }
  }
  const decoded = decodeText(bytesOf(source), file)
  if ('problem' in decoded) {
    return source.named ? { ...nothing, problems: [decoded.problem], ms: elapsed() } : undefined
  }
  const { text } = decoded
  if (!source.named && !looksLikeDefinition(text)) return undefined
  const reading = readDefinition({ file: source.file, text }, besideOf(source, root))
  const problems =
    source.archive === undefined
      ? reading.problems
      : reading.problems.map((problem) => ({
          ...problem,
          file: `${source.archive}!${problem.file}`,
        }))
  if (!reading.readable) return { ...nothing, problems, ms: elapsed() }
  const { contract } = reading
  return {
    file,
    format: contract.format.name,
    formatVersion: contract.format.version,
    title: contract.title,
    version: contract.version,
    operations: contract.operations.length,
    schemas: contract.schemas.filter((schema) => schema.declared).length,
    servers: contract.servers.length,
    problems: problems.map(({ level, message, file: where, line, column }) => ({
      level,
      message,
      file: where,
      line,
      column,
    })),
    ms: elapsed(),
  }
}

/** One definition as lines for a person. */
export function describe(inspection: Inspection): string {
  const {
    file,
    format,
    formatVersion,
    title,
    version,
    operations,
    schemas,
    servers,
    problems,
    ms,
  } = inspection
  const counts = `${operations} operations, ${schemas} schemas, ${servers} servers`
  const head =
    format === null
      ? `${file}: not read, ${ms} ms`
      : `${file}: ${format} ${formatVersion ?? ''}, ${title ?? ''} ${version ?? ''}, ${counts}, ${ms} ms`
  const lines = problems.map(
    (problem) =>
      `  ${problem.file}:${problem.line}:${problem.column} ${problem.level}: ${problem.message}`,
  )
  return [head, ...lines].join('\n')
}
