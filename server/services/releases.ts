import { and, desc, eq, inArray, max, sql } from 'drizzle-orm'
import { sha256Hex } from '../../core/ledger/chain'
import { open } from '../../core/pipeline/gates'
import type { PromotionDetail } from '../../shared/api/promotions'
import type {
  ReleaseApproval,
  ReleaseDetail,
  ReleaseItem,
  ReleaseQuery,
  ReleaseRequest,
} from '../../shared/api/releases'
import type { Queries } from '../db/database'
import { apiColumns, displayName } from '../db/names'
import { apis, promotions, releases, rolloutRequests } from '../db/schema'
import { apiOf } from './apply'
import { findApi, type ApiRow } from './catalog'
import { actAs, type Context, type Services } from './context'
import { conflict, Failure, invalid, notFound, stale } from './failure'
import { pageFrom, type Page } from './paging'
import { actorWithId } from './people'
import { requirePermission } from './permissions'
import { isAutomatic, Pipelines } from './pipelines'
import { begin } from './promoting'
import { judgeRequests } from './promotion-gates'
import type { PromotionRow } from './promotion-plans'
import { findPromotion, lockWaiting } from './promotion-rows'
import { approveIn, requestPromotion, requestsOfRelease } from './promotions'
import { lockRelease, requestsOf, takeOut, tellRelease } from './release-rows'
import { carryOut, wentBackOf } from './rollouts'

type ReleaseRow = typeof releases.$inferSelect

async function findRelease(db: Queries, id: number): Promise<ReleaseRow> {
  const [row] = await db.select().from(releases).where(eq(releases.id, id))
  if (!row) throw notFound(`release ${id}`)
  return row
}

/**
 * Puts versions together that are carried out as one: all of them, or none. Those that nobody has asked for yet are asked for;
 * where one cannot be, nothing is put together, and what was asked for stays asked for.
 */
export async function createRelease(
  context: Context,
  { title, note, from, versions, neededBy }: ReleaseRequest,
): Promise<ReleaseDetail> {
  const { db, actor, now } = context
  requirePermission(actor, 'request')
  const known = new Map<string, ApiRow>()
  for (const { api } of versions) known.set(api, await findApi(db, api))
  for (const { team } of known.values()) requirePermission(actor, 'request', team)
  if (versions.length < 2) throw invalid([{ field: 'versions', message: 'Take two at least' }])
  const twice = versions.find(({ api }, n) => versions.findIndex((one) => one.api === api) < n)
  if (twice) {
    const message = `${known.get(twice.api)!.title} is in it twice; take one version of it`
    throw invalid([{ field: 'versions', message }])
  }
  const ids: number[] = []
  for (const { api, version } of versions) {
    const [waiting] = await db
      .select({ id: promotions.id })
      .from(promotions)
      .where(
        and(
          ...[eq(promotions.apiId, known.get(api)!.id), eq(promotions.version, version)],
          ...[eq(promotions.fromStage, from), eq(promotions.state, 'waiting')],
          eq(promotions.kind, 'promotion'),
        ),
      )
    const ask = { api, version, from, note, ...(neededBy !== undefined && { neededBy }) }
    ids.push(waiting?.id ?? (await requestPromotion(context, ask)).id)
  }
  ids.sort((one, other) => one - other)
  const release = await db.transaction(async (tx) => {
    const rows: PromotionRow[] = []
    for (const id of ids) rows.push(await lockWaiting(tx, id))
    const taken = rows.find(({ releaseId }) => releaseId !== null)
    if (taken) throw conflict(`${taken.version} goes as release ${taken.releaseId} already.`)
    const [first, ...others] = rows
    const astray = others.find(({ toStage }) => toStage !== first!.toStage)
    if (astray)
      throw conflict(
        `${first!.version} goes into ${first!.toStage} and ${astray.version} into ${astray.toStage}: a release enters one stage.`,
      )
    const [made] = await tx
      .insert(releases)
      .values({
        ...{ title, note, fromStage: from, toStage: first!.toStage, state: 'waiting' },
        ...{ madeById: actor.id, madeAt: now(), apiIds: rows.map(({ apiId }) => apiId) },
      })
      .returning({ id: releases.id })
    await tx.update(promotions).set({ releaseId: made!.id }).where(inArray(promotions.id, ids))
    for (const row of rows) await tellRelease(tx, context, row, 'promotion.joined', made!.id)
    return made!.id
  })
  return readRelease(context, release)
}

