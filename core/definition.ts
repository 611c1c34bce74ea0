import type { SecurityRequirement } from './contract/model'
import type { DefinedScheme } from './runtime/security'
import type { Operation } from './contract/model'
import { factsOf, type ContractFacts } from './contract/facts'
import { formatLabel, operationName, type Contact, type Contract } from './contract/model'
import { searchEntries, type SearchEntry } from './contract/search'
import { readDefinition } from './formats/read'
import type { SoapMatch } from './runtime/soap'
import { namedBackends, type NamedBackend } from './runtime/named-backends'
import type { Before } from './rules/before'
import { check, type CheckOptions, type Reach, type RuleFault } from './rules/engine'
import { estatePart, type EstatePart } from './rules/estate'
import { atVersion, type ApiFacts, type Edition, type Finding, type Level } from './rules/model'
import type { Diagnostic } from './text/diagnostic'
import type { Beside, Documents } from './text/documents'
import type { SourceText, Syntax } from './text/read'

/** An operation as the register lists it; `line` is where it is written. */
export interface OperationEntry {
  name: string
  file: string
  method: string
  path: string
  id?: string
  summary?: string
  tags: string[]
  deprecated: boolean
  /** What a SOAP client calls: its method and path are of our making. */
  soap?: SoapName
  /** Alternatives of credentials; absent where it asks for none. */
  security?: SecurityRequirement[]
  /** How it is called, by each binding of SOAP; absent where by none. */
  calls?: SoapMatch[]
  /** The backend that the definition names for it. */
  backend?: string
  line: number
}

/** An operation of a port type, as SOAP has it. */
export interface SoapName {
  portType: string
  operation: string
  action: string
}

function soapNameOf({ soap, id = '' }: Operation): { soap?: SoapName } {
  const [first] = soap ?? []
  if (!first) return {}
  return { soap: { portType: first.portType, operation: id, action: first.action ?? '' } }
}

/** A named part and where it is written. */
export interface PartEntry {
  name: string
  file: string
  line: number
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
  schemas: PartEntry[]
  webhooks: PartEntry[]
  /** How clients show who they are. */
  schemes: DefinedScheme[]
  /** Backends that it names; absent where it names none. */
  backends?: NamedBackend[]
  /** Every file that was read, the main one first. */
  files: string[]
  facts: ContractFacts
  /** Departures from its specification, however small. */
  diagnostics: number
}

/** One operation, webhook or named schema in full, as the contract has it. */
export interface DerivedPart {
  kind: 'operation' | 'webhook' | 'schema'
  name: string
  detail: unknown
}

/** What the register derives from a definition to show and find it; it can be made again at any time. */
export interface Derived {
  parts: DerivedPart[]
  estate: Omit<EstatePart, 'api'>
  entries: (SearchEntry & { file: string; line: number })[]
}

export type Examination =
  | {
      readable: true
      summary: DefinitionSummary
      findings: Finding[]
      /** How far each rule reached, and which could not be applied. */
      reach: Reach[]
      faults: RuleFault[]
      diagnostics: Diagnostic[]
      /** Files it refers to that are not there. */
      missing: string[]
      derived?: Derived
    }
  | { readable: false; diagnostics: Diagnostic[] }

/** How many findings of each level. */
export type LevelCounts = Record<Lowercase<Level>, number>

export function countLevels(findings: Pick<Finding, 'level'>[]): LevelCounts {
  const counts: LevelCounts = { must: 0, should: 0, may: 0 }
  for (const { level } of findings) counts[level.toLowerCase() as Lowercase<Level>]++
  return counts
}

/** What is known from outside of a definition when it is checked. */
export interface Known extends Pick<CheckOptions, 'estate' | 'isWord'> {
  facts: ApiFacts
  /** The version before another one. */
  before?: (version: string) => Before | undefined
}

