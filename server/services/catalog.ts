import { digestOf } from '../../core/text/file-digest'
import { isValid, parseISO } from 'date-fns'
import { and, asc, desc, eq, inArray, sql } from 'drizzle-orm'
import { countLevels, type Derived, type Examination } from '../../core/definition'
import type { Edition } from '../../core/rules/model'
import { isLinkTarget, toldBy } from '../../core/runtime/lifecycle'
import { limits } from '../../core/text/limits'
import { isSame } from '../../core/text/values'
import type {
  ApiChange,
  ApiDetail,
  ApiLink,
  PageQuery,
  RevisionDetail,
  RevisionItem,
  Saved,
} from '../../shared/api/catalog'
import { insertMany } from '../db/bulk'
import { revisionEtag } from '../../shared/etags'
import type { Queries, Transaction } from '../db/database'
import { apiColumns, teamId, personId, type ApiRow } from '../db/names'
import {
  apis,
  apiViewers,
  parts,
  people,
  placements,
  proposals,
  revisionFiles,
  revisions,
  versions,
} from '../db/schema'
import { seeingEverything } from '../db/viewer'
import type { FileSet } from '../jobs/analysis'
import type { Actor, Context, Examiner } from './context'
import { countEndingWaivers, keepFindings, recheck, settle } from './checking'
import { dayOf, factsOf, knownAroundFiles } from './known'
import { Failure, conflict, invalid, notFound, requireMatch } from './failure'
import { filesIn, filesOf, loadFiles, storeFiles } from './files'
import { record } from './ledger'
import { offsetOf, pageOf, type Page } from './paging'
import { requirePermission } from './permissions'
import { intend } from './rollouts'
import { cellsByApi } from './register'
import { currentEdition } from './rulebooks'
import { isTeam } from './teams'
import { requireNames, titleOf } from './titles'
import { indexApi } from './search'

export type { ApiRow }
export type RevisionRow = typeof revisions.$inferSelect
type Readable = Extract<Examination, { readable: true }>

export async function findApi(db: Queries, slug: string): Promise<ApiRow> {
  const [row] = await db.select(apiColumns).from(apis).where(eq(apis.slug, slug))
  if (!row) throw notFound(`API called "${slug}"`)
  return row
}

export async function findRevision(db: Queries, api: ApiRow, number: number): Promise<RevisionRow> {
  const [row] = await db
    .select()
    .from(revisions)
    .where(and(eq(revisions.apiId, api.id), eq(revisions.number, number)))
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
    .innerJoin(revisions, eq(revisions.id, versions.revisionId))
    .where(and(eq(versions.apiId, api.id), eq(versions.version, version)))
  if (fixed) return fixed.revision
  const [row] = await db
    .select()
    .from(revisions)
    .where(and(eq(revisions.apiId, api.id), eq(revisions.version, version)))
    .orderBy(desc(revisions.number))
    .limit(1)
  if (!row) throw notFound(`version ${version} of ${api.title}`)
  return row
}

const toItem = (row: RevisionRow, savedBy: string): RevisionItem => ({
  revision: row.number,
  version: row.version,
  format: row.format,
  savedAt: row.savedAt.toISOString(),
  savedBy,
  bytes: row.bytes,
  sha256: row.sha256,
  findings: row.counts,
})

async function nameOfPerson(db: Queries, id: number): Promise<string> {
  const [row] = await db
    .select({ displayName: people.displayName })
    .from(people)
    .where(eq(people.id, id))
  return row!.displayName
}

export async function readApi({ db, now }: Context, slug: string): Promise<ApiDetail> {
  const api = await findApi(db, slug)
  const latest = await findRevision(db, api, api.latestNumber)
  const fixed = await db
    .select({ version: versions.version, number: revisions.number })
    .from(versions)
    .innerJoin(revisions, eq(revisions.id, versions.revisionId))
    .where(eq(versions.apiId, api.id))
    .orderBy(desc(revisions.number))
  const [[fixes], ending, viewers] = await Promise.all([
    db
      .select({ count: sql<number>`count(*)::int` })
      .from(proposals)
      .where(and(eq(proposals.apiId, api.id), eq(proposals.state, 'waiting'))),
    countEndingWaivers(db, now(), api.id),
    viewersOf(db, api.id),
  ])
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
    latest: toItem(latest, await nameOfPerson(db, latest.savedById)),
    cells: (await cellsByApi(db, now(), [api.id])).get(api.id) ?? [],
    versions: fixed.map(({ version }) => version),
    operations: summary.operations.length,
    schemas: summary.schemas.length,
    owner: api.owner ?? '',
    deprecatedOn: api.deprecatedOn ?? '',
    sunset: api.sunset ?? '',
    labels: api.labels,
    links: api.links,
    sourceAddress: api.sourceAddress,
    ...(api.sourceReadAt && { sourceReadAt: api.sourceReadAt.toISOString() }),
    sourceTrouble: api.sourceTrouble,
    facts: summary.facts,
    diagnostics: summary.diagnostics,
    proposals: fixes!.count,
    endingWaivers: ending,
    confidential: api.confidential,
    viewers,
  }
}

