import { and, asc, eq, inArray, isNull, or, sql, type SQL } from 'drizzle-orm'
import type { ActEvidence, EvidencePackage } from '../../core/ledger/evidence'
import type { Gate } from '../../core/pipeline/gates'
import { planDigest } from '../../core/pipeline/plan'
import type { Queries, Transaction } from '../db/database'
import {
  approvals,
  comparisonChanges,
  findings,
  ledger,
  people,
  promotions,
  rolloutRequests,
  rollouts,
  type Evidence,
} from '../db/schema'
import type { Context } from './context'
import { conflict, notFound } from './failure'
import { filesOf } from './files'
import { signNow } from './heads'
import { proveAll } from './ledger'
import { outsideFacts } from './outside'
import { probeFacts } from './probes'
import { promotedIn, shownPlan, type Plan, type PromotionRow } from './promotion-plans'
import { requestsIn } from './rollouts'
import { comparedWith } from './version-gate'

/** So many findings and changes stand in a package one by one; the numbers say how many there are. */
const mostListed = 500

/** What is known of a request when it is carried out, for as long as the ledger is kept. */
export async function actEvidence(
  tx: Transaction,
  row: PromotionRow,
  plan: Plan,
  gates: Gate[],
  now: Date,
): Promise<Evidence & ActEvidence> {
  const { revision, basis } = plan
  const files = await filesOf(tx, revision.id)
  const { must, should, may } = revision.counts
  const evidence = {
    basis,
    definition: {
      ...{ revision: revision.number, version: revision.version, digest: revision.digest },
      files: files.map(({ name, sha256 }) => ({ name, sha256 })),
    },
    findings: { must, should, may, listed: await findingsOf(tx, revision.id) },
    comparisons: row.kind === 'promotion' ? await comparisonsOf(tx, row, plan) : [],
    approvals: await approvalsOf(tx, row, planDigest(basis)),
    gates,
    ...(await probesOf(tx, row, plan)),
    ...(await outsideOf(tx, row)),
    plan: await shownPlan(tx, row, plan, now),
  }
  // As it comes back from the database: what JSON cannot say is in no digest.
  return JSON.parse(JSON.stringify(evidence)) as typeof evidence
}

/** What sources outside said last of a version; nothing where none did. */
async function outsideOf(
  db: Queries,
  { apiId, version }: PromotionRow,
): Promise<Pick<ActEvidence, 'outside'>> {
  const all = ((await outsideFacts(db, [apiId])).get(apiId) ?? []).filter(
    (one) => one.version === version,
  )
  if (all.length === 0) return {}
  return {
    outside: all.map(({ source, passed, says, url, at }) => ({
      ...{ source, passed, says, url, at: new Date(at).toISOString() },
    })),
  }
}

/** How the probes of an API went last where a version stands; nothing where it has none. */
async function probesOf(
  db: Queries,
  { apiId }: PromotionRow,
  { from }: Plan,
): Promise<Pick<ActEvidence, 'probes'>> {
  const all = (await probeFacts(db, [apiId])).get(apiId)
  if (!all) return {}
  const ids = from.map(({ id }) => id)
  return {
    probes: all.flatMap(({ title, runs }) =>
      runs
        .filter(({ placement }) => ids.includes(placement))
        .map(({ at, ...run }) => ({ title, ...run, at: new Date(at).toISOString() })),
    ),
  }
}

const findingsOf = (db: Queries, revision: number): Promise<ActEvidence['findings']['listed']> =>
  db
    .select({
      rule: findings.rule,
      level: findings.level,
      status: findings.status,
      message: findings.message,
      at: findings.at,
    })
    .from(findings)
    .where(eq(findings.revisionId, revision))
    .orderBy(
      sql`array_position(array['MUST', 'SHOULD', 'MAY'], ${findings.level})`,
      asc(findings.line),
      asc(findings.id),
    )
    .limit(mostListed)

