import { and, asc, eq, inArray, isNull } from 'drizzle-orm'
import { grouped } from '../../core/text/grouped'
import { isSame } from '../../core/text/values'
import type { ApiAction } from '../../core/ledger/actions'
import { ConfigurationError } from '../../core/runtime/config-values'
import { nextAct, shareAfter, type StepState } from '../../core/pipeline/rollout'
import { routesOf } from '../../core/runtime/read'
import {
  placementOf,
  keepResources,
  readResources,
  type Resource,
} from '../../core/runtime/resources'
import { conflicts, isServed } from '../../core/runtime/routes'
import { withoutRoutes } from '../../core/runtime/take-off'
import type { DriftResolution } from '../../shared/words'
import type { Queries, Transaction } from '../db/database'
import {
  apis,
  backends,
  drift,
  gateways,
  keys,
  placements,
  placementSites,
  policyChanges,
  promotions,
  releases,
  revisions,
  rollouts,
  rolloutSteps,
  versions,
  type RolloutTrouble,
  type WantedPlacement,
} from '../db/schema'
import { compiled, compiledAll, described, type PlacementRow } from './compiled'
import type { Services } from './context'
import { endDrift, resolveDrift } from './drift-following'
import { Failure } from './failure'
import { adapterOf } from '../gateways'
import type { GatewayRow, Written } from '../gateways/adapter'
import { gatewayKinds } from '../../core/runtime/gateway-kinds'
import { checkGateway, expectRunning, findGateway, takeSnapshot, type Snapshot } from './gateways'
import { announce, record } from './ledger'
import { runsOfRollout } from './probes'
import { goesOn } from './rollout-pace'
import { actorWithId } from './people'
import { endChange, settleScope } from './policies'
import {
  asRow,
  blockerOf,
  partsOf,
  placementsOf,
  requestsIn,
  sharesIn,
  tell,
  wantedIn,
  type Acting,
  type RolloutRow,
} from './rollouts'
import { Scopes } from './scopes'

/** Tries to reach a gateway that has nothing of the change yet, before the rollout goes back. */
const mostTries = 3
/** Attempts against somebody who changes the configuration at the same time. */
const mostRaces = 8

/** What became of a call for a rollout: it ended, it waits for a gateway or for another rollout. */
export type Progress = 'ended' | 'waits'

/** The step stays open: nobody knows what the gateway has, until it is read again. */
class Unknown extends Error {}

/**
 * Carries a rollout out as far as it gets. Safe to call again at any time, by any process: what is known stands in the
 * database and on the gateways, and each gateway is worked on under its lock alone.
 */
export async function workRollout(services: Services, id: number): Promise<Progress> {
  for (;;) {
    const row = await rolloutOf(services, id)
    if (!row || row.endedAt) return 'ended'
    if (await blockerOf(services.db, row)) return 'waits'
    const steps = await stepsOf(services, id)
    const next = nextAct(row.state === 'running' ? 'running' : 'going-back', steps)
    if (row.state === 'running') {
      const writes = next.act === 'write' || next.act === 'grow'
      const going = await goesOn(services, row, steps, writes)
      if (going === 'back') continue
      if (going === 'wait') return 'waits'
    }
    try {
      if (next.act === 'finish') await finish(services, row)
      else if (next.act === 'give-up') await giveUp(services, row)
      else if (next.act === 'grow') await grow(services, row, next.gateway)
      else {
        const work = next.act === 'write' ? forward : backward
        await services.lock(`gateway ${next.gateway}`, () => work(services, id, next.gateway))
      }
    } catch (error) {
      if (!(error instanceof Unknown)) throw error
      return 'waits'
    }
  }
}

async function rolloutOf({ db }: Services, id: number): Promise<RolloutRow | undefined> {
  const [row] = await db.select().from(rollouts).where(eq(rollouts.id, id))
  return row
}

