import { and, asc, desc, eq, inArray, sql } from 'drizzle-orm'
import { isObject } from '../../core/text/values'
import { isFilePath, isRefName, refText, ruleOf } from '../../core/pipeline/refs'
import type { PageQuery } from '../../shared/api/catalog'
import type { Fault } from '../../shared/api/problem'
import type {
  DeliveryTaken,
  IssuedRepository,
  RepositoryJob,
  RepositoryItem,
  RepositoryRequest,
} from '../../shared/api/repositories'
import { repositoryEtag } from '../../shared/etags'
import type { JobCause } from '../../shared/words'
import type { Queries, Transaction } from '../db/database'
import { displayName, teamId, teamName } from '../db/names'
import { seeingEverything } from '../db/viewer'
import {
  apis,
  repositories,
  repositoryDeliveries,
  repositoryJobs,
  stages,
  teams,
} from '../db/schema'
import type { Context, Services } from './context'
import { conflict, Failure, invalid, notFound, requireMatch } from './failure'
import { readRefs, type Remote } from './git-remote'
import { announce, record } from './ledger'
import { pageFrom, type Page } from './paging'
import { requirePermission } from './permissions'
import { seal, unseal } from './sealing'
import { slugOf } from './titles'
import {
  isSignedSo,
  newWebhookSecret,
  nobodysSecret,
  notSigned,
  signatureIn,
  signedFor,
  type HeaderOf,
} from './webhooks'

const columns = {
  row: repositories,
  team: teamName(repositories.teamId),
  by: sql<string>`${displayName(repositories.setById)}`,
}
type Row = typeof repositories.$inferSelect
export type RepositoryRow = Row & { team: string }

export type JobRow = typeof repositoryJobs.$inferSelect

export const toJob = (row: JobRow): RepositoryJob => ({
  job: row.id,
  ...{ repository: row.repository, ref: row.ref, stage: row.stage, cause: row.cause },
  ...{ state: row.state, commit: row.commit, author: row.author, message: row.message },
  at: row.at.toISOString(),
  ...(row.endedAt && { endedAt: row.endedAt.toISOString() }),
  ...{ says: row.says, outcomes: row.outcomes },
  ...{ reported: row.reported, reportTrouble: row.reportTrouble },
})

/** Branches and tags that are followed at most; a repository may have thousands. */
const mostFollowed = 50

/** Repositories as somebody may see them: one that has a definition of an API they may not see is not there. */
async function rowsOf(db: Queries, slug?: string) {
  const rows = await db
    .select(columns)
    .from(repositories)
    .where(slug === undefined ? undefined : eq(repositories.slug, slug))
    .orderBy(asc(repositories.title), asc(repositories.slug))
  const named = rows.flatMap(({ row }) => row.definitions.map(({ api }) => api)).filter(Boolean)
  const seen = await db.select({ slug: apis.slug }).from(apis).where(inArray(apis.slug, named))
  const visible = new Set(['', ...seen.map((api) => api.slug)])
  return rows.filter(({ row }) => row.definitions.every(({ api }) => visible.has(api)))
}

async function findRow(db: Queries, slug: string) {
  const [found] = await rowsOf(db, slug)
  if (!found) throw notFound(`repository called "${slug}"`)
  return found
}

/** A repository as its jobs need it. */
export async function findRepository(db: Queries, slug: string): Promise<RepositoryRow> {
  const { row, team } = await findRow(db, slug)
  return { ...row, team }
}

export async function listRepositories(
  { db }: Pick<Context, 'db'>,
  query: PageQuery,
): Promise<Page<RepositoryItem>> {
  const page = pageFrom(await rowsOf(db), query)
  return { ...page, items: await itemsOf(db, page.items) }
}

export async function readRepository(db: Queries, slug: string): Promise<RepositoryItem> {
  const [item] = await itemsOf(db, [await findRow(db, slug)])
  return item!
}

