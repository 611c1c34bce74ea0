import { and, asc, desc, eq, inArray, sql } from 'drizzle-orm'
import { compareOperations } from '../../core/compare/operations'
import { compareRoutes } from '../../core/drift/compare'
import { judgeGates, open, type Gate } from '../../core/pipeline/gates'
import type { Backend, PlacementSpec } from '../../core/routing/placement'
import { routesOf } from '../../core/routing/resources'
import type {
  PlacementPlan,
  PromotionDetail,
  PromotionItem,
  PromotionQuery,
  PromotionRequest,
} from '../../shared/api/promotions'
import { audiences } from '../../shared/words'
import type { Queries } from '../db/database'
import { apis, approvals, backends, people, placements, promotions, stages } from '../db/schema'
import { apiOf, applyTarget, standingAt } from './apply'
import { findApi, revisionOfVersion, type ApiRow } from './catalog'
import { compiled, type PlacementRow } from './compiled'
import type { Context } from './context'
import { conflict, notFound } from './failure'
import { checkGateway } from './gateways'
import { record } from './ledger'
import { pageFrom, type Page } from './paging'
import { requirePermission } from './permissions'

import { markOf } from './register'

type PromotionRow = typeof promotions.$inferSelect

async function findPromotion(db: Queries, id: number): Promise<PromotionRow> {
  const [row] = Number.isSafeInteger(id)
    ? await db.select().from(promotions).where(eq(promotions.id, id))
    : []
  if (!row) throw notFound(`promotion ${id}`)
  return row
}

const standing = (
  db: Queries,
  { api, version, fromStage }: Pick<PromotionRow, 'api' | 'version' | 'fromStage'>,
) =>
  db
    .select()
    .from(placements)
    .where(
      and(
        eq(placements.api, api),
        eq(placements.version, version),
        eq(placements.stage, fromStage),
      ),
    )
    .orderBy(asc(placements.id))

/** Asks for a version to enter the stage after the one it stands in. */
export async function requestPromotion(
  context: Context,
  body: PromotionRequest,
): Promise<PromotionDetail> {
  const { db, now, actor } = context
  const api = await findApi(db, body.api)
  requirePermission(actor, 'request', api.team)
  const all = await db.select().from(stages).orderBy(asc(stages.position))
  const index = all.findIndex((stage) => stage.name === body.from)
  if (index === -1) throw notFound(`stage called "${body.from}"`)
  const next = all[index + 1]
  if (!next) throw conflict(`${body.from} is the last stage; there is nowhere to promote to.`)
  const from = await standing(db, { api: api.id, version: body.version, fromStage: body.from })
  if (from.length === 0)
    throw conflict(`${body.version} of ${api.title} is not placed in ${body.from}.`)
  const id = await db.transaction(async (tx) => {
    const [row] = await tx
      .insert(promotions)
      .values({
        api: api.id,
        version: body.version,
        fromStage: body.from,
        toStage: next.name,
        state: 'waiting',
        requestedBy: actor.name,
        requestedAt: now(),
        note: body.note,
      })
      .onConflictDoNothing()
      .returning({ id: promotions.id })
    if (!row) throw conflict(`A promotion of ${body.version} into ${next.name} is waiting already.`)
    await record(tx, context, {
      action: 'promotion.requested',
      subject: api.slug,
      after: {
        promotion: row.id,
        version: body.version,
        from: body.from,
        to: next.name,
        note: body.note,
      },
    })
    return row.id
  })
  return readPromotion(context, id)
}

async function gatesOf(
  { db, now }: Pick<Context, 'db' | 'now'>,
  row: PromotionRow,
): Promise<Gate[]> {
  const api = await apiOf(db, row)
  const revision = await revisionOfVersion(db, api, row.version)
  const from = await standing(db, row)
  const given = await db
    .select({ by: approvals.by, name: people.displayName })
    .from(approvals)
    .innerJoin(people, eq(people.name, approvals.by))
    .where(eq(approvals.promotion, row.id))
    .orderBy(asc(approvals.at))
  return judgeGates({
    mustFindings: revision.counts.must,
    fromStage: row.fromStage,
    standing: from.map((placement) => ({
      name: placement.id,
      checked: markOf(placement, now()) !== 'unseen',
      differences: placement.differences.length,
    })),
    requester: row.requestedBy,
    approvals: given,
  })
}