/** Reads, summarises and checks one definition: everything that saving a revision needs to know. */
export function examine(
  source: SourceText,
  edition: Edition,
  { facts, before, ...known }: Known,
  beside?: Beside,
  { derives = false } = {},
): Examination {
  const reading = readDefinition(source, beside)
  if (!reading.readable) return reading
  const { contract, documents, diagnostics } = reading
  const circumstances = atVersion(facts, contract.version)
  const checked = check(documents, contract, edition, circumstances, {
    ...known,
    before: before?.(contract.version),
    diagnostics,
  })
  const summary = summarise(documents, contract, diagnostics.length)
  const missing = [...documents.missing]
  const examination = { readable: true as const, summary, ...checked, diagnostics, missing }
  return derives ? { ...examination, derived: derive(documents, contract) } : examination
}

function derive(documents: Documents, contract: Contract): Derived {
  const found = searchEntries(contract)
  const places = documents.locate(found.map((entry) => entry.at))
  const part = (kind: DerivedPart['kind'], name: string, detail: unknown) => ({
    kind,
    name,
    detail,
  })
  return {
    parts: [
      ...contract.operations.map((operation) =>
        part('operation', operationName(operation), operation),
      ),
      ...contract.webhooks.map((hook) => part('webhook', hook.path, hook)),
      ...contract.schemas.map(({ name, schema }) => part('schema', name, schema)),
    ],
    estate: estatePart('', contract),
    entries: found.map((entry) => {
      const { file, line } = places.get(entry.at)!
      return { ...entry, file, line }
    }),
  }
}

const schemeEntry = ({
  name,
  type,
  in: where,
  parameterName,
  scheme,
  openIdConnectUrl,
}: DefinedScheme): DefinedScheme => ({
  name,
  type,
  ...(where !== undefined && { in: where }),
  ...(parameterName !== undefined && { parameterName }),
  ...(scheme !== undefined && { scheme }),
  ...(openIdConnectUrl !== undefined && { openIdConnectUrl }),
})

/** What stands for a summary where none is given. */
const firstSentence = (text: string | undefined) => text && /^[^.\n]{1,160}/.exec(text)?.[0]

/** How an operation is called by SOAP: by its action, and by the first element of the body. */
function callsOf({ soap = [] }: Operation): { calls?: SoapMatch[] } {
  const calls = soap.flatMap(({ version, action, input }): SoapMatch[] => {
    const element = input && `{${input.namespace}}${input.name}`
    if (element === undefined && !action) return []
    return [{ version, ...(action && { action }), ...(element !== undefined && { element }) }]
  })
  return soap.length > 0 ? { calls } : {}
}

const backendEntry = (backend: string | undefined) => (backend === undefined ? {} : { backend })

function summarise(
  documents: Documents,
  contract: Contract,
  diagnostics: number,
): DefinitionSummary {
  const schemas = contract.schemas.filter((schema) => schema.declared)
  const parts = [...contract.operations, ...schemas, ...contract.webhooks]
  const places = documents.locate(parts.map((part) => part.at))
  const whereIs = ({ at }: { at: string }) => {
    const { file, line } = places.get(at)!
    return { file, line }
  }
  const { backends, of: backendOf } = namedBackends(contract)
  return {
    format: formatLabel(contract),
    syntax: documents.get()!.reading.syntax,
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
      summary: operation.summary ?? firstSentence(operation.description),
      tags: operation.tags,
      deprecated: operation.deprecated,
      ...soapNameOf(operation),
      ...(operation.security.length > 0 && { security: operation.security }),
      ...callsOf(operation),
      ...backendEntry(backendOf(operation)),
      ...whereIs(operation),
    })),
    schemas: schemas.map((schema) => ({ name: schema.name, ...whereIs(schema) })),
    webhooks: contract.webhooks.map((hook) => ({ name: hook.path, ...whereIs(hook) })),
    schemes: contract.securitySchemes.map(schemeEntry),
    ...(backends.length > 0 && { backends }),
    files: documents.files.map(({ file }) => file),
    facts: factsOf(contract),
    diagnostics,
  }
}
