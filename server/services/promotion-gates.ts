import { and, asc, desc, eq, gt, inArray, lt, ne, or, sql } from 'drizzle-orm'
import type { Affected } from '../../core/pipeline/affected'
import { withWaivers, type GateWaiver } from '../../core/pipeline/gate-waivers'
import { longestSoak } from '../../core/pipeline/gate-configs'
import {
  approvalOfChange,
  astray,
  judgeChange,
  judgeGates,
  type ApprovalConfig,
  type Gate,
  type GateFacts,
  type GateName,
  type OutsideFacts,
  type ProbeFacts,
  type ReviewFacts,
} from '../../core/pipeline/gates'
import { stageAfter, stageNamed, type Pipeline } from '../../core/pipeline/pipeline'
import { whyVoid, type PlanBasis } from '../../core/pipeline/plan'
import { grouped } from '../../core/text/grouped'
import { lastParts } from '../../core/traffic/periods'
import type { Queries } from '../db/database'
import type { ApiRow } from '../db/names'
import { affectedBy } from './affected'
import { displayName } from '../db/names'
import {
  approvals,
  gateWaivers,
  people,
  placements,
  promotions,
  rolloutRequests,
  rollouts,
  trafficSeries,
} from '../db/schema'
import { seeingEverything } from '../db/viewer'
import { isAutomatic, Pipelines } from './pipelines'
import { PlacementRules, standing } from './placement-rules'
import { probeFacts } from './probes'
import { outsideFacts } from './outside'
import { markOf } from './register'
import { wentBackOf } from './rollouts'
import { sideBySide } from './side-by-side'
import { seen } from './sites'
import { countedIn } from './traffic-spans'
import { replacedBy } from './version-gate'
import { plansOf, promotedIn, type Plan, type PromotionRow } from './promotion-plans'

/** How requests stand by the pipelines that hold. */
export async function gatesOfAll(
  context: Judging,
  requests: readonly Request[],
  pipelines: Pipelines,
): Promise<Gate[][]> {
  const standings = await standingsBy(context, requests, [pipelines])
  return standings.map(([standing]) => standing!.gates)
}

/** How a request stands by a pipeline. */
interface Standing {
  gates: Gate[]
  review: ReviewFacts
  /** What approvals are asked for; undefined where none is. */
  wanted: ApprovalConfig | undefined
}

interface Judging {
  db: Queries
  now: () => Date
}

/** A request that waits, with what it would do. */
interface Request {
  row: PromotionRow
  plan: Plan
}

/** What people let pass once of each of some requests, as far as it holds for their plans. */
async function waiversOf(
  db: Queries,
  requests: readonly Request[],
): Promise<Map<number, GateWaiver[]>> {
  const rows = await db
    .select({
      row: gateWaivers,
      by: sql<string>`${displayName(gateWaivers.byId)}`,
      second: sql<string | null>`${displayName(gateWaivers.secondId)}`,
    })
    .from(gateWaivers)
    .where(inArray(gateWaivers.promotionId, idsOf(requests)))
  const given = grouped(rows, ({ row }) => row.promotionId)
  return new Map(
    requests.map(({ row: { id }, plan }) => [
      id,
      (given.get(id) ?? []).map(({ row: { gate, state, text, reason, basis }, by, second }) => {
        const voided = whyVoid(basis, plan.basis)
        return {
          ...{ gate, state, text, reason, by },
          ...(second !== null && { second }),
          ...(voided !== undefined && { voided }),
        }
      }),
    ]),
  )
}

const idsOf = (requests: readonly Request[]) => requests.map(({ row }) => row.id)

/** How each of some requests stands by each of some pipelines, with what was waived. */
async function standingsBy(
  context: Judging,
  requests: readonly Request[],
  all: readonly Pipelines[],
): Promise<Standing[][]> {
  const [judged, waivers] = await Promise.all([
    judgedBy(context, requests, all),
    waiversOf(context.db, requests),
  ])
  return requests.map(({ row }, n) =>
    judged[n]!.map((standing) => ({
      ...standing,
      gates: withWaivers(standing.gates, waivers.get(row.id)!),
    })),
  )
}

