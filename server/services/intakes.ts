import { randomUUID } from 'node:crypto'
import { isUUID } from 'class-validator'
import { desc, eq, sql } from 'drizzle-orm'
import type { DefinitionSummary, Examination } from '../../core/definition'
import { limits } from '../../core/text/limits'
import { isRemote } from '../../core/text/place'
import type { IntakeShown } from '../../shared/api/batches'
import type { Acceptance, Intake, Saved, Twin } from '../../shared/api/catalog'
import type { Audience } from '../../shared/words'
import type { Queries, Transaction } from '../db/database'
import { apis, intakes, revisions, versions, type StoredFile } from '../db/schema'
import type { FileBytes, FileSet } from '../jobs/analysis'
import { examineForSaving, findApi, insertRevision, tooLarge } from './catalog'
import type { Actor, Context, Services } from './context'
import { Failure, conflict, invalid, notFound } from './failure'
import { bytesOf, digestOf, loadFiles, storeBlob, storeFiles } from './files'
import { guardedFetch } from './guard'
import { announce, record } from './ledger'
import { requirePermission } from './permissions'
import { factsOf, factsOfNew, knownAroundFiles } from './known'
import { currentEdition } from './rulebooks'
import { slugOf, titleOf } from './titles'

export type IntakeRow = typeof intakes.$inferSelect

/** Files fetched for one definition, and rounds of looking for what those refer to. */
const mostFetched = 300
const mostRounds = 40

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
    by: context.actor.name,
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
    problems: row.problems.slice(0, 500),
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
        fixed: sql<boolean>`exists (select 1 from ${versions} where ${versions.api} = ${apis.id} and ${versions.version} = ${summary.version})`,
      })
      .from(revisions)
      .innerJoin(apis, eq(apis.id, revisions.api))
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
}

/** Reads and checks what was brought in once more for its place in the register. */
export async function prepareEntry(
  services: Pick<Services, 'examiner' | 'now'> & { db: Queries },
  row: IntakeRow,
  destination: Destination,
): Promise<Entry> {
  const files = await loadFiles(services.db, row.files)
  const { db, now } = services
  const edition = await currentEdition(db, destination.team)
  const { api } = destination
  const facts =
    api === undefined
      ? factsOfNew(destination, now())
      : await factsOf(db, await findApi(db, api), now())
  const known = await knownAroundFiles(services, edition, facts, files)
  const examination = await examineForSaving(services, files, edition, known)
  return { ...destination, files, edition, examination }
}

/** Enters a prepared definition as a new API, or as the next revision of one. */
export async function enterRegister(
  tx: Transaction,
  context: { actor: Actor; now: () => Date },
  { api: target, team, audience, files, edition, examination }: Entry,
): Promise<Saved> {
  const title = titleOf(examination.summary, files[0].name)
  const slug = target ?? slugOf(title)
  if (target === undefined) {
    const made = await tx
      .insert(apis)
      .values({
        slug,
        title,
        team,
        audience,
        lifecycle: 'active',
        latestRevision: 0,
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
      subject: slug,
      after: { title, team, audience },
    })
  }
  const [api] = await tx.select().from(apis).where(eq(apis.slug, slug)).for('update')
  return insertRevision(tx, context, api!, { files, edition, examination })
}

const knownEndings = /\.(ya?ml|json|raml|wsdl|wadl|xml)$/i
const endings = { yaml: 'yaml', json: 'json', xml: 'xml' }

/** The last part of where it came from, without anything a path could be made of, with the ending of its format. */
function fileName(source: string, { title, format, syntax }: DefinitionSummary): string {
  const last =
    source
      .split(/[?#]/)[0]!
      .split(/[/\\]/)
      .findLast((part) => part !== '') ?? ''
  const clean = last.replace(/[^\w.-]+/g, '-').replace(/^[.-]+/, '')
  if (knownEndings.test(clean)) return clean
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
        state: readable ? 'ready' : 'problems',
        sha256: stored[0]!.sha256,
        bytes: stored.reduce((sum, file) => sum + file.bytes, 0),
        file: files[0].name,
        files: kept,
        problems: examination.problems,
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
  const problem = { level: 'error' as const, message: why, file: source, line: 1, column: 1 }
  const problems = [problem]
  const shown = shownOf(source, [], { readable: false, problems })
  return { state: 'problems' as const, problems, shown }
}

function shownOf(source: string, files: StoredFile[], examination: Examination): IntakeShown {
  const { problems } = examination
  const errors = problems.filter(({ level }) => level === 'error')
  const [first] = errors.length > 0 ? errors : problems
  const shown: IntakeShown = {
    files: files.length,
    errors: errors.length,
    warnings: problems.length - errors.length,
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
  const files = await gather(services, row, together, read.files, read.examination.missing)
  return files.length > read.files.length ? examine(files) : read
}

/** Adds what a definition refers to, and what that refers to, as far as it can be had. */
async function gather(
  services: Services,
  row: IntakeRow,
  together: Together,
  start: FileSet,
  wanted: string[],
): Promise<FileSet> {
  const { db, examiner } = services
  const asked = new Set<string>()
  let files = start
  let fetched = 0
  for (let round = 0; round < mostRounds; round++) {
    const fresh = wanted.filter((name) => !asked.has(name))
    for (const name of fresh) asked.add(name)
    const near = fresh.flatMap((name) => together.get(name) ?? [])
    const found: FileBytes[] = near.length > 0 ? await loadFiles(db, near) : []
    for (const name of fresh) {
      const url = together.has(name) ? undefined : addressOf(name, row)
      if (url === undefined || fetched++ >= mostFetched) continue
      const bytes = await fetchQuietly(services, url)
      if (bytes) found.push({ name, bytes })
    }
    if (found.length === 0) break
    files = [...files, ...found]
    if (files.length > limits.files) throw tooMany()
    if (files.reduce((sum, file) => sum + file.bytes.byteLength, 0) > limits.allBytes) {
      throw tooLarge()
    }
    wanted = (await examiner.names(files))?.missing ?? []
  }
  return files
}

const tooMany = () =>
  new Failure(413, 'Too many files', `A definition has at most ${limits.files} files.`)

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
