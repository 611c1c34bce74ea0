import { asc, inArray, sql } from 'drizzle-orm'
import { evidenceDigest } from '../../core/ledger/evidence'
import type { ApiAction } from '../../core/ledger/actions'
import { open, type Gate } from '../../core/pipeline/gates'
import { paceOf, stageNamed } from '../../core/pipeline/pipeline'
import { planDigest } from '../../core/pipeline/plan'
import { endingOn } from '../../core/pipeline/succession'
import { count } from '../../core/text/counted'
import type { RequestKind } from '../../shared/words'
import { lockKeys } from '../db/lock-keys'
import type { Transaction } from '../db/database'
import {
  placements,
  promotions,
  releases,
  type ReleasePart,
  type RolloutChange,
  type WantedPlacement,
} from '../db/schema'
import { membersOf, newPlacementId, requirePlaceable, wantedBy } from './apply'
import type { PlacementRow } from './compiled'
import type { Context } from './context'
import { actEvidence } from './evidence'
import { conflict } from './failure'
import { checkGateway } from './gateways'
import { dayOf } from './known'
import { Pipelines, type Holding } from './pipelines'
import { gatesOfAll } from './promotion-gates'
import { lockWaiting } from './promotion-rows'
import {
  placedIn,
  plansOf,
  promotedIn,
  requestTitle,
  type Plan,
  type PromotionRow,
} from './promotion-plans'
import { lockRelease } from './release-rows'
import { intend, lockScopes, type Intent } from './rollouts'
import { compareWithPreceding } from './version-gate'

/** What the ledger calls requests that were carried out. */
const doneAs: Record<RequestKind, ApiAction> = {
  promotion: 'placement.promoted',
  change: 'placement.changed',
  removal: 'placement.removed',
  'put-back': 'drift.put-back',
  keep: 'drift.kept',
  ending: 'placement.ending',
}

/** For whom requests are carried out: by hand or by their pipeline, one alone or those of a release. */
interface Begun {
  byPipeline?: boolean
  release?: Pick<typeof releases.$inferSelect, 'id' | 'title'>
}

/**
 * Begins the rollout of a request, or of all those of a release. The gateways are read anew; gates, approvals and plans are
 * judged in the transaction that writes down what is wanted.
 */
export async function begin(
  context: Context,
  rows: readonly PromotionRow[],
  begun: Begun = {},
): Promise<number> {
  const { db } = context
  const promoted = rows.filter(({ kind }) => kind === 'promotion')
  const plans = await plansOf(db, promoted)
  for (const [n, row] of promoted.entries())
    await compareWithPreceding(context, promotedIn(row, plans[n]!))
  const placed = await Promise.all(promoted.map((row) => placedIn(db, row)))
  const groups = [...new Set(placed.flat().map(({ group }) => group))]
  if (groups.length > 0)
    for (const gateway of await membersOf(db, groups)) await checkGateway(context.system, gateway)
  const ids = rows.map(({ id }) => id).sort((one, other) => one - other)
  return db.transaction((tx) => intendPlans(tx, context, ids, begun))
}

async function intendPlans(
  tx: Transaction,
  context: Context,
  ids: readonly number[],
  { byPipeline = false, release }: Begun,
): Promise<number> {
  await lockScopes(tx, 'placements')
  if (release) await lockRelease(tx, release.id)
  const rows: PromotionRow[] = []
  for (const id of ids) rows.push(await lockWaiting(tx, id))
  if (rows.some(({ releaseId }) => releaseId !== (release?.id ?? null)))
    throw conflict(
      release
        ? 'The release has other versions since. Read it again.'
        : `It goes together with others, as release ${rows[0]!.releaseId}.`,
    )
  // Of two that begin at once the second counts the first (the gate quota).
  for (const stage of [...new Set(rows.map(({ toStage }) => toStage))].sort())
    await tx.execute(sql`SELECT pg_advisory_xact_lock(${lockKeys.promotions}, hashtext(${stage}))`)
  await lockAll(tx, await plansOf(tx, rows))
  // What was read before the locks may have changed until they were had.
  const plans = await plansOf(tx, rows)
  const pipelines = await Pipelines.read(tx)
  const requests = rows.map((row, n) => ({ row, plan: plans[n]! }))
  const gates = await gatesOfAll({ db: tx, now: context.now }, requests, pipelines)
  const shut = requests.flatMap(({ row, plan }, n) =>
    shutIn(gates[n]!).map((text) => (release ? `${requestTitle(row, plan.api)}: ${text}` : text)),
  )
  if (shut.length > 0) throw conflict(`Not every gate is open. ${shut.join('. ')}.`)
  const acts: Act[] = []
  for (const [n, request] of requests.entries()) {
    const { row, plan } = request
    const evidence = await actEvidence(tx, row, plan, gates[n]!, context.now())
    const beside = acts.flatMap(({ change }) => (change.kind === 'place' ? change.wanted : []))
    const change = await changeOf(tx, row, plan, { today: dayOf(context.now()), beside })
    const holding = pipelines.for(plan.api)
    const stage = stageNamed(holding.content, row.toStage)
    const pace = stage ? paceOf(stage, row.kind === 'promotion') : {}
    acts.push({ ...request, change, pace, promotion: { id: row.id, evidence }, holding })
  }
  await tx
    .update(promotions)
    .set({ state: 'under-way' })
    .where(inArray(promotions.id, [...ids]))
  if (release)
    await tx
      .update(releases)
      .set({ state: 'under-way' })
      .where(inArray(releases.id, [release.id]))
  return intend(tx, context, {
    ...(release ? releaseIntent(release, acts) : intentOf(acts[0]!)),
    groups: plans.flatMap(({ writes }) => writes.map(({ group }) => group)),
    acts: acts.map(({ row, plan, promotion, holding }) => ({
      api: row.apiId,
      subject: row.placementId ?? plan.api.slug,
      after: {
        ...{ promotion: row.id, version: row.version, plan: planDigest(plan.basis) },
        evidence: evidenceDigest(promotion.evidence),
        pipeline: nameOf(holding),
        ...(release && { release: release.id }),
        ...(byPipeline && { carriedOut: 'as soon as every gate was open' }),
      },
    })),
  })
}

