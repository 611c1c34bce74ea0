import { and, desc, eq, inArray, lt, ne, sql, type SQLWrapper } from 'drizzle-orm'
import { asksForChanges } from '../../core/rules/before'
import { asksForEstate, type EstatePart } from '../../core/rules/estate'
import { pathKey } from '../../core/rules/library'
import type { ApiFacts, Edition } from '../../core/rules/model'
import type { Queries } from '../db/database'
import type { ApiRow } from '../db/names'
import { apis, estateNames, parts, placements, revisions } from '../db/schema'
import type { Earlier, FileSet } from '../jobs/analysis'
import type { Services } from './context'
import { filesOf, loadFiles, sha256 } from './files'

type RevisionRow = typeof revisions.$inferSelect

/** What the register knows around a definition when it is checked. */
export interface Known {
  facts: ApiFacts
  /** What other APIs hold under its names, where a rule compares them. */
  estate: EstatePart[]
  /** Earlier texts of the API, the newest first, where a rule asks what changed. */
  earlier: Earlier[]
}

/** A day as rules and waivers name it. */
export const dayOf = (moment: Date): string => moment.toISOString().slice(0, 10)

/** What the register knows of an API that is not there yet. */
export const factsOfNew = (
  { team, audience }: Pick<ApiFacts, 'team' | 'audience'>,
  now: Date,
): ApiFacts => {
  const today = dayOf(now)
  return { team, audience, lifecycle: 'writing', api: '', today, apiSince: today, versions: {} }
}

/** What the register knows of APIs, by their ids: their versions since when, and where they live. */
export async function factsOfAll(
  db: Queries,
  list: readonly ApiRow[],
  now: Date,
): Promise<Map<number, ApiFacts>> {
  const ids = list.map(({ id }) => id)
  const [begun, placed] = await Promise.all([
    db
      .select({
        api: revisions.apiId,
        version: revisions.version,
        since: sql<Date>`min(${revisions.savedAt})`,
      })
      .from(revisions)
      .where(inArray(revisions.apiId, ids))
      .groupBy(revisions.apiId, revisions.version),
    db
      .selectDistinct({
        api: placements.apiId,
        version: placements.version,
        stage: placements.stage,
      })
      .from(placements)
      .where(inArray(placements.apiId, ids)),
  ])
  const today = dayOf(now)
  const known = new Map(
    list.map(({ id, team, audience, lifecycle, slug: api }): [number, ApiFacts] => [
      id,
      { team, audience, lifecycle, api, today, apiSince: today, versions: {} },
    ]),
  )
  for (const { api, version, since: begunAt } of begun) {
    const facts = known.get(api)!
    const since = dayOf(new Date(begunAt))
    facts.versions[version] = { since, stages: [] }
    if (since < facts.apiSince) facts.apiSince = since
  }
  for (const { api, version, stage } of placed)
    known.get(api)!.versions[version]?.stages.push(stage)
  return known
}

/** What the register knows of one API. */
export const factsOf = async (db: Queries, api: ApiRow, now: Date): Promise<ApiFacts> =>
  (await factsOfAll(db, [api], now)).get(api.id)!

/** Everything that is known around a revision that is kept. */
export async function knownAround(
  db: Queries,
  edition: Pick<Edition, 'rules'>,
  api: ApiRow,
  { id, number, version, summary }: RevisionRow,
  now: Date,
): Promise<Known> {
  const schemas = db
    .select({ name: parts.name })
    .from(parts)
    .where(and(eq(parts.revisionId, id), eq(parts.kind, 'schema')))
  const basePaths = summary.servers.map(pathKey)
  const [facts, estate, earlier] = await Promise.all([
    factsOf(db, api, now),
    asksForEstate(edition.rules) ? estateNamed(db, basePaths, schemas) : [],
    asksForChanges(edition.rules)
      ? previousOf(db, api.id, { number, version }).then((list) => textsOf(db, api.id, list))
      : [],
  ])
  return { facts, estate, earlier }
}

/** A revision of an API, without what is in it. */
type Named = Pick<RevisionRow, 'id' | 'number' | 'version'>

/** The newest revision of another version before one; none for the first version. */
const previousOf = (
  db: Queries,
  apiId: number,
  { number, version }: Pick<Named, 'number' | 'version'>,
): Promise<Named[]> =>
  db
    .select({ id: revisions.id, number: revisions.number, version: revisions.version })
    .from(revisions)
    .where(
      and(eq(revisions.apiId, apiId), lt(revisions.number, number), ne(revisions.version, version)),
    )
    .orderBy(desc(revisions.number))
    .limit(1)

