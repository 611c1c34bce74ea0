import { and, asc, desc, eq, inArray, isNull, sql } from 'drizzle-orm'
import type { ApiAction } from '../../core/ledger/actions'
import type { Pace } from '../../core/pipeline/carrying-out'
import { shareAfter } from '../../core/pipeline/rollout'
import { gatewayKinds } from '../../core/runtime/gateway-kinds'
import { scopeText } from '../../core/runtime/resolve'
import type { RolloutItem, RolloutQuery } from '../../shared/api/rollouts'
import { lockKeys } from '../db/lock-keys'
import type { Queries, Transaction } from '../db/database'
import {
  gateways,
  people,
  placements,
  rolloutPlacements,
  rolloutRequests,
  rollouts,
  rolloutSteps,
  stages,
  type RolloutChange,
  type WantedPlacement,
} from '../db/schema'
import { seeingEverything } from '../db/viewer'
import type { PlacementRow } from './compiled'
import type { Context, Services } from './context'
import { conflict, Failure, notFound } from './failure'
import { announce, record, type Act } from './ledger'
import { pageFrom, type Page } from './paging'
import { requirePermission } from './permissions'
import { standsIn } from './scopes'

export type RolloutRow = typeof rollouts.$inferSelect

/** How long a request waits for its rollout before it says that it goes on; in milliseconds. */
const waitsMs = 6000

/** The placements a change is about. */
export const placementsOf = (change: RolloutChange): string[] => {
  if (change.kind === 'policies') return change.placements
  if (change.kind === 'take-off') return []
  if (change.kind !== 'place') return [change.placement]
  return [...wantedIn(change).map(({ id }) => id), ...(change.gone ?? [])]
}

/** Every placement as a change makes it: what it is about, and what ends beside it. */
export const wantedIn = (change: RolloutChange): WantedPlacement[] =>
  change.kind === 'place' ? [...change.wanted, ...(change.ending ?? [])] : []

/** A placement as a change makes it, for what has to be compiled. */
export const asRow = (wanted: WantedPlacement): PlacementRow => ({
  ...wanted,
  ending: wanted.ending ?? null,
  appliedAt: new Date(0),
  appliedById: 0,
})

/** What a change is called in the ledger: its placements, the scope that is changed, or a gateway. */
export function subjectOf(change: RolloutChange): string {
  if (change.kind === 'policies') return scopeText(change.wanted)
  return change.kind === 'take-off' ? change.gateway : placementsOf(change).join(', ')
}

/** Rollouts of a placement that have not ended, oldest first. */
export const unfinishedOf = (db: Queries, about: string[]): Promise<RolloutRow[]> =>
  db
    .selectDistinct()
    .from(rollouts)
    .where(
      and(
        isNull(rollouts.endedAt),
        inArray(
          rollouts.id,
          db
            .select({ id: rolloutPlacements.rolloutId })
            .from(rolloutPlacements)
            .where(inArray(rolloutPlacements.placementId, about)),
        ),
      ),
    )
    .orderBy(asc(rollouts.id))

/** Placements that unfinished rollouts are about to make, so that nobody else takes their addresses. */
export async function comingPlacements(db: Queries): Promise<WantedPlacement[]> {
  const rows = await db
    .select({ change: rollouts.change })
    .from(rollouts)
    .where(isNull(rollouts.endedAt))
  return rows.flatMap(({ change }) => wantedIn(change))
}

/** The requests that a change carries out; none where nobody had to be asked. */
export const requestsIn = ({ promotion, ...change }: RolloutChange) =>
  promotion
    ? [promotion]
    : change.kind === 'place'
      ? (change.release?.parts ?? []).map((part) => part.promotion)
      : []

/** What is carried out with a pace of its own: all of it, or one version of a release. */
export interface Part {
  pace: Pace
  placements: string[]
  wanted: readonly WantedPlacement[]
}

export function partsOf({ change, pace }: Pick<RolloutRow, 'change' | 'pace'>): Part[] {
  const wanted = change.kind === 'place' ? change.wanted : []
  if (change.kind !== 'place' || !change.release)
    return [{ pace, placements: placementsOf(change), wanted }]
  return change.release.parts.map((part) => ({
    ...{ pace: part.pace, placements: part.placements },
    wanted: wanted.filter(({ id }) => part.placements.includes(id)),
  }))
}

/** The shares of callers at the gateways of a group that get it in turn, before all do; none where all do at once. */
export const sharesIn = (row: Pick<RolloutRow, 'change' | 'pace'>, group: string): number[] =>
  partsOf(row).flatMap(({ pace, wanted }) =>
    wanted.some((one) => one.group === group && isReplacing(one)) ? (pace.shares ?? []) : [],
  )

