import { placementEtag } from '../../shared/etags'
import { and, asc, desc, eq, inArray, sql } from 'drizzle-orm'
import { open } from '../../core/pipeline/gates'
import { paceOf, stageAfter, stageNamed } from '../../core/pipeline/pipeline'
import { evidenceDigest } from '../../core/ledger/evidence'
import { planDigest, type PlanBasis } from '../../core/pipeline/plan'
import { endingFault, endingOn, endingText, type Ending } from '../../core/pipeline/succession'
import type { ApiAction } from '../../core/ledger/actions'
import type { ChangeRequest, EndingRequest } from '../../shared/api/placements'
import type {
  Approval,
  Override,
  PromotionDetail,
  PromotionItem,
  PromotionQuery,
  PromotionRequest,
} from '../../shared/api/promotions'
import type { Queries, Transaction } from '../db/database'
import type { RequestKind } from '../../shared/words'
import { apiColumns } from '../db/names'
import {
  apis,
  approvals,
  people,
  placements,
  promotions,
  stages,
  type RolloutChange,
  type WantedPlacement,
} from '../db/schema'
import {
  apiOf,
  findPlacement,
  membersOf,
  newPlacementId,
  requirePlaceable,
  wantedBy,
} from './apply'
import { findApi } from './catalog'
import type { PlacementRow } from './compiled'
import { actAs, type Context, type Services } from './context'
import { actEvidence } from './evidence'
import { conflict, Failure, invalid, notFound, requireMatch, stale } from './failure'
import { checkGateway } from './gateways'
import { dayOf } from './known'
import { record } from './ledger'
import { pageFrom, type Page } from './paging'
import { actorWithId } from './people'
import { requirePermission } from './permissions'
import { isAutomatic, Pipelines, type Holding } from './pipelines'
import { firstStage, targetOf, toSpec } from './placements'
import { carryOut, intend, lockScopes, wentBackOf } from './rollouts'
import { runningSpec } from './running'
import { sideBySide } from './side-by-side'
import { compareWithPreceding } from './version-gate'
import { gatesOf, judgeRequests, overriderOf } from './promotion-gates'
import {
  placedIn,
  planOf,
  promotedIn,
  requestTitle,
  shownPlan,
  type Plan,
  type PromotionRow,
} from './promotion-plans'

async function findPromotion(db: Queries, id: number): Promise<PromotionRow> {
  const [row] = await db.select().from(promotions).where(eq(promotions.id, id))
  if (!row) throw notFound(`promotion ${id}`)
  return row
}

/** A promotion that nobody else changes until the transaction ends. */
async function lockPromotion(tx: Transaction, id: number): Promise<PromotionRow> {
  const [row] = await tx.select().from(promotions).where(eq(promotions.id, id)).for('update')
  if (!row) throw notFound(`promotion ${id}`)
  return row
}

/** Asks for a version to enter the stage after the one it stands in. */
export async function requestPromotion(
  context: Context,
  body: PromotionRequest,
): Promise<PromotionDetail> {
  const { db, now, actor } = context
  const api = await findApi(db, body.api)
  requirePermission(actor, 'request', api.team)
  if ((await db.$count(stages, eq(stages.name, body.from))) === 0)
    throw notFound(`stage called "${body.from}"`)
  const { title, content } = (await Pipelines.read(db)).for(api)
  if (!content.stages.some(({ name }) => name === body.from))
    throw conflict(
      `${title}, which versions of ${api.title} take, does not go through ${body.from}.`,
    )
  const next = stageAfter(content, body.from)
  if (!next) throw conflict(`${body.from} is the last stage; there is nowhere to promote to.`)
  const from = await placedIn(db, { apiId: api.id, version: body.version, fromStage: body.from })
  if (from.length === 0)
    throw conflict(`${body.version} of ${api.title} is not placed in ${body.from}.`)
  const id = await db.transaction(async (tx) => {
    const [row] = await tx
      .insert(promotions)
      .values({
        apiId: api.id,
        version: body.version,
        fromStage: body.from,
        toStage: next.name,
        state: 'waiting',
        requestedById: actor.id,
        requestedAt: now(),
        note: body.note,
        neededBy: body.neededBy ?? null,
      })
      .onConflictDoNothing()
      .returning({ id: promotions.id })
    if (!row) throw conflict(`A promotion of ${body.version} into ${next.name} is waiting already.`)
    await record(tx, context, {
      action: 'promotion.requested',
      api: api.id,
      subject: api.slug,
      after: {
        promotion: row.id,
        version: body.version,
        from: body.from,
        to: next.name,
        note: body.note,
        ...(body.neededBy !== undefined && { neededBy: body.neededBy }),
      },
    })
    return row.id
  })
  return readPromotion(context, id)
}

