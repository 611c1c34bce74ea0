import {
  archiveKind,
  ArchiveFault,
  readArchive,
  type ArchiveContent,
} from '../../core/archive/read'
import type { MessagePort } from 'node:worker_threads'
import { compareContracts } from '../../core/compare/contracts'
import type { Effect } from '../../core/compare/model'
import { byOperation, detailed, type DetailedChange } from '../../core/compare/report'
import { fittingVersion, type FittingVersion } from '../../core/compare/version'
import { examine, type Examination } from '../../core/definition'
import {
  bundle,
  ConversionFault,
  convert,
  placeLosses,
  type ConversionTarget,
  type PlacedLoss,
} from '../../core/formats/convert'
import { withBackends, type Routed } from '../../core/runtime/named-backends'
import { looksLikeDefinition, mayBeWhole } from '../../core/formats/detect'
import { readDefinition, type Reading } from '../../core/formats/read'
import { EditFault } from '../../core/edit/change'
import { fixDefinition, withVersion, type FixChoice } from '../../core/fix'
import type { Before } from '../../core/rules/before'
import { estateOf, namesIn, type EstatePart, type Names } from '../../core/rules/estate'
import { atVersion, type ApiFacts, type Edition } from '../../core/rules/model'
import { asksForWords } from '../../core/rules/spelling'
import type { Beside } from '../../core/text/documents'
import { keepable, mayBeUnkeepable } from '../../core/text/keepable'
import { decodeText, encodeLike, type SourceText } from '../../core/text/read'
import { dictionary } from './dictionary'

/** A file of a definition with its bytes. */
export interface FileBytes {
  name: string
  bytes: Uint8Array
}

/** The files of one definition, the main one first. */
export type FileSet = [FileBytes, ...FileBytes[]]

interface Checkable {
  files: FileSet
  edition: Edition
  facts: ApiFacts
  /** What the other APIs hold, where a rule asks for it. */
  estate: EstatePart[]
  /** Earlier texts, the newest first, where a rule asks for what changed: the first of another version counts. */
  earlier: Earlier[]
}

/** A text of an earlier version, and since when its operations are deprecated. */
export interface Earlier {
  files: FileSet
  version: string
  deprecatedSince: Record<string, string>
}

export interface ExamineTask extends Checkable {
  task: 'examine'
  /** Whether to derive what is shown and found, too. */
  derives: boolean
}

export interface NamesTask {
  task: 'names'
  files: FileSet
}

export interface UnpackTask {
  task: 'unpack'
  bytes: Uint8Array
}

export interface ConvertTask {
  task: 'convert'
  files: FileSet
  to: ConversionTarget | 'bundle'
  dereference: boolean
  syntax: 'yaml' | 'json' | undefined
  /** Whose backends are named in it. */
  routed?: Routed | undefined
}

export interface CompareTask {
  task: 'compare'
  before: FileSet
  after: FileSet
  /** Is told how far it has come. */
  progress?: MessagePort | undefined
}

export interface FixTask extends Checkable {
  task: 'fix'
  choice: FixChoice
  /** What the main text names as its version from then on. */
  version: string | undefined
}

export type Task = ExamineTask | NamesTask | UnpackTask | ConvertTask | CompareTask | FixTask

/** The names by which a definition is compared with others, and those of files that it wants and are not there. */
export interface Named extends Names {
  missing: string[]
}

/** The files of an archive, which of them are definitions by themselves, and which are not taken. */
export type Unpacked =
  { entries: FileBytes[]; mains: string[]; leftOut: ArchiveContent['leftOut'] } | { fault: string }

export type Conversion = { text: string; ending: string; losses: PlacedLoss[] } | { fault: string }

/** What a fix makes of the files it changes: their texts before and after, and the bytes to keep. */
export interface FixedFiles {
  places: number
  faults: string[]
  changed: { file: string; before: string; after: string; bytes: Uint8Array }[]
}

/** How many of a whole are done. */
export interface Progressed {
  done: number
  total: number
}

/** What changed between two definitions. */
export interface Comparison {
  versions: [before: string, after: string]
  counts: Record<Effect, number>
  /** Absent where the versions are no numbers that could fit. */
  fitting?: FittingVersion
  /** Operations and webhooks that were compared. */
  operations: number
  changes: DetailedChange[]
}

/** Does one task; what it returns can be passed between threads. */
export function analyse(
  task: Task,
):
  | Examination
  | Named
  | undefined
  | Unpacked
  | Conversion
  | Comparison
  | { fault: string }
  | FixedFiles {
  switch (task.task) {
    case 'examine':
      return examined(task)
    case 'names':
      return named(task)
    case 'unpack':
      return unpacked(task)
    case 'convert':
      return converted(task)
    case 'compare':
      return compared(task)
    case 'fix':
      return fixed(task)
  }
}

interface Texts {
  source: SourceText
  beside: Beside
  /** What is found in the texts that were read, as the database can keep it. */
  forKeeping: <T>(found: T) => T
}

function texts([main, ...others]: FileSet): Texts | { fault: Examination } {
  const decoded = decodeText(main.bytes, main.name)
  if ('problem' in decoded) return { fault: { readable: false, diagnostics: [decoded.problem] } }
  const byName = new Map(others.map(({ name, bytes }) => [name, bytes]))
  let isOdd = mayBeUnkeepable(decoded.text)
  const beside = (name: string) => {
    const bytes = byName.get(name)
    const text = bytes && decodeText(bytes, name)
    if (!text || !('text' in text)) return undefined
    isOdd ||= mayBeUnkeepable(text.text)
    return text.text
  }
  const forKeeping = <T>(found: T) => (isOdd ? keepable(found) : found)
  return { source: { file: main.name, text: decoded.text }, beside, forKeeping }
}

