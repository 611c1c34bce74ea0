import { and, asc, desc, eq, inArray, max, sql } from 'drizzle-orm'
import type { OutsideFacts } from '../../core/pipeline/gates'
import { errorText } from '../../core/text/values'
import { OutsideResultBody } from '../../shared/api/outside'
import type {
  EvidenceSourceItem,
  EvidenceSourceRequest,
  IssuedEvidenceSource,
  OutsideResultItem,
  OutsideResultQuery,
} from '../../shared/api/outside'
import type { PageQuery } from '../../shared/api/catalog'
import type { Queries } from '../db/database'
import { displayName } from '../db/names'
import { apis, evidenceSources, outsideResults, revisions } from '../db/schema'
import { accept } from '../http/validate'
import { byItself, type Context, type Services } from './context'
import { conflict, Failure, notFound } from './failure'
import { record } from './ledger'
import { pageFrom, type Page } from './paging'
import { requirePermission } from './permissions'
import { seal } from './sealing'
import { slugOf } from './titles'
import { newWebhookSecret, signatureIn, signedFor, type HeaderOf } from './webhooks'

const mostSources = 50

/** Everybody who may post results, with how much they did. */
export async function listSources(
  db: Queries,
  query: PageQuery,
): Promise<Page<EvidenceSourceItem>> {
  const rows = await db
    .select({
      row: evidenceSources,
      by: displayName(evidenceSources.setById),
      results: sql<number>`count(${outsideResults.id})::int`,
      last: max(outsideResults.at),
    })
    .from(evidenceSources)
    .leftJoin(outsideResults, eq(outsideResults.source, evidenceSources.slug))
    .groupBy(evidenceSources.slug)
    .orderBy(asc(evidenceSources.title))
  return pageFrom(
    rows.map(({ row, by, results, last }) => ({
      ...{ source: row.slug, title: row.title, setBy: by, setAt: row.setAt.toISOString(), results },
      ...(last && { lastAt: last.toISOString() }),
    })),
    query,
  )
}

/** Lets somebody outside post results; what they are signed with is shown this once. */
export async function createSource(
  context: Context,
  { title }: EvidenceSourceRequest,
): Promise<IssuedEvidenceSource> {
  const { db, actor, now } = context
  requirePermission(actor, 'pipeline')
  const slug = slugOf(title)
  const secret = newWebhookSecret()
  await db.transaction(async (tx) => {
    if ((await tx.$count(evidenceSources)) >= mostSources)
      throw conflict(`There are ${mostSources} sources already.`)
    const made = await tx
      .insert(evidenceSources)
      .values({
        ...{ slug, title, sealedSecret: seal(context.secret, secret) },
        ...{ setById: actor.id, setAt: now() },
      })
      .onConflictDoNothing()
      .returning({ slug: evidenceSources.slug })
    if (made.length === 0) throw conflict(`Another source is called ${title}.`)
    await record(tx, context, {
      action: 'pipeline.source-set',
      subject: slug,
      after: { title },
    })
  })
  const { items } = await listSources(db, { limit: mostSources })
  return { ...items.find(({ source }) => source === slug)!, secret }
}

/** Believes somebody no more; what they posted goes with them, and stays in the ledger. */
export async function removeSource(context: Context, slug: string): Promise<void> {
  const { db, actor } = context
  requirePermission(actor, 'pipeline')
  await db.transaction(async (tx) => {
    const [gone] = await tx
      .delete(evidenceSources)
      .where(eq(evidenceSources.slug, slug))
      .returning({ title: evidenceSources.title })
    if (!gone) throw notFound(`source of evidence called "${slug}"`)
    await record(tx, context, { action: 'pipeline.source-removed', subject: slug, before: gone })
  })
}