/** What others share with an API is said in their findings, or is not any more: they are checked again. */
const recheckSharing = (tx: Transaction, api: number) =>
  tx.execute(sql`
    update revisions set checked_on = null from apis
    where apis.id = revisions.api_id and apis.latest_number = revisions.number and apis.id in (
      select other.api_id from estate_names mine join estate_names other using (kind, name)
      where mine.api_id = ${api} and other.api_id <> ${api})`)

const viewersOf = async (db: Queries, api: number): Promise<string[]> =>
  (
    await db
      .select({ person: people.name })
      .from(apiViewers)
      .innerJoin(people, eq(people.id, apiViewers.personId))
      .where(eq(apiViewers.apiId, api))
      .orderBy(asc(people.name))
  ).map(({ person }) => person)

export async function changeApi(
  context: Context,
  slug: string,
  change: ApiChange,
): Promise<ApiDetail> {
  const told = await context.db.transaction(async (tx) => {
    const api = await findApi(tx, slug)
    requirePermission(context.actor, 'edit', api.team)
    const { team, audience, lifecycle, owner, deprecatedOn, sunset, labels, links } = api
    const before = {
      confidential: api.confidential,
      viewers: await viewersOf(tx, api.id),
      team,
      audience,
      lifecycle,
      owner: owner ?? '',
      deprecatedOn: deprecatedOn ?? '',
      sunset: sunset ?? '',
      labels,
      links,
      sourceAddress: api.sourceAddress,
    }
    const after = { ...before, ...(JSON.parse(JSON.stringify(change)) as ApiChange) }
    if (after.lifecycle !== 'deprecated') after.deprecatedOn = ''
    else if (before.lifecycle !== 'deprecated') after.deprecatedOn ||= dayOf(context.now())
    await requireSense(tx, after)
    const { viewers, team: owning, owner: answers, ...facts } = after
    await tx.delete(apiViewers).where(eq(apiViewers.apiId, api.id))
    for (const viewer of viewers)
      await tx.insert(apiViewers).values({ apiId: api.id, personId: personId(viewer) })
    await tx
      .update(apis)
      .set({
        ...facts,
        teamId: teamId(owning),
        ownerId: answers ? personId(answers) : null,
        deprecatedOn: after.deprecatedOn || null,
        sunset: after.sunset || null,
      })
      .where(eq(apis.id, api.id))
    if (after.confidential !== before.confidential)
      await seeingEverything(tx, () => recheckSharing(tx, api.id))
    await record(tx, context, { action: 'api.changed', api: api.id, subject: slug, before, after })
    return isSame(toldBy(before), toldBy(after)) ? [] : tellCallers(tx, context, api)
  })
  for (const rollout of told) await context.queue.rollOut(rollout)
  if (change.audience ?? change.team ?? change.lifecycle) await recheck(context, slug)
  if (change.confidential !== undefined) await context.queue.recheck()
  // Who gives an API away may not see it any more, but sees what became of it.
  return readApi({ ...context, db: context.system.db }, slug)
}

/** Has the gateways of each placement tell what is known of the API's end from now on: the rollouts that do it. */
async function tellCallers(tx: Transaction, context: Context, api: ApiRow): Promise<number[]> {
  const placed = await tx.select().from(placements).where(eq(placements.apiId, api.id))
  const begun: number[] = []
  for (const { id, group, version, stage } of placed) {
    const rollout = await intend(tx, context, {
      action: 'placement.told',
      title: `Tell callers of ${api.title} ${version} in ${stage} about its end`,
      change: { kind: 'apply', placement: id },
      groups: [group],
      acts: [{ api: api.id, subject: id }],
    })
    begun.push(rollout)
  }
  return begun
}

