import { isDeepStrictEqual } from 'node:util'
import { and, asc, between, desc, eq, inArray, sql } from 'drizzle-orm'
import { countLevels, type Examination, type LevelCounts } from '../../core/definition'
import { insertMany } from '../db/bulk'
import type { Queries, Transaction } from '../db/database'
import { isNewest } from '../db/newest'
import { apiColumns, teamName } from '../db/names'
import { apis, baselines, findings, revisions, tallies, waivers } from '../db/schema'
import type { FindingStatus } from '../../shared/words'
import type { Services } from './context'
import { Failure } from './failure'
import { filesOf, loadFiles } from './files'
import { dayOf, estateDigest, knownAround } from './known'
import { currentEdition } from './rulebooks'
import { sideBySide } from './side-by-side'

type Readable = Extract<Examination, { readable: true }>

interface Checked {
  api: number
  /** The revision's identifier, and its number within its API. */
  revision: number
  number: number
}

/** Keeps the findings of a revision, in place of those it had. One that was seen before is as old as it was then. */
export async function keepFindings(
  tx: Transaction,
  { api, revision, number }: Checked,
  { findings: list, summary }: Pick<Readable, 'findings' | 'summary'>,
  now: Date,
): Promise<void> {
  const seen = await firstSeen(tx, api, number)
  await tx.delete(findings).where(eq(findings.revisionId, revision))
  const main = summary.files[0]
  await insertMany(
    tx,
    findings,
    list.map(({ operation = '', becomes = null, since = null, ...finding }) => ({
      ...finding,
      operation,
      becomes,
      since,
      file: finding.file === main ? '' : finding.file,
      revisionId: revision,
      status: 'open' as const,
      firstSeen: seen.get(finding.key) ?? now,
    })),
  )
}

/** When the findings of the revisions before this one, and of itself where it is checked again, were first seen. */
async function firstSeen(tx: Transaction, api: number, number: number): Promise<Map<string, Date>> {
  const rows = await tx
    .select({ key: findings.key, at: sql<Date>`min(${findings.firstSeen})` })
    .from(findings)
    .innerJoin(revisions, eq(revisions.id, findings.revisionId))
    .where(
      and(
        eq(revisions.apiId, api),
        inArray(revisions.number, [number, number - 1]),
        sql`${findings.key} <> ''`,
      ),
    )
    .groupBy(findings.key)
  return new Map(rows.map(({ key, at }) => [key, new Date(at)]))
}

/** Checks the newest revision again: findings depend on the day, on what the register knows, and on the edition. */
export async function recheck(
  context: Pick<Services, 'db' | 'examiner' | 'now'>,
  slug: string,
): Promise<void> {
  const { db } = context
  const [api] = await db.select(apiColumns).from(apis).where(eq(apis.slug, slug))
  if (!api) return
  const [row] = await db
    .select()
    .from(revisions)
    .where(and(eq(revisions.apiId, api.id), eq(revisions.number, api.latestNumber)))
  if (!row) return
  const now = context.now()
  const edition = await currentEdition(db, api.team)
  const files = await loadFiles(db, await filesOf(db, row.id))
  const known = await knownAround(db, edition, api, row, now)
  const examination = await context.examiner.examine(files, edition, known)
  if (!examination.readable) return
  await db.transaction(async (tx) => {
    const target = { api: api.id, revision: row.id, number: row.number }
    await keepFindings(tx, target, examination, now)
    await tx
      .update(revisions)
      .set({
        reach: examination.reach,
        faults: examination.faults,
        edition: edition.number,
        checkedOn: dayOf(now),
        estateDigest: estateDigest(known.estate),
      })
      .where(eq(revisions.id, row.id))
    await settle(tx, api.id, now)
  })
}

/** Waivers that hold on a day for an API, those for the whole estate among them. */
export async function waiversInForce(db: Queries, api: number, day: string) {
  return db
    .select()
    .from(waivers)
    .where(
      sql`(${waivers.apiId} is null or ${waivers.apiId} = ${api}) and ${waivers.state} = 'approved' and ${waivers.until} >= ${day}`,
    )
    .orderBy(asc(waivers.id))
}

/** Waivers that end so soon are announced, so that there is time to fix or to ask again. */
const announcedDays = 30

/** How many waivers end soon, for one API or in the whole register. */
export async function countEndingWaivers(db: Queries, now: Date, api?: number): Promise<number> {
  const last = dayOf(new Date(now.getTime() + announcedDays * 86_400_000))
  const [row] = await db
    .select({ count: sql<number>`count(*)::int` })
    .from(waivers)
    .where(
      and(
        eq(waivers.state, 'approved'),
        between(waivers.until, dayOf(now), last),
        api === undefined ? undefined : eq(waivers.apiId, api),
      ),
    )
  return row!.count
}

/** The waiver that takes a finding out, of those that hold for its API. */
export const waiverFor = (
  held: (typeof waivers.$inferSelect)[],
  { rule, operation = '', key }: { rule: string; operation?: string | undefined; key: string },
) =>
  held.find(
    (waiver) =>
      waiver.rule === rule &&
      (waiver.operation === null || waiver.operation === operation) &&
      (waiver.key === null || waiver.key === key),
  )

