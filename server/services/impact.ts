import { randomUUID } from 'node:crypto'
import { isUUID } from 'class-validator'
import { and, asc, desc, eq, inArray, sql, TransactionRollbackError } from 'drizzle-orm'
import { changedRules, weighedRules } from '../../core/rules/changes'
import { weightOf } from '../../core/rules/binding'
import {
  atVersion,
  type ApiFacts,
  type Edition,
  type Level,
  type Rule,
} from '../../core/rules/model'
import { asksForEstate } from '../../core/rules/estate'
import { extendRulebook } from '../../core/rules/rulebook'
import type { ImpactItem, ImpactPlace, ImpactQuery } from '../../shared/api/impact'
import { insertMany } from '../db/bulk'
import type { Queries, Transaction } from '../db/database'
import { apiColumns, teamName, type ApiRow } from '../db/names'
import {
  apis,
  findings,
  impactPlaces,
  impacts,
  judgements,
  placements,
  revisions,
  type JudgedPlace,
  rulebooks,
} from '../db/schema'
import { dayOf, estateDigest, knownAround } from './known'
import type { Context, Services } from './context'
import { findRulebook } from './drafts'
import { Failure, conflict, notFound } from './failure'
import { filesOf, loadFiles, sha256 } from './files'
import { announce } from './ledger'
import { offsetOf, pageOf, type Page } from './paging'
import { requirePermission } from './permissions'
import { lastStage } from './placements'
import { placementDifferences, type PlacementDifference } from './placement-impact'
import { currentEdition, houseSlug, requireReadable } from './rulebooks'
import { sideBySide } from './side-by-side'

type Row = typeof impacts.$inferSelect
type RevisionRow = typeof revisions.$inferSelect

/** Begins to work out what an unpublished rulebook would change, and for whom. */
export async function startImpact(
  context: Context,
  slug: string,
  text: string | undefined,
): Promise<ImpactItem> {
  const { db, actor, now, queue } = context
  const row = await findRulebook(db, slug)
  requirePermission(actor, 'measure')
  const draft = text ?? row.text
  requireReadable(draft, `${slug}.yaml`)
  const id = randomUUID()
  await db
    .insert(impacts)
    .values({ id, rulebook: slug, text: draft, byId: actor.id, at: now(), state: 'waiting' })
  await queue.measure(id)
  return readImpact(db, id)
}

async function findImpact(db: Queries, id: string): Promise<Row> {
  const [row] = isUUID(id) ? await db.select().from(impacts).where(eq(impacts.id, id)) : []
  if (!row) throw notFound('impact of that name')
  return row
}

/** How far a run is, and what it found so far, rule by rule. */
export async function readImpact(db: Queries, id: string): Promise<ImpactItem> {
  const row = await findImpact(db, id)
  const rules = await db
    .select({
      rule: impactPlaces.rule,
      fails: sql<number>`count(*) filter (where kind = 'fails' and newest)::int`,
      passes: sql<number>`count(*) filter (where kind = 'passes' and newest)::int`,
      weighs: sql<number>`count(*) filter (where kind = 'weighs' and newest)::int`,
      live: sql<number>`count(*) filter (where kind <> 'passes' and live)::int`,
      apis: sql<number>`count(distinct ${impactPlaces.apiId})::int`,
      teams: sql<string[]>`array_agg(distinct ${teamName(apis.teamId)})`,
    })
    .from(impactPlaces)
    .innerJoin(apis, eq(apis.id, impactPlaces.apiId))
    .where(eq(impactPlaces.impactId, id))
    .groupBy(impactPlaces.rule)
    .orderBy(desc(sql`count(*)`))
  const { rulebook, state, total, done, reused, trouble } = row
  return { impact: id, rulebook, state, total, done, reused, trouble, rules }
}

/** The places of a run, down to the line. */
export async function listImpactPlaces(
  db: Queries,
  id: string,
  query: ImpactQuery,
): Promise<Page<ImpactPlace>> {
  await findImpact(db, id)
  const limit = query.limit ?? 100
  const offset = offsetOf(query)
  const rows = await db
    .select({
      rule: impactPlaces.rule,
      api: apis.slug,
      title: apis.title,
      team: teamName(apis.teamId),
      revision: impactPlaces.revisionNumber,
      live: impactPlaces.live,
      newest: impactPlaces.newest,
      kind: impactPlaces.kind,
      level: impactPlaces.level,
      message: impactPlaces.message,
      file: impactPlaces.file,
      line: impactPlaces.line,
      placement: impactPlaces.placement,
    })
    .from(impactPlaces)
    .innerJoin(apis, eq(apis.id, impactPlaces.apiId))
    .where(
      and(
        eq(impactPlaces.impactId, id),
        query.rule ? eq(impactPlaces.rule, query.rule) : undefined,
        query.kind ? eq(impactPlaces.kind, query.kind) : undefined,
        query.team ? eq(teamName(apis.teamId), query.team) : undefined,
      ),
    )
    .orderBy(
      asc(apis.title),
      asc(impactPlaces.revisionNumber),
      asc(impactPlaces.line),
      asc(impactPlaces.id),
    )
    .limit(limit + 1)
    .offset(offset)
  return pageOf(rows, limit, offset)
}