/** What the ledger calls requests that were carried out. */
const doneAs: Record<RequestKind, ApiAction> = {
  promotion: 'placement.promoted',
  change: 'placement.changed',
  removal: 'placement.removed',
  'put-back': 'drift.put-back',
  keep: 'drift.kept',
  ending: 'placement.ending',
}

/** Asks for a change at a placement beyond the first stage, where nothing changes without review. */
export async function requestChange(
  context: Context,
  id: string,
  { kind, spec, ending, note }: ChangeRequest,
  ifMatch: string | undefined,
): Promise<PromotionDetail> {
  const { db, now, actor } = context
  const row = await findPlacement(db, id)
  const api = await apiOf(db, row)
  requirePermission(actor, kind === 'put-back' || kind === 'keep' ? 'resolve' : 'place', api.team)
  requireMatch(ifMatch, placementEtag(row), 'the placement')
  if (row.stage === (await firstStage(db)).name)
    throw conflict(`${row.stage} is the first stage; change the placement itself.`)
  if (kind === 'change' && !spec) throw conflict('Say how it should be served.')
  const wanted =
    kind === 'change' ? toSpec(spec!) : kind === 'keep' ? await runningSpec(context, row) : null
  const ends = kind === 'ending' && ending ? endingFrom(ending, dayOf(now())) : null
  if (kind === 'ending' && !ends && !row.ending) throw conflict(`${id} is served on already.`)
  const request = await db.transaction(async (tx) => {
    if (wanted) await requirePlaceable(tx, await targetOf(tx, row, wanted))
    const [made] = await tx
      .insert(promotions)
      .values({
        kind,
        placementId: id,
        wanted,
        ending: ends,
        apiId: api.id,
        version: row.version,
        fromStage: row.stage,
        toStage: row.stage,
        state: 'waiting',
        requestedById: actor.id,
        requestedAt: now(),
        note,
      })
      .onConflictDoNothing()
      .returning({ id: promotions.id })
    if (!made) throw conflict(`Another change of ${id} is waiting already.`)
    await record(tx, context, {
      action: 'request.made',
      api: row.apiId,
      subject: id,
      after: {
        ...{ request: made.id, kind, note },
        ...(wanted && { spec: wanted }),
        ...(kind === 'ending' && { ending: endingText(ends) }),
      },
    })
    return made.id
  })
  return readPromotion(context, request)
}

/** An end as it is asked for on a day; announced from that day on. */
function endingFrom({ as, until }: EndingRequest, today: string): Ending {
  const ending = { as, since: today, until }
  const fault = endingFault(ending)
  if (fault !== undefined)
    throw invalid([{ field: 'ending.until', message: `The last day ${fault}` }])
  return ending
}

/** Promotions, waiting ones first, newest first. */
export async function listPromotions(
  context: Pick<Context, 'db' | 'now'>,
  query: PromotionQuery,
): Promise<Page<PromotionItem>> {
  const page = await requestsOf(context, query)
  return { ...page, items: page.items.map(({ item }) => item) }
}

interface Shown {
  row: PromotionRow
  item: PromotionItem
  /** What it would do now; only a waiting one has that. */
  plan: Plan | undefined
}