async function itemsOf(
  db: Queries,
  rows: Awaited<ReturnType<typeof rowsOf>>,
): Promise<RepositoryItem[]> {
  const last = await db
    .selectDistinctOn([repositoryJobs.repository])
    .from(repositoryJobs)
    .where(
      inArray(
        repositoryJobs.repository,
        rows.map(({ row }) => row.slug),
      ),
    )
    .orderBy(repositoryJobs.repository, desc(repositoryJobs.id))
  const jobs = new Map(last.map((job) => [job.repository, toJob(job)]))
  return rows.map(({ row, team, by }): RepositoryItem => {
    const job = jobs.get(row.slug)
    return {
      repository: row.slug,
      ...{ title: row.title, url: row.url, statusUrl: row.statusUrl, team },
      ...{ audience: row.audience, refs: row.refs, definitions: row.definitions },
      hasToken: row.sealedToken !== '',
      setBy: by,
      setAt: row.setAt.toISOString(),
      ...(row.readAt && { readAt: row.readAt.toISOString() }),
      trouble: row.trouble,
      refusedWhy: row.refusedWhy,
      ...(row.refusedAt && { refusedAt: row.refusedAt.toISOString() }),
      ...(row.webhookKind !== 'standard' && {
        webhook: { kind: row.webhookKind, header: row.webhookHeader },
      }),
      ...(job && { last: job }),
    }
  })
}

/** What is written to the table, or everything at fault in it. */
async function valuesOf(
  context: Context,
  wanted: RepositoryRequest,
  before: Row | undefined,
): Promise<
  Omit<
    Row,
    'slug' | 'sealedSecret' | 'readAt' | 'trouble' | 'teamId' | 'refusedAt' | 'refusedWhy'
  > & { team: string }
> {
  const { db, actor, now, secret } = context
  requirePermission(actor, 'connect', wanted.team)
  const faults: Fault[] = []
  const fault = (field: string, message: string) => faults.push({ field, message })
  const title = wanted.title.trim()
  const url = addressAt(wanted.url, 'url', fault)
  const statusUrl =
    wanted.statusUrl === '' ? undefined : addressAt(wanted.statusUrl, 'statusUrl', fault)
  if (statusUrl && !wanted.statusUrl.includes('{commit}'))
    fault('statusUrl', 'Say with {commit} where the commit stands in it')
  if (statusUrl && url && statusUrl.origin !== url.origin)
    fault('statusUrl', 'States of commits are told to the host that the repository is read from')
  if ((await db.$count(teams, eq(teams.name, wanted.team))) === 0)
    fault('team', `There is no team called ${wanted.team}`)
  const known = new Set(
    (await db.select({ name: stages.name }).from(stages)).map((row) => row.name),
  )
  if (wanted.refs.length === 0) fault('refs', 'Say which branch or tag belongs to which stage')
  wanted.refs.forEach(({ name, stage }, n) => {
    if (!isRefName(name)) fault(`refs.${n}.name`, `${name} is no name of a branch or tag`)
    if (!known.has(stage)) fault(`refs.${n}.stage`, `There is no stage called ${stage}`)
  })
  if (wanted.definitions.length === 0) fault('definitions', 'Say in which file a definition begins')
  const paths = wanted.definitions.map(({ path }) => path)
  for (const [n, { path, api: slug }] of wanted.definitions.entries()) {
    if (!isFilePath(path)) fault(`definitions.${n}.path`, `${path} is no file of a repository`)
    if (paths.indexOf(path) < n) fault(`definitions.${n}.path`, `${path} stands here twice`)
    if (slug === '') continue
    const [api] = await db
      .select({ team: teamName(apis.teamId) })
      .from(apis)
      .where(eq(apis.slug, slug))
    if (!api) fault(`definitions.${n}.api`, `There is no API called "${slug}"`)
    else requirePermission(actor, 'connect', api.team)
  }
  const isElsewhere = before !== undefined && URL.parse(before.url)?.origin !== url?.origin
  if (wanted.token === undefined && before?.sealedToken && isElsewhere)
    fault('token', 'The token that is kept is for another host; give one for this, or none')
  const { kind = 'standard', header = '' } = wanted.webhook ?? {}
  if (kind !== 'standard' && header === '')
    fault('webhook.header', 'Name the header that its host signs in')
  if (/^(?:authorization|cookie|host|content-.*|webhook-.*)$/i.test(header))
    fault('webhook.header', `${header} is for something else`)
  if (faults.length > 0) throw invalid(faults)
  const token = wanted.token?.trim()
  return {
    ...{ title, url: url!.href, statusUrl: wanted.statusUrl, team: wanted.team },
    ...{ audience: wanted.audience, setById: actor.id, setAt: now() },
    refs: wanted.refs.map(({ kind, name, stage }) => ({ kind, name, stage })),
    definitions: wanted.definitions.map(({ path, api }) => ({ path, api })),
    webhookKind: kind,
    webhookHeader: kind === 'standard' ? '' : header,
    sealedToken:
      token === undefined ? (before?.sealedToken ?? '') : token === '' ? '' : seal(secret, token),
  }
}

