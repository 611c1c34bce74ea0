import type { Diagnostic } from '../core/text/diagnostic'
import { open, type SourceTask } from './open'

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
  problems: (Omit<Diagnostic, 'severity'> & { level: Diagnostic['severity'] })[]
  ms: number
}

/** Counts the parts of one definition; undefined for a file of a folder that is no definition. */
export function inspect(task: SourceTask): Inspection | undefined {
  const started = performance.now()
  const opened = open(task)
  if (!opened) return undefined
  const { file, diagnostics } = opened
  const contract = opened.reading?.contract
  return {
    file,
    format: contract?.format.name ?? null,
    formatVersion: contract?.format.version ?? null,
    title: contract?.title ?? null,
    version: contract?.version ?? null,
    operations: contract?.operations.length ?? 0,
    schemas: contract?.schemas.filter((schema) => schema.declared).length ?? 0,
    servers: contract?.servers.length ?? 0,
    problems: diagnostics.map(({ severity: level, message, file: where, line, column }) => ({
      level,
      message,
      file: where,
      line,
      column,
    })),
    ms: Math.round((performance.now() - started) * 10) / 10,
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
    ({ file: where, line, column, level, message }) =>
      `  ${where}:${line}:${column} ${level}: ${message}`,
  )
  return [head, ...lines].join('\n')
}
