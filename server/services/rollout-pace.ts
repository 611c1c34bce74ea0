import { and, eq, inArray } from 'drizzle-orm'
import { goingOn, type Watched } from '../../core/pipeline/carrying-out'
import { lastParts } from '../../core/traffic/periods'
import type { Queries } from '../db/database'
import { rollouts, trafficSeries, type rolloutSteps } from '../db/schema'
import type { Services } from './context'
import { announce } from './ledger'
import { placementsOf, type RolloutRow } from './rollouts'
import { countedIn } from './traffic-spans'

type StepRow = typeof rolloutSteps.$inferSelect

/**
 * Whether a rollout goes on to its next gateway or its end now. Why it waits is kept with it; what calls show past its bounds
 * has it go back.
 */
export async function mayGoOn(
  { db, now }: Services,
  row: RolloutRow,
  steps: readonly StepRow[],
  writes: boolean,
): Promise<boolean> {
  if (row.pausedBy !== '') {
    await hold(db, row, `${row.pausedBy} stopped it`)
    return false
  }
  // What a gateway may have been told is found out before anything else.
  const isBetween = steps.every(({ state }) => state === 'confirmed' || state === 'waiting')
  if (!isBetween || Object.keys(row.pace).length === 0) return release(db, row)
  const at = now()
  const watched = row.pace.watch && (await watchedOn(db, row, steps, at))
  const going = goingOn(row.pace, { watched, writes, now: at.getTime() })
  if (going.go === 'on') return release(db, row)
  if (going.go === 'wait') await hold(db, row, going.says)
  else await goBack(db, row, going.says)
  return false
}

async function hold(db: Queries, { id, held }: RolloutRow, says: string): Promise<void> {
  if (held === says) return
  await db.update(rollouts).set({ held: says }).where(eq(rollouts.id, id))
  await announce(db, 'rollout')
}

async function release(db: Queries, row: RolloutRow): Promise<true> {
  await hold(db, row, '')
  return true
}

async function goBack(db: Queries, { id }: RolloutRow, says: string): Promise<void> {
  await db
    .update(rollouts)
    .set({
      ...{ state: 'going-back', held: '' },
      trouble: {
        ...{ status: 409, title: 'Not possible now' },
        detail: `It went back by itself. ${says}.`,
      },
    })
    .where(and(eq(rollouts.id, id), eq(rollouts.state, 'running')))
  await announce(db, 'rollout')
}

/** What was counted on the gateway that confirmed last, of the version that it has since then. */
async function watchedOn(
  db: Queries,
  { change }: RolloutRow,
  steps: readonly StepRow[],
  now: Date,
): Promise<Watched | undefined> {
  const [last] = steps
    .filter(({ state }) => state === 'confirmed')
    .sort((one, other) => other.at.getTime() - one.at.getTime())
  if (!last) return undefined
  const since = last.at.getTime()
  const minutes = Math.max(1, Math.ceil((now.getTime() - since) / 60_000))
  const versions = change.kind === 'place' ? change.wanted.map(({ version }) => version) : []
  const { calls, failed, durations } = (
    await countedIn(
      db,
      lastParts('minute', minutes, now.getTime()),
      'placement',
      and(
        eq(trafficSeries.gateway, last.gateway),
        inArray(trafficSeries.placement, placementsOf(change)),
        inArray(trafficSeries.version, versions),
      ),
    )
  ).total
  const p95 = durations.quantile(0.95)
  return { gateway: last.gateway, since, calls, failed, ...(p95 !== undefined && { p95 }) }
}
