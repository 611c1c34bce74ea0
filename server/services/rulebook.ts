import { desc, eq, sql } from 'drizzle-orm'
import type { Edition } from '../../core/rules/model'
import type { PageQuery, Rulebook } from '../../shared/api/catalog'
import type { Queries } from '../db/database'
import { apis, editions, findings, revisions } from '../db/schema'
import { notFound } from './failure'
import { pageFrom } from './paging'

/** The edition in force: the newest. */
export async function currentEdition(db: Queries): Promise<Edition> {
  const [row] = await db.select().from(editions).orderBy(desc(editions.number)).limit(1)
  if (!row) throw notFound('rulebook')
  return row
}

/** The rulebook with how often each rule is broken in newest revisions. */
export async function readRulebook(db: Queries, query: PageQuery): Promise<Rulebook> {
  const edition = await currentEdition(db)
  const counts = await db
    .select({ rule: findings.rule, count: sql<number>`count(*)::int` })
    .from(findings)
    .innerJoin(revisions, eq(revisions.id, findings.revision))
    .innerJoin(
      apis,
      sql`${apis.id} = ${revisions.api} and ${apis.latestRevision} = ${revisions.number}`,
    )
    .groupBy(findings.rule)
  const byRule = new Map(counts.map(({ rule, count }) => [rule, count]))
  return {
    edition: edition.number,
    domain: edition.domain,
    ...pageFrom(
      edition.rules.map((rule) => ({ ...rule, findings: byRule.get(rule.id) ?? 0 })),
      query,
      1000,
    ),
  }
}