/** Rollouts that have not ended, oldest first. */
export const unfinished = async ({ db }: Services): Promise<number[]> =>
  (
    await db
      .select({ id: rollouts.id })
      .from(rollouts)
      .where(isNull(rollouts.endedAt))
      .orderBy(asc(rollouts.id))
  ).map(({ id }) => id)

/** Rollouts as what has to be done. */
export const rolloutTable = (services: Services) => ({
  what: 'rollout',
  unfinished: () => unfinished(services),
  work: (id: number) => workRollout(services, id),
})

/** Carries out everything that has not ended, each for as far as it gets. */
export async function workRollouts(services: Services): Promise<void> {
  for (const id of await unfinished(services)) await workRollout(services, id)
}

/** The parts of a rollout's gateways, in order. */
const stepsOf = ({ db }: { db: Queries }, id: number) =>
  db
    .select()
    .from(rolloutSteps)
    .where(eq(rolloutSteps.rolloutId, id))
    .orderBy(asc(rolloutSteps.position))

/** What became of a rollout on each of its gateways, as the ledger tells it. */
const stepsSaid = async (tx: Transaction, id: number) =>
  (await stepsOf({ db: tx }, id)).map(({ gateway, state, at, detail }) => ({
    ...{ gateway, state, at: at.toISOString() },
    ...(detail !== '' && { detail }),
  }))

/** What probes of an API said of a rollout, as the ledger tells it; nothing where none was sent. */
async function probesSaid(tx: Transaction, id: number) {
  const runs = grouped(await runsOfRollout(tx, id), ({ apiId }) => apiId)
  return (api: number | null) => {
    const own = (api === null ? undefined : runs.get(api)) ?? []
    const said = own.map(({ at, apiId: _, ...run }) => ({ ...run, at: at.toISOString() }))
    return said.length === 0 ? {} : { probes: said }
  }
}

async function stepOf({ db }: Services, id: number, gateway: string) {
  const [step] = await db
    .select()
    .from(rolloutSteps)
    .where(and(eq(rolloutSteps.rolloutId, id), eq(rolloutSteps.gateway, gateway)))
  return step!
}

async function note(
  { db, now }: Services,
  id: number,
  gateway: string,
  state: StepState,
  more: { detail?: string; before?: string; attempts?: number } = {},
): Promise<void> {
  await db
    .update(rolloutSteps)
    .set({ state, at: now(), detail: '', ...more })
    .where(and(eq(rolloutSteps.rolloutId, id), eq(rolloutSteps.gateway, gateway)))
  await announce(db, 'rollout')
}

/** Notes why the change cannot be on this gateway; the rollout goes back from there, in the same transaction. */
async function refuse(
  { db, now }: Services,
  id: number,
  gateway: string,
  state: 'refused' | 'written',
  trouble: RolloutTrouble,
): Promise<void> {
  await db.transaction(async (tx) => {
    await tx
      .update(rolloutSteps)
      .set({ state, detail: trouble.detail, at: now() })
      .where(and(eq(rolloutSteps.rolloutId, id), eq(rolloutSteps.gateway, gateway)))
    await tx
      .update(rollouts)
      .set({ state: 'going-back', trouble })
      .where(and(eq(rollouts.id, id), eq(rollouts.state, 'running')))
    await announce(tx, 'rollout')
  })
}

/** What the placements of a rollout should be on its gateways; none for one that is taken off. */
async function wantedOf({ db }: Services, { change }: RolloutRow): Promise<PlacementRow[]> {
  if (change.kind === 'remove' || change.kind === 'take-off') return []
  if (change.kind === 'place') return wantedIn(change).map(asRow)
  return db
    .select()
    .from(placements)
    .where(inArray(placements.id, placementsOf(change)))
    .orderBy(asc(placements.id))
}

