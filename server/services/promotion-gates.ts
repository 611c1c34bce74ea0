import { and, asc, desc, eq, gt, inArray, ne, sql } from 'drizzle-orm'
import { actorWithId } from './people'
import { withWaivers, type GateWaiver } from '../../core/pipeline/gate-waivers'
import { longestSoak } from '../../core/pipeline/gate-configs'
import {
  astray,
  judgeChange,
  judgeGates,
  type Gate,
  type GateFacts,
} from '../../core/pipeline/gates'
import { stageAfter, type Pipeline } from '../../core/pipeline/pipeline'
import { whyVoid, type PlanBasis } from '../../core/pipeline/plan'
import { lastParts } from '../../core/traffic/periods'
import type { Queries } from '../db/database'
import { displayName } from '../db/names'
import {
  apis,
  approvals,
  gateWaivers,
  people,
  placements,
  promotions,
  rollouts,
  trafficSeries,
} from '../db/schema'
import { seeingEverything } from '../db/viewer'
import { Pipelines } from './pipelines'
import { PlacementRules, standing } from './placement-rules'
import { markOf } from './register'
import { seen } from './sites'
import { countedIn } from './traffic-spans'
import { replacedBy } from './version-gate'
import { planOf, promotedIn, type Plan, type PromotionRow } from './promotion-plans'

/** How a request stands by the pipelines that hold. */
export async function gatesOf(
  context: Judging,
  row: PromotionRow,
  plan: Plan,
  pipelines: Pipelines,
): Promise<Gate[]> {
  const [gates] = await gatesBy(context, row, plan, [pipelines])
  return gates!
}

interface Judging {
  db: Queries
  now: () => Date
}

/** What people let pass once of a request, as far as it holds for a plan. */
async function waiversOf(db: Queries, row: PromotionRow, basis: PlanBasis): Promise<GateWaiver[]> {
  const rows = await db
    .select({
      row: gateWaivers,
      by: sql<string>`${displayName(gateWaivers.byId)}`,
      second: sql<string | null>`${displayName(gateWaivers.secondId)}`,
    })
    .from(gateWaivers)
    .where(eq(gateWaivers.promotionId, row.id))
  return rows.map(({ row: { gate, state, text, reason, basis: given }, by, second }) => {
    const voided = whyVoid(given, basis)
    return {
      ...{ gate, state, text, reason, by },
      ...(second !== null && { second }),
      ...(voided !== undefined && { voided }),
    }
  })
}

/** How a request stands by each of some pipelines, with what was waived. */
async function gatesBy(
  context: Judging,
  row: PromotionRow,
  plan: Plan,
  all: readonly Pipelines[],
): Promise<Gate[][]> {
  const judged = await judgedBy(context, row, plan, all)
  const waivers = await waiversOf(context.db, row, plan.basis)
  return judged.map((gates) => withWaivers(gates, waivers))
}

/** How one gate of a request stands, and how with what was waived; undefined where no such gate is before it. */
export async function gateStanding(
  context: Judging,
  row: PromotionRow,
  plan: Plan,
  name: string,
): Promise<{ judged: Gate; shown: Gate } | undefined> {
  const [gates] = await judgedBy(context, row, plan, [await Pipelines.read(context.db)])
  const judged = gates!.find(({ id }) => id === name)
  if (!judged) return undefined
  const [shown] = withWaivers([judged], await waiversOf(context.db, row, plan.basis))
  return { judged, shown: shown! }
}

