import { randomUUID } from 'node:crypto'
import { desc, eq, sql } from 'drizzle-orm'
import { limits } from '../../core/text/limits'
import type { Acceptance, Intake, Saved, Twin } from '../../shared/api/catalog'
import type { Queries } from '../db/database'
import { apis, intakes, revisions, versions } from '../db/schema'
import {
  bytesOf,
  examineForSaving,
  findApi,
  insertRevision,
  slugOf,
  storeBlob,
  tooLarge,
} from './catalog'
import type { Context, Services } from './context'
import { Failure, conflict, invalid, notFound } from './failure'
import { guardedFetch } from './guard'
import { announce, record } from './ledger'
import { requirePermission } from './permissions'
import { currentEdition } from './rulebook'

type IntakeRow = typeof intakes.$inferSelect

/** Takes a text in: it is stored first, so that nothing is lost, and read by a worker. */
export async function takeIn(context: Context, bytes: Uint8Array, source: string): Promise<Intake> {
  requirePermission(context.actor, 'edit')
  if (bytes.byteLength > limits.bytes) throw tooLarge()
  if (bytes.byteLength === 0) throw invalid([{ field: 'text', message: 'The text is empty' }])
  const sha256 = await storeBlob(context.db, bytes)
  return enqueue(context, { source, address: null, sha256, bytes: bytes.byteLength })
}

/** Takes in what stands at an address; a worker fetches it under the guard. */
export async function takeInAddress(context: Context, address: string): Promise<Intake> {
  requirePermission(context.actor, 'edit')
  return enqueue(context, { source: address, address, sha256: null, bytes: 0 })
}

async function enqueue(
  context: Context,
  start: Pick<IntakeRow, 'source' | 'address' | 'sha256' | 'bytes'>,
): Promise<Intake> {
  const row = {
    id: randomUUID(),
    by: context.actor.name,
    at: context.now(),
    state: 'waiting' as const,
    ...start,
  }
  await context.db.insert(intakes).values(row)
  await context.queue.readIntake(row.id)
  return readIntake(context.db, row.id)
}

async function findIntake(db: Queries, id: string): Promise<IntakeRow> {
  const isId = /^[0-9a-f-]{36}$/.test(id)
  const [row] = isId ? await db.select().from(intakes).where(eq(intakes.id, id)) : []
  if (!row) throw notFound('intake with this identifier')
  return row
}

export async function readIntake(db: Queries, id: string): Promise<Intake> {
  const row = await findIntake(db, id)
  const { summary } = row
  const intake: Intake = {
    id,
    state: row.state,
    source: row.source,
    bytes: row.bytes,
    problems: row.problems.slice(0, 500),
    twins: row.state === 'ready' ? await twinsOf(db, row) : [],
  }
  if (summary) {
    const { title, version, format, servers, tags } = summary
    intake.summary = {
      title,
      version,
      format,
      servers,
      tags,
      description: summary.description ?? '',
      contact: summary.contact?.email ?? '',
      operations: summary.operations.length,
      schemas: summary.schemas.length,
    }
  }
  return intake
}

export async function intakeText(db: Queries, id: string): Promise<Buffer> {
  const { sha256 } = await findIntake(db, id)
  if (!sha256) throw notFound('text yet; it is still being fetched')
  return bytesOf(db, sha256)
}

/** What the register holds already that is the same: the content, the API and version, or the API. */
async function twinsOf(db: Queries, { sha256, summary }: IntakeRow): Promise<Twin[]> {
  if (!summary || !sha256) return []
  const select = () =>
    db
      .select({
        api: apis.slug,
        title: apis.title,
        revision: revisions.number,
        version: revisions.version,
        fixed: sql<boolean>`exists (select 1 from ${versions} where ${versions.api} = ${apis.id} and ${versions.version} = ${summary.version})`,
      })
      .from(revisions)
      .innerJoin(apis, eq(apis.id, revisions.api))
  const same = await select().where(eq(revisions.sha256, sha256)).limit(1)
  if (same[0]) {
    const { api, title, revision, fixed } = same[0]
    return [{ api, title, same: 'content', revision, fixed }]
  }
  const named = await select()
    .where(
      sql`lower(${apis.title}) = lower(${summary.title}) or ${apis.slug} = ${slugOf(summary.title)}`,
    )
    .orderBy(desc(sql`${revisions.version} = ${summary.version}`), desc(revisions.number))
    .limit(1)
  return named.map(({ api, title, revision, version, fixed }) => ({
    api,
    title,
    same: version === summary.version ? 'version' : 'title',
    revision,
    fixed,
  }))
}

