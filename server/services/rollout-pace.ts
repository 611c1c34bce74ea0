import { and, eq, inArray } from 'drizzle-orm'
import {
  goingOn,
  together,
  type Going,
  type Probed,
  type Watched,
} from '../../core/pipeline/carrying-out'
import { lastParts } from '../../core/traffic/periods'
import type { Queries } from '../db/database'
import { rollouts, trafficSeries, type rolloutSteps } from '../db/schema'
import type { Services } from './context'
import { findGateway } from './gateways'
import { announce } from './ledger'
import { probeFor } from './probes'
import { asRow, partsOf, type Part, type RolloutRow } from './rollouts'
import { countedIn } from './traffic-spans'

type StepRow = typeof rolloutSteps.$inferSelect

/**
 * Whether a rollout goes on to its next gateway or its end now. Why it waits is kept with it; what calls show past its bounds
 * has it go back.
 */
export async function goesOn(
  services: Services,
  row: RolloutRow,
  steps: readonly StepRow[],
  writes: boolean,
): Promise<Going['go']> {
  const { db, now } = services
  const going = await judge(services, row, steps, { writes, now: now() })
  const { id } = row
  if (going.go === 'back') {
    const detail = `It went back by itself. ${going.says}.`
    const trouble = { status: 409 as const, title: 'Not possible now' as const, detail }
    await db
      .update(rollouts)
      .set({ state: 'going-back', held: '', trouble })
      .where(and(eq(rollouts.id, id), eq(rollouts.state, 'running')))
    await announce(db, 'rollout')
    return going.go
  }
  const held = going.go === 'wait' ? going.says : ''
  if (held !== row.held) {
    await db.update(rollouts).set({ held }).where(eq(rollouts.id, id))
    await announce(db, 'rollout')
  }
  return going.go
}

async function judge(
  services: Services,
  row: RolloutRow,
  steps: readonly StepRow[],
  { writes, now }: { writes: boolean; now: Date },
): Promise<Going> {
  if (row.pausedBy !== '') return { go: 'wait', says: `${row.pausedBy} stopped it` }
  // What a gateway may have been told is found out before anything else.
  const isBetween = steps.every(({ state }) => state === 'confirmed' || state === 'waiting')
  if (!isBetween) return { go: 'on' }
  const last = lastOf(steps)
  const parts = partsOf(row)
  const isLookedAt = parts.some(({ pace }) => pace.watch !== undefined || pace.probes)
  const at = last && isLookedAt ? await findGateway(services.db, last.gateway) : undefined
  const judged: Going[] = []
  for (const part of parts) {
    const here = at && partAt(part, at)
    const watched = here && part.pace.watch && (await watchedOn(services.db, here, last!, now))
    const probed = here && part.pace.probes && (await probedOn(services, row.id, here, last!))
    const known = { watched, ...(probed && { probed }), writes, now: now.getTime() }
    judged.push(goingOn(part.pace, known))
  }
  return together(judged)
}

/** The gateway that confirmed last. */
const lastOf = (steps: readonly StepRow[]): StepRow | undefined =>
  steps
    .filter(({ state }) => state === 'confirmed')
    .sort((one, other) => other.at.getTime() - one.at.getTime())[0]

/** What of a part is placed at a gateway; undefined where nothing is. */
function partAt(part: Part, gateway: { group: string }): Part | undefined {
  const wanted = part.wanted.filter(({ group }) => group === gateway.group)
  return part.wanted.length > 0 && wanted.length === 0 ? undefined : { ...part, wanted }
}

/** What probes say of a gateway; those that have not been sent there are. */
async function probedOn(
  services: Services,
  rollout: number,
  { wanted }: Part,
  last: StepRow,
): Promise<Probed> {
  // Whoever probes may still be among those who get what was there before.
  if (last.share < 100 || wanted.length === 0) return undefined
  const failed = await probeFor(services, rollout, last.gateway, wanted.map(asRow))
  return { gateway: last.gateway, ...(failed !== undefined && { failed }) }
}

/** What was counted on a gateway, of the version that it has since it confirmed. */
async function watchedOn(
  db: Queries,
  { placements, wanted }: Part,
  last: StepRow,
  now: Date,
): Promise<Watched> {
  const since = last.at.getTime()
  // Calls are counted by the minute: from the one in which it confirmed.
  const minutes = Math.floor(now.getTime() / 60_000) - Math.floor(since / 60_000) + 1
  const versions = wanted.map(({ version }) => version)
  const { calls, failed, durations } = (
    await countedIn(
      db,
      lastParts('minute', minutes, now.getTime()),
      'placement',
      and(
        eq(trafficSeries.gateway, last.gateway),
        inArray(trafficSeries.placement, placements),
        inArray(trafficSeries.version, versions),
      ),
    )
  ).total
  const p95 = durations.quantile(0.95)
  return {
    gateway: last.gateway,
    share: last.share,
    since,
    calls,
    failed,
    ...(p95 !== undefined && { p95 }),
  }
}
