import { and, asc, desc, eq, inArray, sql, type SQL } from 'drizzle-orm'
import { levels } from '../../core/rules/model'
import type { PageQuery } from '../../shared/api/catalog'
import type {
  ActResult,
  CommentItem,
  EstateFindings,
  FindingAct,
  FindingItem,
  FindingKey,
  FindingQuery,
  SurroundingsItem,
} from '../../shared/api/rules'
import type { Queries, Transaction } from '../db/database'
import { isNewest } from '../db/newest'
import { teamName, personName, personId } from '../db/names'
import {
  apis,
  assignments,
  baselines,
  comments,
  findings,
  people,
  revisions,
  tallies,
  teams,
} from '../db/schema'
import { findApi, findRevision } from './catalog'
import { settle } from './checking'
import { knownAround } from './known'
import type { Context } from './context'
import { invalid } from './failure'
import { record } from './ledger'
import { offsetOf, pageFrom, pageOf, type Page } from './paging'
import { requirePermission } from './permissions'
import { currentEdition } from './rulebooks'

const rank = sql`case ${findings.level} when 'MUST' then 0 when 'SHOULD' then 1 else 2 end`

const byText = [asc(apis.title), asc(apis.id), asc(findings.line), asc(findings.id)]

/** Findings of one revision, or of the newest revision of every API; the weightiest or the oldest first. */
export async function listFindings(db: Queries, query: FindingQuery): Promise<Page<FindingItem>> {
  const limit = query.limit ?? 100
  const offset = offsetOf(query)
  if (query.first !== 'oldest' && isWide(query)) {
    return pageOf((await weightiest(db, query, limit + 1, offset)).map(toItem), limit, offset)
  }
  const first =
    query.first === 'oldest'
      ? [asc(findings.firstSeen)]
      : query.api && query.first === undefined
        ? []
        : [asc(rank)]
  const rows = await selectFindings(db, filterOf(query))
    .orderBy(...first, ...byText)
    .limit(limit + 1)
    .offset(offset)
  return pageOf(rows.map(toItem), limit, offset)
}

/** Whether a list may be long: what people see to, and what is waived or accepted, is little. */
const isWide = ({ api, revision, person, status: standing = 'open' }: FindingQuery) =>
  standing === 'open' && [api, revision, person].every((one) => one === undefined)

/**
 * The weightiest of a large register, API by API: a database asked for all of them in order sorts a million to show a
 * hundred. Levels are looked at one after the other, and in each the APIs, some at first and twice as many each time.
 */
async function weightiest(db: Queries, query: FindingQuery, most: number, offset: number) {
  const newest = await db
    .select({ id: revisions.id })
    .from(apis)
    .innerJoin(revisions, isNewest)
    .where(query.team ? eq(teamName(apis.teamId), query.team) : undefined)
    .orderBy(asc(apis.title), asc(apis.id))
  const rows: FindingRow[] = []
  let skip = offset
  for (const level of query.level ? [query.level] : levels) {
    for (let from = 0, size = 25; from < newest.length; from += size, size *= 2) {
      const ids = newest.slice(from, from + size).map(({ id }) => id)
      const wanted = and(
        sql`${findings.revisionId} = any(${sql.param(ids)}::int[])`,
        filterOf({ ...query, level }),
      )
      const found = await selectFindings(db, wanted)
        .orderBy(...byText)
        .limit(most - rows.length)
        .offset(skip)
      if (found.length > 0) skip = 0
      else if (skip > 0) skip -= await countFindings(db, wanted)
      rows.push(...found)
      if (rows.length === most) return rows
    }
  }
  return rows
}

const filterOf = (query: FindingQuery) =>
  and(
    query.revision ? eq(revisions.number, query.revision) : eq(revisions.number, apis.latestNumber),
    query.api ? eq(apis.slug, query.api) : undefined,
    query.level ? eq(findings.level, query.level) : undefined,
    query.rule ? eq(findings.rule, query.rule) : undefined,
    query.team ? eq(teamName(apis.teamId), query.team) : undefined,
    query.status ? eq(findings.status, query.status) : undefined,
    query.person ? eq(personName(assignments.assigneeId), query.person) : undefined,
  )

