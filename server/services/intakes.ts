import { digestOf } from '../../core/text/file-digest'
import { randomUUID } from 'node:crypto'
import { isUUID } from 'class-validator'
import { desc, eq, sql } from 'drizzle-orm'
import type { Examination } from '../../core/definition'
import { excerptAt } from '../../core/text/excerpt'
import { limits } from '../../core/text/limits'
import { isRemote } from '../../core/text/location'
import type { Acceptance, Intake, Saved, Twin } from '../../shared/api/catalog'
import type { Audience } from '../../shared/words'
import type { Queries, Transaction } from '../db/database'
import { apiColumns, teamId } from '../db/names'
import { apis, intakes, revisions, versions } from '../db/schema'
import type { FileSet } from '../jobs/analysis'
import { examineForSaving, findApi, insertRevision, tooLarge } from './catalog'
import type { Actor, Context, Services } from './context'
import { conflict, invalid, notFound } from './failure'
import { bytesOf, loadFiles, storeBlob } from './files'
import { record } from './ledger'
import { requirePermission } from './permissions'
import { factsOf, factsOfNew, knownAroundFiles } from './known'
import { currentEdition } from './rulebooks'
import { requireNames, slugOf, titleOf } from './titles'

export type IntakeRow = typeof intakes.$inferSelect

/** Takes a text in: it is stored first, so that nothing is lost, and read by a worker. */
export async function takeIn(context: Context, bytes: Uint8Array, source: string): Promise<Intake> {
  requirePermission(context.actor, 'edit')
  if (bytes.byteLength > limits.bytes) throw tooLarge()
  if (bytes.byteLength === 0) throw invalid([{ field: 'text', message: 'The text is empty' }])
  const sha256 = await storeBlob(context.db, bytes)
  return enqueue(context, { source, address: null, sha256, bytes: bytes.byteLength, agreed: false })
}

/** Takes in what stands at an address with everything it refers to; a worker fetches it under the guard. */
export async function takeInAddress(
  context: Context,
  address: string,
  agreed: boolean,
): Promise<Intake> {
  requirePermission(context.actor, 'edit')
  return enqueue(context, { source: address, address, sha256: null, bytes: 0, agreed })
}

async function enqueue(
  context: Context,
  start: Pick<IntakeRow, 'source' | 'address' | 'sha256' | 'bytes' | 'agreed'>,
): Promise<Intake> {
  const row = {
    id: randomUUID(),
    byId: context.actor.id,
    at: context.now(),
    state: 'waiting' as const,
    ...start,
  }
  await context.db.insert(intakes).values(row)
  await context.queue.readIntake(row.id)
  return readIntake(context.db, row.id)
}

/** Agrees that what a definition refers to on other hosts is fetched, and has it read again. */
export async function agreeToFetch(context: Context, id: string): Promise<Intake> {
  requirePermission(context.actor, 'edit')
  const row = await findIntake(context.db, id)
  if (row.state === 'accepted') throw conflict('This text has been brought in already.')
  await context.db.update(intakes).set({ agreed: true, state: 'waiting' }).where(eq(intakes.id, id))
  await context.queue.readIntake(id)
  return readIntake(context.db, id)
}