/** Whether another version stands where one is placed. */
const isReplacing = ({ generation }: WantedPlacement) => generation > 0

/** What the ledger tells a rollout about: of a release each API for itself, since not everybody sees all of them. */
const toldOf = ({ apiId, change }: Pick<RolloutRow, 'apiId' | 'change'>) =>
  change.kind === 'place' && change.release
    ? change.release.parts.map(({ api, placements: own }) => ({ api, subject: own.join(', ') }))
    : [{ api: apiId, subject: subjectOf(change) }]

/** Who acts, and when, as the ledger is told. */
export type Acting = Parameters<typeof record>[1]

/** Records something about a rollout. */
export async function tell(
  tx: Transaction,
  acting: Acting,
  row: Pick<RolloutRow, 'apiId' | 'change'>,
  { action, after }: { action: `rollout.${string}`; after: (api: number | null) => object },
): Promise<void> {
  for (const told of toldOf(row))
    await record(tx, acting, { action, ...told, after: after(told.api) })
}

export interface Intent {
  /** The ledger's word for what it will have been. */
  action: ApiAction
  title: string
  change: RolloutChange
  /** Groups it reaches. */
  groups: string[]
  /** What it keeps to on its way; it goes on at once where nothing is said. */
  pace?: Pace
  /** What is said of it in the ledger, for each API whose placements it changes. */
  acts: (Pick<Act, 'subject' | 'before' | 'after'> & { api: number | null })[]
}

/**
 * Writes down what is wanted, in the transaction of whoever wants it. From its commit on it is carried out by a worker,
 * whatever becomes of this process.
 */
export async function intend(
  tx: Transaction,
  context: Pick<Context, 'actor' | 'now'>,
  { action, title, change, groups, acts, pace = {} }: Intent,
): Promise<number> {
  const about = placementsOf(change)
  await requireSteadyScopes(tx, change)
  if (change.kind !== 'apply' || change.key === undefined) {
    const busy = (await unfinishedOf(tx, about)).find(
      (row) => row.change.kind !== 'apply' || row.change.key === undefined,
    )
    if (busy)
      throw conflict(
        `Rollout ${busy.id} is carrying out another change there (${busy.title}). Wait for it, or have it go back.`,
      )
  }
  const members = await tx
    .select({ name: gateways.name, kind: gateways.kind, group: gateways.group })
    .from(gateways)
    .where(
      change.kind === 'take-off'
        ? eq(gateways.name, change.gateway)
        : inArray(gateways.group, groups),
    )
    .orderBy(asc(gateways.position))
  const asked = change.kind === 'take-off' ? [] : groups
  const empty = asked.find((group) => !members.some((member) => member.group === group))
  if (empty !== undefined || members.length === 0)
    throw conflict(
      `No gateway belongs to ${empty ?? groups.join(', ')}, so nothing could serve it.`,
    )
  const at = context.now()
  const [row] = await tx
    .insert(rollouts)
    .values({
      ...{ byId: context.actor.id, at, action, title, change, pace, state: 'running' },
      ...(acts.length > 1
        ? { apiIds: acts.flatMap(({ api }) => api ?? []) }
        : { apiId: acts[0]!.api }),
    })
    .returning({ id: rollouts.id })
  const { id } = row!
  if (about.length > 0)
    await tx
      .insert(rolloutPlacements)
      .values(about.map((placement) => ({ rolloutId: id, placementId: placement })))
  await tx.insert(rolloutSteps).values(
    members.map(({ name, kind, group }, position) => ({
      ...{ rolloutId: id, gateway: name, position, state: 'waiting' as const, at },
      share: gatewayKinds[kind].portions ? shareAfter(sharesIn({ change, pace }, group), 0) : 100,
    })),
  )
  const requests = requestsIn(change)
  if (requests.length > 0)
    await tx
      .insert(rolloutRequests)
      .values(requests.map((request) => ({ rolloutId: id, promotionId: request.id })))
  for (const { after, ...act } of acts)
    await record(tx, context, {
      ...{ action: 'rollout.begun', ...act },
      after: { rollout: id, wants: action, ...(after as object | undefined) },
    })
  return id
}

/**
 * What is placed and what holds around it, or what stages are called, do not change at the same time: one would be written
 * without regard to the other. Held until the transaction ends; placements share it.
 */