/** What a change of an API's facts has to keep to. */
async function requireSense(
  tx: Transaction,
  {
    team,
    lifecycle,
    deprecatedOn,
    sunset,
    owner,
    viewers,
    links,
  }: {
    team: string
    lifecycle: string
    deprecatedOn: string
    sunset: string
    owner: string
    viewers: string[]
    links: ApiLink[]
  },
): Promise<void> {
  const faults = []
  if (!(await isTeam(tx, team)))
    faults.push({ field: 'team', message: `There is no team called ${team}` })
  if (lifecycle === 'deprecated' && sunset === '') {
    faults.push({ field: 'sunset', message: 'Say until which day a deprecated API is served' })
  }
  for (const [field, day] of Object.entries({ deprecatedOn, sunset }))
    if (day !== '' && !isValid(parseISO(day)))
      faults.push({ field, message: `${day} is not a day` })
  if (deprecatedOn !== '' && sunset !== '' && sunset < deprecatedOn)
    faults.push({
      field: 'sunset',
      message: `It is deprecated on ${deprecatedOn}, and ends before`,
    })
  const unfit = links.find(({ url, deprecation }) => deprecation && !isLinkTarget(url))
  if (unfit)
    faults.push({
      field: 'links',
      message: `Callers cannot be told of ${unfit.url}: it has a character that no address has`,
    })
  const named = [
    ...(owner === '' ? [] : [{ field: 'owner', name: owner }]),
    ...viewers.map((name) => ({ field: 'viewers', name })),
  ]
  const names = named.map(({ name }) => name)
  const known = await tx
    .select({ name: people.name })
    .from(people)
    .where(inArray(people.name, names))
  for (const { field, name } of named)
    if (!known.some((person) => person.name === name))
      faults.push({ field, message: `Nobody is called "${name}"` })
  if (faults.length > 0) throw invalid(faults)
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
    .innerJoin(people, eq(people.id, revisions.savedById))
    .where(eq(revisions.apiId, api.id))
    .orderBy(desc(revisions.number))
    .limit(limit + 1)
    .offset(offset)
  return pageOf(
    rows.map(({ revision, savedBy }) => toItem(revision, savedBy)),
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
    ...toItem(row, await nameOfPerson(db, row.savedById)),
    file: row.file,
    files: await filesOf(db, row.id),
    syntax,
    operations: operations.map(
      ({ method, path, id, summary, tags, deprecated, soap, file, line }) => ({
        method,
        path,
        id,
        summary,
        tags,
        deprecated,
        ...(soap && { soap }),
        file,
        line,
      }),
    ),
    schemas,
    webhooks,
  }
}

/** The bytes of one file of a revision, the main one unless another is named. */
export async function readText(
  db: Queries,
  slug: string,
  number: number,
  name?: string,
): Promise<{ bytes: Uint8Array; file: string }> {
  const row = await findRevision(db, await findApi(db, slug), number)
  const stored = await filesOf(db, row.id)
  const file = name === undefined ? stored[0] : stored.find((candidate) => candidate.name === name)
  if (!file) throw notFound(`file called "${name ?? ''}"`)
  const [{ bytes }] = await loadFiles(db, [file])
  return { bytes, file: file.name }
}

