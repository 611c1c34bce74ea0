import { createHash } from 'node:crypto'
import { and, asc, desc, eq, sql } from 'drizzle-orm'
import { countLevels, type Examination } from '../../core/definition'
import type { Circumstances, Edition } from '../../core/rules/model'
import { limits } from '../../core/text/limits'
import type {
  ApiChange,
  ApiDetail,
  FindingItem,
  FindingQuery,
  PageQuery,
  RevisionDetail,
  RevisionItem,
  Saved,
} from '../../shared/api/catalog'
import type { Queries, Transaction } from '../db/database'
import { apis, blobs, findings, people, revisions, versions } from '../db/schema'
import type { Actor, Context } from './context'
import { Failure, conflict, notFound, requireMatch } from './failure'
import { record } from './ledger'
import { offsetOf, pageOf, type Page } from './paging'
import { requirePermission } from './permissions'
import { cellsByApi } from './register'
import { currentEdition } from './rulebook'

export type ApiRow = typeof apis.$inferSelect
export type RevisionRow = typeof revisions.$inferSelect
type Readable = Extract<Examination, { readable: true }>

export const sha256 = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest('hex')

/** A title as it stands in addresses. */
export const slugOf = (title: string) =>
  title
    .normalize('NFKD')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')
    .slice(0, 80) || 'api'

export async function findApi(db: Queries, slug: string): Promise<ApiRow> {
  const [row] = await db.select().from(apis).where(eq(apis.slug, slug))
  if (!row) throw notFound(`API called "${slug}"`)
  return row
}

export async function findRevision(db: Queries, api: ApiRow, number: number): Promise<RevisionRow> {
  const [row] = await db
    .select()
    .from(revisions)
    .where(and(eq(revisions.api, api.id), eq(revisions.number, number)))
  if (!row) throw notFound(`revision ${number} of ${api.title}`)
  return row
}

/** The revision a version stands for, or the newest that names it while it is being written. */
export async function revisionOfVersion(
  db: Queries,
  api: ApiRow,
  version: string,
): Promise<RevisionRow> {
  const [fixed] = await db
    .select({ revision: revisions })
    .from(versions)
    .innerJoin(revisions, eq(revisions.id, versions.revision))
    .where(and(eq(versions.api, api.id), eq(versions.version, version)))
  if (fixed) return fixed.revision
  const [row] = await db
    .select()
    .from(revisions)
    .where(and(eq(revisions.api, api.id), eq(revisions.version, version)))
    .orderBy(desc(revisions.number))
    .limit(1)
  if (!row) throw notFound(`version ${version} of ${api.title}`)
  return row
}

export const revisionEtag = (number: number) => `"revision-${number}"`

const toItem = (row: RevisionRow, savedBy: string): RevisionItem => ({
  revision: row.number,
  version: row.version,
  format: row.summary.format,
  savedAt: row.savedAt.toISOString(),
  savedBy,
  bytes: row.bytes,
  sha256: row.sha256,
  findings: row.counts,
})

async function nameOfPerson(db: Queries, name: string): Promise<string> {
  const [row] = await db
    .select({ displayName: people.displayName })
    .from(people)
    .where(eq(people.name, name))
  return row?.displayName ?? name
}

export async function readApi({ db, now }: Context, slug: string): Promise<ApiDetail> {
  const api = await findApi(db, slug)
  const latest = await findRevision(db, api, api.latestRevision)
  const fixed = await db
    .select({ version: versions.version, number: revisions.number })
    .from(versions)
    .innerJoin(revisions, eq(revisions.id, versions.revision))
    .where(eq(versions.api, api.id))
    .orderBy(desc(revisions.number))
  const { summary } = latest
  return {
    api: api.slug,
    title: api.title,
    description: summary.description ?? '',
    team: api.team,
    audience: api.audience,
    lifecycle: api.lifecycle,
    contact: summary.contact?.email ?? '',
    servers: summary.servers,
    tags: summary.tags,
    latest: toItem(latest, await nameOfPerson(db, latest.savedBy)),
    cells: (await cellsByApi(db, now(), api.id)).get(api.id) ?? [],
    versions: fixed.map(({ version }) => version),
    operations: summary.operations.length,
    schemas: summary.schemas.length,
  }
}