/** Promotions, waiting ones first, newest first. */
export async function listPromotions(
  context: Pick<Context, 'db' | 'now'>,
  query: PromotionQuery,
): Promise<Page<PromotionItem>> {
  const { db } = context
  const rows = await db
    .select({ promotion: promotions, api: apis, by: people.displayName })
    .from(promotions)
    .innerJoin(apis, eq(apis.id, promotions.api))
    .leftJoin(people, eq(people.name, promotions.requestedBy))
    .where(
      and(
        query.state ? eq(promotions.state, query.state) : undefined,
        query.api ? eq(apis.slug, query.api) : undefined,
      ),
    )
    .orderBy(sql`${promotions.state} = 'waiting' desc`, desc(promotions.id))
  const page = pageFrom(rows, query)
  const ids = page.items.map(({ promotion }) => promotion.id)
  const given =
    ids.length === 0
      ? []
      : await db
          .select({
            promotion: approvals.promotion,
            by: people.displayName,
            at: approvals.at,
            note: approvals.note,
          })
          .from(approvals)
          .innerJoin(people, eq(people.name, approvals.by))
          .where(inArray(approvals.promotion, ids))
          .orderBy(asc(approvals.at))
  const items = await Promise.all(
    page.items.map(async ({ promotion, api, by }): Promise<PromotionItem> => ({
      id: promotion.id,
      api: api.slug,
      title: api.title,
      team: api.team,
      version: promotion.version,
      from: promotion.fromStage,
      to: promotion.toStage,
      state: promotion.state,
      requestedBy: by ?? promotion.requestedBy,
      requestedAt: promotion.requestedAt.toISOString(),
      note: promotion.note,
      gates:
        promotion.state === 'waiting'
          ? await gatesOf(context, promotion)
          : (promotion.evidence?.gates ?? []),
      approvals: given
        .filter((approval) => approval.promotion === promotion.id)
        .map(({ by: name, at, note }) => ({ by: name, at: at.toISOString(), note })),
    })),
  )
  return { ...page, items }
}

export async function readPromotion(context: Context, id: number): Promise<PromotionDetail> {
  const row = await findPromotion(context.db, id)
  const api = await apiOf(context.db, row)
  const { items } = await listPromotions(context, { api: api.slug, limit: 1000 })
  const item = items.find((promotion) => promotion.id === id)!
  return {
    ...item,
    plan: row.state === 'waiting' ? await planOf(context.db, row) : (row.evidence?.plan ?? []),
  }
}

/** The specification in the next stage: the same, at that stage's host, sent to that stage's backends. */
async function nextSpec(
  db: Queries,
  row: PromotionRow,
  api: ApiRow,
  from: PlacementRow,
): Promise<PlacementSpec> {
  const [fromStage] = await db.select().from(stages).where(eq(stages.name, row.fromStage))
  const [toStage] = await db.select().from(stages).where(eq(stages.name, row.toStage))
  const known = await db
    .select()
    .from(backends)
    .where(and(eq(backends.api, api.slug), eq(backends.stage, row.toStage)))
  const audience = audiences.find((key) => fromStage!.hosts[key] === from.spec.host)
  const host = toStage!.hosts[audience ?? api.audience]
  const upstream = from.spec.backends.map(({ name, url, timeoutMs }): Backend => {
    const there = known.find((backend) => backend.name === name)
    return there ? { name, url: there.url, timeoutMs: there.timeoutMs } : { name, url, timeoutMs }
  })
  return { ...from.spec, host, backends: upstream }
}

/** What each placement of the version becomes in the next stage, and what that changes there. */
async function planOf(db: Queries, row: PromotionRow): Promise<PlacementPlan[]> {
  const api = await apiOf(db, row)
  const from = await standing(db, row)
  return Promise.all(
    from.map(async (placement): Promise<PlacementPlan> => {
      const spec = await nextSpec(db, row, api, placement)
      const there = await standingAt(db, {
        api,
        stage: row.toStage,
        gateway: placement.gateway,
        spec,
      })
      const served = ({ routes }: PlacementSpec) =>
        routes.filter(({ treatment: { kind } }) => kind === 'route' || kind === 'mock')
      const { added, removed } = compareOperations(there ? served(there.spec) : [], served(spec))
      const next: PlacementRow = { ...placement, id: there?.id ?? 'next', spec, stage: row.toStage }
      const changes = there ? await settingChanges(db, there, next) : []
      return {
        gateway: placement.gateway,
        address: `https://${spec.host}${spec.basePath}`,
        replaces: there?.version ?? '',
        added,
        removed,
        changes,
        spec,
      }
    }),
  )
}

