import { and, asc, eq, gte, inArray, isNotNull, isNull, or, sql } from 'drizzle-orm'
import { count } from '../../core/text/counted'
import type { PageQuery } from '../../shared/api/catalog'
import type { ReactionChange, ReactionItem } from '../../shared/api/drift'
import { placementEtag } from '../../shared/etags'
import type { Queries } from '../db/database'
import { displayName, personColumns } from '../db/names'
import {
  drift,
  driftReactions,
  gatewayGroups,
  people,
  placements,
  promotions,
  rollouts,
  rolloutPlacements,
  stages,
  type RolloutChange,
} from '../db/schema'
import { actAs, byItself, type Actor, type Context, type Services } from './context'
import { findPlacement } from './apply'
import { putBackByItself } from './drift'
import { Failure, invalid, notFound } from './failure'
import { record } from './ledger'
import { pageFrom, type Page } from './paging'
import { toActor } from './people'
import { firstStage } from './placements'
import { can, requirePermission } from './permissions'
import { requestChange } from './promotions'
import { isOpenDrift } from './sites'

/** Drift that was put back so often by itself in a day, and is there again, is left alone. */
const mostInADay = 3

/** What happens by itself, for every group and stage: where nobody has said anything, drift is reported. */
export async function listReactions(
  { db }: Pick<Context, 'db'>,
  query: PageQuery,
): Promise<Page<ReactionItem>> {
  const [rows, groups, names] = await Promise.all([
    db
      .select({ row: driftReactions, by: displayName(driftReactions.setById) })
      .from(driftReactions),
    db.select().from(gatewayGroups).orderBy(asc(gatewayGroups.position)),
    db.select().from(stages).orderBy(asc(stages.position)),
  ])
  const said = new Map(rows.map((one) => [`${one.row.group} ${one.row.stage}`, one]))
  const able = await whoMayReact(
    db,
    rows.map(({ row }) => row.setById),
  )
  const items = groups.flatMap(({ name: group }) =>
    names.map(({ name: stage }): ReactionItem => {
      const known = said.get(`${group} ${stage}`)
      if (!known) return { group, stage, reaction: 'report', minutes: 0, holds: true }
      const { reaction, minutes, setAt, setById } = known.row
      return {
        ...{ group, stage, reaction, minutes, holds: able.has(setById) },
        ...{ setBy: known.by, setAt: setAt.toISOString() },
      }
    }),
  )
  return pageFrom(items, query, 1000)
}

/** Those among some people in whose name something may still be done, as they act, by their ids. */
async function whoMayReact(db: Queries, ids: readonly number[]): Promise<Map<number, Actor>> {
  const rows = await db
    .select(personColumns)
    .from(people)
    .where(and(inArray(people.id, [...ids]), isNull(people.endedAt)))
  return new Map(
    rows
      .map(toActor)
      .filter((actor) => can(actor, 'react'))
      .map((actor) => [actor.id, actor]),
  )
}

export async function setReaction(
  context: Context,
  group: string,
  stage: string,
  { reaction, minutes }: ReactionChange,
): Promise<ReactionItem> {
  const { db, actor, now } = context
  requirePermission(actor, 'react')
  if (reaction === 'put-back' && minutes < 1)
    throw invalid([
      {
        field: 'minutes',
        message: 'Give people a minute at least: a change by hand may be the cure for something',
      },
    ])
  if (reaction === 'ask' && stage === (await firstStage(db)).name)
    throw invalid([
      {
        field: 'reaction',
        message: `${stage} is the first stage: nothing has to be asked for there. Report it, or have it put back`,
      },
    ])
  await db.transaction(async (tx) => {
    const [there] = await tx.select().from(gatewayGroups).where(eq(gatewayGroups.name, group))
    if (!there) throw notFound(`gateway group called "${group}"`)
    const [known] = await tx.select().from(stages).where(eq(stages.name, stage))
    if (!known) throw notFound(`stage called "${stage}"`)
    const here = and(eq(driftReactions.group, group), eq(driftReactions.stage, stage))
    const [before] = await tx.select().from(driftReactions).where(here)
    const row = { reaction, minutes, setById: actor.id, setAt: now() }
    await tx
      .insert(driftReactions)
      .values({ group, stage, ...row })
      .onConflictDoUpdate({ target: [driftReactions.group, driftReactions.stage], set: row })
    await record(tx, context, {
      action: 'group.drift-reaction',
      subject: `${group} in ${stage}`,
      before: before && { reaction: before.reaction, minutes: before.minutes },
      after: { reaction, minutes },
    })
  })
  const { items } = await listReactions(context, {})
  return items.find((item) => item.group === group && item.stage === stage)!
}