/** The resources that make one gateway serve some placements, in the scopes that a change makes. */
async function resourcesOf(
  { db }: Services,
  row: RolloutRow,
  rows: PlacementRow[],
  { name: member, group }: Pick<GatewayRow, 'name' | 'group'>,
  share: number,
): Promise<Resource[]> {
  const { change } = row
  const now = await Scopes.read(db)
  const scopes = change.kind === 'policies' ? now.with(change.wanted) : now
  const compiling = { member, scopes }
  if (share === 100) return (await compiledAll(db, rows, compiling)).flat()
  // What is replaced stands on beside it, and what ends with it has not ended yet.
  const stands = await db
    .select()
    .from(placements)
    .where(and(inArray(placements.id, placementsOf(change)), eq(placements.group, group)))
    .orderBy(asc(placements.id))
  const growing = partsOf(row).flatMap(({ pace, wanted }) => (pace.shares ? wanted : []))
  const isSplit = ({ id }: { id: string }) =>
    growing.some((one) => one.id === id) && stands.some((one) => one.id === id)
  const placed = change.kind === 'place' ? change.wanted : []
  const wanted = rows.filter(({ id }) => placed.some((one) => one.id === id))
  const whole = wanted.filter((one) => !isSplit(one))
  const kept = stands.filter(({ id }) => !whole.some((one) => one.id === id))
  return [
    ...(await compiledAll(db, [...kept, ...whole], compiling)),
    ...(await compiledAll(db, wanted.filter(isSplit), { ...compiling, percent: share })),
  ].flat()
}

/** Has more callers get what is new at a gateway: it is written there anew. */
async function grow(services: Services, row: RolloutRow, gateway: string): Promise<void> {
  const { share } = await stepOf(services, row.id, gateway)
  const { group } = await findGateway(services.db, gateway)
  await services.db
    .update(rolloutSteps)
    .set({ share: shareAfter(sharesIn(row, group), share), state: 'waiting' })
    .where(
      and(
        ...[eq(rolloutSteps.rolloutId, row.id), eq(rolloutSteps.gateway, gateway)],
        ...[eq(rolloutSteps.share, share), eq(rolloutSteps.state, 'confirmed')],
      ),
    )
  await announce(services.db, 'rollout')
}

/** Whether a resource belongs to one of some placements. */
function ownOf(about: string[]): (resource: Resource) => boolean {
  const ids = new Set(about)
  return (resource) => ids.has(placementOf(resource) ?? '')
}

/** Resources of the rollout's placements, and those of everybody else. */
function partedBy(
  about: string[],
  resources: readonly Resource[],
): { own: Resource[]; others: Resource[] } {
  const isOwn = ownOf(about)
  return {
    own: resources.filter(isOwn),
    others: resources.filter((resource) => !isOwn(resource)),
  }
}