/** Has one version of a release wait on its own. */
export async function removeFromRelease(
  context: Context,
  release: number,
  promotion: number,
): Promise<void> {
  const { db, actor } = context
  requirePermission(actor, 'request')
  await db.transaction(async (tx) => {
    const row = await findPromotion(tx, promotion)
    if (row.releaseId !== release) throw notFound(`promotion ${promotion} in release ${release}`)
    requirePermission(actor, 'request', (await apiOf(tx, row)).team)
    await takeOut(tx, context, row)
  })
}

/** Has all versions of a release wait on their own again. */
export async function cancelRelease(context: Context, id: number): Promise<void> {
  const { db, actor } = context
  requirePermission(actor, 'request')
  await db.transaction(async (tx) => {
    await lockRelease(tx, id)
    const rows = await requestsOf(tx, id)
    await requireAsking(tx, context, rows)
    await tx.update(promotions).set({ releaseId: null }).where(eq(promotions.releaseId, id))
    for (const row of rows) await tellRelease(tx, context, row, 'promotion.left', id)
    await tx.delete(releases).where(eq(releases.id, id))
  })
}

/** Who puts a release together, or takes it apart, asks for every version of it. */
async function requireAsking(db: Queries, { actor }: Context, rows: readonly PromotionRow[]) {
  const owners = await db
    .select(apiColumns)
    .from(apis)
    .where(
      inArray(
        apis.id,
        rows.map(({ apiId }) => apiId),
      ),
    )
  for (const { team } of owners) requirePermission(actor, 'request', team)
}

/** Releases, waiting ones first, newest first. */
export async function listReleases(
  context: Pick<Context, 'db' | 'now'>,
  query: ReleaseQuery,
): Promise<Page<ReleaseItem>> {
  const { db } = context
  const rows = await db
    .select({ row: releases, by: sql<string>`${displayName(releases.madeById)}` })
    .from(releases)
    .where(query.state ? eq(releases.state, query.state) : undefined)
    .orderBy(sql`${releases.state} = 'done'`, desc(releases.id))
  const page = pageFrom(rows, query)
  const ids = page.items.map(({ row }) => row.id)
  const requests =
    ids.length === 0
      ? []
      : await db.select().from(promotions).where(inArray(promotions.releaseId, ids))
  const waiting = requests.filter(({ state }) => state === 'waiting')
  const judged = await judgeRequests(context, waiting, [await Pipelines.read(db)])
  const opened = new Set(
    judged.flatMap(({ row, standings }) => (open(standings[0]!.gates) ? [row.id] : [])),
  )
  const items = page.items.map(({ row, by }): ReleaseItem => {
    const own = requests.filter(({ releaseId }) => releaseId === row.id)
    const isOpen = ({ id }: PromotionRow) => row.state !== 'waiting' || opened.has(id)
    return itemOf(row, by, { versions: own.length, open: own.filter(isOpen).length })
  })
  return { ...page, items }
}

const itemOf = (
  { id, title, note, fromStage, toStage, state, madeAt }: ReleaseRow,
  by: string,
  counts: Pick<ReleaseItem, 'versions' | 'open'>,
): ReleaseItem => ({
  ...{ release: id, title, note, from: fromStage, to: toStage, state },
  ...{ by, at: madeAt.toISOString(), ...counts },
})

