import { digestOf } from '../../core/text/file-digest'
import { randomUUID } from 'node:crypto'
import { isUUID } from 'class-validator'
import { and, asc, eq, getTableColumns, inArray, sql } from 'drizzle-orm'
import { teamName, teamId } from '../db/names'
import type { AddressBatch, Batch, BatchAcceptance, BatchItem } from '../../shared/api/batches'
import type { Queries } from '../db/database'
import { batches, intakes } from '../db/schema'
import { findApi } from './catalog'
import { actAs, type Actor, type Context, type Services } from './context'
import { Failure, conflict, invalid, notFound } from './failure'
import { bytesOf, storeBlob, storeFiles } from './files'
import { notRead, workIntake } from './intake-work'
import { enterRegister, findIntake, prepareEntry, twinsOf, type IntakeRow } from './intakes'
import { announce } from './ledger'
import { actorWithId } from './people'
import { can, requirePermission } from './permissions'
import { sideBySide } from './side-by-side'

/** What a batch is; the list of its archive's files may be long, and is read by itself. */
const { files: archived, ...own } = getTableColumns(batches)
const columns = { ...own, team: sql<string | null>`${teamName(batches.teamId)}` }
type BatchRow = Omit<typeof batches.$inferSelect, 'files'> & { team: string | null }

/** Takes an archive in: it is kept first, and unpacked and read by a worker. */
export async function takeInArchive(
  context: Context,
  bytes: Uint8Array,
  source: string,
): Promise<Batch> {
  requirePermission(context.actor, 'edit')
  if (bytes.byteLength === 0) throw invalid([{ field: 'archive', message: 'The archive is empty' }])
  const sha256 = await storeBlob(context.db, bytes)
  return begin(context, { source, sha256 })
}

/** Takes in what stands at several addresses. */
export async function takeInAddresses(
  context: Context,
  { urls, agreed = false }: AddressBatch,
): Promise<Batch> {
  requirePermission(context.actor, 'edit')
  const addresses = [...new Set(urls.map((url) => url.trim()).filter((url) => url !== ''))]
  if (addresses.length === 0) {
    throw invalid([{ field: 'urls', message: 'Give one address in each line' }])
  }
  const source = `${addresses.length} addresses`
  return begin(context, { source, addresses, agreed })
}

async function begin(
  context: Context,
  start: { source: string; sha256?: string; addresses?: string[]; agreed?: boolean },
): Promise<Batch> {
  const id = randomUUID()
  const begun = { id, byId: context.actor.id, at: context.now(), state: 'waiting' as const }
  await context.db.insert(batches).values({ ...begun, ...start })
  await context.queue.workBatch(id)
  return readBatch(context.db, id)
}

async function findBatch(db: Queries, id: string): Promise<BatchRow> {
  const [row] = isUUID(id) ? await db.select(columns).from(batches).where(eq(batches.id, id)) : []
  if (!row) throw notFound('batch with this identifier')
  return row
}

const ofBatch = (id: string) => eq(intakes.batchId, id)

export async function readBatch(db: Queries, id: string): Promise<Batch> {
  const { source, state, total, done, trouble } = await findBatch(db, id)
  const { shown, outcome, result } = intakes
  const rows = await db
    .select({
      id: intakes.id,
      source: intakes.source,
      state: intakes.state,
      shown,
      outcome,
      result,
    })
    .from(intakes)
    .where(ofBatch(id))
    .orderBy(asc(intakes.source))
  return { id, source, state, total, done, trouble, items: rows.map(toItem) }
}

function toItem({
  shown,
  outcome,
  result,
  ...row
}: Pick<IntakeRow, 'id' | 'source' | 'state' | 'shown' | 'outcome' | 'result'>): BatchItem {
  const item: BatchItem = { ...row, ...shown }
  if (outcome) item.outcome = outcome
  if (result?.says) item.problem = result.says
  if (result?.api) item.api = result.api
  if (result?.revision) item.revision = result.revision
  return item
}

/** A batch is decided about by whoever began it, or by governance. */
function requireOwn(actor: Actor, { byId }: BatchRow): void {
  requirePermission(actor, 'edit')
  if (actor.id === byId || actor.role === 'governance') return
  throw new Failure(
    403,
    'Your role may not do this',
    `Somebody else began this batch; they decide about it, or governance does.`,
  )
}

/** Stops a batch: what was being read is left, and nothing more is entered. */
export async function cancelBatch(context: Context, id: string): Promise<Batch> {
  const row = await findBatch(context.db, id)
  requireOwn(context.actor, row)
  const { state } = row
  if (state === 'done') throw conflict('This batch has been brought in already.')
  await context.db.update(batches).set({ state: 'stopped' }).where(eq(batches.id, id))
  await announce(context.db, 'batch')
  return readBatch(context.db, id)
}