/** Stops a run; what it worked out is kept for the next one. */
export async function stopImpact(context: Context, id: string): Promise<void> {
  const row = await findImpact(context.db, id)
  requirePermission(context.actor, 'measure')
  if (!['waiting', 'running'].includes(row.state)) throw conflict('This run has ended already.')
  await context.db.update(impacts).set({ state: 'stopped' }).where(eq(impacts.id, id))
  await announce(context.db, 'impact')
}

interface Target {
  api: ApiRow
  revision: RevisionRow
  newest: boolean
  live: boolean
}

/** The newest revision of every API, and the one that runs in the last stage where that is another. */
async function targetsOf(db: Queries, team: string | null): Promise<Target[]> {
  const last = await lastStage(db)
  const placed = await db
    .selectDistinct({ revision: placements.revisionId })
    .from(placements)
    .where(eq(placements.stage, last ?? ''))
  const live = new Set(placed.map(({ revision }) => revision))
  const rows = await db
    .select({ api: apiColumns, revision: revisions })
    .from(apis)
    .innerJoin(revisions, eq(revisions.apiId, apis.id))
    .where(
      and(
        team === null ? undefined : eq(teamName(apis.teamId), team),
        live.size > 0
          ? sql`(${revisions.number} = ${apis.latestNumber} or ${inArray(revisions.id, [...live])})`
          : sql`${revisions.number} = ${apis.latestNumber}`,
      ),
    )
    .orderBy(asc(apis.id), asc(revisions.number))
  return rows.map(({ api, revision }) => ({
    api,
    revision,
    newest: revision.number === api.latestNumber,
    live: live.has(revision.id),
  }))
}

/** The worker's part. Safe to begin again after a worker died: what was worked out is found again at once. */
export async function workImpact(services: Services, id: string): Promise<void> {
  const { db } = services
  const row = await findImpact(db, id)
  if (row.state !== 'waiting' && row.state !== 'running') return
  try {
    await measure(services, row)
  } catch (error) {
    if (!(error instanceof Failure)) throw error
    await db
      .update(impacts)
      .set({ state: 'failed', trouble: error.detail })
      .where(eq(impacts.id, id))
  }
  await announce(db, 'impact')
}

async function measure(services: Services, { id, rulebook: slug, text }: Row): Promise<void> {
  const { db } = services
  const { team } = await findRulebook(db, slug)
  const draft = requireReadable(text, `${slug}.yaml`)
  const targets = await targetsOf(db, team)
  const placed = await db.selectDistinct({ api: placements.apiId }).from(placements)
  const ids = new Set(placed.map(({ api }) => api))
  const standing = [
    ...new Map(
      targets.filter(({ api }) => ids.has(api.id)).map(({ api }) => [api.id, api]),
    ).values(),
  ]
  await db.delete(impactPlaces).where(eq(impactPlaces.impactId, id))
  await db
    .update(impacts)
    .set({ state: 'running', total: targets.length + standing.length, done: 0, reused: 0 })
    .where(eq(impacts.id, id))
  const editions = new Map<string, Promise<[now: Edition, next: Edition]>>()
  const editionsOf = (team: string) => {
    let known = editions.get(team)
    if (!known) editions.set(team, (known = bothEditions(db, slug, draft, team)))
    return known
  }
  let stopped = false
  await sideBySide(targets, async (target) => {
    if (stopped) return
    const [now, next] = await editionsOf(target.api.team)
    const found = await compared(services, target, now, next)
    stopped ||= !(await keep(db, id, target, found))
  })
  // What runs is held against the rules about that, API by API.
  await sideBySide(standing, async (api) => {
    if (stopped) return
    const [now, next] = await editionsOf(api.team)
    const found = await placementDifferences(db, api, services.now(), now, next)
    stopped ||= !(await keepRows(
      db,
      id,
      found.map((one) => rowOf(id, api, one)),
      0,
    ))
  })
  await db
    .update(impacts)
    .set({ state: 'done' })
    .where(and(eq(impacts.id, id), eq(impacts.state, 'running')))
}