function addressAt(text: string, field: string, fault: (field: string, says: string) => void) {
  const url = URL.parse(text.trim())
  if (!url || !/^https?:$/.test(url.protocol)) fault(field, `${text} is no http or https address`)
  else if (url.username || url.password)
    fault(field, 'A name or password is not written into an address; give a token')
  else if (/['"`$\\\s]/.test(text.trim())) fault(field, 'It has a sign that no address has')
  return url ?? undefined
}

/** What the ledger says of a repository; where its host is stays with whoever may read it. */
const said = ({ title, refs, definitions, team }: RepositoryItem) => ({
  ...{ title, team, refs, definitions: definitions.map(({ path }) => path) },
})

/** Whose entry of the ledger one about a repository is: that of an API which not everybody may see, where it has one. */
export const shelteredBy = (tx: Transaction, definitions: readonly { api: string }[]) =>
  seeingEverything(tx, async () => {
    const [found] = await tx
      .select({ id: apis.id })
      .from(apis)
      .where(
        and(
          apis.confidential,
          inArray(
            apis.slug,
            definitions.map(({ api }) => api),
          ),
        ),
      )
      .limit(1)
    return found?.id ?? null
  })

/** Connects a repository; what is in it is read at once. */
export async function connectRepository(
  context: Context,
  wanted: RepositoryRequest,
): Promise<IssuedRepository> {
  const { team, ...values } = await valuesOf(context, wanted, undefined)
  const slug = slugOf(values.title)
  const secret = newWebhookSecret()
  const item = await context.db.transaction(async (tx) => {
    const made = await tx
      .insert(repositories)
      .values({ ...values, slug, teamId: teamId(team), sealedSecret: seal(context.secret, secret) })
      .onConflictDoNothing()
      .returning({ slug: repositories.slug })
    if (made.length === 0) throw conflict(`There is a repository called ${values.title} already.`)
    const connected = await readRepository(tx, slug)
    await record(tx, context, {
      action: 'repository.connected',
      api: await shelteredBy(tx, connected.definitions),
      subject: slug,
      after: said(connected),
    })
    return connected
  })
  await lookForPushes(context.system, slug)
  return { ...item, ...(await readRepository(context.db, slug)), secret }
}

export async function changeRepository(
  context: Context,
  slug: string,
  wanted: RepositoryRequest,
  ifMatch: string | undefined,
): Promise<RepositoryItem> {
  const { row, team: before } = await findRow(context.db, slug)
  requirePermission(context.actor, 'connect', before)
  const { team, ...values } = await valuesOf(context, wanted, row)
  return context.db.transaction(async (tx) => {
    const [locked] = await lockRow(tx, slug)
    if (!locked) throw notFound(`repository called "${slug}"`)
    const earlier = await readRepository(tx, slug)
    requireMatch(ifMatch, repositoryEtag(earlier), 'the repository')
    await tx
      .update(repositories)
      .set({ ...values, teamId: teamId(team) })
      .where(eq(repositories.slug, slug))
    const after = await readRepository(tx, slug)
    await record(tx, context, {
      action: 'repository.changed',
      api: await shelteredBy(tx, [...earlier.definitions, ...after.definitions]),
      subject: slug,
      before: said(earlier),
      after: said(after),
    })
    return after
  })
}

const lockRow = (tx: Transaction, slug: string) =>
  tx
    .select({ slug: repositories.slug })
    .from(repositories)
    .where(eq(repositories.slug, slug))
    .for('update')

/** Forgets a repository with its jobs; what came from it stays. */
export async function disconnectRepository(context: Context, slug: string): Promise<void> {
  const { team } = await findRow(context.db, slug)
  requirePermission(context.actor, 'connect', team)
  await context.db.transaction(async (tx) => {
    const item = await readRepository(tx, slug)
    await tx.delete(repositories).where(eq(repositories.slug, slug))
    await record(tx, context, {
      action: 'repository.disconnected',
      api: await shelteredBy(tx, item.definitions),
      subject: slug,
      before: said(item),
    })
  })
}

/** Makes another secret for the webhook; the one before is worth nothing from then on. */
export async function renewSecret(context: Context, slug: string): Promise<IssuedRepository> {
  const { row, team } = await findRow(context.db, slug)
  requirePermission(context.actor, 'connect', team)
  const secret = newWebhookSecret()
  await context.db.transaction(async (tx) => {
    await tx
      .update(repositories)
      .set({ sealedSecret: seal(context.secret, secret) })
      .where(eq(repositories.slug, slug))
    const api = await shelteredBy(tx, row.definitions)
    await record(tx, context, { action: 'repository.secret-renewed', api, subject: slug })
  })
  return { ...(await readRepository(context.db, slug)), secret }
}

/** Where a repository is read, with its token. */
export const remoteOf = ({ url, sealedToken }: Row, secret: string): Remote => ({
  url,
  token: sealedToken === '' ? '' : unseal(secret, sealedToken),
})

/** Wants a job; several pushes of a branch that nobody has begun with are one. */
async function enqueue(
  tx: Queries,
  { slug, refs }: Pick<Row, 'slug' | 'refs'>,
  ref: string,
  cause: JobCause,
  at: Date,
): Promise<number | undefined> {
  const rule = ruleOf(refs, ref)
  if (!rule) return undefined
  const [made] = await tx
    .insert(repositoryJobs)
    .values({ repository: slug, ref, stage: rule.stage, cause, state: 'waiting', at })
    .onConflictDoNothing()
    .returning({ id: repositoryJobs.id })
  await announce(tx, 'repository')
  if (made) return made.id
  const { repository, state } = repositoryJobs
  const [there] = await tx
    .select({ id: repositoryJobs.id })
    .from(repositoryJobs)
    .where(and(eq(repository, slug), eq(repositoryJobs.ref, ref), eq(state, 'waiting')))
  return there?.id
}

/** Wants everything that a branch or tag is at now to be read again, whatever was done about it. */
export async function readBranch(context: Context, slug: string, ref: string): Promise<number> {
  const row = await findRepository(context.db, slug)
  requirePermission(context.actor, 'connect', row.team)
  const job = await enqueue(context.db, row, ref, 'hand', context.now())
  if (job === undefined) throw conflict(`${refText(ref)} belongs to no stage any more.`)
  return job
}

/**
 * Reads where the branches and tags of a repository are, and wants a job for each that moved since one was wanted: hooks
 * are lost, and hosts without any are followed as well.
 */
export async function lookForPushes(services: Services, slug: string): Promise<void> {
  const { db, allowedTargets, secret, now } = services
  const row = await findRepository(db, slug)
  let trouble = ''
  try {
    const refs = await readRefs(remoteOf(row, secret), allowedTargets)
    const ours = refs.filter(({ ref }) => ruleOf(row.refs, ref)).slice(0, mostFollowed)
    const known = await db
      .selectDistinctOn([repositoryJobs.ref], {
        ref: repositoryJobs.ref,
        commit: repositoryJobs.commit,
        state: repositoryJobs.state,
      })
      .from(repositoryJobs)
      .where(eq(repositoryJobs.repository, slug))
      .orderBy(repositoryJobs.ref, desc(repositoryJobs.id))
    for (const { ref, commit } of ours) {
      const last = known.find((job) => job.ref === ref)
      // One that could not fetch it is done again, as it can be read now.
      const isHandled = last?.commit === commit || (last?.commit === '' && last.state !== 'failed')
      if (isHandled) continue
      await enqueue(db, row, ref, 'found', now())
    }
    if (ours.length === 0) trouble = 'None of its branches and tags belongs to a stage.'
  } catch (error) {
    if (!(error instanceof Failure)) throw error
    trouble = error.detail
  }
  await db
    .update(repositories)
    .set({ readAt: now(), trouble })
    .where(and(eq(repositories.slug, slug), eq(repositories.url, row.url)))
  await announce(db, 'repository')
}

/** The same, of one that somebody looks at. */
export async function lookNow(context: Context, slug: string): Promise<RepositoryItem> {
  const { team } = await findRow(context.db, slug)
  requirePermission(context.actor, 'connect', team)
  await lookForPushes(context.system, slug)
  return readRepository(context.db, slug)
}

/** Looks at all repositories, one after the other; what cannot be read is said on its page. */
export async function followRepositories(services: Services): Promise<void> {
  const rows = await services.db.select({ slug: repositories.slug }).from(repositories)
  for (const { slug } of rows)
    await lookForPushes(services, slug).catch((error: unknown) => {
      // Somebody disconnected it in between.
      if (!(error instanceof Failure)) throw error
    })
}

/**
 * Takes a message of a repository's host that a branch has moved. It is only believed to have: what the branch is at is
 * read there, so that messages that come twice, late or in another order do no harm.
 */
export async function takeDelivery(
  services: Services,
  slug: string,
  header: HeaderOf,
  body: Buffer,
): Promise<DeliveryTaken> {
  const { db, now } = services
  const [known] = await db.select().from(repositories).where(eq(repositories.slug, slug))
  try {
    const { row, id } = senderOf(services, known, header, body)
    const ref = refOf(body)
    return await db.transaction(async (tx) => {
      if (id !== undefined) await requireFresh(tx, slug, id, now())
      const job = await enqueue(tx, row, ref, 'push', now())
      return job === undefined
        ? { says: `${refText(ref)} belongs to no stage, so that nothing is done.` }
        : { says: `Job ${job} reads ${refText(ref)}.`, job }
    })
  } catch (error) {
    // One that comes twice was taken.
    if (known && error instanceof Failure && error.status !== 409)
      await noteRefusal(services, known, error)
    throw error
  }
}

/** Who sent a message, and by which name it knows it; of a host with a way of its own messages have none. */
function senderOf(
  services: Services,
  known: Row | undefined,
  header: HeaderOf,
  body: Buffer,
): { row: Row; id?: string } {
  if (!known || known.webhookKind === 'standard') {
    const signed = signatureIn(header)
    return { row: signedFor(services, known, signed, body), id: signed.id }
  }
  const way = { kind: known.webhookKind, header: known.webhookHeader }
  const secret = known.sealedSecret ? unseal(services.secret, known.sealedSecret) : nobodysSecret
  if (isSignedSo(way, secret, header, body)) return { row: known }
  throw new Failure(401, 'Not signed in', notSigned)
}

async function requireFresh(tx: Transaction, repository: string, id: string, at: Date) {
  const fresh = await tx
    .insert(repositoryDeliveries)
    .values({ repository, id, at })
    .onConflictDoNothing()
    .returning({ id: repositoryDeliveries.id })
  if (fresh.length === 0) throw conflict('This message came before, and was taken.')
}

/** So often it is noted at most that a message was refused: strangers send as many as they like. In milliseconds. */
const notedEvery = 10_000

async function noteRefusal(
  { db, now }: Services,
  { slug, refusedAt }: Row,
  { detail, faults }: Failure,
): Promise<void> {
  if (refusedAt && now().getTime() - refusedAt.getTime() < notedEvery) return
  const refusedWhy = (faults?.[0]?.message ?? detail).slice(0, 500)
  await db
    .update(repositories)
    .set({ refusedAt: now(), refusedWhy })
    .where(eq(repositories.slug, slug))
  await announce(db, 'repository')
}

/** So many values of a message are looked at. */
const mostValues = 2000

/**
 * The branch or tag that a message is about: `ref` at its top or in its `data`, or the first name of one anywhere in it,
 * as hosts that tell of several at once have it.
 */
function refOf(body: Buffer): string {
  let value: unknown
  try {
    value = JSON.parse(body.toString('utf8'))
  } catch {
    value = undefined
  }
  const { ref, data } = (isObject(value) ? value : {}) as {
    ref?: unknown
    data?: { ref?: unknown }
  }
  for (const found of [ref, data?.ref]) if (typeof found === 'string' && isRef(found)) return found
  const waiting = [value]
  for (let looked = 0; looked < mostValues && waiting.length > 0; looked++) {
    const next = waiting.shift()
    if (typeof next === 'string' && isRef(next)) return next
    if (typeof next === 'object' && next !== null)
      waiting.push(...(Object.values(next) as unknown[]).slice(0, 200))
  }
  throw invalid([
    { field: 'ref', message: 'It does not say which branch moved, as in refs/heads/main' },
  ])
}

const isRef = (text: string) => /^refs\/(?:heads|tags)\/[^\u0000-\u001f]{1,250}$/.test(text)
