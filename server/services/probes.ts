import { and, asc, desc, eq, gt, inArray, notExists, sql } from 'drizzle-orm'
import type { ProbeFacts } from '../../core/pipeline/gates'
import { probeFromExamples } from '../../core/probes/from-examples'
import { readProbe, type Probe, type ProbeOperation } from '../../core/probes/read'
import { hasPassed, resultText, runProbe, type StepResult } from '../../core/probes/run'
import { describe, type Described } from '../../core/runtime/described'
import { rowName, scopesOf } from '../../core/runtime/placement'
import { takesKeys } from '../../core/runtime/policies/authenticate'
import { resolvePolicies } from '../../core/runtime/resolve'
import { grouped } from '../../core/text/grouped'
import type { PageQuery } from '../../shared/api/catalog'
import type {
  ProbeBody,
  ProbeDraft,
  ProbeItem,
  ProbeRunItem,
  ProbeRunQuery,
} from '../../shared/api/probes'
import { probeEtag } from '../../shared/etags'
import { probeClient, type ProbeCause } from '../../shared/words'
import type { Queries } from '../db/database'
import { displayName } from '../db/names'
import { gateways, keys, placements, probeKeys, probeRuns, probes } from '../db/schema'
import { apiOf, findPlacement, membersOf } from './apply'
import { findApi, findRevision, type ApiRow } from './catalog'
import { partsOf, type Details, type PlacementRow } from './compiled'
import type { Context, Services } from './context'
import { sendThrough } from './desk'
import { conflict, Failure, invalid, notFound, requireMatch } from './failure'
import { findGateway } from './gateways'
import { issueKey } from './keys'
import { announce, record } from './ledger'
import { pageFrom, type Page } from './paging'
import { requirePermission } from './permissions'
import { Scopes } from './scopes'
import { seal, unseal } from './sealing'
import { sideBySide } from './side-by-side'

type ProbeRow = typeof probes.$inferSelect
type RunRow = typeof probeRuns.$inferSelect

const mostProbes = 50
/** So long an answer may take, in milliseconds: a target that hangs holds up nobody else. */
const patience = { headersMs: 10_000, bodyMs: 5000 }

async function findProbe(db: Queries, id: number): Promise<ProbeRow> {
  const [row] = await db.select().from(probes).where(eq(probes.id, id))
  if (!row) throw notFound(`probe ${id}`)
  return row
}

const readText = (title: string, text: string, operations: readonly ProbeOperation[]) =>
  readProbe({ file: `${title}.arazzo.yaml`, text }, operations)

/** The probes of an API, with how each went last. */
export async function listProbes(
  { db }: Pick<Context, 'db'>,
  slug: string,
  query: PageQuery,
): Promise<Page<ProbeItem>> {
  const api = await findApi(db, slug)
  const rows = await db
    .select({ row: probes, by: displayName(probes.setById) })
    .from(probes)
    .where(eq(probes.apiId, api.id))
    .orderBy(asc(probes.title))
  if (rows.length === 0) return { items: [] }
  const { summary } = await findRevision(db, api, api.latestNumber)
  const last = grouped(await lastRuns(db, [api.id]), ({ row }) => row.probeId)
  return pageFrom(
    rows.map(({ row, by }): ProbeItem => {
      const { id, title, text, every, stages, edition, setAt } = row
      const { probe, diagnostics } = readText(title, text, summary.operations)
      return {
        ...{ probe: id, api: slug, title, text, every, stages, edition },
        ...{ steps: probe?.steps.length ?? 0, setBy: by, setAt: setAt.toISOString() },
        problems: diagnostics,
        last: (last.get(id) ?? []).map(toItem),
      }
    }),
    query,
  )
}