async function requestsOf(
  context: Pick<Context, 'db' | 'now'>,
  query: PromotionQuery & { id?: number },
): Promise<Page<Shown>> {
  const { db } = context
  const rows = await db
    .select({ promotion: promotions, api: apiColumns, by: people.displayName })
    .from(promotions)
    .innerJoin(apis, eq(apis.id, promotions.apiId))
    .innerJoin(people, eq(people.id, promotions.requestedById))
    .where(
      and(
        query.state ? eq(promotions.state, query.state) : undefined,
        query.api ? eq(apis.slug, query.api) : undefined,
        query.placement ? eq(promotions.placementId, query.placement) : undefined,
        query.id === undefined ? undefined : eq(promotions.id, query.id),
      ),
    )
    .orderBy(sql`${promotions.state} in ('waiting', 'under-way') desc`, desc(promotions.id))
  const page = pageFrom(rows, query)
  const ids = page.items.map(({ promotion }) => promotion.id)
  const given =
    ids.length === 0
      ? []
      : await db
          .select({
            promotion: approvals.promotionId,
            by: people.displayName,
            at: approvals.at,
            note: approvals.note,
          })
          .from(approvals)
          .innerJoin(people, eq(people.id, approvals.byId))
          .where(inArray(approvals.promotionId, ids))
          .orderBy(asc(approvals.at))
  const waiting = page.items.filter(({ promotion }) => promotion.state === 'waiting')
  const pipelines = await Pipelines.read(db)
  const judged = await judgeRequests(
    context,
    waiting.map(({ promotion }) => promotion),
    [pipelines],
  )
  const wentBack = await wentBackOf(
    db,
    waiting.map(({ promotion }) => promotion.id),
  )
  const standing = new Map(judged.map((request) => [request.row.id, request]))
  const items = await sideBySide(page.items, async ({ promotion, api, by }): Promise<Shown> => {
    const found = standing.get(promotion.id)
    const item: PromotionItem = {
      id: promotion.id,
      api: api.slug,
      title: api.title,
      team: api.team,
      version: promotion.version,
      from: promotion.fromStage,
      to: promotion.toStage,
      state: promotion.state,
      requestedBy: by,
      requestedAt: promotion.requestedAt.toISOString(),
      note: promotion.note,
      ...(promotion.neededBy !== null && { neededBy: promotion.neededBy }),
      kind: promotion.kind,
      ...(found && isAutomatic(pipelines.for(api), promotion) && { automatic: true }),
      ...(wentBack.has(promotion.id) && { wentBack: wentBack.get(promotion.id)! }),
      ...(promotion.placementId !== null && { placement: promotion.placementId }),
      ...(promotion.override && {
        override: {
          at: promotion.override.at,
          ...(await overriderOf(db, promotion.override)),
        },
        unconfirmed: promotion.confirmedById === null,
      }),
      gates: found?.standings[0]!.gates ?? promotion.evidence?.gates ?? [],
      approvals: given
        .filter((approval) => approval.promotion === promotion.id)
        .map(({ by: name, at, note }) => ({ by: name, at: at.toISOString(), note })),
    }
    return { row: promotion, item, plan: found?.plan }
  })
  return { ...page, items }
}

async function requestOf(context: Context, id: number): Promise<Shown> {
  const [found] = (await requestsOf(context, { id })).items
  if (!found) throw notFound(`promotion ${id}`)
  return found
}

/** Whether it is not known yet what changed since what it takes the place of. */
const waitsForComparison = ({ gates }: Pick<PromotionItem, 'gates'>) =>
  gates.some(
    ({ id, state }) => ['version', 'condition', 'callers'].includes(id) && state === 'waiting',
  )

export async function readPromotion(context: Context, id: number): Promise<PromotionDetail> {
  let shown = await requestOf(context, id)
  if (shown.plan && waitsForComparison(shown.item)) {
    await compareWithPreceding(context, promotedIn(shown.row, shown.plan))
    shown = await requestOf(context, id)
  }
  const { row, item, plan } = shown
  return {
    ...item,
    plan: plan ? await shownPlan(context.db, row, plan, context.now()) : (row.evidence?.plan ?? []),
    ...(plan && { digest: planDigest(plan.basis) }),
  }
}

/** What somebody has read must be what they speak for. */
export function requireRead(digest: string, basis: PlanBasis): void {
  const now = planDigest(basis)
  if (digest !== now)
    throw stale('The plan has changed since you read it. Read it again before you decide.', now)
}

const notWaiting = 'This request is not waiting any more.'

/** A request that waits, which nobody else changes until the transaction ends. */
export async function lockWaiting(tx: Transaction, id: number): Promise<PromotionRow> {
  const row = await lockPromotion(tx, id)
  if (row.state !== 'waiting') throw conflict(notWaiting)
  return row
}

/** Approves; the requester's own approval does not open the gate. */
export async function approve(
  context: Context,
  id: number,
  { note, digest }: Approval,
): Promise<PromotionDetail> {
  const { db, actor, now } = context
  requirePermission(actor, 'approve')
  await db.transaction(async (tx) => {
    const row = await lockWaiting(tx, id)
    if (row.requestedById === actor.id)
      throw conflict('You asked for this yourself; somebody else has to approve it.')
    const { api, basis } = await planOf(tx, row)
    requireRead(digest, basis)
    const made = await tx
      .insert(approvals)
      .values({ promotionId: id, byId: actor.id, at: now(), note, basis })
      .onConflictDoUpdate({
        target: [approvals.promotionId, approvals.byId],
        set: { at: now(), note, basis },
        setWhere: sql`${approvals.basis} is distinct from ${JSON.stringify(basis)}::jsonb`,
      })
      .returning()
    if (made.length === 0) throw conflict('You have approved this already.')
    await record(tx, context, {
      action: row.kind === 'promotion' ? 'promotion.approved' : 'request.approved',
      api: row.apiId,
      subject: row.placementId ?? api.slug,
      after: {
        promotion: id,
        version: row.version,
        to: row.toStage,
        note,
        plan: planDigest(basis),
      },
    })
  })
  return readPromotion(context, id)
}