/** The gateway's part forward: read, write what is wanted, read again. Anything without a reply is unknown. */
async function forward(services: Services, id: number, gatewayName: string): Promise<void> {
  const { db } = services
  const row = await rolloutOf(services, id)
  const step = await stepOf(services, id, gatewayName)
  // Somebody else may have come this far while this one stood in line.
  if (row?.state !== 'running' || step.state === 'confirmed' || step.state === 'refused') return
  const gateway = await findGateway(db, gatewayName)
  const about = placementsOf(row.change)
  // Of several groups each gateway serves what is placed at its own.
  const rows = (await wantedOf(services, row)).filter(({ group }) => group === gateway.group)
  const adapter = adapterOf(services, gateway)
  const { isWhole } = gatewayKinds[gateway.kind]
  const { write } = adapter
  if (!write)
    return refuse(services, id, gatewayName, 'refused', {
      status: 422,
      title: 'The gateway refused the configuration',
      detail: `${gatewayName} is only read: what runs there is uploaded.`,
    })
  const made = await resourcesOf(services, row, rows, gateway, step.share)
  const author = (await actorWithId(db, row.byId)).displayName
  const message = `${row.title}\n\nRollout ${row.id}`
  let mine: Resource[]
  try {
    mine = adapter.asRead(made)
  } catch (error) {
    if (!(error instanceof ConfigurationError)) throw error
    return refuse(services, id, gatewayName, 'refused', {
      status: 422,
      title: 'The gateway refused the configuration',
      detail: `${gatewayName}: ${error.message}.`,
    })
  }
  const touched = () => step.before !== null
  // A write whose reply was lost may still be on its way.
  let lost = step.state === 'writing' || step.state === 'unknown'
  for (let race = 0; race < mostRaces; race++) {
    const snapshot = await reading(services, gatewayName, async (failure) => {
      if (touched()) return
      const attempts = step.attempts + 1
      if (attempts < mostTries)
        return note(services, id, gatewayName, 'waiting', { attempts, detail: failure.detail })
      await refuse(services, id, gatewayName, 'refused', {
        status: 502,
        title: failure.title,
        detail: failure.detail,
      })
    })
    if (snapshot === 'unreached') {
      if (!touched()) {
        await pause(300 * (step.attempts + 1))
        return
      }
      await note(services, id, gatewayName, 'unknown', {
        detail: 'It does not answer, so nobody knows whether it took the change; it is read again.',
      })
      throw new Unknown()
    }
    const { own, others } = partedBy(about, snapshot.resources)
    const kept = isWhole ? keptBeside(row.change, rows, others) : others
    const clean = isSame(kept, others)
    if (clean && isSame(sorted(own), sorted(mine)))
      return note(services, id, gatewayName, 'confirmed')
    const clash = clashOf(rows, mine, snapshot)
    if (clash) {
      return refuse(services, id, gatewayName, touched() ? 'written' : 'refused', {
        status: 409,
        title: 'Not possible now',
        detail: `${clash.method} https://${clash.host}${clash.path} is served on ${gatewayName} already, by ${clash.placement || 'a route nobody placed'}. Choose another host or base path.`,
      })
    }
    if (step.before === null) {
      const changed = others.filter((other) => !kept.includes(other))
      step.before = keepResources([...own, ...changed])
      await note(services, id, gatewayName, 'writing', { before: step.before })
    }
    const resources = [...kept, ...mine]
    let outcome: Written
    try {
      outcome = await write({ resources, placements: about, author, message }, snapshot.etag)
    } catch (error) {
      if (!(error instanceof Failure)) throw error
      if (error.status === 422) {
        return refuse(services, id, gatewayName, lost ? 'written' : 'refused', {
          status: 422,
          title: error.title,
          detail: error.detail,
        })
      }
      await note(services, id, gatewayName, 'unknown', {
        detail: 'No reply came, so nobody knows whether it took the change; it is read again.',
      })
      // The reply was lost, not necessarily the change: the next round reads.
      lost = true
      continue
    }
    if (outcome.taken) {
      if (outcome.text !== undefined) expectRunning(gatewayName, outcome.text, resources)
      return confirm(services, id, gatewayName, about, mine)
    }
  }
  await note(services, id, gatewayName, 'unknown', {
    detail: 'The configuration changes all the time under it; it is tried again.',
  })
  throw new Unknown()
}

/** Reads again what was written. */
async function confirm(
  services: Services,
  id: number,
  gateway: string,
  about: string[],
  wanted: Resource[],
): Promise<void> {
  await note(services, id, gateway, 'written')
  const after = await reading(services, gateway)
  if (after === 'unreached') {
    await note(services, id, gateway, 'unknown', {
      detail: 'It took the change and does not answer since; it is read again.',
    })
    throw new Unknown()
  }
  if (isSame(sorted(partedBy(about, after.resources).own), sorted(wanted)))
    return note(services, id, gateway, 'confirmed')
  await refuse(services, id, gateway, 'written', {
    status: 502,
    title: 'The gateway did not confirm',
    detail: `${gateway} took the configuration, but does not run it as written. What ran before was put back.`,
  })
}