/**
 * Says of each finding of an API's newest revision whether it counts: a waiver that holds, or a team's acceptance,
 * takes it out. What was accepted and is fixed leaves the acceptance for good. Keeps the counts, and a tally of them.
 */
export async function settle(tx: Transaction, api: number, now: Date): Promise<LevelCounts> {
  const [row] = await tx
    .select({ revision: revisions, slug: apis.slug })
    .from(revisions)
    .innerJoin(apis, isNewest)
    .where(eq(apis.id, api))
  if (!row) return { must: 0, should: 0, may: 0 }
  const { revision } = row
  // One after the other: a transaction is one connection.
  const list = await tx.select().from(findings).where(eq(findings.revisionId, revision.id))
  const held = await waiversInForce(tx, api, dayOf(now))
  const accepted = await tx.select().from(baselines).where(eq(baselines.apiId, api))
  const keys = new Set(list.map(({ key }) => key))
  const fixed = accepted.filter(({ key }) => !keys.has(key)).map(({ key }) => key)
  if (fixed.length > 0) {
    await tx.delete(baselines).where(and(eq(baselines.apiId, api), inArray(baselines.key, fixed)))
  }
  const known = new Set(accepted.map(({ key }) => key))
  const changed: { id: number; status: FindingStatus; waiverId: number | null }[] = []
  const open = []
  const total = { waived: 0, accepted: 0 }
  for (const finding of list) {
    const waiver = waiverFor(held, finding)
    const status: FindingStatus = waiver ? 'waived' : known.has(finding.key) ? 'accepted' : 'open'
    if (status === 'open') open.push(finding)
    else total[status]++
    if (status !== finding.status || (waiver?.id ?? null) !== finding.waiverId) {
      changed.push({ id: finding.id, status, waiverId: waiver?.id ?? null })
    }
  }
  const groups = new Map<string, typeof changed>()
  for (const change of changed) {
    const name = `${change.status} ${change.waiverId}`
    groups.set(name, [...(groups.get(name) ?? []), change])
  }
  for (const group of groups.values()) {
    const { status, waiverId } = group[0]!
    await tx
      .update(findings)
      .set({ status, waiverId })
      .where(
        inArray(
          findings.id,
          group.map(({ id }) => id),
        ),
      )
  }
  const counts = countLevels(open)
  await tx
    .update(revisions)
    .set({ counts, ...total })
    .where(eq(revisions.id, revision.id))
  await tally(
    tx,
    {
      apiId: api,
      revisionNumber: revision.number,
      edition: revision.edition,
      ...counts,
      ...total,
      rules: countRules(open),
    },
    now,
  )
  return counts
}

function countRules(open: { rule: string }[]): Record<string, number> {
  const counts: Record<string, number> = {}
  for (const { rule } of open) counts[rule] = (counts[rule] ?? 0) + 1
  return counts
}

type Tally = Omit<typeof tallies.$inferInsert, 'id' | 'at'>

/** Notes how an API stands, where that is not how it stood before. */
async function tally(tx: Transaction, next: Tally, now: Date): Promise<void> {
  const [last] = await tx
    .select()
    .from(tallies)
    .where(eq(tallies.apiId, next.apiId))
    .orderBy(desc(tallies.id))
    .limit(1)
  const same =
    last &&
    (Object.keys(next) as (keyof Tally)[]).every((name) =>
      isDeepStrictEqual(last[name], next[name]),
    )
  if (!same) await tx.insert(tallies).values({ ...next, at: now })
}

/** Settles every API that this concerns: after a waiver for the whole estate, or on a new day. */
export async function settleAll(
  { db, now }: Pick<Services, 'db' | 'now'>,
  only?: number,
): Promise<void> {
  const rows = await db
    .select({ id: apis.id })
    .from(apis)
    .where(only === undefined ? undefined : eq(apis.id, only))
  for (const { id } of rows) await db.transaction((tx) => settle(tx, id, now()))
}

/** Checks again what a new edition or a new day may have changed. Safe to repeat: what is up to date is left alone. */
export async function recheckAll(
  context: Pick<Services, 'db' | 'examiner' | 'now'>,
): Promise<number> {
  const { db } = context
  const today = dayOf(context.now())
  const rows = await db
    .select({
      slug: apis.slug,
      team: teamName(apis.teamId),
      edition: revisions.edition,
      on: revisions.checkedOn,
    })
    .from(apis)
    .innerJoin(revisions, isNewest)
  const numbers = new Map<string, number>()
  for (const team of new Set(rows.map((row) => row.team))) {
    numbers.set(team, (await currentEdition(db, team)).number)
  }
  let done = 0
  await sideBySide(rows, async ({ slug, team, edition, on }) => {
    if (edition === numbers.get(team) && on === today) return
    try {
      await recheck(context, slug)
      done++
    } catch (error) {
      // One that cannot be checked keeps what was found before, and holds nobody else up.
      if (!(error instanceof Failure)) throw error
      console.error(`${slug} is not checked again: ${error.detail}`)
    }
  })
  return done
}