const knownTo = ({ edition, facts, estate, earlier }: Checkable) => ({
  facts,
  estate: estateOf(estate, facts.api),
  ...(asksForWords(edition.rules) && { isWord: dictionary() }),
  before: (version: string) => beforeOf(earlier, version),
})

/** The version before one, as rules ask what changed since; it is read when the first of them does. */
function beforeOf(earlier: Earlier[], version: string): Before | undefined {
  const found = earlier.find((one) => one.version !== version)
  if (!found) return undefined
  const { files, deprecatedSince } = found
  return {
    version: found.version,
    deprecatedSince,
    changesTo(after) {
      const reading = readingOf(files)
      return reading ? compareContracts(reading.contract, after) : []
    },
  }
}

function examined({ derives, ...task }: ExamineTask): Examination {
  const read = texts(task.files)
  if ('fault' in read) return read.fault
  const { source, beside, forKeeping } = read
  return forKeeping(examine(source, task.edition, knownTo(task), beside, { derives }))
}

function named({ files }: NamesTask): Named | undefined {
  const reading = readingOf(files)
  if (!reading) return undefined
  const { contract, documents, forKeeping } = reading
  return forKeeping({ ...namesIn(contract), missing: [...documents.missing] })
}

function fixed({ choice, version, ...task }: FixTask): FixedFiles {
  const nothing = { places: 0, changed: [] }
  const reading = readingOf(task.files)
  if (!reading) return { ...nothing, faults: ['The text is not readable as a definition'] }
  const { facts, before, ...known } = knownTo(task)
  const { version: named } = reading.contract
  const circumstances = atVersion(facts, named)
  const around = { ...known, circumstances, before: before(named) }
  const done = fixDefinition(reading, task.edition, around, choice)
  const after = new Map(done.texts.map(({ file, text }) => [file, text]))
  if (version !== undefined && after.size > 0) {
    const { file, text, reading: main } = reading.documents.get()!
    const { syntax } = main
    const { name } = reading.contract.format
    try {
      after.set(file, withVersion(after.get(file) ?? text, syntax, name, version))
    } catch (error) {
      if (!(error instanceof EditFault)) throw error
      return { ...nothing, faults: [error.message] }
    }
  }
  const changed: FixedFiles['changed'] = []
  for (const [file, text] of after) {
    const old = task.files.find(({ name }) => name === file)
    const bytes = old && encodeLike(text, old.bytes)
    if (!bytes) return { ...nothing, faults: [`${file} is not written in Unicode`] }
    changed.push({ file, before: reading.documents.text(file)!, after: text, bytes })
  }
  return { places: done.places, faults: done.faults, changed }
}

function unpacked({ bytes }: UnpackTask): Unpacked {
  try {
    if (!archiveKind(bytes)) return { fault: 'This is neither a ZIP nor a TAR archive' }
    const { entries, leftOut } = readArchive(bytes)
    const mains = entries.filter((entry) => {
      const decoded = decodeText(entry.bytes, entry.name)
      return 'text' in decoded && looksLikeDefinition(decoded.text)
    })
    return {
      entries,
      mains: mains.map(({ name }) => name),
      leftOut: leftOut.filter(({ name }) => mayBeWhole(name)),
    }
  } catch (error) {
    if (error instanceof ArchiveFault) return { fault: error.message }
    throw error
  }
}

type Read = Extract<Reading, { readable: true }> & Pick<Texts, 'forKeeping'>

export function readingOf(files: FileSet): Read | undefined {
  const read = texts(files)
  if ('fault' in read) return undefined
  const reading = readDefinition(read.source, read.beside)
  return reading.readable ? { ...reading, forKeeping: read.forKeeping } : undefined
}

function converted({ files, to, dereference, syntax, routed }: ConvertTask): Conversion {
  const reading = readingOf(files)
  if (!reading) return { fault: 'The text is not readable as a definition.' }
  const { documents } = reading
  const contract = routed ? withBackends(reading.contract, routed) : reading.contract
  try {
    const { text, ending, losses } =
      to === 'bundle' && !dereference
        ? bundle(contract, documents)
        : convert(
            contract,
            to === 'bundle' ? 'openapi-3.1' : to,
            dereference ? 'dereference' : 'bundle',
            syntax,
          )
    return { text, ending, losses: placeLosses(documents, losses) }
  } catch (error) {
    if (error instanceof ConversionFault) return { fault: error.message }
    throw error
  }
}

function compared({ before, after, progress }: CompareTask): Comparison | { fault: string } {
  const [old, now] = [readingOf(before), readingOf(after)]
  if (!old || !now) {
    const [{ name }] = old ? after : before
    return { fault: `${name} is not readable as a definition.` }
  }
  const found = compareContracts(old.contract, now.contract, (done, total) => {
    progress?.postMessage({ done, total } satisfies Progressed)
  })
  const changes = byOperation(detailed(found, old.documents, now.documents))
  const counts = { breaking: 0, risky: 0, safe: 0 }
  for (const { effect } of changes) counts[effect]++
  const versions: Comparison['versions'] = [old.contract.version, now.contract.version]
  const fitting = fittingVersion(...versions, found)
  return {
    versions,
    counts,
    ...(fitting && { fitting }),
    operations: now.contract.operations.length + now.contract.webhooks.length,
    changes: old.forKeeping(now.forKeeping(changes)),
  }
}