/** The gateway's part back: what ran before the first write is written again, and read. */
async function backward(services: Services, id: number, gatewayName: string): Promise<void> {
  const row = await rolloutOf(services, id)
  const step = await stepOf(services, id, gatewayName)
  if (row?.state !== 'going-back' || step.state === 'undone') return
  if (step.before === null) return note(services, id, gatewayName, 'untouched')
  const gateway = await findGateway(services.db, gatewayName)
  const adapter = adapterOf(services, gateway)
  const author = (await actorWithId(services.db, row.byId)).displayName
  const message = `Go back: ${row.title}\n\nRollout ${id}`
  const about = placementsOf(row.change)
  const ran = readResources(step.before)
  const own = ownOf(about)
  const names = new Set(ran.map((resource) => `${resource.kind} ${resource.metadata.name}`))
  // A write whose reply was lost may still be on its way; one more write makes it come too late.
  let settled = step.state !== 'writing' && step.state !== 'unknown'
  for (let race = 0; race < mostRaces; race++) {
    const snapshot = await reading(services, gatewayName)
    if (snapshot === 'unreached') {
      await note(services, id, gatewayName, 'unknown', {
        detail: 'It does not answer, so nobody knows what it has; it is put back once it does.',
      })
      throw new Unknown()
    }
    const others = snapshot.resources.filter(
      (resource) => !own(resource) && !names.has(`${resource.kind} ${resource.metadata.name}`),
    )
    const now = snapshot.resources.filter((resource) => !others.includes(resource))
    const isBack = isSame(sorted(now), sorted(ran))
    if (settled && isBack) return note(services, id, gatewayName, 'undone')
    try {
      const change = { resources: [...others, ...ran], placements: about, author, message }
      const outcome = await adapter.write?.(change, snapshot.etag)
      settled ||= outcome?.taken ?? true
    } catch (error) {
      if (!(error instanceof Failure)) throw error
      if (error.status === 422 && isBack) return note(services, id, gatewayName, 'undone')
      settled = false
      await note(services, id, gatewayName, 'unknown', {
        detail:
          error.status === 422
            ? error.detail
            : 'No reply came, so nobody knows whether it was put back; it is read again.',
      })
      if (error.status === 422) throw new Unknown()
    }
  }
  throw new Unknown()
}

const sorted = (resources: Resource[]) =>
  [...resources].sort((a, b) =>
    `${a.kind} ${a.metadata.name}` < `${b.kind} ${b.metadata.name}` ? -1 : 1,
  )

/** What a gateway runs, or that it cannot be reached. */
async function reading(
  services: Services,
  name: string,
  unreached?: (failure: Failure) => Promise<void>,
): Promise<Snapshot | 'unreached'> {
  try {
    return await takeSnapshot(services, await findGateway(services.db, name))
  } catch (error) {
    if (!(error instanceof Failure)) throw error
    await unreached?.(error)
    return 'unreached'
  }
}

const pause = (ms: number) => new Promise<void>((resolve) => setTimeout(resolve, ms))

/** What stays of the resources of everybody else. */
function keptBeside(change: RolloutRow['change'], rows: PlacementRow[], others: Resource[]) {
  if (change.kind === 'take-off') return withoutRoutes(others, new Set([change.route]))
  return others.filter((resource) => !rows.some((placed) => isStrangerOf(placed, resource)))
}

/** The first route of somebody else that would answer the same requests. */
function clashOf(rows: PlacementRow[], mine: Resource[], { routes }: Snapshot) {
  const own = new Set(rows.flatMap((row) => routes.of(row)))
  const others = routes.all.filter((route) => !own.has(route))
  return others.length > 0 ? conflicts(routesOf(mine), others)[0]?.other : undefined
}