/** How each probe of some APIs went last at each placement that stands, on each gateway. */
const lastRuns = (db: Queries, apiIds: readonly number[]) =>
  db
    .selectDistinctOn([probeRuns.probeId, probeRuns.placementId, probeRuns.gateway], {
      row: probeRuns,
      by: sql<string | null>`${displayName(probeRuns.byId)}`,
      title: probes.title,
      every: probes.every,
    })
    .from(probeRuns)
    .innerJoin(placements, eq(placements.id, probeRuns.placementId))
    .innerJoin(probes, and(eq(probes.id, probeRuns.probeId), eq(probes.edition, probeRuns.edition)))
    .where(inArray(probeRuns.apiId, [...apiIds]))
    .orderBy(probeRuns.probeId, probeRuns.placementId, probeRuns.gateway, desc(probeRuns.id))

/** The last runs of what is sent by schedule that failed, by API. */
export async function failingProbes(db: Queries) {
  const scheduled = await db
    .selectDistinct({ apiId: probes.apiId })
    .from(probes)
    .where(gt(probes.every, 0))
  const last = await lastRuns(
    db,
    scheduled.map(({ apiId }) => apiId),
  )
  const failing = last.filter(({ row, every }) => every > 0 && !row.passed)
  return grouped(failing, ({ row }) => row.apiId)
}

const toItem = ({ row, by }: { row: RunRow; by: string | null }): ProbeRunItem => ({
  ...{ run: row.id, placement: row.placementId, version: row.version, stage: row.stage },
  ...{ gateway: row.gateway, at: row.at.toISOString(), ms: row.ms, cause: row.cause },
  ...(by !== null && { by }),
  ...{ passed: row.passed, says: row.says, steps: row.steps },
})

/** The runs of a probe, the newest first. */
export async function listProbeRuns(
  { db }: Pick<Context, 'db'>,
  id: number,
  query: ProbeRunQuery,
): Promise<Page<ProbeRunItem>> {
  await findProbe(db, id)
  const rows = await db
    .select({ row: probeRuns, by: sql<string | null>`${displayName(probeRuns.byId)}` })
    .from(probeRuns)
    .where(
      and(
        eq(probeRuns.probeId, id),
        query.placement ? eq(probeRuns.placementId, query.placement) : undefined,
      ),
    )
    .orderBy(desc(probeRuns.id))
    .limit(500)
  return pageFrom(rows.map(toItem), query)
}

/** A probe made of what a definition lets read. */
export async function draftProbe({ db }: Pick<Context, 'db'>, slug: string): Promise<ProbeDraft> {
  const api = await findApi(db, slug)
  const { id, version, number } = await findRevision(db, api, api.latestNumber)
  const described = (await partsOf(db, [id])).get(id)!
  const source = `/api/v1/apis/${slug}/revisions/${number}/text`
  return probeFromExamples({ title: api.title, version, ...described }, source)
}

/** Throws with the place of everything in a text that is no probe of an API, or asks for what nobody gives. */
async function requireProbe(db: Queries, api: ApiRow, { title, text }: ProbeBody): Promise<Probe> {
  const { summary } = await findRevision(db, api, api.latestNumber)
  const { probe, diagnostics } = readText(title, text, summary.operations)
  if (!probe)
    throw invalid(
      diagnostics.map(({ line, message }) => ({
        field: 'text',
        message: `Line ${line}: ${message}`,
      })),
    )
  if (probe.inputs.length > 0)
    throw invalid([
      {
        field: 'text',
        message: `It asks for ${probe.inputs.join(', ')}, which nobody gives: write the values into it`,
      },
    ])
  return probe
}

export async function createProbe(
  context: Context,
  slug: string,
  body: ProbeBody,
): Promise<ProbeItem> {
  const { db, actor, now } = context
  const api = await findApi(db, slug)
  requirePermission(actor, 'place', api.team)
  await requireProbe(db, api, body)
  const { title, text, every, stages } = body
  const id = await db.transaction(async (tx) => {
    if ((await tx.$count(probes, eq(probes.apiId, api.id))) >= mostProbes)
      throw conflict(`An API has ${mostProbes} probes at most.`)
    const [row] = await tx
      .insert(probes)
      .values({
        ...{ apiId: api.id, title, text, every, stages, edition: 1 },
        ...{ setById: actor.id, setAt: now() },
      })
      .onConflictDoNothing()
      .returning({ id: probes.id })
    if (!row) throw conflict(`Another probe of ${api.title} is called ${title}.`)
    await record(tx, context, {
      action: 'api.probe-set',
      api: api.id,
      subject: slug,
      after: { probe: row.id, title, every, stages },
    })
    return row.id
  })
  return itemOf(context, slug, id)
}

