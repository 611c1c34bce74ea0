import { and, asc, eq, inArray, isNull, ne, sql, type SQL } from 'drizzle-orm'
import type { Difference } from '../../core/drift/compare'
import { lockKeys } from '../db/lock-keys'
import { isNewest } from '../db/newest'
import { apis, drift, repositories, revisionFiles, revisions } from '../db/schema'
import type { Services } from './context'
import { endDrift, followPlace, knownAs } from './drift-following'
import { Failure } from './failure'
import { sha256 } from './files'
import { fetchCommit } from './git-remote'
import { guardedFetch } from './guard'
import { remoteOf } from './repositories'
import { announce } from './ledger'

interface Sourced {
  id: number
  revision: number
  revisionId: number
  /** Where it comes from, as people are told. */
  where: string
  /** Whether it still comes from there. */
  isStill: SQL
  /** What stands there under the name of a file; undefined where nothing does. */
  read: (name: string, position: number) => Promise<Uint8Array | undefined>
}

/** A file of a definition that is another one at its source. */
interface Changed {
  name: string
  /** Its place among the files of the revision. */
  position: number
  /** What stands there now. */
  sha256: string
}

/**
 * Reads the definitions that come from an address or a repository again. What cannot be read is told, and changes nothing.
 */
export async function followSources(services: Services): Promise<void> {
  const { db, now } = services
  const rows = [...(await fromAddresses(services)), ...(await fromRepositories(services))]
  for (const row of rows) {
    try {
      await keep(services, row, await changedFiles(services, row))
    } catch (error) {
      if (!(error instanceof Failure)) throw error
      await db
        .update(apis)
        .set({ sourceReadAt: now(), sourceTrouble: error.detail })
        .where(and(eq(apis.id, row.id), row.isStill))
    }
  }
  await forgetWritten(services)
  if (rows.length > 0) await announce(db, 'api')
}

async function fromAddresses({ db, allowedTargets }: Services): Promise<Sourced[]> {
  const rows = await db
    .select({
      id: apis.id,
      address: apis.sourceAddress,
      revision: revisions.number,
      revisionId: revisions.id,
    })
    .from(apis)
    .innerJoin(revisions, isNewest)
    .where(and(ne(apis.sourceAddress, ''), sql`not ${isInRepository}`))
    .orderBy(asc(apis.id))
  return rows.map(({ address, ...row }) => ({
    ...row,
    where: address,
    isStill: eq(apis.sourceAddress, address),
    async read(name, position) {
      // The main file may have got another name than it has there.
      const url = position === 0 ? address : URL.parse(name, address)?.href
      return url === undefined ? undefined : (await guardedFetch(url, allowedTargets)).bytes
    },
  }))
}

/** Definitions of repositories, at the branch that comes first in their settings; each is fetched once. */
async function fromRepositories({ db, allowedTargets, secret }: Services): Promise<Sourced[]> {
  const sourced: Sourced[] = []
  for (const row of await db.select().from(repositories)) {
    const branch = row.refs.find(({ kind, name }) => kind === 'branch' && !name.endsWith('*'))
    if (!branch) continue
    const ref = `refs/heads/${branch.name}`
    let fetched: ReturnType<typeof fetchCommit> | undefined
    const commit = () => (fetched ??= fetchCommit(remoteOf(row, secret), ref, allowedTargets))
    const held = await db
      .select({
        id: apis.id,
        slug: apis.slug,
        revision: revisions.number,
        revisionId: revisions.id,
      })
      .from(apis)
      .innerJoin(revisions, isNewest)
      .where(
        inArray(
          apis.slug,
          row.definitions.map(({ api }) => api),
        ),
      )
    for (const { slug, ...api } of held) {
      const { path } = row.definitions.find((one) => one.api === slug)!
      sourced.push({
        ...api,
        where: `${row.slug}@${branch.name}:${path}`,
        isStill: isInRepository,
        read: async (name, position) => (await commit())?.file(position === 0 ? path : name),
      })
    }
  }
  return sourced
}

const isInRepository = sql`exists (select 1 from ${repositories}, jsonb_array_elements(${repositories.definitions}) definition
  where definition ->> 'api' = ${apis.slug})`

/** Reads all files of the newest revision where they came from; throws where one cannot be read. */
async function changedFiles({ db }: Services, row: Sourced): Promise<Changed[]> {
  const files = await db
    .select()
    .from(revisionFiles)
    .where(eq(revisionFiles.revisionId, row.revisionId))
    .orderBy(asc(revisionFiles.position))
  const changed: Changed[] = []
  for (const { name, position, sha256: kept } of files) {
    const bytes = await row.read(name, position)
    const hash = bytes && sha256(bytes)
    if (hash !== undefined && hash !== kept) changed.push({ name, position, sha256: hash })
  }
  return changed
}

/** Keeps which files are others at the source. */
async function keep(services: Services, row: Sourced, changed: readonly Changed[]): Promise<void> {
  const { db, now } = services
  const found = await Promise.all(changed.map((file) => differenceOf(services, row, file)))
  await db.transaction(async (tx) => {
    await tx.execute(sql`SELECT pg_advisory_xact_lock(${lockKeys.source}, ${row.id})`)
    const read = await tx
      .update(apis)
      .set({ sourceReadAt: now(), sourceTrouble: '' })
      // Somebody named another address, or saved a revision, while it was read.
      .where(and(eq(apis.id, row.id), row.isStill, eq(apis.latestNumber, row.revision)))
      .returning({ id: apis.id })
    if (read.length === 0) return
    const known = await tx
      .select()
      .from(drift)
      .where(and(eq(drift.account, 'source'), eq(drift.apiId, row.id), isNull(drift.closedAt)))
    const nowhere = { placement: '', version: '', stage: '', group: '', gateway: '' }
    await followPlace(
      tx,
      services,
      { account: 'source', apiId: row.id, ...nowhere },
      known.map(knownAs),
      found,
      {
        causes: (difference) => ({
          kind: 'observed',
          text: `${difference.cause}.`,
          evidence: [{ at: now().toISOString(), text: `read at ${row.where}` }],
        }),
        resolution: 'gone',
      },
    )
  })
}

async function differenceOf(
  { db }: Services,
  row: Sourced,
  { name, position, sha256: hash }: Changed,
): Promise<Difference> {
  const [earlier] = await db
    .select({ number: revisions.number })
    .from(revisions)
    .innerJoin(revisionFiles, eq(revisionFiles.revisionId, revisions.id))
    .where(
      and(
        eq(revisions.apiId, row.id),
        eq(revisionFiles.sha256, hash),
        eq(revisionFiles.position, position),
      ),
    )
    .limit(1)
  return {
    where: row.where,
    what: position === 0 ? 'definition' : `file ${name}`,
    ledger: `revision ${row.revision}`,
    gateway: earlier ? `revision ${earlier.number}` : `another text (${hash.slice(0, 12)})`,
    cause: earlier
      ? 'It was changed here, and the source still has what was brought in from there'
      : 'It was changed at the source since it was brought in from there',
    operations: [],
  }
}

/** Ends what is told of definitions that are not read from anywhere any more. */
const forgetWritten = (services: Services) =>
  endDrift(
    services.db,
    services,
    and(
      eq(drift.account, 'source'),
      sql`exists (select 1 from ${apis} where ${apis.id} = ${drift.apiId} and ${apis.sourceAddress} = '' and not ${isInRepository})`,
    ),
    { resolution: 'gone' },
  )