/** Has everything in a batch that can be entered into the register, in the name of whoever accepts it. */
export async function acceptBatch(
  context: Context,
  id: string,
  { team, audience, without }: BatchAcceptance,
): Promise<Batch> {
  const { db } = context
  requirePermission(context.actor, 'edit', team)
  const row = await findBatch(db, id)
  requireOwn(context.actor, row)
  const notReady = conflict('The batch has not been read to its end, or is done.')
  if (row.state !== 'ready') throw notReady
  if (without.length > 0) {
    await db
      .update(intakes)
      .set({ outcome: 'refused', result: { api: '', revision: 0, says: 'Left out on request' } })
      .where(and(eq(intakes.batchId, id), inArray(intakes.id, without)))
  }
  const begun = await db
    .update(batches)
    .set({
      state: 'accepting',
      acceptedById: context.actor.id,
      teamId: teamId(team),
      audience,
      done: 0,
    })
    .where(and(eq(batches.id, id), eq(batches.state, 'ready')))
    .returning({ id: batches.id })
  if (begun.length === 0) throw notReady
  await context.queue.workBatch(id)
  await announce(db, 'batch')
  return readBatch(db, id)
}

/** The worker's part of a batch, whichever step it stands at; safe to run again. */
export async function workBatch(services: Services, id: string): Promise<void> {
  const row = await findBatch(services.db, id)
  try {
    if (row.state === 'accepting') await enter(services, row)
    else if (['waiting', 'unpacking', 'reading'].includes(row.state)) await readAll(services, row)
  } catch (error) {
    if (error instanceof Stopped) return
    if (!(error instanceof Failure)) throw error
    await services.db
      .update(batches)
      .set({ state: row.state === 'accepting' ? 'ready' : 'failed', trouble: error.detail })
      .where(eq(batches.id, id))
  }
  await announce(services.db, 'batch')
}

class Stopped extends Error {}

/** Says how far a batch is; throws where somebody has stopped it. */
async function progress(db: Queries, id: string, done: number): Promise<void> {
  const changed = await db
    .update(batches)
    .set({ done })
    .where(and(eq(batches.id, id), sql`${batches.state} <> 'stopped'`))
    .returning({ id: batches.id })
  if (changed.length === 0) throw new Stopped()
  await announce(db, 'batch')
}

async function readAll(services: Services, row: BatchRow): Promise<void> {
  const { db } = services
  const { id } = row
  if ((await db.$count(intakes, ofBatch(id))) === 0) {
    await (row.sha256 ? unpack(services, row) : listAddresses(db, row))
  }
  const [archive] = await db.select({ files: archived }).from(batches).where(eq(batches.id, id))
  const rows = await db
    .select({ id: intakes.id, state: intakes.state })
    .from(intakes)
    .where(ofBatch(id))
    .orderBy(asc(intakes.source))
  await db.update(batches).set({ state: 'reading', total: rows.length }).where(eq(batches.id, id))
  const together = new Map(archive!.files.map((file) => [file.name, file]))
  let done = 0
  await sideBySide(rows, async ({ id: intake, state }) => {
    if (state === 'waiting' || state === 'reading') await workIntake(services, intake, together)
    await progress(db, id, ++done)
  })
  // Of two that end at the same time, the one that is noted last may be the earlier one.
  await progress(db, id, rows.length)
  await judge(actAs(services, await actorWithId(db, row.byId)).db, id)
  await db
    .update(batches)
    .set({ state: 'ready' })
    .where(and(eq(batches.id, id), eq(batches.state, 'reading')))
}

/** Keeps what the archive holds, and makes an intake of each definition in it. */
async function unpack(
  { db, examiner }: Services,
  { id, byId, at, sha256 }: BatchRow,
): Promise<void> {
  await db.update(batches).set({ state: 'unpacking' }).where(eq(batches.id, id))
  await announce(db, 'batch')
  const unpacked = await examiner.unpack(await bytesOf(db, sha256!))
  if ('fault' in unpacked) throw new Failure(422, 'Not unpacked', unpacked.fault)
  const { entries, mains, leftOut } = unpacked
  if (mains.length + leftOut.length === 0) {
    throw new Failure(
      422,
      'Nothing found',
      `The archive holds ${entries.length} files, but no definition among them (OpenAPI, Swagger, RAML, WSDL or WADL).`,
    )
  }
  const stored = await storeFiles(db, entries)
  const byName = new Map(stored.map((file) => [file.name, file]))
  const intake = (name: string) => ({
    id: randomUUID(),
    batchId: id,
    byId,
    at,
    source: name,
    file: name,
  })
  await db.transaction(async (tx) => {
    await tx.insert(intakes).values([
      ...mains.map((name) => {
        const main = byName.get(name)!
        const { sha256: hash, bytes } = main
        return { ...intake(name), sha256: hash, bytes, files: [main], state: 'waiting' as const }
      }),
      ...leftOut.map(({ name, why }) => ({ ...intake(name), bytes: 0, ...notRead(name, why) })),
    ])
    await tx.update(batches).set({ files: stored }).where(eq(batches.id, id))
  })
}