/** What is in force for a team, and what would be. */
async function bothEditions(
  db: Queries,
  slug: string,
  draft: ReturnType<typeof requireReadable>,
  team: string,
): Promise<[now: Edition, next: Edition]> {
  const now = await currentEdition(db, team)
  return [now, await nextEdition(db, slug, draft, now, team)]
}

/** What would be in force for a team, were the draft published. */
async function nextEdition(
  db: Queries,
  slug: string,
  draft: ReturnType<typeof requireReadable>,
  now: Edition,
  team: string,
): Promise<Edition> {
  if (slug !== houseSlug) {
    return { number: now.number + 1, ...extendRulebook(await currentEdition(db), draft).edition }
  }
  const { name, domain, words, groups, rules } = draft
  const base = { name, domain, words, groups, rules }
  const own = await teamContent(db, team)
  return { number: now.number + 1, ...(own ? extendRulebook(base, own).edition : base) }
}

async function teamContent(db: Queries, team: string) {
  const { rows } = await db.execute<{ content: ReturnType<typeof requireReadable> }>(sql`
    select e.content from editions e join ${rulebooks} on ${rulebooks.slug} = e.rulebook
    where ${teamName(rulebooks.teamId)} = ${team} order by e.number desc limit 1`)
  return rows[0]?.content
}

interface Difference {
  rule: string
  kind: 'fails' | 'passes' | 'weighs'
  place: JudgedPlace
}

interface Compared {
  places: Difference[]
  /** Rules whose findings there are would weigh otherwise, and how much. */
  weighed: ReadonlyMap<string, Level>
  reused: number
}

/** What a revision's findings would gain, lose, and weigh otherwise. Only rules that changed are looked at. */
async function compared(
  services: Services,
  target: Target,
  now: Edition,
  next: Edition,
): Promise<Compared> {
  const weighed = await foundAlready(services, target, now, weighedRules(now, next))
  const changed = changedRules(now, next).filter(({ id }) => !weighed.has(id))
  const ids = new Set(changed.map(({ id }) => id))
  const kept = new Set(next.rules.map(({ id }) => id))
  const old = now.rules.filter((rule) => ids.has(rule.id) || !kept.has(rule.id))
  const before = await judged(services, target, { ...now, rules: old })
  const after = await judged(services, target, { ...next, rules: changed })
  const places: Difference[] = []
  for (const [rule, list] of after.places) {
    const known = new Map((before.places.get(rule) ?? []).map((place) => [place.key, place]))
    for (const place of list) {
      const was = known.get(place.key)
      if (!was) places.push({ rule, kind: 'fails', place })
      else if (was.level !== place.level) places.push({ rule, kind: 'weighs', place })
    }
  }
  for (const [rule, list] of before.places) {
    const still = new Set((after.places.get(rule) ?? []).map(({ key }) => key))
    for (const place of list)
      if (!still.has(place.key)) places.push({ rule, kind: 'passes', place })
  }
  return { places, weighed, reused: 2 * weighed.size + before.reused + after.reused }
}

/**
 * The new levels of rules that only weigh otherwise, whose findings are those of the last check; none where that was not
 * of today and of the edition in force.
 */
async function foundAlready(
  { db, now }: Services,
  { api, revision }: Target,
  edition: Edition,
  rules: Rule[],
): Promise<ReadonlyMap<string, Level>> {
  const isFresh = revision.edition === edition.number && revision.checkedOn === dayOf(now())
  if (!isFresh) return new Map()
  const estateRules = rules.filter((rule) => asksForEstate([rule]))
  const { facts, estate } = await knownAround(db, { rules: estateRules }, api, revision, now())
  const isSame = estateRules.length === 0 || revision.estateDigest === estateDigest(estate)
  const circumstances = atVersion(facts, revision.version)
  return new Map(
    rules
      .filter((rule) => isSame || !estateRules.includes(rule))
      .map((rule): [string, Level] => [rule.id, weightOf(rule, circumstances).level]),
  )
}

