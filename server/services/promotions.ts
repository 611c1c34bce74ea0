import { placementEtag } from '../../shared/etags'
import { and, asc, desc, eq, inArray, sql } from 'drizzle-orm'
import { open } from '../../core/pipeline/gates'
import { stageAfter } from '../../core/pipeline/pipeline'
import { planDigest, type PlanBasis } from '../../core/pipeline/plan'
import { endingFault, endingText, type Ending } from '../../core/pipeline/succession'
import type { ChangeRequest, EndingRequest } from '../../shared/api/placements'
import type {
  Approval,
  Override,
  PromotionDetail,
  PromotionItem,
  PromotionQuery,
  PromotionRequest,
} from '../../shared/api/promotions'
import type { Transaction } from '../db/database'
import { apiColumns } from '../db/names'
import { apis, approvals, people, promotions, stages } from '../db/schema'
import { apiOf, findPlacement, requirePlaceable } from './apply'
import { findApi } from './catalog'
import { actAs, type Context, type Services } from './context'
import { conflict, Failure, invalid, notFound, requireMatch, stale } from './failure'
import { dayOf } from './known'
import { record } from './ledger'
import { pageFrom, type Page } from './paging'
import { actorWithId } from './people'
import { requirePermission } from './permissions'
import { isAutomatic, Pipelines } from './pipelines'
import { firstStage, targetOf, toSpec } from './placements'
import { carryOut, wentBackOf } from './rollouts'
import { runningSpec } from './running'
import { begin } from './promoting'
import { findPromotion, lockPromotion, lockWaiting, notWaiting } from './promotion-rows'
import { takeOut } from './release-rows'
import { sideBySide } from './side-by-side'
import { compareWithPreceding } from './version-gate'
import { judgeRequests, overriderOf } from './promotion-gates'
import {
  placedIn,
  planOf,
  promotedIn,
  shownPlan,
  type Plan,
  type PromotionRow,
} from './promotion-plans'

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
        query.release === undefined ? undefined : eq(promotions.releaseId, query.release),
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
      ...(promotion.releaseId !== null && { release: promotion.releaseId }),
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
  return detailOf(context, shown)
}

/** So many versions are in a release at most. */
const mostInRelease = 50

/** The requests of a release, in their order. */
export async function requestsOfRelease(
  context: Context,
  release: number,
): Promise<PromotionDetail[]> {
  const { items } = await requestsOf(context, { release, limit: mostInRelease })
  const details = await sideBySide(items, (shown) => detailOf(context, shown))
  return details.sort((one, other) => one.id - other.id)
}

async function detailOf(context: Context, { row, item, plan }: Shown): Promise<PromotionDetail> {
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

/** Approves; the requester's own approval does not open the gate. */
export async function approve(
  context: Context,
  id: number,
  { note, digest }: Approval,
): Promise<PromotionDetail> {
  const { db, actor } = context
  requirePermission(actor, 'approve')
  await db.transaction(async (tx) => {
    if (!(await approveIn(tx, context, id, { note, digest })))
      throw conflict('You have approved this already.')
  })
  return readPromotion(context, id)
}

/** Says yes to a request; false where that person has said so of this plan already. */
export async function approveIn(
  tx: Transaction,
  context: Context,
  id: number,
  { note, digest }: Approval,
): Promise<boolean> {
  const { actor, now } = context
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
  if (made.length === 0) return false
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
  return true
}

/** Takes a request back. */
export async function withdrawPromotion(context: Context, id: number): Promise<PromotionDetail> {
  const { db, actor } = context
  await db.transaction(async (tx) => {
    const row = await findPromotion(tx, id)
    const api = await apiOf(tx, row)
    requirePermission(actor, 'request', api.team)
    await takeOut(tx, context, row)
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
  await carryOut(context, await begin(context, [row]))
  return readPromotion(context, id)
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
    row.releaseId === null && isAutomatic(pipelines.for(api), row) ? [row] : [],
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
      await services.queue.rollOut(await begin(context, [row], { byPipeline: true }))
    } catch (error) {
      if (!(error instanceof Failure)) throw error
    }
  }
}