const itemOf = async (context: Context, slug: string, id: number): Promise<ProbeItem> =>
  (await listProbes(context, slug, { limit: mostProbes })).items.find(({ probe }) => probe === id)!

export async function changeProbe(
  context: Context,
  id: number,
  body: ProbeBody,
  ifMatch: string | undefined,
): Promise<ProbeItem> {
  const { db, actor, now } = context
  const before = await findProbe(db, id)
  const api = await apiOf(db, before)
  requirePermission(actor, 'place', api.team)
  requireMatch(ifMatch, probeEtag(before), 'the probe')
  await requireProbe(db, api, body)
  const { title, text, every, stages } = body
  await db.transaction(async (tx) => {
    const changed = await tx
      .update(probes)
      .set({
        ...{ title, text, every, stages, edition: before.edition + 1 },
        ...{ setById: actor.id, setAt: now() },
      })
      .where(and(eq(probes.id, id), eq(probes.edition, before.edition)))
      .returning({ id: probes.id })
    if (changed.length === 0) throw conflict('Somebody changed this probe in between.')
    await record(tx, context, {
      action: 'api.probe-set',
      api: api.id,
      subject: api.slug,
      before: { title: before.title, every: before.every, stages: before.stages },
      after: { probe: id, title, every, stages },
    })
  })
  return itemOf(context, api.slug, id)
}

export async function removeProbe(context: Context, id: number): Promise<void> {
  const { db, actor } = context
  const row = await findProbe(db, id)
  const api = await apiOf(db, row)
  requirePermission(actor, 'place', api.team)
  await db.transaction(async (tx) => {
    await tx.delete(probes).where(eq(probes.id, id))
    await record(tx, context, {
      action: 'api.probe-removed',
      api: api.id,
      subject: api.slug,
      before: { probe: id, title: row.title },
    })
  })
}

/** Gives probes a key of their own at a placement; only what sends them can read it. */
export async function issueProbeKey(context: Context, id: string): Promise<void> {
  await issueKey(context, id, { name: probeClient }, async (tx, secret) => {
    const sealed = seal(context.secret, secret)
    await tx
      .insert(probeKeys)
      .values({ placementId: id, sealed })
      .onConflictDoUpdate({ target: probeKeys.placementId, set: { sealed } })
  })
}

/** What stands at a placement, as probes are sent to it. */
interface Target extends Details {
  placement: PlacementRow
  described: Described
  /** Absent where none is asked for, and where nobody gave probes one. */
  key?: string
  /** Whether one is asked for that nobody gave them. */
  lacksKey: boolean
}

async function targetAt(services: Services, placement: PlacementRow): Promise<Target> {
  const { db, secret } = services
  const definition = (await partsOf(db, [placement.revisionId])).get(placement.revisionId)!
  const described = describe(
    definition.operations.map((operation) => ({
      row: rowName({ method: operation.method.toUpperCase(), path: operation.path }),
      operation,
    })),
    definition,
  )
  const target = { placement, ...definition, described, lacksKey: false }
  const scopes = (await Scopes.read(db)).around(placement)
  const { authentication } = resolvePolicies(scopesOf(placement.spec, scopes))
  if (!takesKeys(authentication?.config)) return target
  const [row] = await db
    .select({ sealed: probeKeys.sealed })
    .from(probeKeys)
    .innerJoin(keys, and(eq(keys.placementId, probeKeys.placementId), eq(keys.name, probeClient)))
    .where(eq(probeKeys.placementId, placement.id))
  return row ? { ...target, key: unseal(secret, row.sealed) } : { ...target, lacksKey: true }
}