/** Reads and checks a definition for saving; throws with every problem's place where it cannot be read. */
export async function examineForSaving(
  { examiner }: Pick<Context, 'examiner'>,
  files: FileSet,
  edition: Edition,
  known: Parameters<Examiner['examine']>[2],
): Promise<Readable> {
  if (files.some(({ bytes }) => bytes.byteLength > limits.bytes)) throw tooLarge()
  const examination = await examiner.examine(files, edition, known, true)
  if (examination.readable) return examination
  throw new Failure(
    422,
    'Not a readable definition',
    `The text has ${examination.diagnostics.length === 1 ? 'a problem' : `${examination.diagnostics.length} problems`} and was not saved; nothing is lost.`,
    examination.diagnostics.map(({ file: field, message, line, column }) => ({
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
  files: FileSet
  edition: Edition
  examination: Readable
}

/** Versions are told apart by what the text names; a format that names none has one. */
const versionOf = ({ version }: { version: string }) => (version === '' ? '1' : version)

/** Writes the next revision of an API, whose row the transaction holds locked. */
export async function insertRevision(
  tx: Transaction,
  context: { actor: Actor; now: () => Date },
  api: ApiRow,
  { files, edition, examination }: NewRevision,
): Promise<Saved> {
  const { summary, derived } = examination
  requireNames(summary)
  const version = versionOf(summary)
  const [fixed] = await tx
    .select()
    .from(versions)
    .where(and(eq(versions.apiId, api.id), eq(versions.version, version)))
  if (fixed) {
    throw conflict(
      `Version ${version} of ${api.title} is placed, so its text is fixed. Raise its version in the text and save again.`,
    )
  }
  const [highest] = await tx
    .select({ number: sql<number>`coalesce(max(${revisions.number}), 0)::int` })
    .from(revisions)
    .where(eq(revisions.apiId, api.id))
  const number = (highest?.number ?? 0) + 1
  const used = new Set(summary.files)
  // What nothing refers to is not part of the definition.
  const stored = await storeFiles(
    tx,
    files.filter(({ name }) => used.has(name)),
  )
  const counts = countLevels(examination.findings)
  const [row] = await tx
    .insert(revisions)
    .values({
      apiId: api.id,
      number,
      version,
      file: files[0].name,
      sha256: stored[0]!.sha256,
      digest: digestOf(stored),
      format: summary.format,
      tags: summary.tags,
      bytes: stored.reduce((sum, file) => sum + file.bytes, 0),
      summary: { ...summary, version },
      counts,
      reach: examination.reach,
      faults: examination.faults,
      edition: edition.number,
      checkedOn: dayOf(context.now()),
      savedAt: context.now(),
      savedById: context.actor.id,
    })
    .returning({ id: revisions.id })
  await tx
    .insert(revisionFiles)
    .values(stored.map((file, position) => ({ revisionId: row!.id, position, ...file })))
  await keepFindings(tx, { api: api.id, revision: row!.id, number }, examination, context.now())
  if (derived) await insertDerived(tx, api.id, row!.id, derived)
  await tx
    .update(apis)
    .set({
      latestNumber: number,
      title: titleOf(summary, files[0].name),
      estate: derived?.estate ?? null,
    })
    .where(eq(apis.id, api.id))
  const settled = await settle(tx, api.id, context.now())
  const before = number === 1 ? undefined : { revision: number - 1 }
  await record(tx, context, {
    action: 'revision.saved',
    api: api.id,
    subject: api.slug,
    before,
    after: { revision: number, version, sha256: digestOf(stored), findings: settled },
  })
  return { api: api.slug, revision: number, version, findings: settled }
}

/** Keeps what is derived from a revision; only the newest of an API is found by searching. */
export async function insertDerived(
  tx: Transaction,
  api: number,
  revision: number,
  derived: Derived,
  isNewest = true,
): Promise<void> {
  const positions = { operation: 0, webhook: 0, schema: 0 }
  const rows = derived.parts.map((part) => ({
    revisionId: revision,
    position: positions[part.kind]++,
    ...part,
  }))
  await insertMany(tx, parts, rows)
  if (isNewest) await indexApi(tx, api, derived.entries)
}

/** Saves a definition as the next revision, if it was written on top of the newest one. */
export async function saveRevision(
  context: Context,
  slug: string,
  bytes: Uint8Array,
  ifMatch: string | undefined,
  mainFile?: string,
): Promise<Saved> {
  const { db, examiner } = context
  const before = await findApi(db, slug)
  requirePermission(context.actor, 'edit', before.team)
  requireMatch(ifMatch, revisionEtag(before.latestNumber), 'the definition')
  const row = await findRevision(db, before, before.latestNumber)
  const { whole, files: sent } = await filesIn(examiner, bytes, mainFile ?? row.file)
  const kept = await loadFiles(db, await filesOf(db, row.id))
  // A text alone is the main file; those beside it stay as they are.
  const files: FileSet = whole ? sent : [sent[0], ...kept.slice(1)]
  const same =
    files.length === kept.length &&
    files.every(({ name, bytes: mine }) => {
      const old = kept.find((file) => file.name === name)
      return old !== undefined && Buffer.compare(Buffer.from(mine), Buffer.from(old.bytes)) === 0
    })
  if (same) throw conflict('The text is the same as the newest revision; there is nothing to save.')
  return saveFiles(context, before, files)
}

/** Saves the files of a definition on top of the revision that was newest when `before` was read. */
export async function saveFiles(context: Context, before: ApiRow, files: FileSet): Promise<Saved> {
  const { db, now } = context
  const edition = await currentEdition(db, before.team)
  const facts = await factsOf(db, before, now())
  const known = await knownAroundFiles(context, edition, facts, files)
  const examination = await examineForSaving(context, files, edition, known)
  const written = revisionEtag(before.latestNumber)
  return db.transaction(async (tx) => {
    const [api] = await tx.select(apiColumns).from(apis).where(eq(apis.id, before.id)).for('update')
    requireMatch(written, revisionEtag(api!.latestNumber), 'the definition')
    return insertRevision(tx, context, api!, { files, edition, examination })
  })
}
