import { and, eq, inArray, ne } from 'drizzle-orm'
import { comparisonMethod } from '../../core/compare/model'
import { insertMany } from '../db/bulk'
import type { Queries } from '../db/database'
import { comparisonChanges, comparisonResults, type StoredFile } from '../db/schema'
import type { Comparison, Progressed } from '../jobs/analysis'
import type { Services } from './context'
import { Failure } from './failure'
import { loadFiles, sha256 } from './files'
import { announce } from './ledger'

export type Result = typeof comparisonResults.$inferSelect

/** Texts up to this size together are compared while their sender waits. */
const smallBytes = 600_000

/** Changes name the files they are in, so files of other names are another result. */
const digestOfNamed = (files: readonly StoredFile[]) =>
  sha256(Buffer.from(JSON.stringify(files.map(({ name, sha256: hash }) => [name, hash]))))

const keyOf = (before: readonly StoredFile[], after: readonly StoredFile[]) => ({
  beforeDigest: digestOfNamed(before),
  afterDigest: digestOfNamed(after),
  method: comparisonMethod,
})

/** The result for two sets of files, where there is one. */
export async function findResult(
  db: Queries,
  before: readonly StoredFile[],
  after: readonly StoredFile[],
): Promise<Result | undefined> {
  const [row] = await db.select().from(comparisonResults).where(isOf(before, after))
  return row
}

function isOf(before: readonly StoredFile[], after: readonly StoredFile[]) {
  const { beforeDigest, afterDigest, method } = keyOf(before, after)
  return and(
    eq(comparisonResults.beforeDigest, beforeDigest),
    eq(comparisonResults.afterDigest, afterDigest),
    eq(comparisonResults.method, method),
  )
}

/**
 * The result for two sets of files: there already, worked out at once where they are small, or left to the workers. One
 * that failed, or of which nothing was heard for as long as a worker is given, is begun again.
 */
export async function resultFor(
  services: Services,
  before: StoredFile[],
  after: StoredFile[],
): Promise<Result> {
  const { db, now } = services
  const known = await findResult(db, before, after)
  if (known && !isToBegin(known, now())) {
    if (known.state === 'done')
      await db
        .update(comparisonResults)
        .set({ at: now() })
        .where(eq(comparisonResults.id, known.id))
    return known
  }
  const begun = { state: 'waiting' as const, trouble: '', at: now() }
  const [row] = await db
    .insert(comparisonResults)
    .values({ ...keyOf(before, after), beforeFiles: before, afterFiles: after, ...begun })
    .onConflictDoUpdate({
      target: [
        comparisonResults.beforeDigest,
        comparisonResults.afterDigest,
        comparisonResults.method,
      ],
      set: begun,
      // Somebody else may have ended it in the meantime.
      setWhere: ne(comparisonResults.state, 'done'),
    })
    .returning()
  if (row && isSmall(row)) await workComparison(services, row.id)
  else if (row) await services.queue.compare(row.id)
  return (await findResult(db, before, after))!
}

/** For how long a worker may be at it before it is begun again. */
const workingMs = 180_000

const isSmall = ({ beforeFiles, afterFiles }: Result) =>
  [...beforeFiles, ...afterFiles].reduce((sum, file) => sum + file.bytes, 0) <= smallBytes

/** Whether nobody works on a result that is not there: what is small is done by whoever asks, and no worker goes on with it. */
const isToBegin = (result: Result, now: Date) =>
  result.state === 'failed' ||
  (result.state !== 'done' && (isSmall(result) || now.getTime() - result.at.getTime() >= workingMs))

/** The worker's part; safe to repeat. */
export async function workComparison(services: Services, id: number): Promise<void> {
  const { db, examiner } = services
  // Somebody else may have ended it in the meantime: what is done stays done.
  const [row] = await db
    .update(comparisonResults)
    .set({ state: 'running' })
    .where(unfinished(id))
    .returning()
  if (!row) return
  try {
    const [before, after] = [
      await loadFiles(db, row.beforeFiles),
      await loadFiles(db, row.afterFiles),
    ]
    const compared = await examiner.compare(before, after, telling(services, id))
    if ('fault' in compared) await fail(db, id, compared.fault)
    else await keep(services, id, compared)
  } catch (error) {
    if (!(error instanceof Failure)) throw error
    await fail(db, id, error.detail)
  }
  await announce(db, 'comparison')
}

const unfinished = (id: number) =>
  and(eq(comparisonResults.id, id), inArray(comparisonResults.state, ['waiting', 'running']))

const fail = (db: Queries, id: number, trouble: string) =>
  db.update(comparisonResults).set({ state: 'failed', trouble }).where(unfinished(id))

/** How often it is said how far a comparison has come. */
const tellingMs = 500

/** Writes down how far a comparison has come, now and then. */
function telling({ db }: Services, id: number): (progress: Progressed) => void {
  let next = 0
  return ({ done, total }) => {
    const now = Date.now()
    if (now < next) return
    next = now + tellingMs
    // Progress that cannot be written is written the next time.
    db.update(comparisonResults)
      .set({ done, total })
      .where(and(eq(comparisonResults.id, id), eq(comparisonResults.state, 'running')))
      .then(() => announce(db, 'comparison'))
      .catch(() => undefined)
  }
}

async function keep({ db }: Services, id: number, compared: Comparison): Promise<void> {
  const { changes, counts, fitting, versions, operations } = compared
  await db.transaction(async (tx) => {
    const [row] = await tx
      .select({ id: comparisonResults.id })
      .from(comparisonResults)
      .where(unfinished(id))
      .for('update')
    if (!row) return
    await insertMany(
      tx,
      comparisonChanges,
      changes.map((change, position) => ({ resultId: id, position, ...change })),
    )
    await tx
      .update(comparisonResults)
      .set({
        state: 'done',
        counts,
        fitting: fitting ?? null,
        beforeVersion: versions[0],
        afterVersion: versions[1],
        done: operations,
        total: operations,
      })
      .where(eq(comparisonResults.id, id))
  })
}