/** Settings of operations served before and after that will be different. */
async function settingChanges(db: Queries, there: PlacementRow, next: PlacementRow) {
  const before = routesOf(await compiled(db, there))
  const after = routesOf(await compiled(db, { ...next, id: there.id }))
  const differences = compareRoutes(before, after)
  return differences.filter(({ what }) => what !== 'route' && what !== 'version')
}

/** Approves; the requester's own approval does not open the gate. */
export async function approve(
  context: Context,
  id: number,
  note: string,
): Promise<PromotionDetail> {
  const { db, actor, now } = context
  requirePermission(actor, 'approve')
  await db.transaction(async (tx) => {
    const [row] = await tx.select().from(promotions).where(eq(promotions.id, id)).for('update')
    if (!row) throw notFound(`promotion ${id}`)
    if (row.state !== 'waiting') throw conflict('This promotion is not waiting any more.')
    if (row.requestedBy === actor.name)
      throw conflict('You asked for this promotion yourself; somebody else has to approve it.')
    const made = await tx
      .insert(approvals)
      .values({ promotion: id, by: actor.name, at: now(), note })
      .onConflictDoNothing()
      .returning()
    if (made.length === 0) throw conflict('You have approved this already.')
    const api = await apiOf(tx, row)
    await record(tx, context, {
      action: 'promotion.approved',
      subject: api.slug,
      after: { promotion: id, version: row.version, to: row.toStage, note },
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
    if (gone.length === 0) throw conflict('This promotion is not waiting any more.')
    await record(tx, context, {
      action: 'promotion.withdrawn',
      subject: api.slug,
      before: { promotion: id, version: row.version, to: row.toStage },
    })
  })
  return readPromotion(context, id)
}

/** The act: the gateways are read anew, and with every gate open each placement of the version is applied in the next stage. */
export async function promote(context: Context, id: number): Promise<PromotionDetail> {
  const { db, actor } = context
  requirePermission(actor, 'promote')
  const row = await findPromotion(db, id)
  if (row.state !== 'waiting') throw conflict('This promotion is not waiting any more.')
  const standingGateways = new Set((await standing(db, row)).map(({ gateway }) => gateway))
  for (const gateway of standingGateways) await checkGateway(context, gateway)
  const gates = await gatesOf(context, row)
  if (!open(gates)) {
    const shut = gates
      .filter((gate) => gate.state !== 'passed')
      .map((gate) => `${gate.title}: ${gate.text}`)
    throw conflict(`Not every gate is open. ${shut.join('. ')}.`)
  }
  const api = await apiOf(db, row)
  const revision = await revisionOfVersion(db, api, row.version)
  const from = await standing(db, row)
  const plan = await planOf(db, row)
  const reasons = gates.map(({ id: gate, text }) => ({ gate, text }))
  for (const [index, placement] of from.entries()) {
    const spec = await nextSpec(db, row, api, placement)
    const target = {
      api,
      version: row.version,
      revision,
      stage: row.toStage,
      gateway: placement.gateway,
      spec,
    }
    const there = await standingAt(db, target)
    const last = index === from.length - 1
    await applyTarget(context, target, there, 'placement.promoted', async (tx) => {
      if (!last) return
      const done = await tx
        .update(promotions)
        .set({ state: 'done', evidence: { gates, plan } })
        .where(and(eq(promotions.id, id), eq(promotions.state, 'waiting')))
        .returning()
      if (done.length === 0) throw conflict('Somebody promoted or withdrew this in between.')
      await record(tx, context, {
        action: 'promotion.done',
        subject: api.slug,
        before: { stage: row.fromStage, replaces: there?.version ?? null },
        after: { promotion: id, version: row.version, stage: row.toStage, gates: reasons },
      })
    })
  }
  return readPromotion(context, id)
}