interface Cause {
  cause: ProbeCause
  byId?: number
  rolloutId?: number
}

/** Sends a probe through one gateway to what stands at a placement, and keeps what came of it. */
async function send(
  services: Services,
  row: ProbeRow,
  { placement, operations, described, key, lacksKey }: Target,
  gatewayName: string,
  { cause, byId, rolloutId }: Cause,
): Promise<RunRow> {
  const { db, now } = services
  const gateway = await findGateway(db, gatewayName)
  const { probe, diagnostics } = readText(row.title, row.text, operations)
  const base = placement.spec.basePath.replace(/\/$/, '')
  const at = now()
  const begun = performance.now()
  let steps: StepResult[] = []
  let says = ''
  if (!probe)
    says = `It does not fit ${placement.version}: ${diagnostics[0]?.message ?? 'it cannot be read'}`
  else if (lacksKey) says = `Probes have no key at ${placement.id}: give them one under Probes`
  else {
    steps = await runProbe(probe, {
      described,
      ...(key !== undefined && { credential: key }),
      send: ({ method, path, headers, body }) =>
        sendThrough(
          services,
          { placement, gateway },
          {
            ...{ method, path: `${base}${path}` },
            headers: [...headers, { name: 'User-Agent', value: 'Elm-Ledger-Probe' }],
            ...(key !== undefined && { key }),
            ...(body && { body: body.text, mediaType: body.mediaType }),
          },
          patience,
        ).catch((error: unknown) => {
          throw error instanceof Failure ? new Error(error.detail) : error
        }),
    })
    says = resultText(probe.steps.length, steps)
  }
  const [run] = await db
    .insert(probeRuns)
    .values({
      ...{ probeId: row.id, apiId: row.apiId, edition: row.edition, placementId: placement.id },
      ...{ version: placement.version, stage: placement.stage, gateway: gatewayName, at },
      ...{ ms: Math.round(performance.now() - begun), cause, byId, rolloutId },
      ...{
        passed: probe !== undefined && hasPassed(probe, steps),
        says: says.slice(0, 2000),
        steps,
      },
    })
    .returning()
  await announce(db, 'probe')
  return run!
}

/** Sends a probe now, through every gateway of a placement. */
export async function runNow(
  context: Context,
  id: number,
  placementId: string,
): Promise<Page<ProbeRunItem>> {
  const { db, actor, system } = context
  requirePermission(actor, 'send')
  const row = await findProbe(db, id)
  const placement = await findPlacement(db, placementId)
  if (placement.apiId !== row.apiId)
    throw conflict(`${placementId} belongs to another API than this probe.`)
  const cause = { cause: 'hand' as const, byId: actor.id }
  const target = await targetAt(system, placement)
  for (const gateway of await membersOf(db, [placement.group]))
    await send(system, row, target, gateway, cause)
  const { items } = await listProbeRuns(context, id, { placement: placementId })
  return { items: items.slice(0, 20) }
}

/** What is due by its schedule at a time: of all probes, or of one. */
const due = (db: Queries, at: Date, id?: number) =>
  db
    .select({ probe: probes, placement: placements, gateway: gateways.name })
    .from(probes)
    .innerJoin(
      placements,
      and(
        eq(placements.apiId, probes.apiId),
        sql`${probes.stages} @> to_jsonb(${placements.stage})`,
      ),
    )
    .innerJoin(gateways, eq(gateways.group, placements.group))
    .where(
      and(
        gt(probes.every, 0),
        id === undefined ? undefined : eq(probes.id, id),
        notExists(
          db
            .select({ id: probeRuns.id })
            .from(probeRuns)
            .where(
              and(
                eq(probeRuns.probeId, probes.id),
                eq(probeRuns.placementId, placements.id),
                eq(probeRuns.gateway, gateways.name),
                eq(probeRuns.edition, probes.edition),
                sql`${probeRuns.at} > ${at.toISOString()}::timestamptz - ${probes.every} * interval '1 minute'`,
              ),
            ),
        ),
      ),
    )
    .orderBy(asc(probes.id), asc(placements.id), asc(gateways.position))

