import { and, asc, eq, isNull, ne, sql } from 'drizzle-orm'
import type { Difference } from '../../core/drift/compare'
import { isNewest } from '../db/newest'
import { apis, drift, revisionFiles, revisions } from '../db/schema'
import type { Services } from './context'
import { endDrift, followPlace, knownAs } from './drift-following'
import { Failure } from './failure'
import { sha256 } from './files'
import { guardedFetch } from './guard'
import { announce } from './ledger'

/** Which advisory locks are of definitions that are read again (the first of two keys). */
const sourceLock = 7_120_421

interface Sourced {
  id: number
  slug: string
  address: string
  revision: number
  revisionId: number
}

/** A file of a definition that is another one at its source. */
interface Changed {
  name: string
  /** Its place among the files of the revision. */
  position: number
  /** What stands there now. */
  sha256: string
}

/** Reads the definitions that were brought in from an address again. What cannot be read is told, and changes nothing. */
export async function followSources(services: Services): Promise<void> {
  const { db, now } = services
  const rows = await db
    .select({
      id: apis.id,
      slug: apis.slug,
      address: apis.sourceAddress,
      revision: revisions.number,
      revisionId: revisions.id,
    })
    .from(apis)
    .innerJoin(revisions, isNewest)
    .where(ne(apis.sourceAddress, ''))
    .orderBy(asc(apis.id))
  for (const row of rows) {
    try {
      await keep(services, row, await changedFiles(services, row))
    } catch (error) {
      if (!(error instanceof Failure)) throw error
      await db
        .update(apis)
        .set({ sourceReadAt: now(), sourceTrouble: error.detail })
        .where(and(eq(apis.id, row.id), eq(apis.sourceAddress, row.address)))
    }
  }
  await forgetWritten(services)
  if (rows.length > 0) await announce(db, 'api')
}

/** Reads all files of the newest revision where they came from; throws where one cannot be read. */
async function changedFiles({ db, allowedTargets }: Services, row: Sourced): Promise<Changed[]> {
  const files = await db
    .select()
    .from(revisionFiles)
    .where(eq(revisionFiles.revisionId, row.revisionId))
    .orderBy(asc(revisionFiles.position))
  const changed: Changed[] = []
  for (const { name, position, sha256: kept } of files) {
    // The main file may have got another name than it has there.
    const address = position === 0 ? row.address : URL.parse(name, row.address)?.href
    if (address === undefined) continue
    const hash = sha256((await guardedFetch(address, allowedTargets)).bytes)
    if (hash !== kept) changed.push({ name, position, sha256: hash })
  }
  return changed
}

/** Keeps which files are others at the source. */
async function keep(services: Services, row: Sourced, changed: readonly Changed[]): Promise<void> {
  const { db, now } = services
  const found = await Promise.all(changed.map((file) => differenceOf(services, row, file)))
  await db.transaction(async (tx) => {
    await tx.execute(sql`SELECT pg_advisory_xact_lock(${sourceLock}, ${row.id})`)
    const read = await tx
      .update(apis)
      .set({ sourceReadAt: now(), sourceTrouble: '' })
      // Somebody named another address, or saved a revision, while it was read.
      .where(
        and(
          eq(apis.id, row.id),
          eq(apis.sourceAddress, row.address),
          eq(apis.latestNumber, row.revision),
        ),
      )
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
          evidence: [{ at: now().toISOString(), text: `read at ${row.address}` }],
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
    where: row.address,
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
      sql`exists (select 1 from ${apis} where ${apis.id} = ${drift.apiId} and ${apis.sourceAddress} = '')`,
    ),
    { resolution: 'gone' },
  )
