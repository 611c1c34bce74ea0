import { closeSync, openSync, readdirSync, readFileSync, readSync, statSync } from 'node:fs'
import { dirname, join, relative, resolve } from 'node:path'
import { archiveKind, ArchiveFault, readArchive, type ArchiveContent } from '../core/archive/read'
import { mayBeWhole } from '../core/formats/detect'
import type { Beside } from '../core/text/documents'
import { limits } from '../core/text/limits'
import { decodeText } from '../core/text/read'
import type { SourceTask } from './open'

/** A wrong use of the command line: says what, and ends with status 2. */
export class WrongUse extends Error {}

/** Whether there is a file of that name. */
export const isFile = (file: string): boolean =>
  statSync(file, { throwIfNoEntry: false })?.isFile() ?? false

/** One file to look at. Files in an archive are named `archive!name`. */
export interface Source {
  file: string
  /** Whether the person named this very file, so that it has to be a definition. */
  named: boolean
  archive?: string
  /** Why an archive cannot be looked into, or a file in it is not taken. */
  fault?: string
}

/** What a source is called in a report. */
export const nameOf = ({ file, archive }: Source) =>
  archive === undefined ? file : `${archive}!${file}`

/** Every file that the paths name: files themselves, folders with what is below, archives with what is inside. */
export function sourcesOf(paths: string[]): Source[] {
  return paths.flatMap((path): Source[] => {
    const stat = statSync(path, { throwIfNoEntry: false })
    if (!stat) throw new WrongUse(`There is no file or folder "${path}".`)
    if (stat.isDirectory()) return [...below(path)].map((file) => ({ file, named: false }))
    if (stat.size <= limits.allBytes * 4 && archiveKind(readStart(path))) {
      return archiveSources(path)
    }
    return [{ file: path, named: true }]
  })
}

/** What the paths name, each with the folder it was found in. */
export const tasksFor = (paths: string[]): SourceTask[] =>
  paths.flatMap((path) => {
    const root = statSync(path, { throwIfNoEntry: false })?.isDirectory() ? { root: path } : {}
    return sourcesOf([path]).map((source) => ({ source, ...root }))
  })

/** The beginning of a file, which tells archives from texts. */
function readStart(path: string): Uint8Array {
  const file = openSync(path, 'r')
  const start = new Uint8Array(512)
  try {
    return start.subarray(0, readSync(file, start))
  } finally {
    closeSync(file)
  }
}

function* below(folder: string): Generator<string> {
  const entries = readdirSync(folder, { withFileTypes: true }).sort((a, b) =>
    a.name < b.name ? -1 : 1,
  )
  for (const entry of entries) {
    if (entry.name.startsWith('.') || entry.name === 'node_modules') continue
    const path = join(folder, entry.name)
    if (entry.isDirectory()) yield* below(path)
    else if (entry.isFile() && mayBeWhole(entry.name)) yield path
  }
}

interface Archive extends Pick<ArchiveContent, 'leftOut'> {
  taken: Map<string, Uint8Array>
}

const archives = new Map<string, Archive>()

function archiveOf(path: string): Archive {
  let files = archives.get(path)
  if (!files) {
    const { entries, leftOut } = readArchive(readFileSync(path))
    files = { taken: new Map(entries.map(({ name, bytes }) => [name, bytes])), leftOut }
    archives.set(path, files)
  }
  return files
}

function archiveSources(path: string): Source[] {
  try {
    const { taken, leftOut } = archiveOf(path)
    return [
      ...[...taken.keys()].map((file) => ({ file, named: false, archive: path })),
      ...leftOut.map(({ name: file, why: fault }) => ({ file, named: true, archive: path, fault })),
    ].filter(({ file }) => mayBeWhole(file))
  } catch (error) {
    if (error instanceof ArchiveFault) return [{ file: path, named: true, fault: error.message }]
    throw error
  }
}

/** The bytes of a source. */
export function bytesOf({ file, archive }: Source): Uint8Array {
  if (archive === undefined) return readFileSync(file)
  return archiveOf(archive).taken.get(file) ?? new Uint8Array()
}

/**
 * The files beside a source. On disk, what lies below the working folder or the source's own folder may be read, so that
 * a definition cannot make the reader look anywhere else.
 */
export function besideOf({ file, archive }: Source, root = dirname(file)): Beside {
  const read = (name: string): Uint8Array | undefined => {
    if (archive !== undefined) return archiveOf(archive).taken.get(name)
    const inside = [process.cwd(), resolve(root)].some((folder) => {
      const way = relative(folder, resolve(name))
      return !way.startsWith('..') && way !== ''
    })
    const stat = inside ? statSync(name, { throwIfNoEntry: false }) : undefined
    return stat?.isFile() && stat.size <= limits.bytes ? readFileSync(name) : undefined
  }
  return (name) => {
    const bytes = read(name)
    if (!bytes) return undefined
    const decoded = decodeText(bytes, name)
    return 'text' in decoded ? decoded.text : undefined
  }
}