async function comparisonsOf(
  db: Queries,
  row: PromotionRow,
  plan: Plan,
): Promise<ActEvidence['comparisons'][number][]> {
  const all: ActEvidence['comparisons'][number][] = []
  for (const { version, result } of await comparedWith(db, promotedIn(row, plan))) {
    if (result?.state !== 'done') continue
    const { breaking, risky, safe } = result.counts
    const listed = await db
      .select({
        effect: comparisonChanges.effect,
        operation: comparisonChanges.operation,
        message: comparisonChanges.message,
      })
      .from(comparisonChanges)
      .where(eq(comparisonChanges.resultId, result.id))
      .orderBy(
        sql`array_position(array['breaking', 'risky', 'safe'], ${comparisonChanges.effect})`,
        asc(comparisonChanges.position),
      )
      .limit(mostListed)
    all.push({ since: version, breaking, risky, safe, listed })
  }
  return all
}

/** Approvals of exactly this plan. */
const approvalsOf = async (
  db: Queries,
  { id }: PromotionRow,
  plan: string,
): Promise<ActEvidence['approvals'][number][]> =>
  (
    await db
      .select({
        by: people.name,
        at: approvals.at,
        note: approvals.note,
        basis: approvals.basis,
      })
      .from(approvals)
      .innerJoin(people, eq(people.id, approvals.byId))
      .where(eq(approvals.promotionId, id))
      .orderBy(asc(approvals.at), asc(approvals.byId))
  ).flatMap(({ by, at, note, basis }) =>
    basis && planDigest(basis) === plan ? [{ by, at: at.toISOString(), note, plan }] : [],
  )

/** What shows how a request was decided on and carried out. */
export async function promotionEvidence(context: Context, id: number): Promise<EvidencePackage> {
  const { db } = context
  const [row] = await db.select().from(promotions).where(eq(promotions.id, id))
  if (!row) throw notFound(`promotion ${id}`)
  const carried = await db
    .select({ id: rolloutRequests.rolloutId })
    .from(rolloutRequests)
    .where(eq(rolloutRequests.promotionId, id))
  const { evidence } = row
  const act = evidence && 'basis' in evidence ? (evidence as ActEvidence) : undefined
  const about = or(
    eq(saying('promotion'), String(id)),
    and(eq(ledger.action, 'request.made'), eq(saying('request'), String(id))),
    inArray(
      saying('rollout'),
      carried.map((rollout) => String(rollout.id)),
    ),
    act &&
      and(
        eq(ledger.action, 'revision.saved'),
        sql`${ledger.after} ->> 'sha256' = ${act.basis.revision}`,
      ),
  )
  const numbers = await numbersOf(db, and(eq(ledger.apiId, row.apiId), about))
  return packageOf(context, { promotion: id }, numbers, act)
}

/** What shows how a change was carried out that nobody had to be asked for. */
export async function rolloutEvidence(context: Context, id: number): Promise<EvidencePackage> {
  const { db } = context
  const [row] = await db.select().from(rollouts).where(eq(rollouts.id, id))
  if (!row) throw notFound(`rollout ${id}`)
  const requests = requestsIn(row.change).map((request) => request.id)
  if (requests.length > 0)
    throw conflict(
      requests.length === 1
        ? `It carried out request ${requests[0]!}, which has the evidence.`
        : `It carried out requests ${requests.join(', ')}, of which each has its evidence.`,
    )
  const { apiId } = row
  const whose = apiId === null ? isNull(ledger.apiId) : eq(ledger.apiId, apiId)
  const numbers = await numbersOf(db, and(whose, eq(saying('rollout'), String(id))))
  return packageOf(context, { rollout: id }, numbers, undefined)
}

/** What an entry says of a member, before or after. */
const saying = (member: 'promotion' | 'request' | 'rollout') =>
  sql<string>`coalesce(${ledger.after} ->> ${member}, ${ledger.before} ->> ${member})`

const numbersOf = async (db: Queries, which: SQL | undefined): Promise<number[]> =>
  (
    await db
      .select({ number: ledger.number })
      .from(ledger)
      .where(which)
      .orderBy(asc(ledger.number))
      .limit(mostListed)
  ).map(({ number }) => number)

async function packageOf(
  context: Context,
  of: EvidencePackage['of'],
  numbers: number[],
  act: ActEvidence | undefined,
): Promise<EvidencePackage> {
  const { system, heads, now } = context
  const head = await signNow(system.db, heads, now())
  if (!head) throw conflict('The ledger has no entries yet.')
  const entries = await proveAll(context, numbers, head.size)
  return { evidence: 1, of, ...(act && { act }), entries, head }
}