export async function changeApi(
  context: Context,
  slug: string,
  change: ApiChange,
): Promise<ApiDetail> {
  await context.db.transaction(async (tx) => {
    const api = await findApi(tx, slug)
    requirePermission(context.actor, 'edit', api.team)
    const { team, audience, lifecycle } = api
    const after = {
      team,
      audience,
      lifecycle,
      ...JSON.parse(JSON.stringify(change)),
    } as typeof change
    await tx.update(apis).set(after).where(eq(apis.id, api.id))
    await record(tx, context, {
      action: 'api.changed',
      subject: slug,
      before: { team, audience, lifecycle },
      after,
    })
  })
  if (change.audience) await recheck(context, slug)
  return readApi(context, slug)
}

/** Findings depend on the audience, so the newest revision is checked again when it changes. */
async function recheck(context: Context, slug: string): Promise<void> {
  const { db } = context
  const api = await findApi(db, slug)
  const row = await findRevision(db, api, api.latestRevision)
  const edition = await currentEdition(db)
  const examination = await context.examiner.examine(
    await bytesOf(db, row.sha256),
    row.file,
    edition,
    api,
  )
  if (!examination.readable) return
  await db.transaction(async (tx) => {
    await tx.delete(findings).where(eq(findings.revision, row.id))
    await insertFindings(tx, row.id, examination)
    await tx
      .update(revisions)
      .set({ counts: countLevels(examination.findings), edition: edition.number })
      .where(eq(revisions.id, row.id))
  })
}

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

export async function listRevisions(
  db: Queries,
  slug: string,
  query: PageQuery,
): Promise<Page<RevisionItem>> {
  const api = await findApi(db, slug)
  const limit = query.limit ?? 100
  const offset = offsetOf(query)
  const rows = await db
    .select({ revision: revisions, savedBy: people.displayName })
    .from(revisions)
    .leftJoin(people, eq(people.name, revisions.savedBy))
    .where(eq(revisions.api, api.id))
    .orderBy(desc(revisions.number))
    .limit(limit + 1)
    .offset(offset)
  return pageOf(
    rows.map(({ revision, savedBy }) => toItem(revision, savedBy ?? revision.savedBy)),
    limit,
    offset,
  )
}

export async function readRevision(
  db: Queries,
  slug: string,
  number: number,
): Promise<RevisionDetail> {
  const api = await findApi(db, slug)
  const row = await findRevision(db, api, number)
  const { operations, schemas, webhooks, syntax } = row.summary
  return {
    ...toItem(row, await nameOfPerson(db, row.savedBy)),
    file: row.file,
    syntax,
    operations: operations.map(({ method, path, id, summary, tags, deprecated, line }) => ({
      method,
      path,
      id,
      summary,
      tags,
      deprecated,
      line,
    })),
    schemas,
    webhooks,
  }
}

export async function readText(
  db: Queries,
  slug: string,
  number: number,
): Promise<{ bytes: Buffer; file: string }> {
  const row = await findRevision(db, await findApi(db, slug), number)
  return { bytes: await bytesOf(db, row.sha256), file: row.file }
}

const order = { MUST: 0, SHOULD: 1, MAY: 2 }

/** Findings of one revision, or of the newest revision of every API; MUST first. */
export async function listFindings(db: Queries, query: FindingQuery): Promise<Page<FindingItem>> {
  const limit = query.limit ?? 200
  const offset = offsetOf(query)
  const rank = sql`case ${findings.level} when 'MUST' then ${order.MUST} when 'SHOULD' then ${order.SHOULD} else ${order.MAY} end`
  const rows = await db
    .select({
      rule: findings.rule,
      level: findings.level,
      message: findings.message,
      at: findings.at,
      line: findings.line,
      column: findings.column,
      api: apis.slug,
      title: apis.title,
      revision: revisions.number,
    })
    .from(findings)
    .innerJoin(revisions, eq(revisions.id, findings.revision))
    .innerJoin(apis, eq(apis.id, revisions.api))
    .where(
      and(
        query.revision
          ? eq(revisions.number, query.revision)
          : eq(revisions.number, apis.latestRevision),
        query.api ? eq(apis.slug, query.api) : undefined,
        query.level ? eq(findings.level, query.level) : undefined,
        query.rule ? eq(findings.rule, query.rule) : undefined,
        query.team ? eq(apis.team, query.team) : undefined,
      ),
    )
    .orderBy(
      query.api ? asc(findings.line) : rank,
      asc(apis.title),
      asc(findings.line),
      asc(findings.id),
    )
    .limit(limit + 1)
    .offset(offset)
  return pageOf(rows, limit, offset)
}