/** Sends what is due by its schedule; no other worker sends it as well, and a target that hangs holds up its own probe alone. */
export async function sendDueProbes(services: Services): Promise<void> {
  const { db, now } = services
  const ids = new Set((await due(db, now())).map(({ probe }) => probe.id))
  await sideBySide([...ids], (id) =>
    services.lock(`probe ${id}`, async () => {
      // Another worker may have sent it while this one stood in line.
      const places = grouped(await due(db, now(), id), ({ placement }) => placement.id)
      for (const rows of places.values()) {
        const target = await targetAt(services, rows[0]!.placement)
        for (const { probe, gateway } of rows)
          await send(services, probe, target, gateway, { cause: 'schedule' })
      }
    }),
  )
}

/** The probes of some APIs with how they went last, as gates ask for it. */
export async function probeFacts(
  db: Queries,
  apiIds: readonly number[],
): Promise<Map<number, ProbeFacts[]>> {
  const [all, last] = await Promise.all([
    db
      .select()
      .from(probes)
      .where(inArray(probes.apiId, [...apiIds]))
      .orderBy(asc(probes.title)),
    lastRuns(db, apiIds),
  ])
  const runs = grouped(last, ({ row }) => row.probeId)
  return new Map(
    [...grouped(all, ({ apiId }) => apiId)].map(([apiId, own]) => [
      apiId,
      own.map(({ id, title }) => ({
        title,
        runs: (runs.get(id) ?? []).map(({ row }) => ({
          ...{ placement: row.placementId, gateway: row.gateway, at: row.at.getTime() },
          ...{ passed: row.passed, says: row.says },
        })),
      })),
    ]),
  )
}

/**
 * Sends the probes of what a rollout places through one gateway that confirmed it, each once; why the first that fails does.
 * What has been sent for it already is not sent again, whoever did.
 */
export async function probeFor(
  services: Services,
  rolloutId: number,
  gateway: string,
  placed: readonly PlacementRow[],
): Promise<string | undefined> {
  const { db } = services
  const sent = await db
    .select()
    .from(probeRuns)
    .where(and(eq(probeRuns.rolloutId, rolloutId), eq(probeRuns.gateway, gateway)))
  for (const placement of placed) {
    const own = sent.filter(({ placementId }) => placementId === placement.id)
    const rows = await db
      .select()
      .from(probes)
      .where(eq(probes.apiId, placement.apiId))
      .orderBy(asc(probes.title))
    const runOf = (row: ProbeRow) => own.find(({ probeId }) => probeId === row.id)
    const target = rows.every(runOf) ? undefined : await targetAt(services, placement)
    for (const row of rows) {
      const known = runOf(row)
      // What stands nowhere yet can have no key: nobody knows how it would go.
      if (!known && target!.lacksKey) continue
      const cause = { cause: 'rollout' as const, rolloutId }
      const run = known ?? (await send(services, row, target!, gateway, cause))
      if (!run.passed) return `${row.title}: ${run.says}`
    }
  }
  return undefined
}

/** What probes said of a rollout on each of its gateways, and of a version before that, for its evidence. */
export const runsOfRollout = (db: Queries, rolloutId: number) =>
  db
    .select({
      ...{ title: probes.title, gateway: probeRuns.gateway, at: probeRuns.at },
      ...{ passed: probeRuns.passed, says: probeRuns.says, apiId: probes.apiId },
    })
    .from(probeRuns)
    .innerJoin(probes, eq(probes.id, probeRuns.probeId))
    .where(eq(probeRuns.rolloutId, rolloutId))
    .orderBy(asc(probeRuns.id))
