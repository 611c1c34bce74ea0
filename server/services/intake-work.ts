import { eq } from 'drizzle-orm'
import type { DefinitionSummary, Examination } from '../../core/definition'
import { mayBeWhole } from '../../core/formats/detect'
import { isRemote } from '../../core/text/location'
import type { IntakeShown } from '../../shared/api/batches'
import { intakes, type StoredFile } from '../db/schema'
import type { FileBytes, FileSet } from '../jobs/analysis'
import type { Services } from './context'
import { Failure } from './failure'
import { bytesOf, loadFiles, storeBlob, storeFiles } from './files'
import { guardedFetch } from './guard'
import { gather } from './gathering'
import { findIntake, type IntakeRow } from './intakes'
import { factsOfNew } from './known'
import { announce } from './ledger'
import { currentEdition } from './rulebooks'
import { slugOf, titleOf } from './titles'

/** Files fetched for one definition. */
const mostFetched = 300

const endings = { yaml: 'yaml', json: 'json', xml: 'xml' }

/** The last part of where it came from, without anything a path could be made of, with the ending of its format. */
function fileName(source: string, { title, format, syntax }: DefinitionSummary): string {
  const last =
    source
      .split(/[?#]/)[0]!
      .split(/[/\\]/)
      .findLast((part) => part !== '') ?? ''
  const clean = last.replace(/[^\w.-]+/g, '-').replace(/^[.-]+/, '')
  if (mayBeWhole(clean)) return clean
  const [name = ''] = format.toLowerCase().split(' ')
  const ending = ['raml', 'wsdl', 'wadl'].includes(name) ? name : endings[syntax]
  const base = isRemote(source) ? clean.replace(/\.\w+$/, '') : slugOf(title)
  return `${base || slugOf(title)}.${ending}`
}

/** Files that came together, by name; a definition among them takes what it refers to from there. */
export type Together = ReadonlyMap<string, StoredFile>

/**
 * The worker's part: fetches where needed, reads and checks. Safe to run again after a worker died in the middle:
 * what is finished is left alone.
 */
export async function workIntake(
  services: Services,
  id: string,
  together: Together = new Map(),
): Promise<void> {
  const { db } = services
  const row = await findIntake(db, id)
  if (row.state !== 'waiting' && row.state !== 'reading') return
  await db
    .update(intakes)
    .set({ state: 'reading', attempts: row.attempts + 1 })
    .where(eq(intakes.id, id))
  await announce(db, 'intake')
  try {
    const { files, examination } = await readWhole(services, row, together)
    const stored = await storeFiles(db, files)
    const readable = examination.readable ? examination : undefined
    const kept = readable
      ? stored.filter(({ name }) => readable.summary.files.includes(name))
      : stored.slice(0, 1)
    await db
      .update(intakes)
      .set({
        state: readable ? 'ready' : 'unreadable',
        sha256: stored[0]!.sha256,
        bytes: stored.reduce((sum, file) => sum + file.bytes, 0),
        file: files[0].name,
        files: kept,
        diagnostics: examination.diagnostics,
        missing: readable?.missing ?? [],
        summary: readable?.summary ?? null,
        shown: shownOf(row.source, kept, examination),
      })
      .where(eq(intakes.id, id))
  } catch (error) {
    if (!(error instanceof Failure)) throw error
    await db.update(intakes).set(notRead(row.source, error.detail)).where(eq(intakes.id, id))
  }
  await announce(db, 'intake')
}

/** What an intake is that could not be read at all, and why. */
export function notRead(source: string, why: string) {
  const diagnostic = { severity: 'error' as const, message: why, file: source, line: 1, column: 1 }
  const diagnostics = [diagnostic]
  const shown = shownOf(source, [], { readable: false, diagnostics })
  return { state: 'unreadable' as const, diagnostics, shown }
}

function shownOf(source: string, files: StoredFile[], examination: Examination): IntakeShown {
  const { diagnostics } = examination
  const errors = diagnostics.filter(({ severity }) => severity === 'error')
  const [first] = errors.length > 0 ? errors : diagnostics
  const shown: IntakeShown = {
    files: files.length,
    errors: errors.length,
    warnings: diagnostics.length - errors.length,
  }
  if (first) shown.problem = `${first.file}:${first.line}:${first.column} ${first.message}`
  if (!examination.readable) return shown
  const { summary } = examination
  const { version, format, operations } = summary
  return {
    ...shown,
    title: titleOf(summary, source),
    version,
    format,
    operations: operations.length,
  }
}

/** Reads a definition, with what it refers to: from what came together with it, and from elsewhere as agreed. */
async function readWhole(
  services: Services,
  row: IntakeRow,
  together: Together,
): Promise<{ files: FileSet; examination: Examination }> {
  const { db, examiner } = services
  const facts = factsOfNew({ audience: 'partner', team: '' }, services.now())
  const edition = await currentEdition(db)
  const examine = async (files: FileSet) => ({
    files,
    examination: await examiner.examine(files, edition, { facts }),
  })
  const first = row.files.length > 0 ? undefined : await mainFile(services, row)
  let read = await examine(
    first ? [{ name: row.source, bytes: first }] : await loadFiles(db, row.files),
  )
  // What cannot be read is spoken of by the name it came with.
  if (first && read.examination.readable) {
    const name = fileName(row.source, read.examination.summary)
    if (name !== row.source) read = await examine([{ name, bytes: first }])
  }
  if (!read.examination.readable) return read
  const find = finder(services, row, together)
  const files = await gather(examiner, read.files, read.examination.missing, find)
  return files.length > read.files.length ? examine(files) : read
}

/** Finds files among those that came together, and the others at the addresses that they may be fetched from. */
function finder(services: Services, row: IntakeRow, together: Together) {
  let fetched = 0
  return async (names: string[]): Promise<FileBytes[]> => {
    const near = names.flatMap((name) => together.get(name) ?? [])
    const found: FileBytes[] = near.length > 0 ? await loadFiles(services.db, near) : []
    for (const name of names) {
      const url = together.has(name) ? undefined : addressOf(name, row)
      if (url === undefined || fetched++ >= mostFetched) continue
      const bytes = await fetchQuietly(services, url)
      if (bytes) found.push({ name, bytes })
    }
    return found
  }
}

async function mainFile({ db, allowedTargets }: Services, row: IntakeRow): Promise<Uint8Array> {
  if (row.sha256) return bytesOf(db, row.sha256)
  const { bytes } = await guardedFetch(row.address!, allowedTargets)
  await db
    .update(intakes)
    .set({ sha256: await storeBlob(db, bytes), bytes: bytes.byteLength })
    .where(eq(intakes.id, row.id))
  return bytes
}

/** A file that cannot be fetched stays missing, which the reading says with its place. */
async function fetchQuietly({ allowedTargets }: Services, url: string) {
  try {
    return (await guardedFetch(url, allowedTargets)).bytes
  } catch (error) {
    if (error instanceof Failure) return undefined
    throw error
  }
}

/** The address of a missing file, where it may be fetched: beside the main one, or anywhere once that is agreed. */
function addressOf(name: string, { address, agreed }: IntakeRow): string | undefined {
  const url = isRemote(name) ? URL.parse(name) : address === null ? null : URL.parse(name, address)
  if (!url) return undefined
  const besideIt = address !== null && URL.parse(address)?.origin === url.origin
  return agreed || besideIt ? url.href : undefined
}