/** Does what is to be done by itself about drift that has stood for long enough. */
export async function reactToDrift(services: Services): Promise<void> {
  const { db, now } = services
  const due = await db
    .select({
      placement: drift.placement,
      apiId: drift.apiId,
      reaction: driftReactions.reaction,
      by: driftReactions.setById,
      since: sql<Date>`min(${drift.openedAt})`.mapWith(drift.openedAt),
    })
    .from(drift)
    .innerJoin(
      driftReactions,
      and(eq(driftReactions.group, drift.group), eq(driftReactions.stage, drift.stage)),
    )
    .innerJoin(placements, eq(placements.id, drift.placement))
    .where(
      and(
        eq(drift.account, 'gateway'),
        isOpenDrift,
        eq(drift.halted, ''),
        sql`${driftReactions.reaction} <> 'report'`,
        // A placement is put back as a whole: what was accepted of it would go as well.
        sql`not exists (select 1 from drift accepted where accepted.placement = ${drift.placement}
          and accepted.account = 'gateway' and accepted.closed_at is null and accepted.accepted_until > now())`,
        sql`${drift.openedAt} + ${driftReactions.minutes} * interval '1 minute' <= ${now()}`,
      ),
    )
    .groupBy(drift.placement, drift.apiId, driftReactions.reaction, driftReactions.setById)
    .orderBy(asc(drift.placement))
  const able = await whoMayReact(
    db,
    due.map(({ by }) => by),
  )
  for (const { placement, apiId, reaction, by, since } of due) {
    const actor = able.get(by)
    if (!actor) continue
    const context = actAs(services, actor)
    try {
      if (reaction === 'ask') await ask(context, placement, since)
      else if (await isFlapping(services, placement)) await halt(services, placement, apiId)
      else await putBackByItself(context, placement)
    } catch (error) {
      // Somebody is changing it, or a gateway cannot be reached: it is tried again.
      if (!(error instanceof Failure)) throw error
    }
  }
}

/** Asks once for the ledger to be put back, unless somebody has asked for something there since. */
async function ask(context: Context, placement: string, since: Date): Promise<void> {
  const { db } = context
  const asked = await db.$count(
    promotions,
    and(
      eq(promotions.placementId, placement),
      or(gte(promotions.requestedAt, since), inArray(promotions.state, ['waiting', 'under-way'])),
    ),
  )
  if (asked > 0) return
  const note = 'Asked for by itself: the gateway does not run what was approved.'
  const etag = placementEtag(await findPlacement(db, placement))
  await requestChange(context, placement, { kind: 'put-back', note }, etag)
}

/** Whether a placement was put back by itself so often in the last day that somebody must be working against it. */
async function isFlapping({ db, now }: Services, placement: string): Promise<boolean> {
  const done = await db.$count(
    rollouts,
    and(
      gte(rollouts.at, new Date(now().getTime() - 24 * 3_600_000)),
      // The last of them may be under way, wanted by another worker: what it puts back has not come again.
      isNotNull(rollouts.endedAt),
      sql`${rollouts.change} @> ${JSON.stringify({ byItself: true } satisfies Partial<RolloutChange>)}::jsonb`,
      sql`${rollouts.id} in (select ${rolloutPlacements.rolloutId} from ${rolloutPlacements} where ${rolloutPlacements.placementId} = ${placement})`,
    ),
  )
  return done >= mostInADay
}

/** Leaves drift to people, and tells them. */
async function halt({ db, now }: Services, placement: string, api: number | null): Promise<void> {
  const halted = `It was put back by itself ${count(mostInADay, 'time')} within a day and is here again, so nothing is done by itself any more: somebody, or some program, works against it.`
  await db.transaction(async (tx) => {
    const stopped = await tx
      .update(drift)
      .set({ halted })
      .where(
        and(
          eq(drift.placement, placement),
          eq(drift.account, 'gateway'),
          isNull(drift.closedAt),
          eq(drift.halted, ''),
        ),
      )
      .returning({ id: drift.id })
    if (stopped.length === 0) return
    await record(
      tx,
      { actor: byItself, now },
      {
        action: 'drift.halted',
        api,
        subject: placement,
        after: { drift: stopped.map(({ id }) => id), says: halted },
      },
    )
  })
}