export const lockScopes = (tx: Transaction, by: 'one' | 'placements') =>
  tx.execute(
    sql`SELECT ${by === 'one' ? sql`pg_advisory_xact_lock` : sql`pg_advisory_xact_lock_shared`}(${lockKeys.scopes})`,
  )

async function requireSteadyScopes(tx: Transaction, change: RolloutChange): Promise<void> {
  if (change.kind !== 'place' && change.kind !== 'policies') return
  await lockScopes(tx, change.kind === 'place' ? 'placements' : 'one')
  const known = (await tx.select({ name: stages.name }).from(stages)).map(({ name }) => name)
  const gone = wantedIn(change).find(({ stage }) => !known.includes(stage))
  if (gone) throw conflict(`${gone.stage} is called otherwise since. Read it again.`)
  const others = await seeingEverything(tx, () =>
    tx
      .select({ id: rollouts.id, title: rollouts.title, change: rollouts.change })
      .from(rollouts)
      .where(isNull(rollouts.endedAt)),
  )
  const meets = (one: RolloutChange, other: RolloutChange) =>
    one.kind === 'policies' && wantedIn(other).some((placement) => standsIn(placement, one.wanted))
  const both = (one: RolloutChange, other: RolloutChange) =>
    one.kind === 'policies' && other.kind === 'policies'
  const busy = others.find(
    (other) =>
      meets(change, other.change) || meets(other.change, change) || both(change, other.change),
  )
  if (busy)
    throw conflict(
      `Rollout ${busy.id} is under way (${busy.title}). Wait for it, or have it go back.`,
    )
}

/**
 * Has a rollout carried out and waits a moment for its end. Done is true; still under way is false, and a rollout that
 * went back is thrown with its reason.
 */
export async function carryOut(services: Services, id: number): Promise<boolean> {
  await services.queue.rollOut(id)
  const until = Date.now() + waitsMs
  for (let pause = 20; ; pause = Math.min(250, pause * 1.5)) {
    const [row] = await services.db
      .select({ state: rollouts.state, trouble: rollouts.trouble })
      .from(rollouts)
      .where(eq(rollouts.id, id))
    if (row?.state === 'done') return true
    if (row?.state === 'rolled-back') {
      const { status, title, detail } = row.trouble!
      throw new Failure(status, title, detail)
    }
    if (Date.now() > until) return false
    await new Promise((resolve) => setTimeout(resolve, pause))
  }
}

async function itemsOf(db: Queries, rows: { rollout: RolloutRow; by: string }[]) {
  const ids = rows.map(({ rollout }) => rollout.id)
  const steps =
    ids.length === 0
      ? []
      : await db
          .select()
          .from(rolloutSteps)
          .where(inArray(rolloutSteps.rolloutId, ids))
          .orderBy(asc(rolloutSteps.rolloutId), asc(rolloutSteps.position))
  const visible = new Set(
    (await db.select({ id: placements.id }).from(placements)).map(({ id }) => id),
  )
  return rows.map(({ rollout, by }): RolloutItem => {
    const { id, title, state, at, endedAt, trouble, change } = rollout
    return {
      id,
      title,
      state,
      by,
      at: at.toISOString(),
      placements:
        change.kind === 'policies'
          ? change.placements.filter((one) => visible.has(one))
          : placementsOf(change),
      trouble: trouble?.detail ?? '',
      held: state === 'running' ? rollout.held : '',
      ...(state === 'running' && rollout.pausedBy !== '' && { pausedBy: rollout.pausedBy }),
      ...(endedAt && { endedAt: endedAt.toISOString() }),
      ...(change.promotion && { promotion: change.promotion.id }),
      ...(change.kind === 'place' && change.release && { release: change.release.id }),
      steps: steps
        .filter((step) => step.rolloutId === id)
        .map(({ gateway, state: step, share, detail, at: since }) => ({
          ...{ gateway, state: step, detail, at: since.toISOString() },
          ...(share < 100 && { share }),
        })),
    }
  })
}

/** Rollouts, unfinished ones first, newest first. */
export async function listRollouts(
  { db }: Pick<Context, 'db'>,
  query: RolloutQuery,
): Promise<Page<RolloutItem>> {
  const rows = await db
    .select({ rollout: rollouts, by: people.displayName })
    .from(rollouts)
    .innerJoin(people, eq(people.id, rollouts.byId))
    .where(query.state ? eq(rollouts.state, query.state) : undefined)
    .orderBy(sql`${rollouts.endedAt} is null desc`, desc(rollouts.id))
    .limit(1000)
  const page = pageFrom(rows, query)
  return { ...page, items: await itemsOf(db, page.items) }
}