async function insertFindings(
  tx: Transaction,
  revision: number,
  { findings: list }: Readable,
): Promise<void> {
  for (let i = 0; i < list.length; i += 500) {
    await tx
      .insert(findings)
      .values(list.slice(i, i + 500).map((finding) => ({ ...finding, revision })))
  }
}

/** Reads and checks a text for saving; throws with every problem's place where it cannot be read. */
export async function examineForSaving(
  { examiner }: Pick<Context, 'examiner'>,
  bytes: Uint8Array,
  file: string,
  edition: Edition,
  circumstances: Circumstances,
): Promise<Readable> {
  if (bytes.byteLength > limits.bytes) throw tooLarge()
  const examination = await examiner.examine(bytes, file, edition, circumstances)
  if (examination.readable) return examination
  throw new Failure(
    422,
    'Not a readable definition',
    `The text has ${examination.problems.length === 1 ? 'a problem' : `${examination.problems.length} problems`} and was not saved; nothing is lost.`,
    examination.problems.map(({ file: field, message, line, column }) => ({
      field,
      message,
      line,
      column,
    })),
  )
}

export const tooLarge = () =>
  new Failure(413, 'Too large', `A definition has at most ${limits.bytes / 1024 / 1024} MB.`)

interface NewRevision {
  bytes: Uint8Array
  file: string
  edition: Edition
  examination: Readable
}

/** Writes the next revision of an API, whose row the transaction holds locked. */
export async function insertRevision(
  tx: Transaction,
  context: { actor: Actor; now: () => Date },
  api: ApiRow,
  { bytes, file, edition, examination }: NewRevision,
): Promise<Saved> {
  const { summary } = examination
  const [fixed] = await tx
    .select()
    .from(versions)
    .where(and(eq(versions.api, api.id), eq(versions.version, summary.version)))
  if (fixed) {
    throw conflict(
      `Version ${summary.version} of ${api.title} is placed, so its text is fixed. Raise info.version and save again.`,
    )
  }
  const [highest] = await tx
    .select({ number: sql<number>`coalesce(max(${revisions.number}), 0)::int` })
    .from(revisions)
    .where(eq(revisions.api, api.id))
  const number = (highest?.number ?? 0) + 1
  const hash = await storeBlob(tx, bytes)
  const counts = countLevels(examination.findings)
  const [row] = await tx
    .insert(revisions)
    .values({
      api: api.id,
      number,
      version: summary.version,
      file,
      sha256: hash,
      bytes: bytes.byteLength,
      summary,
      counts,
      edition: edition.number,
      savedAt: context.now(),
      savedBy: context.actor.name,
    })
    .returning({ id: revisions.id })
  await insertFindings(tx, row!.id, examination)
  await tx
    .update(apis)
    .set({ latestRevision: number, title: summary.title })
    .where(eq(apis.id, api.id))
  const before = number === 1 ? undefined : { revision: number - 1 }
  await record(tx, context, {
    action: 'revision.saved',
    subject: api.slug,
    before,
    after: { revision: number, version: summary.version, sha256: hash, findings: counts },
  })
  return { api: api.slug, revision: number, version: summary.version, findings: counts }
}

/** Saves a text as the next revision, if it was written on top of the newest one. */
export async function saveRevision(
  context: Context,
  slug: string,
  bytes: Uint8Array,
  ifMatch: string | undefined,
): Promise<Saved> {
  const { db } = context
  const before = await findApi(db, slug)
  requirePermission(context.actor, 'edit', before.team)
  requireMatch(ifMatch, revisionEtag(before.latestRevision), 'the definition')
  const edition = await currentEdition(db)
  const { file, sha256: oldHash } = await findRevision(db, before, before.latestRevision)
  if (sha256(bytes) === oldHash)
    throw conflict('The text is the same as the newest revision; there is nothing to save.')
  const examination = await examineForSaving(context, bytes, file, edition, before)
  return db.transaction(async (tx) => {
    const [api] = await tx.select().from(apis).where(eq(apis.id, before.id)).for('update')
    requireMatch(ifMatch, revisionEtag(api!.latestRevision), 'the definition')
    return insertRevision(tx, context, api!, { bytes, file, edition, examination })
  })
}