/** How one gate of a request stands, and how with what was waived; undefined where no such gate is before it. */
export async function gateStanding(
  context: Judging,
  row: PromotionRow,
  plan: Plan,
  name: string,
): Promise<{ judged: Gate; shown: Gate } | undefined> {
  const [standings] = await judgedBy(context, [{ row, plan }], [await Pipelines.read(context.db)])
  const judged = standings![0]!.gates.find(({ id }) => id === name)
  if (!judged) return undefined
  const waivers = await waiversOf(context.db, [{ row, plan }])
  const [shown] = withWaivers([judged], waivers.get(row.id)!)
  return { judged, shown: shown! }
}

/** The same without: what is known of all of them is read once. */
async function judgedBy(
  { db, now }: Judging,
  requests: readonly Request[],
  all: readonly Pipelines[],
): Promise<Standing[][]> {
  const at = now()
  const owners = [...new Map(requests.map(({ plan: { api } }) => [api.id, api])).values()]
  const ids = requests.flatMap(({ row, plan }) =>
    row.kind === 'promotion' ? plan.from.map(({ id }) => id) : [],
  )
  const [reviews, rules, sites] = await Promise.all([
    reviewsOf(db, requests),
    PlacementRules.readAll(db, owners, at),
    ids.length === 0
      ? []
      : db
          .select({ id: placements.id, ...seen })
          .from(placements)
          .where(inArray(placements.id, ids)),
  ])
  const isAsked = (gate: GateName) =>
    all.some((pipelines) =>
      pipelines.all.some(({ content }) => content.stages.some(({ gates }) => gates[gate])),
    )
  const ownerIds = owners.map(({ id }) => id)
  const [probed, told] = await Promise.all([
    isAsked('probes') ? probeFacts(db, ownerIds) : new Map<number, ProbeFacts[]>(),
    isAsked('outside') ? outsideFacts(db, ownerIds) : new Map<number, OutsideFacts[]>(),
  ])
  const siteOf = new Map(sites.map((site) => [site.id, site]))
  const promoted = onceFor((stage: string) => promotedInto(db, stage, at))
  return sideBySide(requests, async (request): Promise<Standing[]> => {
    const { row, plan } = request
    const review = reviews.get(row.id)!
    const placementFindings = placementFindingsOf(row, plan, rules.get(row.apiId)!)
    const taken = all.map((pipelines) => pipelines.for(plan.api))
    if (row.kind !== 'promotion')
      return taken.map(({ content }) => {
        const gates = stageNamed(content, row.toStage)?.gates ?? {}
        const findings = row.kind === 'change' ? placementFindings : undefined
        return {
          ...{ review, wanted: approvalOfChange(gates) },
          gates: judgeChange(gates, review, findings),
        }
      })
    const next = taken.map(({ content }) => stageAfter(content, row.fromStage))
    const asks = (gate: GateName) => next.some((stage) => stage?.gates[gate])
    const facts: GateFacts = {
      ...{ ...review, placementFindings, fromStage: row.fromStage, now: at.getTime() },
      findings: plan.revision.counts,
      promotion: {
        ...{ api: plan.api.slug, team: plan.api.team, audience: plan.api.audience },
        ...{ labels: plan.api.labels, version: row.version, to: row.toStage },
      },
      replaced:
        asks('version') || asks('condition') || asks('callers')
          ? await replacedBy(db, promotedIn(row, plan))
          : [],
      affected: await affectedOf(db, request, next, at),
      probes: probed.get(row.apiId) ?? [],
      outside: told.get(row.apiId) ?? [],
      digest: plan.revision.digest,
      placed: plan.from.flatMap(({ id, appliedAt }) => {
        const site = siteOf.get(id)
        return site
          ? {
              name: id,
              checked: markOf(site, at) !== 'unseen',
              differences: site.differences.length,
              since: appliedAt.getTime(),
            }
          : []
      }),
      ...(await soakedOf(
        db,
        plan.from.map(({ id }) => id),
        next,
        at,
      )),
      promoted: asks('quota')
        ? [...(await promoted(row.toStage)), ...(await aheadOf(db, row, at))]
        : [],
    }
    return next.map((stage, n) =>
      stage?.name === row.toStage
        ? { review, wanted: stage.gates.approval, gates: judgeGates(stage.gates, facts) }
        : { review, wanted: undefined, gates: astray(taken[n]!.title, row.toStage) },
    )
  })
}