/** Takes a request back. */
export async function withdrawPromotion(context: Context, id: number): Promise<PromotionDetail> {
  const { db, actor } = context
  await db.transaction(async (tx) => {
    const row = await findPromotion(tx, id)
    const api = await apiOf(tx, row)
    requirePermission(actor, 'request', api.team)
    const gone = await tx
      .update(promotions)
      .set({ state: 'withdrawn' })
      .where(and(eq(promotions.id, id), eq(promotions.state, 'waiting')))
      .returning()
    if (gone.length === 0) throw conflict(notWaiting)
    await record(tx, context, {
      action: row.kind === 'promotion' ? 'promotion.withdrawn' : 'request.withdrawn',
      api: row.apiId,
      subject: row.placementId ?? api.slug,
      before: { promotion: id, version: row.version, to: row.toStage },
    })
  })
  return readPromotion(context, id)
}

/** Goes past the approval in an emergency; it stands out until somebody else has confirmed it. */
export async function overrideApproval(
  context: Context,
  id: number,
  { reason, digest }: Override,
): Promise<PromotionDetail> {
  const { db, actor, now } = context
  requirePermission(actor, 'override')
  await db.transaction(async (tx) => {
    const row = await lockWaiting(tx, id)
    const { api, basis } = await planOf(tx, row)
    requireRead(digest, basis)
    const override = { by: actor.name, at: now().toISOString(), reason, basis }
    await tx.update(promotions).set({ override }).where(eq(promotions.id, id))
    await record(tx, context, {
      action: 'request.overridden',
      api: row.apiId,
      subject: row.placementId ?? api.slug,
      after: { promotion: id, reason, plan: planDigest(basis) },
    })
  })
  return readPromotion(context, id)
}

/** Says, as a second person, that an emergency was one. */
export async function confirmOverride(context: Context, id: number): Promise<PromotionDetail> {
  const { db, actor, now } = context
  requirePermission(actor, 'approve')
  await db.transaction(async (tx) => {
    const row = await lockPromotion(tx, id)
    if (!row.override || row.confirmedById)
      throw conflict('There is no emergency here that waits to be confirmed.')
    if (row.override.by === actor.name || row.requestedById === actor.id)
      throw conflict('Somebody who neither asked for it nor went past the approval confirms it.')
    await tx
      .update(promotions)
      .set({ confirmedById: actor.id, confirmedAt: now() })
      .where(eq(promotions.id, id))
    const api = await apiOf(tx, row)
    await record(tx, context, {
      action: 'request.confirmed',
      api: row.apiId,
      subject: row.placementId ?? api.slug,
      after: { promotion: id, reason: row.override.reason },
    })
  })
  return readPromotion(context, id)
}

/**
 * The act: the gateways are read anew, and with every gate open what the plan says is written down as wanted, in one
 * rollout over all gateways. Gates, approvals and plan are judged in the transaction that does so.
 */
export async function promote(context: Context, id: number): Promise<PromotionDetail> {
  requirePermission(context.actor, 'promote')
  const row = await findPromotion(context.db, id)
  if (row.state !== 'waiting') throw conflict(notWaiting)
  await carryOut(context, await begin(context, row))
  return readPromotion(context, id)
}

/** Begins the rollout of a request, for whoever acts: by hand, or because a pipeline says so. */
async function begin(
  context: Context,
  row: PromotionRow,
  { byPipeline = false } = {},
): Promise<number> {
  const { db } = context
  if (row.kind === 'promotion') {
    await compareWithPreceding(context, promotedIn(row, await planOf(db, row)))
    const groups = (await placedIn(db, row)).map(({ group }) => group)
    for (const gateway of await membersOf(db, groups)) await checkGateway(context.system, gateway)
  }
  return db.transaction((tx) => intendPlan(tx, context, row.id, byPipeline))
}

/**
 * Carries out what waits for nothing but its gates, where its pipeline says so, in the name of whoever asked. What went back
 * once waits for somebody to look at it.
 */