export async function readRollout(db: Queries, id: number): Promise<RolloutItem> {
  const rows = await db
    .select({ rollout: rollouts, by: people.displayName })
    .from(rollouts)
    .innerJoin(people, eq(people.id, rollouts.byId))
    .where(eq(rollouts.id, id))
  const [item] = await itemsOf(db, rows)
  if (!item) throw notFound(`rollout ${id}`)
  return item
}

/** Has an unfinished rollout go back to what ran before. */
export async function cancelRollout(context: Context, id: number): Promise<RolloutItem> {
  const { db, actor } = context
  await db.transaction(async (tx) => {
    const [row] = await tx.select().from(rollouts).where(eq(rollouts.id, id)).for('update')
    if (!row) throw notFound(`rollout ${id}`)
    if (row.byId !== actor.id) requirePermission(actor, 'resolve')
    if (row.state !== 'running') throw conflict('This rollout does not go forward any more.')
    await tx
      .update(rollouts)
      .set({
        state: 'going-back',
        trouble: {
          status: 409,
          title: 'Called back',
          detail: `${actor.displayName} had it go back. What ran before runs again.`,
        },
      })
      .where(eq(rollouts.id, id))
    await tell(tx, context, row, { action: 'rollout.called-back', after: () => ({ rollout: id }) })
  })
  await announce(db, 'rollout')
  await context.queue.rollOut(id)
  return readRollout(db, id)
}

/** Has a rollout stop before its next gateway; what has the change by then keeps it. */
export const pauseRollout = (context: Context, id: number): Promise<RolloutItem> =>
  setPaused(context, id, context.actor.displayName)

/** Has a rollout that was stopped go on. */
export const resumeRollout = (context: Context, id: number): Promise<RolloutItem> =>
  setPaused(context, id, '')

async function setPaused(context: Context, id: number, pausedBy: string): Promise<RolloutItem> {
  const { db, actor } = context
  await db.transaction(async (tx) => {
    const [row] = await tx.select().from(rollouts).where(eq(rollouts.id, id)).for('update')
    if (!row) throw notFound(`rollout ${id}`)
    if (row.byId !== actor.id) requirePermission(actor, 'resolve')
    if (row.state !== 'running') throw conflict('This rollout does not go forward any more.')
    if ((row.pausedBy === '') === (pausedBy === ''))
      throw conflict(
        pausedBy === '' ? 'This rollout goes on already.' : `${row.pausedBy} stopped it already.`,
      )
    await tx.update(rollouts).set({ pausedBy }).where(eq(rollouts.id, id))
    const action = pausedBy === '' ? 'rollout.resumed' : 'rollout.paused'
    await tell(tx, context, row, { action, after: () => ({ rollout: id }) })
  })
  await announce(db, 'rollout')
  await context.queue.rollOut(id)
  return readRollout(db, id)
}

/** The earliest unfinished rollout that has to end before this one may begin; undefined where none has. */
export async function blockerOf(db: Queries, row: RolloutRow): Promise<number | undefined> {
  const others = await unfinishedOf(db, placementsOf(row.change))
  return others.find(({ id }) => id < row.id)?.id
}

/** Why rollouts of requests went back, the last one of each that has one, by the request. */
export async function wentBackOf(
  db: Queries,
  requests: readonly number[],
): Promise<Map<number, string>> {
  if (requests.length === 0) return new Map()
  const rows = await db
    .select({ promotion: rolloutRequests.promotionId, trouble: rollouts.trouble })
    .from(rolloutRequests)
    .innerJoin(rollouts, eq(rollouts.id, rolloutRequests.rolloutId))
    .where(
      and(eq(rollouts.state, 'rolled-back'), inArray(rolloutRequests.promotionId, [...requests])),
    )
    .orderBy(asc(rollouts.id))
  return new Map(rows.map((row) => [row.promotion, row.trouble?.detail ?? '']))
}

/** The unfinished rollout of each placement that has one: until it has ended, what runs cannot be judged. */
export async function unfinishedByPlacement(db: Queries): Promise<Map<string, number>> {
  const rows = await db
    .select({ placement: rolloutPlacements.placementId, rollout: rolloutPlacements.rolloutId })
    .from(rolloutPlacements)
    .innerJoin(rollouts, eq(rollouts.id, rolloutPlacements.rolloutId))
    .where(isNull(rollouts.endedAt))
  return new Map(rows.map(({ placement, rollout }) => [placement, rollout]))
}