/** What rules find in a revision: what was found before under the same circumstances is taken from there. */
async function judged(
  { db, examiner, now }: Services,
  { api, revision }: Target,
  edition: Edition,
): Promise<{ places: Map<string, JudgedPlace[]>; reused: number }> {
  const places = new Map<string, JudgedPlace[]>()
  if (edition.rules.length === 0) return { places, reused: 0 }
  const surroundings = await knownAround(db, edition, api, revision, now())
  const { facts, estate } = surroundings
  const around = estateDigest(estate)
  const digests = new Map(
    edition.rules.map((rule) => [rule.id, digestOf(rule, edition, facts, around)]),
  )
  const known = await db
    .select()
    .from(judgements)
    .where(
      and(
        eq(judgements.revisionId, revision.id),
        inArray(judgements.digest, [...digests.values()]),
      ),
    )
  const byDigest = new Map(known.map((row) => [row.digest, row.places]))
  const fresh = edition.rules.filter((rule) => !byDigest.has(digests.get(rule.id)!))
  for (const rule of edition.rules) {
    if (!fresh.includes(rule)) places.set(rule.id, byDigest.get(digests.get(rule.id)!)!)
  }
  if (fresh.length === 0) return { places, reused: edition.rules.length }
  const files = await loadFiles(db, await filesOf(db, revision.id))
  const examination = await examiner.examine(files, { ...edition, rules: fresh }, surroundings)
  const found = examination.readable ? examination.findings : []
  for (const rule of fresh) {
    places.set(
      rule.id,
      found
        .filter((finding) => finding.rule === rule.id)
        .map(({ key, level, message, file, line }) => ({ key, level, message, file, line })),
    )
  }
  await db
    .insert(judgements)
    .values(
      fresh.map((rule) => ({
        revisionId: revision.id,
        digest: digests.get(rule.id)!,
        places: places.get(rule.id)!,
      })),
    )
    .onConflictDoNothing()
  return { places, reused: edition.rules.length - fresh.length }
}

const digestOf = (rule: Rule, { domain, words }: Edition, facts: ApiFacts, estate: string) =>
  sha256(
    Buffer.from(
      JSON.stringify([
        [rule.about, rule.formats, rule.where, rule.expect, rule.message, rule.part],
        [rule.level, rule.binds, domain, words],
        facts,
        asksForEstate([rule]) ? estate : '',
      ]),
    ),
  )

/** Keeps what a revision gains and loses; false where somebody stopped the run. */
async function keep(
  db: Services['db'],
  id: string,
  { api, revision, newest, live }: Target,
  { places, weighed, reused }: Compared,
): Promise<boolean> {
  const rows = places.map(({ rule, kind, place: { level, message, file, line } }) => ({
    impactId: id,
    rule,
    apiId: api.id,
    revisionNumber: revision.number,
    newest,
    live,
    kind,
    level,
    message,
    file: file === revision.file ? '' : file,
    line,
    placement: '',
  }))
  return keepRows(db, id, rows, reused, async (tx) => {
    // Those that are kept already do not leave the database for this.
    if (weighed.size > 0)
      await tx.execute(sql`
        insert into impact_places
          (impact_id, rule, api_id, revision_number, newest, live, kind, level, message, file, line)
        select ${id}::uuid, found.rule, ${api.id}, ${revision.number}, ${newest}, ${live}, 'weighs',
          weighed.level, found.message, found.file, found.line
        from ${findings} found
        join unnest(${sql.param([...weighed.keys()])}::text[], ${sql.param([...weighed.values()])}::text[])
          as weighed (rule, level) on weighed.rule = found.rule
        where found.revision_id = ${revision.id} and found.level <> weighed.level`)
  })
}

type ImpactRow = typeof impactPlaces.$inferInsert

/** What is found at a placement, as a row of a run: it stands now, whichever revision it is of. */
const rowOf = (
  id: string,
  api: ApiRow,
  { kind, finding: { rule, level, message }, placement, revision, live }: PlacementDifference,
): ImpactRow => ({
  ...{ impactId: id, rule, apiId: api.id, revisionNumber: revision, newest: true, live },
  ...{ kind, level, message, file: '', line: 0, placement },
})

/** Keeps rows of a run and counts one more step of it; false where somebody stopped it. */
async function keepRows(
  db: Services['db'],
  id: string,
  rows: ImpactRow[],
  reused: number,
  more: (tx: Transaction) => Promise<void> = () => Promise.resolve(),
): Promise<boolean> {
  return db
    .transaction(async (tx) => {
      await insertMany(tx, impactPlaces, rows)
      await more(tx)
      // The run is locked last, so that revisions are kept side by side; what was kept for one that was stopped is undone.
      const going = await tx
        .update(impacts)
        .set({ done: sql`${impacts.done} + 1`, reused: sql`${impacts.reused} + ${reused}` })
        .where(and(eq(impacts.id, id), eq(impacts.state, 'running')))
        .returning({ id: impacts.id })
      if (going.length === 0) tx.rollback()
      await announce(tx, 'impact')
      return true
    })
    .catch((error: unknown) => {
      if (error instanceof TransactionRollbackError) return false
      throw error
    })
}