export async function promoteOpen(services: Services): Promise<void> {
  const { db } = services
  const pipelines = await Pipelines.read(db)
  const rows = await db
    .select({ row: promotions, api: apiColumns })
    .from(promotions)
    .innerJoin(apis, eq(apis.id, promotions.apiId))
    .where(eq(promotions.state, 'waiting'))
    .orderBy(asc(promotions.id))
  const automatic = rows.flatMap(({ row, api }) =>
    isAutomatic(pipelines.for(api), row) ? [row] : [],
  )
  if (automatic.length === 0) return
  const wentBack = await wentBackOf(
    db,
    automatic.map(({ id }) => id),
  )
  const judged = await judgeRequests(
    services,
    automatic.filter(({ id }) => !wentBack.has(id)),
    [pipelines],
  )
  for (const { row, plan, standings } of judged) {
    const { gates } = standings[0]!
    const context = actAs(services, await actorWithId(db, row.requestedById))
    if (waitsForComparison({ gates })) await compareWithPreceding(context, promotedIn(row, plan))
    if (!open(gates)) continue
    try {
      await services.queue.rollOut(await begin(context, row, { byPipeline: true }))
    } catch (error) {
      if (!(error instanceof Failure)) throw error
    }
  }
}

async function intendPlan(
  tx: Transaction,
  context: Context,
  id: number,
  byPipeline: boolean,
): Promise<number> {
  await lockScopes(tx, 'placements')
  const row = await lockWaiting(tx, id)
  // Of two that begin at once the second counts the first (the gate quota).
  await tx.execute(sql`SELECT pg_advisory_xact_lock(7120423, hashtext(${row.toStage}))`)
  await lockAll(tx, await planOf(tx, row))
  // What was read before the locks may have changed until they were had.
  const plan = await planOf(tx, row)
  const pipelines = await Pipelines.read(tx)
  const gates = await gatesOf({ db: tx, now: context.now }, row, plan, pipelines)
  if (!open(gates)) {
    const shut = gates
      .filter((gate) => gate.state !== 'passed')
      .map((gate) => `${gate.title}: ${gate.text}`)
    throw conflict(`Not every gate is open. ${shut.join('. ')}.`)
  }
  const evidence = await actEvidence(tx, row, plan, gates, context.now())
  const change = await changeOf(tx, row, plan, dayOf(context.now()))
  await tx.update(promotions).set({ state: 'under-way' }).where(eq(promotions.id, id))
  const { api, writes } = plan
  const holding = pipelines.for(api)
  const stage = stageNamed(holding.content, row.toStage)
  return intend(tx, context, {
    action: doneAs[row.kind],
    title: requestTitle(row, api),
    change: { ...change, promotion: { id, evidence } },
    groups: writes.map(({ group }) => group),
    api: row.apiId,
    pace: stage ? paceOf(stage, row.kind === 'promotion') : {},
    act: {
      subject: row.placementId ?? api.slug,
      after: {
        ...{ promotion: id, version: row.version, plan: planDigest(plan.basis) },
        evidence: evidenceDigest(evidence),
        pipeline: nameOf(holding),
        ...(byPipeline && { carriedOut: 'as soon as every gate was open' }),
      },
    },
  })
}

/** A pipeline as the ledger tells it. */
const nameOf = ({ slug, edition }: Holding) => ({ name: slug, edition })

/** Keeps every placement of a plan as it is until the transaction ends. */
async function lockAll(tx: Transaction, { from, writes, succeeded }: Plan): Promise<void> {
  const standing = [...writes, ...succeeded].flatMap(({ there }) => there ?? [])
  const ids = [...from, ...standing].map(({ id }) => id)
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

async function changeOf(
  tx: Transaction,
  row: PromotionRow,
  { api, revision, writes, succeeded }: Plan,
  today: string,
): Promise<Exclude<RolloutChange, { kind: 'policies' | 'take-off' }>> {
  const [only] = writes
  if (!only) throw conflict('The placement is not there any more.')
  if (row.kind === 'removal')
    return { kind: 'remove', placement: only.there!.id, generation: only.there!.generation }
  if (row.kind === 'put-back') return { kind: 'apply', placement: only.there!.id }
  const wanted: WantedPlacement[] = []
  for (const { group, there, spec } of writes) {
    const target = { api, version: row.version, revision, stage: row.toStage, group, spec: spec! }
    await requirePlaceable(tx, target)
    const id = there?.id ?? (await newPlacementId(tx, target, wanted))
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
