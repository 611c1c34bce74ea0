import { eq, inArray, isNull, or, sql } from 'drizzle-orm'
import { teamName } from '../db/names'
import type { Edition } from '../../core/rules/model'
import {
  extendRulebook,
  readRulebook as readText,
  type Rulebook as Content,
} from '../../core/rules/rulebook'
import type { Rulebook } from '../../shared/api/rules'
import type { PageQuery } from '../../shared/api/catalog'
import type { Queries, Transaction } from '../db/database'
import { apis, editions, rulebooks, tallies } from '../db/schema'
import type { Actor } from './context'
import { invalid, notFound } from './failure'
import { record } from './ledger'
import { pageFrom } from './paging'

/** The rulebook of the organisation, which those of teams extend. */
export const houseSlug = 'house'

type EditionRow = typeof editions.$inferSelect

/** The newest edition of the organisation's rulebook and of a team's, where there are any. */
async function inForce(db: Queries, team: string | undefined): Promise<EditionRow[]> {
  const whose =
    team === undefined
      ? isNull(rulebooks.teamId)
      : or(isNull(rulebooks.teamId), eq(teamName(rulebooks.teamId), team))
  const newest = db
    .select({ number: sql<number>`max(${editions.number})` })
    .from(editions)
    .innerJoin(rulebooks, eq(rulebooks.slug, editions.rulebook))
    .where(whose)
    .groupBy(editions.rulebook)
  const rows = await db.select().from(editions).where(inArray(editions.number, newest))
  return rows.sort((a, b) => Number(b.rulebook === houseSlug) - Number(a.rulebook === houseSlug))
}

/**
 * What an API of a team is checked against: the organisation's newest edition, and on top of it that of the team's own
 * rulebook. Its number is the newer of both.
 */
export async function currentEdition(db: Queries, team?: string): Promise<Edition> {
  const [house, own] = await inForce(db, team)
  if (!house) throw notFound('rulebook')
  const { name, domain, words, groups, rules } = house.content
  const base: Edition = { number: house.number, name, domain, words, groups, rules }
  if (!own) return base
  return {
    number: Math.max(house.number, own.number),
    ...extendRulebook(base, own.content).edition,
  }
}

/** The rulebook in force for a team, or for everybody, with how often each rule is broken in newest revisions. */
export async function readRulebook(
  db: Queries,
  query: PageQuery,
  team?: string,
): Promise<Rulebook> {
  const edition = await currentEdition(db, team)
  const [trends, reached] = await Promise.all([
    readTrends(db),
    db.execute<{ rule: string; asked: number; broken: number }>(sql`
      select r.rule, sum(r.asked)::int as asked, sum(r.broken)::int as broken
      from apis a join revisions v on v.api_id = a.id and v.number = a.latest_number,
        jsonb_to_recordset(v.reach) as r(rule text, asked int, broken int)
      group by r.rule`),
  ])
  const reach = new Map(reached.rows.map((row) => [row.rule, row]))
  return {
    edition: edition.number,
    name: edition.name,
    domain: edition.domain,
    words: edition.words,
    groups: edition.groups,
    ...pageFrom(
      edition.rules.map((rule) => ({
        ...rule,
        findings: trends.get(rule.id)?.weeks.at(-1) ?? 0,
        apis: trends.get(rule.id)?.apis ?? 0,
        asked: reach.get(rule.id)?.asked ?? 0,
        broken: reach.get(rule.id)?.broken ?? 0,
        trend: trends.get(rule.id)?.weeks ?? [],
      })),
      query,
      1000,
    ),
  }
}

const trendWeeks = 6

interface Trend {
  /** Open findings in the whole register at the end of each of the last weeks, the oldest first; today is the last. */
  weeks: number[]
  /** APIs that break the rule today. */
  apis: number
}

/** How often each rule is broken by the newest revisions, from what is tallied for each API. */
async function readTrends(db: Queries): Promise<Map<string, Trend>> {
  const last = trendWeeks - 1
  const { rows } = await db.execute<{
    rule: string
    week: number
    count: number
    apis: number
  }>(sql`
    select r.key as rule, w.week, sum(r.value::int)::int as count, count(*)::int as apis
    from generate_series(0, ${last}::int) as w(week)
    cross join ${apis} a
    join lateral (
      select t.rules from ${tallies} t
      where t.api_id = a.id and (w.week = ${last} or t.at <= now() - (${last} - w.week) * interval '7 days')
      order by t.id desc limit 1
    ) t on true
    cross join lateral jsonb_each_text(t.rules) r
    group by r.key, w.week`)
  const trends = new Map<string, Trend>()
  for (const { rule, week, count, apis: breaking } of rows) {
    let trend = trends.get(rule)
    if (!trend) {
      trends.set(rule, (trend = { weeks: Array.from({ length: trendWeeks }, () => 0), apis: 0 }))
    }
    trend.weeks[week] = count
    if (week === last) trend.apis = breaking
  }
  return trends
}

/** The rulebook of a text; throws with every problem's place where it has any. */
export function requireReadable(text: string, file: string): Content {
  const { rulebook, diagnostics } = readText({ file, text })
  if (rulebook && diagnostics.length === 0) return rulebook
  throw invalid(
    diagnostics.map(({ message, line, column }) => ({ field: file, message, line, column })),
  )
}

interface NewEdition {
  slug: string
  text: string
  note: string
  actor: Pick<Actor, 'id'>
  at: Date
}

/** Adds an edition; numbers go through all rulebooks, so that the greater one is always the newer. */
export async function insertEdition(
  tx: Transaction,
  { slug, text, note, actor, at }: NewEdition,
): Promise<number> {
  await tx.execute(sql`lock table ${editions} in exclusive mode`)
  const [last] = await tx
    .select({
      number: sql<number>`greatest(coalesce(max(${editions.number}), 0), coalesce((select max(edition) from revisions), 0))::int`,
    })
    .from(editions)
  const number = last!.number + 1
  const content = requireReadable(text, `${slug}.yaml`)
  await tx.insert(editions).values({
    number,
    rulebook: slug,
    text,
    content,
    note,
    publishedAt: at,
    publishedById: actor.id,
  })
  return number
}

/** Begins the organisation's rulebook with a text, where there is none yet; true where it did. */
export async function beginRulebook(
  tx: Transaction,
  text: string,
  context: { actor: Actor; now: () => Date },
): Promise<boolean> {
  const [known] = await tx
    .select({ slug: rulebooks.slug })
    .from(rulebooks)
    .where(eq(rulebooks.slug, houseSlug))
  if (known) return false
  const at = context.now()
  const { name: title } = requireReadable(text, 'house.yaml')
  await tx.insert(rulebooks).values({
    slug: houseSlug,
    title,
    text,
    saves: 1,
    savedAt: at,
    savedById: context.actor.id,
  })
  const number = await insertEdition(tx, {
    slug: houseSlug,
    text,
    note: 'The first edition',
    actor: context.actor,
    at,
  })
  await record(tx, context, {
    action: 'rulebook.published',
    subject: houseSlug,
    after: { edition: number },
  })
  return true
}
