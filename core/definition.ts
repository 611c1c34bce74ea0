import { mockAnswer, type MockAnswer } from './contract/samples'
import { operationName, type Contact, type Contract } from './contract/model'
import { readDefinition } from './formats/read'
import { check } from './rules/engine'
import type { Circumstances, Edition, Finding, Level } from './rules/model'
import type { Problem } from './text/problem'
import { locate, type SourceText, type Syntax } from './text/read'

/** An operation as the register lists it; `line` is where it is written. */
export interface OperationEntry {
  name: string
  method: string
  path: string
  id?: string
  summary?: string
  tags: string[]
  deprecated: boolean
  line: number
  mock: MockAnswer
}

/** What is kept of a definition beside its text, so that screens need not read the text again. */
export interface DefinitionSummary {
  format: string
  syntax: Syntax
  title: string
  version: string
  description?: string
  contact?: Contact
  servers: string[]
  tags: string[]
  operations: OperationEntry[]
  schemas: { name: string; line: number }[]
  webhooks: { name: string; line: number }[]
}

export type Examination =
  | { readable: true; summary: DefinitionSummary; findings: Finding[]; problems: Problem[] }
  | { readable: false; problems: Problem[] }

/** How many findings of each level. */
export type LevelCounts = Record<Lowercase<Level>, number>

export function countLevels(findings: Pick<Finding, 'level'>[]): LevelCounts {
  const counts: LevelCounts = { must: 0, should: 0, may: 0 }
  for (const { level } of findings) counts[level.toLowerCase() as Lowercase<Level>]++
  return counts
}

/** Reads, summarises and checks one text: everything that saving a revision needs to know. */
export function examine(
  source: SourceText,
  edition: Edition,
  circumstances: Circumstances,
): Examination {
  const reading = readDefinition(source)
  if (!reading.readable) return reading
  const { contract, syntax, problems } = reading
  const { findings } = check(source, syntax, contract, edition, circumstances)
  return { readable: true, summary: summarise(source, syntax, contract), findings, problems }
}

function summarise(source: SourceText, syntax: Syntax, contract: Contract): DefinitionSummary {
  const parts = [...contract.operations, ...contract.schemas, ...contract.webhooks]
  const places = locate(
    source.text,
    syntax,
    parts.map((part) => part.at),
  )
  const lineOf = ({ at }: { at: string }) => places.get(at)?.line ?? 1
  return {
    format: `${contract.format.name} ${contract.format.version.split('.').slice(0, 2).join('.')}`,
    syntax,
    title: contract.title,
    version: contract.version,
    description: contract.description,
    contact: contract.contact,
    servers: contract.servers.map((server) => server.url),
    tags: contract.tags.map((tag) => tag.name),
    operations: contract.operations.map((operation) => ({
      name: operationName(operation),
      method: operation.method.toUpperCase(),
      path: operation.path,
      id: operation.id,
      summary: operation.summary,
      tags: operation.tags,
      deprecated: operation.deprecated,
      line: lineOf(operation),
      mock: mockAnswer(contract, operation),
    })),
    schemas: contract.schemas.map((schema) => ({ name: schema.name, line: lineOf(schema) })),
    webhooks: contract.webhooks.map((hook) => ({ name: hook.path, line: lineOf(hook) })),
  }
}