async function listAddresses(
  db: Queries,
  { id, byId, at, addresses, agreed }: BatchRow,
): Promise<void> {
  await db.insert(intakes).values(
    addresses.map((address) => ({
      id: randomUUID(),
      batchId: id,
      byId,
      at,
      source: address,
      address,
      agreed,
      bytes: 0,
      state: 'waiting' as const,
    })),
  )
}

/** Says of each definition what would become of it. */
async function judge(db: Queries, id: string): Promise<void> {
  const { file, files, state } = intakes
  const rows = await db
    .select({ id: intakes.id, file, files, state })
    .from(intakes)
    .where(ofBatch(id))
    .orderBy(asc(intakes.source))
  const used = new Set(
    rows
      .filter((row) => row.state === 'ready')
      .flatMap((row) => row.files.map(({ name }) => name).filter((name) => name !== row.file)),
  )
  const seen = new Set<string>()
  for (const { id: intake } of rows) {
    const fate = await fateOf(db, await findIntake(db, intake), used, seen)
    await db.update(intakes).set(fate).where(eq(intakes.id, intake))
  }
}

type Fate = Pick<IntakeRow, 'outcome' | 'result'>

async function fateOf(
  db: Queries,
  row: IntakeRow,
  used: Set<string>,
  seen: Set<string>,
): Promise<Fate> {
  const says = (outcome: Fate['outcome'], words: string): Fate => ({
    outcome,
    result: { api: '', revision: 0, says: words },
  })
  if (row.state !== 'ready' || !row.summary) return { outcome: 'refused', result: null }
  if (row.address === null && used.has(row.file))
    return says('part', 'A part of another definition in the archive')
  const digest = digestOf(row.files)
  if (seen.has(digest)) return says('unchanged', 'The same text stands in the batch twice')
  seen.add(digest)
  const [twin] = await twinsOf(db, row)
  if (!twin) return { outcome: 'added', result: null }
  const result = { api: twin.api, revision: twin.revision }
  if (twin.same === 'content') return { outcome: 'unchanged', result }
  if (twin.fixed) {
    return says(
      'refused',
      `Version ${row.summary.version} of ${twin.title} is placed, so its text is fixed; raise the version`,
    )
  }
  return { outcome: 'revised', result: { api: twin.api, revision: 0 } }
}

/**
 * Enters a batch definition by definition, each in a transaction of its own with the note that it is in: a worker that
 * takes over from a dead one enters none twice, and nobody waits for the whole.
 */
async function enter(services: Services, batch: BatchRow): Promise<void> {
  const { db } = services
  const context = actAs(services, await actorWithId(db, batch.acceptedById ?? batch.byId))
  const rows = await db
    .select({ id: intakes.id, state: intakes.state })
    .from(intakes)
    .where(and(ofBatch(batch.id), inArray(intakes.outcome, ['added', 'revised'])))
    .orderBy(asc(intakes.source))
  await db.update(batches).set({ total: rows.length }).where(eq(batches.id, batch.id))
  for (const [done, { id, state }] of rows.entries()) {
    await progress(db, batch.id, done)
    if (state === 'accepted') continue
    const row = await findIntake(db, id)
    const fate = await fateOnEntry(context, batch, row)
    await db.transaction(async (tx) => {
      const [locked] = await tx.select().from(intakes).where(eq(intakes.id, id)).for('update')
      if (locked!.state === 'accepted') return
      const [now] = await tx
        .select({ state: batches.state })
        .from(batches)
        .where(eq(batches.id, batch.id))
        .for('share')
      if (now!.state !== 'accepting') throw new Stopped()
      const settled =
        'entry' in fate
          ? {
              state: 'accepted' as const,
              result: await enterRegister(tx, context, fate.entry),
            }
          : fate
      await tx.update(intakes).set(settled).where(eq(intakes.id, id))
    })
  }
  await progress(db, batch.id, rows.length)
  await db
    .update(batches)
    .set({ state: 'done' })
    .where(and(eq(batches.id, batch.id), eq(batches.state, 'accepting')))
}

/** What becomes of one definition now, after those before it: what was entered a moment ago is there already. */
async function fateOnEntry(
  context: Context,
  { team: ofNew, audience }: BatchRow,
  row: IntakeRow,
): Promise<Partial<IntakeRow> | { entry: Awaited<ReturnType<typeof prepareEntry>> }> {
  const { db } = context
  const [twin] = await twinsOf(db, row)
  if (twin?.same === 'content') {
    return { outcome: 'unchanged', result: { api: twin.api, revision: twin.revision } }
  }
  const existing = twin && (await findApi(db, twin.api))
  const team = existing?.team ?? ofNew!
  if (!can(context.actor, 'edit', team)) {
    const says = `Only owners of ${team} may change it`
    return { outcome: 'refused', result: { api: twin?.api ?? '', revision: 0, says } }
  }
  const destination = { api: twin?.api, team, audience: existing?.audience ?? audience! }
  return { entry: await prepareEntry(context, row, destination) }
}