const selectFindings = (db: Queries, wanted: SQL | undefined) =>
  db
    .select({
      finding: findings,
      api: apis.slug,
      title: apis.title,
      team: teamName(apis.teamId),
      revision: revisions.number,
      person: sql<string | null>`${personName(assignments.assigneeId)}`,
      comments: sql<number>`(select count(*)::int from ${comments} c where c.api_id = ${apis.id} and c.key = ${findings.key})`,
    })
    .from(findings)
    .innerJoin(revisions, eq(revisions.id, findings.revisionId))
    .innerJoin(apis, eq(apis.id, revisions.apiId))
    .leftJoin(assignments, and(eq(assignments.apiId, apis.id), eq(assignments.key, findings.key)))
    .where(wanted)

async function countFindings(db: Queries, wanted: SQL | undefined): Promise<number> {
  const [row] = await db
    .select({ count: sql<number>`count(*)::int` })
    .from(findings)
    .innerJoin(revisions, eq(revisions.id, findings.revisionId))
    .innerJoin(apis, eq(apis.id, revisions.apiId))
    .where(wanted)
  return row!.count
}

type FindingRow = Awaited<ReturnType<typeof selectFindings>>[number]

function toItem({ finding, person, ...row }: FindingRow): FindingItem {
  const { rule, level, becomes, since, message, key, at, operation, file, line, column } = finding
  return {
    rule,
    level,
    ...(becomes && { becomes }),
    ...(since && { since }),
    message,
    key,
    at,
    operation,
    file,
    line,
    column,
    ...row,
    firstSeen: finding.firstSeen.toISOString(),
    status: finding.status,
    ...(finding.waiverId !== null && { waiver: finding.waiverId }),
    ...(person && { person }),
  }
}

/** What a browser has to know to check an API's text as the server would. */
export async function readSurroundings(
  { db, now }: Context,
  slug: string,
): Promise<SurroundingsItem> {
  const api = await findApi(db, slug)
  const edition = await currentEdition(db, api.team)
  const newest = await findRevision(db, api, api.latestNumber)
  const { facts, estate } = await knownAround(db, edition, api, newest, now())
  return { facts, estate }
}

/** Rules by APIs in newest revisions, and how it went over time. */
export async function readEstate(db: Queries): Promise<EstateFindings> {
  const lastTally = db
    .select({ rules: tallies.rules })
    .from(tallies)
    .where(eq(tallies.apiId, apis.id))
    .orderBy(desc(tallies.id))
    .limit(1)
    .as('last_tally')
  const [list, days] = await Promise.all([
    db
      .select({
        api: apis.slug,
        title: apis.title,
        team: teamName(apis.teamId),
        open: lastTally.rules,
      })
      .from(apis)
      .innerJoinLateral(lastTally, sql`true`)
      .orderBy(asc(teamName(apis.teamId)), asc(apis.title)),
    daysOf(db),
  ])
  return { apis: list, days }
}

/**
 * How the estate stood at the end of each day on which something changed: the last tally of each API until then. Days
 * are summed up from what changed on each, so that many APIs over many days are one pass.
 */
async function daysOf(db: Queries) {
  const { rows } = await db.execute<EstateFindings['days'][number] & Record<string, unknown>>(sql`
    with ends as (
      select distinct on (api_id, day) api_id, (at at time zone 'UTC')::date as day, must, should, may, waived + accepted as aside
      from ${tallies} order by api_id, day, id desc
    ), steps as (
      select api_id, day, must - lag(must, 1, 0) over w as must, should - lag(should, 1, 0) over w as should,
        may - lag(may, 1, 0) over w as may, aside - lag(aside, 1, 0) over w as aside, lag(api_id) over w is null as begins
      from ends window w as (partition by api_id order by day)
    ), moved as (
      select s.day, t.name as team, sum(s.must) as must, sum(s.should) as should, sum(s.may) as may, sum(s.aside) as aside,
        count(*) filter (where s.begins) as apis
      from steps s join ${apis} a on a.id = s.api_id join ${teams} t on t.id = a.team_id group by s.day, t.name
    ), grown as (
      select d.day, t.team, sum(m.must) over w as must, sum(m.should) over w as should, sum(m.may) over w as may,
        sum(m.aside) over w as aside, sum(m.apis) over w as apis
      from (select distinct day from moved) d cross join (select distinct team from moved) t
      left join moved m on m.day = d.day and m.team = t.team
      window w as (partition by t.team order by d.day)
    )
    select to_char(day, 'YYYY-MM-DD') as day, team, must::int, should::int, may::int, aside::int
    from grown where apis > 0 order by grown.day, team`)
  return rows
}

