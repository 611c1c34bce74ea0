import { createHash } from 'node:crypto'
import { asc, eq, inArray } from 'drizzle-orm'
import { archiveKind } from '../../core/archive/read'
import type { Queries } from '../db/database'
import { blobs, revisionFiles, type StoredFile } from '../db/schema'
import type { FileBytes, FileSet } from '../jobs/analysis'
import type { Examiner } from './context'
import { invalid, notFound } from './failure'

export const sha256 = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest('hex')

export async function bytesOf(db: Queries, hash: string): Promise<Buffer> {
  const [row] = await db.select({ bytes: blobs.bytes }).from(blobs).where(eq(blobs.sha256, hash))
  if (!row) throw notFound('text with this digest')
  return row.bytes
}

export async function storeBlob(db: Queries, bytes: Uint8Array): Promise<string> {
  const hash = sha256(bytes)
  await db
    .insert(blobs)
    .values({ sha256: hash, bytes: Buffer.from(bytes) })
    .onConflictDoNothing()
  return hash
}

/** Keeps files by their hashes. */
export async function storeFiles(db: Queries, files: readonly FileBytes[]): Promise<StoredFile[]> {
  const stored: StoredFile[] = []
  for (const { name, bytes } of files) {
    stored.push({ name, sha256: await storeBlob(db, bytes), bytes: bytes.byteLength })
  }
  return stored
}

/** The bytes of stored files, in their order. */
export async function loadFiles(db: Queries, stored: readonly StoredFile[]): Promise<FileSet> {
  const rows = await db
    .select()
    .from(blobs)
    .where(inArray(blobs.sha256, [...new Set(stored.map((file) => file.sha256))]))
  const bytes = new Map(rows.map((row) => [row.sha256, row.bytes]))
  const [main, ...others] = stored.map(({ name, sha256: hash }) => {
    const found = bytes.get(hash)
    if (!found) throw notFound('text with this digest')
    return { name, bytes: found }
  })
  if (!main) throw notFound('file')
  return [main, ...others]
}

/** The files of a revision, the main one first. */
export async function filesOf(db: Queries, revision: number): Promise<StoredFile[]> {
  return db
    .select({ name: revisionFiles.name, sha256: revisionFiles.sha256, bytes: revisionFiles.bytes })
    .from(revisionFiles)
    .where(eq(revisionFiles.revisionId, revision))
    .orderBy(asc(revisionFiles.position))
}

/** A body as files: a ZIP of all of them with the main one named, or the text of the main one alone. */
export async function filesIn(
  examiner: Examiner,
  bytes: Uint8Array,
  main: string,
): Promise<{ whole: boolean; files: FileSet }> {
  if (!archiveKind(bytes)) return { whole: false, files: [{ name: main, bytes }] }
  const unpacked = await examiner.unpack(bytes)
  if ('fault' in unpacked) throw invalid([{ field: 'archive', message: unpacked.fault }])
  const found = unpacked.entries.find(({ name }) => name === main)
  if (!found) {
    throw invalid([{ field: 'file', message: `The archive has no file called "${main}"` }])
  }
  return { whole: true, files: [found, ...unpacked.entries.filter((entry) => entry !== found)] }
}