/** The same without: what is known of it is read once. */
async function judgedBy(
  { db, now }: Judging,
  row: PromotionRow,
  plan: Plan,
  all: readonly Pipelines[],
): Promise<Gate[][]> {
  const { api, revision, from, basis } = plan
  const taken = all.map((pipelines) => pipelines.for(api))
  const given = await db
    .select({
      by: people.name,
      name: people.displayName,
      role: people.role,
      basis: approvals.basis,
    })
    .from(approvals)
    .innerJoin(people, eq(people.id, approvals.byId))
    .where(eq(approvals.promotionId, row.id))
    .orderBy(asc(approvals.at))
  const review = {
    requester: (await actorWithId(db, row.requestedById)).name,
    author: (await actorWithId(db, revision.savedById)).name,
    approvals: given.map(({ basis: approved, ...by }) => {
      const voided = whyVoid(approved, basis)
      return { ...by, ...(voided !== undefined && { voided }) }
    }),
    ...(row.override && { override: await overrideFacts(db, row.override, basis) }),
  }
  const at = now()
  const placing = await placementFindingsOf(db, row, plan, at)
  if (row.kind !== 'promotion')
    return taken.map(({ content }) => {
      const here = content.stages.find(({ name }) => name === row.toStage)
      return judgeChange(here?.gates ?? {}, review, row.kind === 'change' ? placing : undefined)
    })
  const next = taken.map(({ content }) => stageAfter(content, row.fromStage))
  const ids = from.map(({ id }) => id)
  const sites =
    ids.length === 0
      ? []
      : await db
          .select({ id: placements.id, ...seen })
          .from(placements)
          .where(inArray(placements.id, ids))
  const facts: GateFacts = {
    ...review,
    findings: revision.counts,
    placementFindings: placing,
    fromStage: row.fromStage,
    replaced: await replacedBy(db, promotedIn(row, plan)),
    placed: sites.map((site) => ({
      name: site.id,
      checked: markOf(site, at) !== 'unseen',
      differences: site.differences.length,
      since: from.find(({ id }) => id === site.id)!.appliedAt.getTime(),
    })),
    ...(await soakedOf(db, ids, next, at)),
    promoted: next.some((stage) => stage?.gates.quota)
      ? await promotedInto(db, row.toStage, at)
      : [],
    now: at.getTime(),
  }
  return next.map((stage, n) =>
    stage?.name === row.toStage
      ? judgeGates(stage.gates, facts)
      : astray(taken[n]!.title, row.toStage),
  )
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

/** When promotions into a stage began in the last 24 hours; those that went back made room again. */
async function promotedInto(db: Queries, stage: string, at: Date): Promise<number[]> {
  // Room is taken by those that somebody may not see as well.
  const rows = await db.transaction((tx) =>
    seeingEverything(tx, () =>
      tx
        .select({ at: rollouts.at })
        .from(rollouts)
        .innerJoin(
          promotions,
          sql`${promotions.id} = (${rollouts.change} -> 'promotion' ->> 'id')::int`,
        )
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

/** How all waiting promotions stand by each of some pipelines. */
export async function waitingGates(context: Judging, all: readonly Pipelines[]) {
  const { db } = context
  const rows = await db
    .select({ row: promotions, title: apis.title })
    .from(promotions)
    .innerJoin(apis, eq(apis.id, promotions.apiId))
    .where(eq(promotions.state, 'waiting'))
    .orderBy(desc(promotions.id))
    .limit(mostJudged)
  return Promise.all(
    rows.map(async ({ row, title }) => ({
      promotion: row.id,
      title: `${title} ${row.version} into ${row.toStage}`,
      gates: await gatesBy(context, row, await planOf(db, row), all),
    })),
  )
}

/** So many waiting promotions are judged for the impact of a pipeline. */
const mostJudged = 500

/**
 * What a request would bring that breaks a rule about what runs, in words. What stood there before it counts only for a
 * promotion: a change is not stopped by what it does not change.
 */
async function placementFindingsOf(
  db: Queries,
  { kind, toStage, version }: PromotionRow,
  { api, writes }: Plan,
  now: Date,
): Promise<string[]> {
  if (kind !== 'promotion' && kind !== 'change') return []
  const rules = await PlacementRules.read(db, api, now)
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

type OverrideRow = NonNullable<PromotionRow['override']>

async function overrideFacts(db: Queries, override: OverrideRow, now: PlanBasis) {
  const voided = whyVoid(override.basis ?? null, now)
  return { ...(await overriderOf(db, override)), ...(voided !== undefined && { voided }) }
}

export async function overriderOf(db: Queries, { by, reason }: OverrideRow) {
  const [person] = await db
    .select({ name: people.displayName })
    .from(people)
    .where(eq(people.name, by))
  return { name: person?.name ?? by, reason }
}