const shutIn = (gates: readonly Gate[]): string[] =>
  open(gates)
    ? []
    : gates.filter(({ state }) => state !== 'passed').map(({ title, text }) => `${title}: ${text}`)

/** A request that is carried out, and what that comes to. */
interface Act extends Pick<ReleasePart, 'pace'> {
  promotion: { id: number; evidence: Awaited<ReturnType<typeof actEvidence>> }
  row: PromotionRow
  plan: Plan
  change: RequestChange
  holding: Holding
}

/** What requests come to. */
type RequestChange = Exclude<RolloutChange, { kind: 'policies' | 'take-off' }>

type Together = Pick<Intent, 'action' | 'title' | 'change' | 'pace'>

const intentOf = ({ row, plan, change, pace, promotion }: Act): Together => ({
  action: doneAs[row.kind],
  title: requestTitle(row, plan.api),
  change: { ...change, promotion },
  pace,
})

function releaseIntent({ id, title }: { id: number; title: string }, acts: Act[]): Together {
  const places = acts.map((act) => {
    if (act.change.kind !== 'place') throw new Error('only promotions are in a release')
    return { ...act, change: act.change }
  })
  const wanted = places.flatMap(({ change }) => change.wanted)
  const addresses = wanted.map(
    ({ group, spec }) => `https://${spec.host}${spec.basePath} (${group})`,
  )
  const twice = addresses.find((address, n) => addresses.indexOf(address) < n)
  if (twice !== undefined) throw conflict(`Two of its versions would be served at ${twice}.`)
  const toStage = acts[0]!.row.toStage
  return {
    action: 'placement.promoted',
    title: `Release ${title}: ${count(acts.length, 'version')} into ${toStage}`,
    change: {
      ...{ kind: 'place', wanted },
      ending: places.flatMap(({ change }) => change.ending ?? []),
      gone: places.flatMap(({ change }) => change.gone ?? []),
      release: {
        id,
        parts: places.map(({ row, change, pace, promotion }) => ({
          ...{ api: row.apiId, promotion, pace },
          placements: [
            ...[...change.wanted, ...(change.ending ?? [])].map((placement) => placement.id),
            ...(change.gone ?? []),
          ],
        })),
      },
    },
  }
}

/** A pipeline as the ledger tells it. */
const nameOf = ({ slug, edition }: Holding) => ({ name: slug, edition })

/** Keeps every placement of some plans as it is until the transaction ends. */
async function lockAll(tx: Transaction, plans: readonly Plan[]): Promise<void> {
  const ids = plans.flatMap(({ from, writes, succeeded }) => {
    const standing = [...writes, ...succeeded].flatMap(({ there }) => there ?? [])
    return [...from, ...standing].map(({ id }) => id)
  })
  if (ids.length === 0) return
  await tx
    .select({ id: placements.id })
    .from(placements)
    .where(inArray(placements.id, ids))
    .orderBy(asc(placements.id))
    .for('update')
}

/** A placement as it stands, to be written again. */
const standingAs = ({ appliedAt, appliedById, ...standing }: PlacementRow): WantedPlacement =>
  standing

/** @param beside what others of its release place, whose ids are taken. */
async function changeOf(
  tx: Transaction,
  row: PromotionRow,
  { api, revision, writes, succeeded }: Plan,
  { today, beside }: { today: string; beside: readonly WantedPlacement[] },
): Promise<RequestChange> {
  const [only] = writes
  if (!only) throw conflict('The placement is not there any more.')
  if (row.kind === 'removal')
    return { kind: 'remove', placement: only.there!.id, generation: only.there!.generation }
  if (row.kind === 'put-back') return { kind: 'apply', placement: only.there!.id }
  const wanted: WantedPlacement[] = []
  for (const { group, there, spec } of writes) {
    const target = { api, version: row.version, revision, stage: row.toStage, group, spec: spec! }
    await requirePlaceable(tx, target)
    const id = there?.id ?? (await newPlacementId(tx, target, [...beside, ...wanted]))
    const own = wantedBy(target, id, there)
    wanted.push(row.kind === 'ending' ? { ...own, ending: row.ending } : own)
  }
  const after = succeeded.map(({ there, becomes }) => ({ there, ends: endingOn(becomes, today) }))
  const ending = after.flatMap(({ there, ends }) =>
    ends ? { ...standingAs(there), ending: ends } : [],
  )
  const gone = after.flatMap(({ there, ends }) => (ends ? [] : there.id))
  return {
    ...{ kind: 'place', wanted },
    ...(ending.length > 0 && { ending }),
    ...(gone.length > 0 && { gone }),
  }
}
