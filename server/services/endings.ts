import { and, desc, eq, gt, inArray, isNotNull, sql } from 'drizzle-orm'
import { paceOf, stageNamed } from '../../core/pipeline/pipeline'
import { isDue } from '../../core/pipeline/succession'
import { periodAt } from '../../core/traffic/periods'
import type { EndingItem, EndingQuery } from '../../shared/api/endings'
import type { Queries } from '../db/database'
import { apiColumns } from '../db/names'
import { announcements, apis, placements, rolloutPlacements, rollouts } from '../db/schema'
import { byClient, callsOf } from './affected'
import { apiOf } from './apply'
import type { PlacementRow } from './compiled'
import { actAs, type Context, type Services } from './context'
import { Failure } from './failure'
import { dayOf } from './known'
import { pageFrom, type Page } from './paging'
import { actorWithId } from './people'
import { Pipelines } from './pipelines'
import { intendRemoval } from './placements'

/** What is taken off by itself and went back is tried again after so long; in milliseconds. */
const restMs = 3_600_000

/** What ends when, what ends first first, and who still calls it. */
export async function listEndings(
  { db, now }: Pick<Context, 'db' | 'now'>,
  query: EndingQuery,
): Promise<Page<EndingItem>> {
  const items = (await endingsOf(db, now())).filter(
    ({ api, team }) =>
      (query.api === undefined || api === query.api) &&
      (query.team === undefined || team === query.team),
  )
  return pageFrom(items, query)
}

/** Every placement and every API whose end is announced. */
export async function endingsOf(db: Queries, at: Date): Promise<EndingItem[]> {
  const rows = await db
    .select({ placement: placements, api: apiColumns, lifecycle: apis.lifecycle })
    .from(placements)
    .innerJoin(apis, eq(apis.id, placements.apiId))
    .where(
      sql`${placements.ending} is not null or (${apis.sunset} is not null and ${apis.lifecycle} = 'deprecated')`,
    )
  const whole = await db
    .select(apiColumns)
    .from(apis)
    .where(and(isNotNull(apis.sunset), eq(apis.lifecycle, 'deprecated')))
  const ids = rows.map(({ placement }) => placement.id)
  const [calls, told] = await Promise.all([
    ids.length === 0 ? [] : callsOf(db, ids, periodAt('7d', at.getTime())),
    db
      .select({ placement: announcements.placementId, client: announcements.client })
      .from(announcements)
      .where(inArray(announcements.placementId, ids)),
  ])
  const isTold = new Set(told.map(({ placement, client }) => `${placement} ${client}`))
  const callersOf = (placed: readonly string[]) => {
    const own = calls.filter(({ placement }) => placed.includes(placement))
    return byClient(own)
      .map((caller) => ({
        ...{ client: caller.client, calls: caller.calls },
        told: caller.placements.every((placement) => isTold.has(`${placement} ${caller.client}`)),
      }))
      .sort((one, other) => other.calls - one.calls)
  }
  const item = (
    api: (typeof rows)[number]['api'],
    ending: Pick<EndingItem, 'as' | 'since' | 'until' | 'placement' | 'version' | 'stage'>,
    placed: readonly string[],
  ): EndingItem => {
    const callers = callersOf(placed)
    return {
      ...{ api: api.slug, title: api.title, team: api.team },
      ...ending,
      calls: callers.reduce((sum, one) => sum + one.calls, 0),
      callers,
    }
  }
  const own = rows.flatMap(({ placement: { id, version, stage, ending }, api }) =>
    ending ? [item(api, { ...ending, placement: id, version, stage }, [id])] : [],
  )
  const ofApis = whole.map((api) =>
    item(
      api,
      { as: 'deprecated', since: api.deprecatedOn ?? '', until: api.sunset! },
      rows.flatMap(({ placement }) => (placement.apiId === api.id ? placement.id : [])),
    ),
  )
  return [...own, ...ofApis].sort(
    (one, other) => one.until.localeCompare(other.until) || one.title.localeCompare(other.title),
  )
}

/**
 * Takes off what is retired and whose last day has come, in the name of whoever announced it, at an hour at which its stage
 * may change. What went back is tried again some time later.
 */
export async function takeOffRetired(services: Services): Promise<void> {
  const { db, now } = services
  const today = dayOf(now())
  const rows = await db.select().from(placements).where(isNotNull(placements.ending))
  for (const row of rows.filter(({ ending }) => isDue(ending, today))) {
    if (await isTried(services, row.id)) continue
    try {
      const rollout = await intendTakingOff(services, row)
      if (rollout !== undefined) await services.queue.rollOut(rollout)
    } catch (error) {
      // Another change is under way there: it is looked at again.
      if (!(error instanceof Failure)) throw error
    }
  }
}

/** Whether a rollout over a placement is under way, or one that takes it off went back a moment ago. */
async function isTried({ db, now }: Services, placement: string): Promise<boolean> {
  const [last] = await db
    .select({ endedAt: rollouts.endedAt })
    .from(rollouts)
    .innerJoin(rolloutPlacements, eq(rolloutPlacements.rolloutId, rollouts.id))
    .where(
      and(
        eq(rolloutPlacements.placementId, placement),
        eq(rollouts.action, 'placement.removed'),
        gt(rollouts.at, new Date(now().getTime() - restMs)),
      ),
    )
    .orderBy(desc(rollouts.id))
    .limit(1)
  return last !== undefined
}

function intendTakingOff(services: Services, seen: PlacementRow): Promise<number | undefined> {
  return services.db.transaction(async (tx) => {
    const [row] = await tx.select().from(placements).where(eq(placements.id, seen.id)).for('update')
    if (!row || !isDue(row.ending, dayOf(services.now()))) return undefined
    const api = await apiOf(tx, row)
    const stage = stageNamed((await Pipelines.read(tx)).for(api).content, row.stage)
    const context = actAs(services, await actorWithId(tx, row.appliedById))
    return intendRemoval(tx, context, row, {
      title: `Take off ${api.title} ${row.version} in ${row.stage}: retired until ${row.ending!.until}`,
      pace: stage ? paceOf({ ...stage, carryOut: undefined }, true) : {},
    })
  })
}