/** The APIs of findings, each with the keys that are asked for and are really there. */
async function found(tx: Transaction, keys: FindingKey[]) {
  const byApi = new Map<string, string[]>()
  for (const { api, key } of keys) byApi.set(api, [...(byApi.get(api) ?? []), key])
  const result = []
  for (const [slug, wanted] of byApi) {
    const api = await findApi(tx, slug)
    const rows = await tx
      .select({ key: findings.key, rule: findings.rule })
      .from(findings)
      .innerJoin(
        revisions,
        and(
          eq(revisions.id, findings.revisionId),
          eq(revisions.number, api.latestNumber),
          eq(revisions.apiId, api.id),
        ),
      )
      .where(inArray(findings.key, wanted))
    result.push({ api, rows })
  }
  return result
}

/** Does one thing to many findings: gives them to somebody, says something of them, or accepts them as they are. */
export async function actOnFindings(context: Context, act: FindingAct): Promise<ActResult> {
  const { person, comment, accept } = act
  if (person === undefined && comment === undefined && accept === undefined) {
    throw invalid([{ field: 'person', message: 'Say what to do with them' }])
  }
  return context.db.transaction(async (tx) => {
    if (person) {
      const [known] = await tx
        .select({ name: people.name })
        .from(people)
        .where(eq(people.name, person))
      if (!known) throw invalid([{ field: 'person', message: `Nobody is called "${person}"` }])
    }
    let concerned = 0
    for (const { api, rows } of await found(tx, act.findings)) {
      requirePermission(context.actor, 'triage', api.team)
      concerned += rows.length
      const at = context.now()
      for (const { key, rule } of rows) {
        if (person !== undefined) {
          await tx
            .delete(assignments)
            .where(and(eq(assignments.apiId, api.id), eq(assignments.key, key)))
          if (person)
            await tx
              .insert(assignments)
              .values({ apiId: api.id, key, assigneeId: personId(person) })
        }
        if (comment)
          await tx
            .insert(comments)
            .values({ apiId: api.id, key, byId: context.actor.id, at, text: comment })
        if (accept) {
          const accepted = {
            apiId: api.id,
            key,
            rule,
            acceptedAt: at,
            acceptedById: context.actor.id,
          }
          await tx.insert(baselines).values(accepted).onConflictDoNothing()
        }
      }
      if (accept === false) {
        await tx.delete(baselines).where(
          and(
            eq(baselines.apiId, api.id),
            inArray(
              baselines.key,
              rows.map(({ key }) => key),
            ),
          ),
        )
      }
      if (accept !== undefined) await settle(tx, api.id, at)
      await record(tx, context, {
        action:
          accept === undefined
            ? 'finding.triaged'
            : accept
              ? 'finding.accepted'
              : 'finding.reopened',
        api: api.id,
        subject: api.slug,
        after: {
          findings: rows.map(({ key }) => key).slice(0, 100),
          count: rows.length,
          person,
          comment,
        },
      })
    }
    return { findings: concerned }
  })
}

/** Accepts everything that is open in an API today; afterwards only new findings count. */
export async function acceptAll(context: Context, slug: string): Promise<ActResult> {
  const api = await findApi(context.db, slug)
  const rows = await context.db
    .select({ key: findings.key })
    .from(findings)
    .innerJoin(
      revisions,
      and(eq(revisions.id, findings.revisionId), eq(revisions.number, api.latestNumber)),
    )
    .where(and(eq(revisions.apiId, api.id), eq(findings.status, 'open')))
  return actOnFindings(context, {
    findings: rows.map(({ key }) => ({ api: slug, key })),
    accept: true,
  })
}

/** What was said of a finding, oldest first. */
export async function listComments(
  db: Queries,
  { api: slug, key }: FindingKey,
  query: PageQuery,
): Promise<Page<CommentItem>> {
  const api = await findApi(db, slug)
  const rows = await db
    .select({ by: people.displayName, at: comments.at, text: comments.text })
    .from(comments)
    .innerJoin(people, eq(people.id, comments.byId))
    .where(and(eq(comments.apiId, api.id), eq(comments.key, key)))
    .orderBy(asc(comments.id))
  return pageFrom(
    rows.map(({ by, at, text }) => ({ by, at: at.toISOString(), text })),
    query,
  )
}