/** Routes somebody added by hand inside a placement's own address space go when the placement is written. */
function isStrangerOf({ spec }: PlacementRow, resource: Resource): boolean {
  if (resource.kind !== 'HTTPRoute' || resource.metadata.labels) return false
  const hosts = resource.spec['hostnames']
  const rules = resource.spec['rules']
  if (!Array.isArray(hosts) || !hosts.includes(spec.host) || !Array.isArray(rules)) return false
  return rules.every((rule) => JSON.stringify(rule).includes(`${spec.basePath}/`))
}

/** Every gateway has confirmed: what was wanted becomes what is approved, once. */
async function finish(services: Services, { id }: RolloutRow): Promise<void> {
  const { db, now } = services
  const names = (await stepsOf(services, id)).map(({ gateway }) => gateway)
  const members = await db
    .select({ name: gateways.name, group: gateways.group })
    .from(gateways)
    .where(inArray(gateways.name, names))
  await db.transaction(async (tx) => {
    const [row] = await tx.select().from(rollouts).where(eq(rollouts.id, id)).for('update')
    if (row?.state !== 'running') return
    const actor = await actorWithId(tx, row.byId)
    await settle(tx, { actor, now }, row, members)
    await tx.update(rollouts).set({ state: 'done', endedAt: now() }).where(eq(rollouts.id, id))
    const steps = await stepsSaid(tx, id)
    const probesOf = await probesSaid(tx, id)
    const after = (api: number | null) => ({ rollout: id, steps, ...probesOf(api) })
    await tell(tx, { actor, now }, row, { action: 'rollout.done', after })
    await announce(tx, 'rollout')
  })
  await readAgain(services, names)
}

/** The differences of everything on the gateways are worked out anew; one that cannot be read says so itself. */
async function readAgain(services: Services, names: string[]): Promise<void> {
  for (const name of names) {
    await checkGateway(services, name).catch((error: unknown) => {
      if (!(error instanceof Failure)) throw error
    })
  }
}

/** A gateway of a rollout, and the group whose placements it serves. */
type Member = Pick<GatewayRow, 'name' | 'group'>

async function settle(
  tx: Transaction,
  acting: Acting,
  { change, action, id, apiId: about }: RolloutRow,
  members: readonly Member[],
): Promise<void> {
  if (change.kind === 'place') {
    for (const wanted of change.wanted)
      await settlePlacement(tx, acting, { action, id }, wanted, members)
    for (const wanted of change.ending ?? [])
      await settlePlacement(tx, acting, { action: 'placement.ending', id }, wanted, members)
    for (const gone of change.gone ?? [])
      await settleRemoved(tx, acting, { action: 'placement.removed', id, apiId: about }, gone)
  } else if (change.kind === 'remove')
    await settleRemoved(tx, acting, { action, id, apiId: about }, change.placement)
  else if (change.kind === 'take-off') {
    await endDrift(tx, acting, eq(drift.id, change.drift), {
      ...{ resolution: 'put-back', closedBy: acting.actor.name, rolloutId: id },
    })
    const { gateway, route } = change
    await record(tx, acting, { action, api: null, subject: gateway, before: { route } })
  } else if (change.kind === 'policies') {
    await settleScope(tx, acting, change.wanted)
    if (change.change !== undefined) await endChange(tx, change.change)
    await seenUnchanged(tx, acting, change.placements, members)
  } else {
    await settleApplied(tx, acting, action, about, change.placement, change.key)
    await seenAsApproved(tx, acting, change.placement, members)
  }
  await resolveDrift(
    tx,
    acting,
    {
      placements: placementsOf(change),
      ...(change.kind !== 'remove' && { gateways: members.map(({ name }) => name) }),
    },
    { rollout: id, name: acting.actor.name, resolution: resolutionOf(change, action) },
  )
  for (const { id: promotion, evidence } of requestsIn(change)) {
    const [done] = await tx
      .update(promotions)
      .set({ state: 'done', evidence })
      .where(eq(promotions.id, promotion))
      .returning()
    const [api] = await tx.select({ slug: apis.slug }).from(apis).where(eq(apis.id, done!.apiId))
    await record(tx, acting, {
      action: done!.kind === 'promotion' ? 'promotion.done' : 'request.done',
      api: done!.apiId,
      subject: api!.slug,
      before: { stage: done!.fromStage, replaces: evidence.plan[0]?.replaces ?? null },
      after: {
        promotion,
        rollout: id,
        version: done!.version,
        stage: done!.toStage,
        gates: evidence.gates.map(({ id: gate, text }) => ({ gate, text })),
      },
    })
  }
  await setRelease(tx, change, 'done')
}