/** The texts of revisions of one API, with the days since which its operations are deprecated. */
async function textsOf(db: Queries, apiId: number, list: Named[]): Promise<Earlier[]> {
  if (list.length === 0) return []
  const deprecated = await deprecatedSince(db, [apiId])
  const since = Object.fromEntries(deprecated.map((operation) => [operation.name, operation.since]))
  return Promise.all(
    list.map(async ({ id, version }) => ({
      version,
      files: await loadFiles(db, await filesOf(db, id)),
      deprecatedSince: since,
    })),
  )
}

/** Since which day the operations of some APIs are deprecated in their definitions. */
export async function deprecatedSince(db: Queries, ids: readonly number[]) {
  const { rows } = await db.execute<{
    api: number
    name: string
    method: string
    path: string
    since: Date
  }>(sql`
    select ${revisions.apiId} as api, operation ->> 'name' as name, operation ->> 'method' as method,
      operation ->> 'path' as path, min(${revisions.savedAt}) as since
    from ${revisions}, jsonb_array_elements(${revisions.summary} -> 'operations') operation
    where ${inArray(revisions.apiId, [...ids])} and (operation ->> 'deprecated')::boolean
    group by 1, 2, 3, 4`)
  return rows.map(({ since, ...operation }) => ({ ...operation, since: dayOf(new Date(since)) }))
}

/** Texts that may be the version before one that is not known yet: the newest, and the newest of another version. */
async function textsBeforeNext(db: Queries, slug: string): Promise<Earlier[]> {
  const [newest] = await db
    .select({
      api: revisions.apiId,
      id: revisions.id,
      number: revisions.number,
      version: revisions.version,
    })
    .from(revisions)
    .innerJoin(apis, and(eq(apis.id, revisions.apiId), eq(apis.latestNumber, revisions.number)))
    .where(eq(apis.slug, slug))
  if (!newest) return []
  return textsOf(db, newest.api, [newest, ...(await previousOf(db, newest.api, newest))])
}

/** What of other APIs a check has seen is known by, whatever their order. */
export const estateDigest = (estate: EstatePart[]): string =>
  sha256(
    Buffer.from(
      JSON.stringify(
        estate
          .map(({ api, basePaths, schemas }) => [
            api,
            [...basePaths].sort(),
            schemas.map((pair) => pair.join(' ')).sort(),
          ])
          .sort(([a], [b]) => String(a).localeCompare(String(b))),
      ),
    ),
  )

/** Everything that is known around files that are not kept yet: they are read for their names first. */
export async function knownAroundFiles(
  { db, examiner }: Pick<Services, 'examiner'> & { db: Queries },
  edition: Pick<Edition, 'rules'>,
  facts: ApiFacts,
  files: FileSet,
): Promise<Known> {
  const names = asksForEstate(edition.rules) ? await examiner.names(files) : undefined
  const [estate, earlier] = await Promise.all([
    names ? estateNamed(db, names.basePaths, names.schemas) : [],
    asksForChanges(edition.rules) && facts.api !== '' ? textsBeforeNext(db, facts.api) : [],
  ])
  return { facts, estate, earlier }
}

/**
 * What APIs hold under some names; what is confidential is told to nobody by way of another API's findings. A large register holds much, and each definition needs little of it: joining finds
 * each name by the index, where one condition over thousands of names reads the whole table.
 */
async function estateNamed(
  db: Queries,
  basePaths: string[],
  schemas: string[] | SQLWrapper,
): Promise<EstatePart[]> {
  const named = (kind: string, names: SQLWrapper) =>
    sql`select distinct ${kind}::text as kind, name from (${names}) as asked (name)`
  const listed = (names: string[]) => sql`select unnest(${sql.param(names)}::text[])`
  const { rows } = await db.execute<{ api: string; kind: string; name: string; shape: string }>(sql`
    select ${apis.slug} as api, ${estateNames.kind}, ${estateNames.name}, ${estateNames.shape}
    from (${named('basePath', listed(basePaths))}
      union all ${named('schema', Array.isArray(schemas) ? listed(schemas) : schemas)}) as wanted
    join ${estateNames} on ${estateNames.kind} = wanted.kind and ${estateNames.name} = wanted.name
    join ${apis} on ${apis.id} = ${estateNames.apiId} and not ${apis.confidential}`)
  const byApi = new Map<string, EstatePart>()
  for (const { api, kind, name, shape } of rows) {
    let part = byApi.get(api)
    if (!part) byApi.set(api, (part = { api, basePaths: [], schemas: [] }))
    if (kind === 'basePath') part.basePaths.push(name)
    else part.schemas.push([name, shape])
  }
  return [...byApi.values()]
}