/** What was asked for once is not asked for again. */
function onceFor<T>(ask: (name: string) => Promise<T>): (name: string) => Promise<T> {
  const asked = new Map<string, Promise<T>>()
  return (name) => {
    const known = asked.get(name) ?? ask(name)
    asked.set(name, known)
    return known
  }
}

/** Who asked, who wrote and who has spoken, of each of some requests by its number. */
async function reviewsOf(
  db: Queries,
  requests: readonly Request[],
): Promise<Map<number, ReviewFacts>> {
  const concerned = requests.flatMap(({ row, plan }) => [
    row.requestedById,
    plan.revision.savedById,
  ])
  const overriders = requests.flatMap(({ row }) => row.override?.by ?? [])
  const [given, persons] = await Promise.all([
    db
      .select({
        promotion: approvals.promotionId,
        by: people.name,
        name: people.displayName,
        role: people.role,
        basis: approvals.basis,
      })
      .from(approvals)
      .innerJoin(people, eq(people.id, approvals.byId))
      .where(inArray(approvals.promotionId, idsOf(requests)))
      .orderBy(asc(approvals.at)),
    db
      .select({ id: people.id, name: people.name, displayName: people.displayName })
      .from(people)
      .where(or(inArray(people.id, concerned), inArray(people.name, overriders))),
  ])
  const nameOf = new Map(persons.map(({ id, name }) => [id, name]))
  const approvalsOf = grouped(given, ({ promotion }) => promotion)
  return new Map(
    requests.map(({ row, plan: { revision, basis } }) => {
      const { override } = row
      const overrider = persons.find(({ name }) => name === override?.by)
      return [
        row.id,
        {
          requester: nameOf.get(row.requestedById)!,
          author: nameOf.get(revision.savedById)!,
          approvals: (approvalsOf.get(row.id) ?? []).map(({ by, name, role, basis: approved }) => ({
            ...{ by, name, role },
            ...voidIn(approved, basis),
          })),
          ...(override && {
            override: {
              ...{ name: overrider?.displayName ?? override.by, reason: override.reason },
              ...voidIn(override.basis ?? null, basis),
            },
          }),
        },
      ]
    }),
  )
}

/** Why what was said of one plan does not hold for another, where it does not. */
function voidIn(given: PlanBasis | null, basis: PlanBasis): { voided?: string } {
  const voided = whyVoid(given, basis)
  return voided === undefined ? {} : { voided }
}

/** Calls of placements by the hour, as far back as they soak at most, and how long they took where that is asked for. */
async function soakedOf(
  db: Queries,
  ids: readonly string[],
  stages: readonly (Pipeline['stages'][number] | undefined)[],
  at: Date,
): Promise<Pick<GateFacts, 'hours' | 'latency'>> {
  const asked = stages.flatMap((stage) => stage?.gates.soak ?? [])
  const latency = new Map<number, number>()
  if (asked.length === 0) return { hours: [], latency }
  const of = (hours: number) =>
    countedIn(
      db,
      lastParts('hour', hours, at.getTime()),
      'placement',
      inArray(trafficSeries.placement, [...ids]),
    )
  const timed = new Set(asked.flatMap((soak) => (soak.latencyMs === undefined ? [] : soak.hours)))
  for (const hours of timed) {
    const p95 = (await of(hours)).total.durations.quantile(0.95)
    if (p95 !== undefined) latency.set(hours, p95)
  }
  return { hours: (await of(longestSoak)).points, latency }
}

/** Who calls what breaks, as far back as each gate asks. */
async function affectedOf(
  db: Queries,
  { row, plan }: Request,
  stages: readonly (Pipeline['stages'][number] | undefined)[],
  at: Date,
): Promise<GateFacts['affected']> {
  const asked = new Set(stages.flatMap((stage) => stage?.gates.callers?.days ?? []))
  const affected = new Map<number, Affected[]>()
  for (const days of asked) affected.set(days, await affectedBy(db, row, plan, { days, at }))
  return affected
}