/** How the release stands that a change carries out, where it does. */
async function setRelease(
  tx: Transaction,
  change: RolloutRow['change'],
  state: 'done' | 'waiting',
) {
  if (change.kind === 'place' && change.release)
    await tx.update(releases).set({ state }).where(eq(releases.id, change.release.id))
}

async function settleRemoved(
  tx: Transaction,
  acting: Acting,
  { action, id, apiId }: Pick<RolloutRow, 'action' | 'id' | 'apiId'>,
  placement: string,
): Promise<void> {
  const [gone] = await tx.delete(placements).where(eq(placements.id, placement)).returning()
  await record(tx, acting, {
    ...{ action, api: gone?.apiId ?? apiId, subject: placement },
    before: gone && described(gone),
    after: { rollout: id },
  })
}

/** What a rollout was to the drift that it ended. */
function resolutionOf(change: RolloutRow['change'], action: ApiAction): DriftResolution {
  if (change.kind === 'remove') return 'removed'
  if (action === 'drift.kept') return 'kept'
  return action === 'drift.put-back' ? 'put-back' : 'replaced'
}

async function settlePlacement(
  tx: Transaction,
  acting: Acting,
  { action, id }: Pick<RolloutRow, 'action' | 'id'>,
  wanted: WantedPlacement,
  members: readonly Member[],
): Promise<void> {
  const [before] = await tx.select().from(placements).where(eq(placements.id, wanted.id))
  const row: PlacementRow = {
    ...asRow(wanted),
    generation: wanted.generation + 1,
    appliedAt: acting.now(),
    appliedById: acting.actor.id,
  }
  await tx.insert(placements).values(row).onConflictDoUpdate({ target: placements.id, set: row })
  await seenAsApproved(tx, acting, wanted.id, members)
  await tx
    .insert(versions)
    .values({ apiId: wanted.apiId, version: wanted.version, revisionId: wanted.revisionId })
    .onConflictDoNothing()
  const [api] = await tx.select({ slug: apis.slug }).from(apis).where(eq(apis.id, wanted.apiId))
  const [revision] = await tx
    .select({ number: revisions.number })
    .from(revisions)
    .where(eq(revisions.id, wanted.revisionId))
  for (const { name, url, timeoutMs, ...more } of wanted.spec.backends) {
    const known = { url, timeoutMs, more }
    await tx
      .insert(backends)
      .values({ apiId: wanted.apiId, stage: wanted.stage, name, ...known })
      .onConflictDoUpdate({
        target: [backends.apiId, backends.stage, backends.name],
        set: known,
      })
  }
  await record(tx, acting, {
    action,
    api: wanted.apiId,
    subject: wanted.id,
    before: before && described(before),
    after: { ...described(row), revision: revision!.number, api: api!.slug, rollout: id },
  })
}

/** Every gateway has just confirmed that it runs what is approved. */
async function seenAsApproved(
  tx: Transaction,
  { now }: Acting,
  placement: string,
  members: readonly Member[],
): Promise<void> {
  const [row] = await tx.select().from(placements).where(eq(placements.id, placement))
  const routes = routesOf(await compiled(tx, row!)).filter(isServed).length
  const seen = { checkedAt: now(), routes }
  const own = members.filter(({ group }) => group === row!.group)
  await tx
    .insert(placementSites)
    .values(own.map(({ name }) => ({ placementId: placement, gateway: name, ...seen })))
    .onConflictDoUpdate({ target: [placementSites.placementId, placementSites.gateway], set: seen })
}