/** What was posted, the newest first. */
export async function listResults(
  { db }: Pick<Context, 'db'>,
  query: OutsideResultQuery,
): Promise<Page<OutsideResultItem>> {
  const rows = await db
    .select({ row: outsideResults, api: apis.slug, title: evidenceSources.title })
    .from(outsideResults)
    .innerJoin(apis, eq(apis.id, outsideResults.apiId))
    .innerJoin(evidenceSources, eq(evidenceSources.slug, outsideResults.source))
    .where(
      and(
        query.api ? eq(apis.slug, query.api) : undefined,
        query.source ? eq(outsideResults.source, query.source) : undefined,
      ),
    )
    .orderBy(desc(outsideResults.id))
    .limit(1000)
  const seen = new Set<string>()
  return pageFrom(
    rows.map(({ row, api, title }): OutsideResultItem => {
      const key = `${row.source} ${row.apiId} ${row.version}`
      const isLast = !seen.has(key)
      seen.add(key)
      return {
        ...{ id: row.id, source: row.source, title, api, version: row.version, isLast },
        ...{ result: row.passed ? 'passed' : 'failed', says: row.says, at: row.at.toISOString() },
        ...(row.url !== '' && { url: row.url }),
        ...(row.digest !== '' && { digest: row.digest }),
      }
    }),
    query,
  )
}

/**
 * Takes a result that a source has signed, once. Whoever is not believed learns nothing of which sources and which APIs there
 * are.
 */
export async function takeResult(
  services: Services,
  slug: string,
  header: HeaderOf,
  body: Buffer,
): Promise<{ says: string }> {
  const { db, now } = services
  const [known] = await db.select().from(evidenceSources).where(eq(evidenceSources.slug, slug))
  const signed = signatureIn(header)
  const source = signedFor(services, known, signed, body)
  const said = await accept(OutsideResultBody, parsed(body))
  const [api] = await db.select().from(apis).where(eq(apis.slug, said.api))
  if (!api) throw notFound(`API called "${said.api}"`)
  const versions = await db
    .select({ digest: revisions.digest })
    .from(revisions)
    .where(and(eq(revisions.apiId, api.id), eq(revisions.version, said.version)))
  if (versions.length === 0) throw notFound(`version ${said.version} of ${api.title}`)
  const { version, says, url = '', digest = '' } = said
  if (digest !== '' && !versions.some((one) => one.digest === digest))
    throw conflict(`No revision of ${api.title} ${version} has that digest.`)
  const passed = said.result === 'passed'
  await db.transaction(async (tx) => {
    const fresh = await tx
      .insert(outsideResults)
      .values({
        ...{ source: slug, message: signed.id, apiId: api.id, version, passed },
        ...{ says, url, digest, at: now() },
      })
      .onConflictDoNothing()
      .returning({ id: outsideResults.id })
    if (fresh.length === 0) throw conflict('This message came before, and was taken.')
    await record(
      tx,
      { actor: byItself, now },
      {
        action: 'api.evidence',
        api: api.id,
        subject: api.slug,
        after: {
          source: slug,
          version,
          passed,
          says,
          ...(url && { url }),
          ...(digest && { digest }),
        },
      },
    )
  })
  return {
    says: `${source.title} says of ${api.title} ${version}: ${passed ? 'passed' : 'failed'}`,
  }
}

function parsed(body: Buffer): unknown {
  try {
    return JSON.parse(body.toString('utf8'))
  } catch (error) {
    throw new Failure(400, 'Bad request', `The body is no JSON: ${errorText(error)}`)
  }
}

/** The last word of each source on the versions of some APIs, as gates ask for it. */
export async function outsideFacts(
  db: Queries,
  apiIds: readonly number[],
): Promise<Map<number, OutsideFacts[]>> {
  const rows = await db
    .selectDistinctOn([outsideResults.source, outsideResults.apiId, outsideResults.version], {
      row: outsideResults,
      title: evidenceSources.title,
    })
    .from(outsideResults)
    .innerJoin(evidenceSources, eq(evidenceSources.slug, outsideResults.source))
    .where(inArray(outsideResults.apiId, [...apiIds]))
    .orderBy(
      outsideResults.source,
      outsideResults.apiId,
      outsideResults.version,
      desc(outsideResults.id),
    )
  const facts = new Map<number, OutsideFacts[]>()
  for (const { row, title } of rows) {
    const { apiId, source, version, passed, says, url, digest, at } = row
    const own = facts.get(apiId) ?? []
    own.push({ source, title, version, passed, says, url, digest, at: at.getTime() })
    facts.set(apiId, own)
  }
  return facts
}