/** When promotions into a stage began in the last 24 hours; those that went back made room again. */
async function promotedInto(db: Queries, stage: string, at: Date): Promise<number[]> {
  // Room is taken by those that somebody may not see as well.
  const rows = await db.transaction((tx) =>
    seeingEverything(tx, () =>
      tx
        .select({ at: rollouts.at })
        .from(rollouts)
        .innerJoin(rolloutRequests, eq(rolloutRequests.rolloutId, rollouts.id))
        .innerJoin(promotions, eq(promotions.id, rolloutRequests.promotionId))
        .where(
          and(
            eq(rollouts.action, 'placement.promoted'),
            gt(rollouts.at, new Date(at.getTime() - 86_400_000)),
            ne(rollouts.state, 'rolled-back'),
            eq(promotions.toStage, stage),
          ),
        ),
    ),
  )
  return rows.map((row) => row.at.getTime())
}

/** Versions of its release that are carried out with it, and are counted before it. */
async function aheadOf(db: Queries, { id, releaseId }: PromotionRow, at: Date): Promise<number[]> {
  if (releaseId === null) return []
  const ahead = await db.$count(
    promotions,
    and(
      ...[eq(promotions.releaseId, releaseId), lt(promotions.id, id)],
      eq(promotions.state, 'waiting'),
    ),
  )
  return Array.from({ length: ahead }, () => at.getTime())
}

/** How all waiting promotions stand by each of some pipelines. */
export async function waitingGates(context: Judging, all: readonly Pipelines[]) {
  const waiting = await judgeRequests(context, await waitingRows(context.db), all)
  return waiting.map(({ row, plan, standings }) => ({
    promotion: row.id,
    title: `${plan.api.title} ${row.version} into ${row.toStage}`,
    gates: standings.map(({ gates }) => gates),
  }))
}

/** A request that waits, and how it stands. */
export interface WaitingRequest extends Standing {
  row: PromotionRow
  api: ApiRow
  /** Whether somebody has to carry it out once its gates are open. */
  byHand: boolean
}

/** Every request that waits, by the pipelines that hold. */
export async function judgeWaiting(context: Judging): Promise<WaitingRequest[]> {
  const { db } = context
  const pipelines = await Pipelines.read(db)
  const waiting = await judgeRequests(context, await waitingRows(db), [pipelines])
  const wentBack = await wentBackOf(db, idsOf(waiting))
  return waiting.map(({ row, plan: { api }, standings }) => ({
    ...{ row, api, ...standings[0]! },
    byHand: !isAutomatic(pipelines.for(api), row) || wentBack.has(row.id),
  }))
}

/** What some requests would do, and how they stand by each of some pipelines. */
export async function judgeRequests(
  context: Judging,
  rows: readonly PromotionRow[],
  all: readonly Pipelines[],
): Promise<(Request & { standings: Standing[] })[]> {
  const plans = await plansOf(context.db, rows)
  const requests = rows.map((row, n) => ({ row, plan: plans[n]! }))
  const standings = await standingsBy(context, requests, all)
  return requests.map((request, n) => ({ ...request, standings: standings[n]! }))
}

const waitingRows = (db: Queries): Promise<PromotionRow[]> =>
  db
    .select()
    .from(promotions)
    .where(eq(promotions.state, 'waiting'))
    .orderBy(desc(promotions.id))
    .limit(mostJudged)

/** So many requests that wait are judged at once. */
const mostJudged = 500

/**
 * What a request would bring that breaks a rule about what runs, in words. What stood there before it counts only for a
 * promotion: a change is not stopped by what it does not change.
 */
function placementFindingsOf(
  { kind, toStage, version }: PromotionRow,
  { writes }: Plan,
  rules: PlacementRules,
): string[] {
  if (kind !== 'promotion' && kind !== 'change') return []
  return writes.flatMap(({ group, there, spec }) => {
    if (!spec) return []
    const at = { version, stage: toStage, group }
    const stood =
      kind === 'change' && there ? standing(rules.findingsOf({ ...at, spec: there.spec })) : []
    const known = new Set(stood.map(({ key }) => key))
    return standing(rules.findingsOf({ ...at, spec })).flatMap(({ key, message }) =>
      known.has(key) ? [] : [message],
    )
  })
}

export async function overriderOf(
  db: Queries,
  { by, reason }: NonNullable<PromotionRow['override']>,
) {
  const [person] = await db
    .select({ name: people.displayName })
    .from(people)
    .where(eq(people.name, by))
  return { name: person?.name ?? by, reason }
}