/** Makes a read intake a revision: of a new API, or of the one that is named. */
export async function acceptIntake(
  context: Context,
  id: string,
  acceptance: Acceptance,
): Promise<Saved> {
  const { db } = context
  const row = await findIntake(db, id)
  if (row.state === 'accepted') throw conflict('This text has been brought in already.')
  if (row.state !== 'ready' || !row.summary || !row.sha256)
    throw conflict('The text has not been read, or has problems.')
  const [twin] = await twinsOf(db, row)
  if (twin?.same === 'content') {
    throw conflict(
      `The same text is revision ${twin.revision} of ${twin.title} already; nothing was added.`,
    )
  }
  const existing = acceptance.api ? await findApi(db, acceptance.api) : undefined
  const circumstances = {
    team: existing?.team ?? acceptance.team,
    audience: existing?.audience ?? acceptance.audience,
  }
  const { team, audience } = circumstances
  if (!team || !audience) {
    throw invalid([
      ...(team ? [] : [{ field: 'team', message: 'Say which team owns it' }]),
      ...(audience ? [] : [{ field: 'audience', message: 'Say whom it is for' }]),
    ])
  }
  requirePermission(context.actor, 'edit', team)
  const bytes = await bytesOf(db, row.sha256)
  const file = fileName(row)
  const edition = await currentEdition(db)
  const examination = await examineForSaving(context, bytes, file, edition, { team, audience })
  return db.transaction(async (tx) => {
    const [locked] = await tx.select().from(intakes).where(eq(intakes.id, id)).for('update')
    if (locked!.state === 'accepted') throw conflict('This text has been brought in already.')
    const slug = existing?.slug ?? slugOf(examination.summary.title)
    if (!existing) {
      const made = await tx
        .insert(apis)
        .values({
          slug,
          title: examination.summary.title,
          team,
          audience,
          lifecycle: 'active',
          latestRevision: 0,
        })
        .onConflictDoNothing()
        .returning({ id: apis.id })
      if (made.length === 0) {
        throw conflict(
          `The register has an API called ${examination.summary.title} already. Bring this in as its next revision, or change info.title.`,
        )
      }
      await record(tx, context, {
        action: 'api.added',
        subject: slug,
        after: { title: examination.summary.title, team, audience },
      })
    }
    const [api] = await tx.select().from(apis).where(eq(apis.slug, slug)).for('update')
    const saved = await insertRevision(tx, context, api!, { bytes, file, edition, examination })
    await tx.update(intakes).set({ state: 'accepted' }).where(eq(intakes.id, id))
    return saved
  })
}

/** The last part of where it came from, without anything a path could be made of. */
function fileName({ source, summary }: IntakeRow): string {
  const last = source.split(/[/\\?#]/).findLast((part) => part !== '') ?? ''
  const clean = last.replace(/[^\w.-]+/g, '-').replace(/^[.-]+/, '')
  return /\.(ya?ml|json)$/i.test(clean)
    ? clean
    : `${slugOf(summary?.title ?? 'definition')}.${summary?.syntax ?? 'yaml'}`
}

/**
 * The worker's part: fetches where needed, reads and checks. Safe to run again after a worker died in the middle:
 * what is finished is left alone.
 */
export async function workIntake(services: Services, id: string): Promise<void> {
  const { db } = services
  const row = await findIntake(db, id)
  if (row.state !== 'waiting' && row.state !== 'reading') return
  await db
    .update(intakes)
    .set({ state: 'reading', attempts: row.attempts + 1 })
    .where(eq(intakes.id, id))
  await announce(db, 'intake')
  try {
    const bytes = row.sha256 ? await bytesOf(db, row.sha256) : await fetchInto(services, row)
    const edition = await currentEdition(db)
    const examination = await services.examiner.examine(bytes, row.source, edition, {
      audience: 'partner',
      team: '',
    })
    await db
      .update(intakes)
      .set({
        state: examination.readable ? 'ready' : 'problems',
        problems: examination.problems,
        summary: examination.readable ? examination.summary : null,
      })
      .where(eq(intakes.id, id))
  } catch (error) {
    if (!(error instanceof Failure)) throw error
    const problem = {
      level: 'error' as const,
      message: error.detail,
      file: row.source,
      line: 1,
      column: 1,
    }
    await db
      .update(intakes)
      .set({ state: 'problems', problems: [problem] })
      .where(eq(intakes.id, id))
  }
  await announce(db, 'intake')
}

async function fetchInto(
  { db, allowedTargets }: Services,
  { id, address }: IntakeRow,
): Promise<Buffer> {
  const { bytes } = await guardedFetch(address!, allowedTargets)
  await db
    .update(intakes)
    .set({ sha256: await storeBlob(db, bytes), bytes: bytes.byteLength })
    .where(eq(intakes.id, id))
  return bytes
}
