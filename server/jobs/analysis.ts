import { archiveKind, ArchiveFault, readArchive } from '../../core/archive/read'
import { compareContracts, type Change } from '../../core/compare/contracts'
import type { Contract } from '../../core/contract/model'
import { examine, type Examination } from '../../core/definition'
import {
  bundle,
  ConversionFault,
  convert,
  placeLosses,
  type ConversionTarget,
  type PlacedLoss,
} from '../../core/formats/convert'
import { looksLikeDefinition } from '../../core/formats/detect'
import { readDefinition } from '../../core/formats/read'
import { estateOf, type EstatePart } from '../../core/rules/estate'
import type { ApiFacts, Edition } from '../../core/rules/model'
import { asksForWords } from '../../core/rules/spelling'
import type { Beside, Documents } from '../../core/text/documents'
import { decodeText, type SourceText } from '../../core/text/read'
import { dictionary } from './dictionary'

/** A file of a definition with its bytes. */
export interface FileBytes {
  name: string
  bytes: Uint8Array
}

/** The files of one definition, the main one first. */
export type FileSet = [FileBytes, ...FileBytes[]]

export interface ExamineTask {
  task: 'examine'
  files: FileSet
  edition: Edition
  facts: ApiFacts
  /** What the other APIs hold, where a rule asks for it. */
  estate: EstatePart[]
  /** Whether to derive what is shown and found, too. */
  derives: boolean
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
}

export interface CompareTask {
  task: 'compare'
  before: FileSet
  after: FileSet
}

export type Task = ExamineTask | UnpackTask | ConvertTask | CompareTask

/** The files of an archive, and which of them are definitions by themselves. */
export type Unpacked = { entries: FileBytes[]; mains: string[] } | { fault: string }

export type Conversion = { text: string; ending: string; losses: PlacedLoss[] } | { fault: string }

/** Does one task; what it returns can be passed between threads. */
export function analyse(task: Task): Examination | Unpacked | Conversion | Change[] {
  switch (task.task) {
    case 'examine':
      return examined(task)
    case 'unpack':
      return unpacked(task)
    case 'convert':
      return converted(task)
    case 'compare':
      return compared(task)
  }
}

function texts([main, ...others]: FileSet):
  { source: SourceText; beside: Beside } | { fault: Examination } {
  const decoded = decodeText(main.bytes, main.name)
  if ('problem' in decoded) return { fault: { readable: false, problems: [decoded.problem] } }
  const byName = new Map(others.map(({ name, bytes }) => [name, bytes]))
  const beside = (name: string) => {
    const bytes = byName.get(name)
    const text = bytes && decodeText(bytes, name)
    return text && 'text' in text ? text.text : undefined
  }
  return { source: { file: main.name, text: decoded.text }, beside }
}

function examined({ files, edition, facts, estate, derives }: ExamineTask): Examination {
  const read = texts(files)
  if ('fault' in read) return read.fault
  const known = {
    facts,
    estate: estateOf(estate, facts.api),
    ...(asksForWords(edition.rules) && { isWord: dictionary() }),
  }
  return examine(read.source, edition, known, read.beside, { derives })
}

function unpacked({ bytes }: UnpackTask): Unpacked {
  try {
    if (!archiveKind(bytes)) return { fault: 'This is neither a ZIP nor a TAR archive' }
    const entries = readArchive(bytes)
    const mains = entries.filter((entry) => {
      const decoded = decodeText(entry.bytes, entry.name)
      return 'text' in decoded && looksLikeDefinition(decoded.text)
    })
    return { entries, mains: mains.map(({ name }) => name) }
  } catch (error) {
    if (error instanceof ArchiveFault) return { fault: error.message }
    throw error
  }
}

function contractOf(files: FileSet): { contract: Contract; documents: Documents } | undefined {
  const read = texts(files)
  const reading = 'fault' in read ? undefined : readDefinition(read.source, read.beside)
  return reading?.readable ? reading : undefined
}

function converted({ files, to, dereference, syntax }: ConvertTask): Conversion {
  const reading = contractOf(files)
  if (!reading) return { fault: 'The text is not readable as a definition.' }
  const { contract, documents } = reading
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

function compared({ before, after }: CompareTask): Change[] {
  const [a, b] = [contractOf(before), contractOf(after)]
  return a && b ? compareContracts(a.contract, b.contract) : []
}