export async function findIntake(db: Queries, id: string): Promise<IntakeRow> {
  const [row] = isUUID(id) ? await db.select().from(intakes).where(eq(intakes.id, id)) : []
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
    diagnostics: await withExcerpts(db, row),
    twins: row.state === 'ready' ? await twinsOf(db, row) : [],
    files: row.files.map(({ name }) => name),
    remote: row.agreed ? [] : row.missing.filter(isRemote),
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

/** How many diagnostics are shown with the lines around them. */
const mostExcerpts = 50

/** The diagnostics of a text, the first ones with the lines around them. */
async function withExcerpts(db: Queries, row: IntakeRow): Promise<Intake['diagnostics']> {
  const shown = row.diagnostics.slice(0, 500)
  if (row.state !== 'unreadable' || row.sha256 === null || row.bytes > 4_000_000) return shown
  const text = (await bytesOf(db, row.sha256)).toString('utf8')
  const lines = text.split(/\r?\n/)
  const main = row.file || row.source
  return shown.map((diagnostic, i) =>
    i < mostExcerpts && diagnostic.file === main
      ? { ...diagnostic, excerpt: excerptAt(lines, diagnostic.line, diagnostic.column) }
      : diagnostic,
  )
}

export async function intakeText(db: Queries, id: string): Promise<Buffer> {
  const { sha256 } = await findIntake(db, id)
  if (!sha256) throw notFound('text yet; it is still being fetched')
  return bytesOf(db, sha256)
}

/** What the register holds already that is the same: the content, the API and version, or the API. */
export async function twinsOf(
  db: Queries,
  { files, summary }: Pick<IntakeRow, 'files' | 'summary'>,
): Promise<Twin[]> {
  if (!summary || files.length === 0) return []
  const select = () =>
    db
      .select({
        api: apis.slug,
        title: apis.title,
        revision: revisions.number,
        version: revisions.version,
        fixed: sql<boolean>`exists (select 1 from ${versions} where ${versions.apiId} = ${apis.id} and ${versions.version} = ${summary.version})`,
      })
      .from(revisions)
      .innerJoin(apis, eq(apis.id, revisions.apiId))
  const same = await select()
    .where(eq(revisions.digest, digestOf(files)))
    .limit(1)
  if (same[0]) {
    const { api, title, revision, fixed } = same[0]
    return [{ api, title, same: 'content', revision, fixed }]
  }
  const title = titleOf(summary, files[0]!.name)
  const named = await select()
    .where(sql`lower(${apis.title}) = lower(${title}) or ${apis.slug} = ${slugOf(title)}`)
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
  if (row.state !== 'ready' || !row.summary || row.files.length === 0)
    throw conflict('The text has not been read, or has problems.')
  const [twin] = await twinsOf(db, row)
  if (twin?.same === 'content') {
    throw conflict(
      `The same text is revision ${twin.revision} of ${twin.title} already; nothing was added.`,
    )
  }
  const existing = acceptance.api ? await findApi(db, acceptance.api) : undefined
  const team = existing?.team ?? acceptance.team
  const audience = existing?.audience ?? acceptance.audience
  if (!team || !audience) {
    throw invalid([
      ...(team ? [] : [{ field: 'team', message: 'Say which team owns it' }]),
      ...(audience ? [] : [{ field: 'audience', message: 'Say whom it is for' }]),
    ])
  }
  requirePermission(context.actor, 'edit', team)
  const entry = await prepareEntry(context, row, { api: existing?.slug, team, audience })
  return db.transaction(async (tx) => {
    const [locked] = await tx.select().from(intakes).where(eq(intakes.id, id)).for('update')
    if (locked!.state === 'accepted') throw conflict('This text has been brought in already.')
    const saved = await enterRegister(tx, context, entry)
    await tx.update(intakes).set({ state: 'accepted' }).where(eq(intakes.id, id))
    return saved
  })
}

/** Where a definition goes: an API that is there, or a new one of a team. */
export interface Destination {
  api: string | undefined
  team: string
  audience: Audience
}

interface Entry extends Destination {
  files: FileSet
  edition: Awaited<ReturnType<typeof currentEdition>>
  examination: Extract<Examination, { readable: true }>
  /** Where it was fetched from; empty where it was not. */
  address: string
}

/** Reads and checks what was brought in once more for its place in the register. */
export async function prepareEntry(
  services: Pick<Services, 'examiner' | 'now'> & { db: Queries },
  row: IntakeRow,
  destination: Destination,
): Promise<Entry> {
  const files = await loadFiles(services.db, row.files)
  return prepareFiles(services, files, isRemote(row.source) ? row.source : '', destination)
}

/** The same of files that came from somewhere else. */
export async function prepareFiles(
  services: Pick<Services, 'examiner' | 'now'> & { db: Queries },
  files: FileSet,
  address: string,
  destination: Destination,
): Promise<Entry> {
  const { db, now } = services
  const edition = await currentEdition(db, destination.team)
  const { api } = destination
  const facts =
    api === undefined
      ? factsOfNew(destination, now())
      : await factsOf(db, await findApi(db, api), now())
  const known = await knownAroundFiles(services, edition, facts, files)
  const examination = await examineForSaving(services, files, edition, known)
  return { ...destination, files, edition, examination, address }
}

/** Enters a prepared definition as a new API, or as the next revision of one. */
export async function enterRegister(
  tx: Transaction,
  context: { actor: Actor; now: () => Date },
  { api: target, team, audience, files, edition, examination, address }: Entry,
): Promise<Saved> {
  requireNames(examination.summary)
  const title = titleOf(examination.summary, files[0].name)
  const slug = target ?? slugOf(title)
  if (target === undefined) {
    const made = await tx
      .insert(apis)
      .values({
        slug,
        title,
        teamId: teamId(team),
        audience,
        lifecycle: 'active',
        latestNumber: 0,
      })
      .onConflictDoNothing()
      .returning({ id: apis.id })
    if (made.length === 0) {
      throw conflict(
        `The register has an API called ${title} already. Bring this in as its next revision, or change info.title.`,
      )
    }
    await record(tx, context, {
      action: 'api.added',
      api: made[0]!.id,
      subject: slug,
      after: { title, team, audience },
    })
  }
  if (address !== '')
    await tx.update(apis).set({ sourceAddress: address }).where(eq(apis.slug, slug))
  const [api] = await tx.select(apiColumns).from(apis).where(eq(apis.slug, slug)).for('update')
  return insertRevision(tx, context, api!, { files, edition, examination })
}