export async function readRelease(context: Context, id: number): Promise<ReleaseDetail> {
  const { db } = context
  const [found] = await db
    .select({ row: releases, by: sql<string>`${displayName(releases.madeById)}` })
    .from(releases)
    .where(eq(releases.id, id))
  if (!found) throw notFound(`release ${id}`)
  const requests = await requestsOfRelease(context, id)
  const [last] = await db
    .select({ rollout: max(rolloutRequests.rolloutId) })
    .from(rolloutRequests)
    .innerJoin(promotions, eq(promotions.id, rolloutRequests.promotionId))
    .where(eq(promotions.releaseId, id))
  const { row, by } = found
  const counts = { versions: requests.length, open: requests.filter(isOpen).length }
  return {
    ...itemOf(row, by, counts),
    promotions: requests,
    ...(row.state === 'waiting' && { digest: digestOf(requests) }),
    ...(last?.rollout != null && { rollout: last.rollout }),
  }
}

const isOpen = ({ state, gates }: PromotionDetail) => state !== 'waiting' || open(gates)

/** What all plans of a release are known by. */
const digestOf = (requests: readonly PromotionDetail[]) =>
  sha256Hex(requests.map(({ id, digest = '' }) => `${id} ${digest}`).join('\n'))

/** Approves every version of a release that somebody else asked for, at once: what was read must be what all of them do. */
export async function approveRelease(
  context: Context,
  id: number,
  { note, digest }: ReleaseApproval,
): Promise<ReleaseDetail> {
  const { db, actor } = context
  requirePermission(actor, 'approve')
  const read = await readRelease(context, id)
  if (read.digest === undefined) throw conflict('This release is not waiting any more.')
  if (read.digest !== digest)
    throw stale(
      'A plan has changed since you read it. Read them again before you decide.',
      read.digest,
    )
  await db.transaction(async (tx) => {
    await lockRelease(tx, id)
    const rows = await requestsOf(tx, id)
    if (rows.length !== read.promotions.length)
      throw conflict('The release has other versions since. Read it again.')
    const others = rows.filter(({ requestedById }) => requestedById !== actor.id)
    if (others.length === 0)
      throw conflict('You asked for all of them yourself; somebody else has to approve them.')
    let said = 0
    for (const row of others) {
      const own = read.promotions.find((one) => one.id === row.id)
      if (await approveIn(tx, context, row.id, { note, digest: own?.digest ?? '' })) said += 1
    }
    if (said === 0) throw conflict('You have approved all of them already.')
  })
  return readRelease(context, id)
}

/** The act: every version enters the stage, in one rollout over all gateways, or none does. */
export async function promoteRelease(context: Context, id: number): Promise<ReleaseDetail> {
  requirePermission(context.actor, 'promote')
  await carryOut(context, await beginRelease(context, id))
  return readRelease(context, id)
}

async function beginRelease(context: Context, id: number, byPipeline = false): Promise<number> {
  const { db } = context
  const { title, state } = await findRelease(db, id)
  if (state !== 'waiting') throw conflict('This release is not waiting any more.')
  return begin(context, await requestsOf(db, id), { byPipeline, release: { id, title } })
}

/** Carries out the releases that wait for nothing but gates, where the pipelines of all their versions say so. */
export async function promoteOpenReleases(services: Services): Promise<void> {
  const { db } = services
  const waiting = await db.select().from(releases).where(eq(releases.state, 'waiting'))
  if (waiting.length === 0) return
  const pipelines = await Pipelines.read(db)
  for (const release of waiting) {
    const requests = await db
      .select({ row: promotions, api: apiColumns })
      .from(promotions)
      .innerJoin(apis, eq(apis.id, promotions.apiId))
      .where(eq(promotions.releaseId, release.id))
    if (!requests.every(({ row, api }) => isAutomatic(pipelines.for(api), row))) continue
    const rows = requests.map(({ row }) => row)
    const wentBack = await wentBackOf(
      db,
      rows.map(({ id }) => id),
    )
    if (rows.length === 0 || wentBack.size > 0) continue
    const judged = await judgeRequests(services, rows, [pipelines])
    if (!judged.every(({ standings }) => open(standings[0]!.gates))) continue
    const context = actAs(services, await actorWithId(db, release.madeById))
    try {
      await services.queue.rollOut(await beginRelease(context, release.id, true))
    } catch (error) {
      if (!(error instanceof Failure)) throw error
    }
  }
}