/** Every gateway has just confirmed placements whose routes are those they had. */
async function seenUnchanged(
  tx: Transaction,
  { now }: Acting,
  ids: string[],
  members: readonly Member[],
) {
  const names = members.map(({ name }) => name)
  await tx
    .update(placementSites)
    .set({ checkedAt: now() })
    .where(and(inArray(placementSites.placementId, ids), inArray(placementSites.gateway, names)))
}

/** A key that came works now, one that went is forgotten; without either the placement was put back. */
async function settleApplied(
  tx: Transaction,
  acting: Acting,
  action: ApiAction,
  api: number | null,
  placement: string,
  key: string | undefined,
): Promise<void> {
  if (key === undefined) {
    const [row] = await tx.select().from(placements).where(eq(placements.id, placement))
    return record(tx, acting, { action, api, subject: placement, after: row && described(row) })
  }
  const named = and(eq(keys.placementId, placement), eq(keys.name, key))
  if (action === 'key.withdrawn') await tx.delete(keys).where(named)
  else await tx.update(keys).set({ state: 'active' }).where(named)
  const said = { name: key }
  await record(tx, acting, {
    action,
    api,
    subject: placement,
    ...(action === 'key.withdrawn' ? { before: said } : { after: said }),
  })
}

/** Nothing of the change is on any gateway: it ends as if it had not been wanted, and says why. */
async function giveUp(services: Services, { id }: RolloutRow): Promise<void> {
  const { db, now } = services
  await db.transaction(async (tx) => {
    const [row] = await tx.select().from(rollouts).where(eq(rollouts.id, id)).for('update')
    if (row?.state !== 'going-back') return
    const actor = await actorWithId(tx, row.byId)
    const { change } = row
    if (change.kind === 'apply' && change.key !== undefined) {
      const named = and(eq(keys.placementId, change.placement), eq(keys.name, change.key))
      if (row.action === 'key.withdrawn')
        await tx.update(keys).set({ state: 'active' }).where(named)
      else await tx.delete(keys).where(and(named, eq(keys.state, 'issuing')))
    }
    if (change.kind === 'policies' && change.change !== undefined)
      await tx
        .update(policyChanges)
        .set({ state: 'waiting', approvedById: null, approvedAt: null })
        .where(and(eq(policyChanges.id, change.change), eq(policyChanges.state, 'under-way')))
    const asked = requestsIn(change).map((request) => request.id)
    await tx
      .update(promotions)
      .set({ state: 'waiting' })
      .where(and(inArray(promotions.id, asked), eq(promotions.state, 'under-way')))
    await setRelease(tx, change, 'waiting')
    await tx
      .update(rolloutSteps)
      .set({ state: 'untouched' })
      .where(and(eq(rolloutSteps.rolloutId, id), inArray(rolloutSteps.state, ['waiting'])))
    await tx
      .update(rollouts)
      .set({ state: 'rolled-back', endedAt: now() })
      .where(eq(rollouts.id, id))
    const ended = {
      ...{ rollout: id, wanted: row.action, why: row.trouble?.detail ?? '' },
      steps: await stepsSaid(tx, id),
    }
    const probesOf = await probesSaid(tx, id)
    const after = (api: number | null) => ({ ...ended, ...probesOf(api) })
    await tell(tx, { actor, now }, row, { action: 'rollout.rolled-back', after })
    await announce(tx, 'rollout')
  })
  const steps = await stepsOf(services, id)
  if (steps.some(({ before }) => before !== null))
    await readAgain(
      services,
      steps.map(({ gateway }) => gateway),
    )
}
