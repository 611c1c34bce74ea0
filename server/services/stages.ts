import { and, asc, desc, eq, inArray, isNull, sql } from 'drizzle-orm'
import type { PgColumn } from 'drizzle-orm/pg-core'
import { stageAfter } from '../../core/pipeline/pipeline'
import { compares, withStageCalled } from '../../core/pipeline/stage-names'
import { networkOf } from '../../core/runtime/backend-address'
import { count } from '../../core/text/counted'
import type { StageChange, StageItem, StagesImpact } from '../../shared/api/administration'
import type { Queries, Transaction } from '../db/database'
import { apiColumns } from '../db/names'
import {
  alerts,
  apis,
  drift,
  editions,
  hosts,
  pipelineEditions,
  placements,
  policyChanges,
  policyScopes,
  probeRuns,
  probes,
  promotions,
  releases,
  repositories,
  repositoryJobs,
  requests,
  rollouts,
  stages,
  trafficSeries,
} from '../db/schema'
import { seeingEverything } from '../db/viewer'
import type { Context } from './context'
import { conflict, invalid } from './failure'
import { record } from './ledger'
import { requirePermission } from './permissions'
import { lockPipelines, Pipelines, publish, type Holding } from './pipelines'
import { requestTitle } from './promotion-plans'
import { lockScopes, wantedIn } from './rollouts'

export async function listStages(db: Queries): Promise<StageItem[]> {
  const rows = await db.select().from(stages).orderBy(asc(stages.position))
  return rows.map(({ name, backends: { schemes, hosts: names, networks } }) => ({
    name,
    schemes,
    backendHosts: names,
    networks,
  }))
}

/** Sets the stages: their names, their order and where their backends may be. What stands in them stays. */
export async function changeStages(context: Context, wanted: readonly StageChange[]) {
  requirePermission(context.actor, 'administer')
  await context.db.transaction((tx) =>
    seeingEverything(tx, async () => {
      const setting = await setStages(tx, context, wanted)
      for (const name of setting.renamed) await nameHistory(tx, name)
      await record(tx, context, {
        action: 'stages.changed',
        subject: setting.after.map(({ name }) => name).join(', '),
        before: { stages: setting.before },
        after: {
          stages: setting.after,
          ...(setting.renamed.length > 0 && { renamed: setting.renamed }),
        },
      })
    }),
  )
}

/** Undoes what was done to see what it would come to. */
class Seen extends Error {
  constructor(readonly impact: StagesImpact) {
    super()
  }
}

/** What setting the stages so would do; throws what stands against it. */
export async function checkStages(
  context: Context,
  wanted: readonly StageChange[],
): Promise<StagesImpact> {
  const { db, actor } = context
  requirePermission(actor, 'administer')
  try {
    return await db.transaction((tx) =>
      seeingEverything(tx, async () => {
        const standing = await waitingRequests(tx)
        const pipelinesBefore = await Pipelines.read(tx)
        const setting = await setStages(tx, context, wanted)
        throw new Seen(await impactOf(tx, setting, standing, pipelinesBefore))
      }),
    )
  } catch (error) {
    if (error instanceof Seen) return error.impact
    throw error
  }
}

interface Renamed {
  from: string
  to: string
}

interface Setting {
  before: StageItem[]
  after: StageItem[]
  renamed: Renamed[]
  /** Pipelines that have an edition more, since they go through a stage that is called otherwise. */
  rewritten: Holding[]
}

/** Sets the stages, with everything that names them but what happened in them. */
async function setStages(
  tx: Transaction,
  context: Context,
  wanted: readonly StageChange[],
): Promise<Setting> {
  await lockPipelines(tx)
  const before = await listStages(tx)
  const after = wanted.map(({ formerly: _, ...stage }) => ({ ...stage, name: stage.name.trim() }))
  const renamed = renamedIn(before, after, wanted)
  const faults = faultsIn(before, after, wanted)
  if (faults.length > 0) throw invalid(faults)
  if (renamed.length > 0) await requireNobodyNames(tx, renamed)
  const nowCalled = new Map(renamed.map(({ from, to }) => [from, to]))
  for (const { name } of before)
    if (!after.some((stage) => stage.name === (nowCalled.get(name) ?? name)))
      await removeStage(tx, name)
  await requireFirstUnreviewed(tx, before[0]?.name, { after, nowCalled })
  const through = (await Pipelines.read(tx)).all.filter(
    ({ published, content }) => published && content.stages.some(({ name }) => nowCalled.has(name)),
  )
  for (const { from, to } of renamed)
    await tx.update(stages).set({ name: to }).where(eq(stages.name, from))
  for (const [position, { name, schemes, backendHosts, networks }] of after.entries()) {
    const row = { name, position, backends: { schemes, hosts: backendHosts, networks } }
    await tx.insert(stages).values(row).onConflictDoUpdate({ target: stages.name, set: row })
  }
  for (const name of renamed) await nameSettings(tx, name)
  for (const holding of through) await rewrite(tx, context, holding, renamed)
  return { before, after, renamed, rewritten: through }
}

const renamedIn = (
  before: readonly StageItem[],
  after: readonly StageItem[],
  wanted: readonly StageChange[],
): Renamed[] =>
  wanted.flatMap(({ formerly: from }, index) => {
    const to = after[index]!.name
    const stands = before.some(({ name }) => name === from)
    return from !== undefined && from !== to && stands ? [{ from, to }] : []
  })

function faultsIn(
  before: readonly StageItem[],
  after: readonly StageItem[],
  wanted: readonly StageChange[],
): { field: string; message: string }[] {
  const faults: { field: string; message: string }[] = []
  const fault = (field: string, message: string) => faults.push({ field, message })
  const names = after.map(({ name }) => name)
  if (names.length === 0 || new Set(names).size < names.length || names.includes(''))
    fault('stages', 'Name one stage at least, and each once')
  const known = before.map(({ name }) => name)
  const left = wanted.flatMap(({ formerly }) => formerly ?? [])
  for (const [index, { formerly: from }] of wanted.entries()) {
    const to = names[index]!
    const field = `stages.${index}.formerly`
    // A file that says so still, of a stage that has been called so since.
    if (from === undefined || (!known.includes(from) && known.includes(to))) continue
    if (!known.includes(from)) fault(field, `There is no stage called ${from}`)
    else if (names.includes(from) && from !== to)
      fault(field, `${from} stays a stage; take a name for ${to} that no other had`)
    else if (from !== to && known.includes(to))
      fault(field, `${to} is what another stage is called still; name that first`)
    else if (left.indexOf(from) < left.lastIndexOf(from)) fault(field, `${from} becomes one stage`)
  }
  const bad = after.flatMap(({ networks }) => networks).find((text) => !networkOf(text))
  if (bad !== undefined) fault('networks', `${bad} is not a network such as 10.0.0.0/8`)
  return faults
}

/** What would be written under the name that a stage had, or asks for it by that name. */
async function requireNobodyNames(tx: Transaction, renamed: readonly Renamed[]): Promise<void> {
  await lockScopes(tx, 'one')
  const names = new Set(renamed.map(({ from }) => from))
  const rows = await tx
    .select({ id: rollouts.id, title: rollouts.title, change: rollouts.change })
    .from(rollouts)
    .where(isNull(rollouts.endedAt))
    .orderBy(asc(rollouts.id))
  const busy = rows.find(
    ({ change }) =>
      wantedIn(change).some(({ stage }) => names.has(stage)) ||
      (change.kind === 'policies' &&
        change.wanted.kind === 'stage' &&
        names.has(change.wanted.name)),
  )
  if (busy)
    throw conflict(
      `Rollout ${busy.id} is under way there (${busy.title}). Wait for it, or have it go back.`,
    )
  const rulebooks = await tx
    .selectDistinctOn([editions.rulebook], { content: editions.content })
    .from(editions)
    .orderBy(asc(editions.rulebook), desc(editions.number))
  for (const { content } of rulebooks)
    for (const { title, where = '', expect } of content.rules)
      for (const { from, to } of renamed)
        if (compares(where, from) || compares(expect, from))
          throw conflict(
            `The rule "${title}" of ${content.name} asks for "${from}" and would ask for nothing. Publish it with both names first: ["${from}", "${to}"].`,
          )
}

async function removeStage(tx: Transaction, name: string): Promise<void> {
  const through = (await Pipelines.read(tx)).all.find(
    ({ published, content }) => published && content.stages.some((stage) => stage.name === name),
  )
  if (through) throw conflict(`The pipeline ${through.title} goes through ${name}, so it stays.`)
  const waiting = (await waitingRequests(tx)).find(
    ({ row: { fromStage, toStage } }) => fromStage === name || toStage === name,
  )
  if (waiting)
    throw conflict(
      `Promotion ${waiting.row.id} waits between ${waiting.row.fromStage} and ${waiting.row.toStage}, so both stay.`,
    )
  const used = await tx.$count(placements, eq(placements.stage, name))
  const own = await tx.$count(hosts, eq(hosts.stage, name))
  if (used + own > 0)
    throw conflict(`${name} has ${used} placements and ${own} hosts, so it stays.`)
  await tx.delete(stages).where(eq(stages.name, name))
  await tx
    .delete(policyScopes)
    .where(and(eq(policyScopes.kind, 'stage'), eq(policyScopes.name, name)))
}

/** Nothing that was reviewed may come to stand where nobody reviews. */
async function requireFirstUnreviewed(
  tx: Transaction,
  first: string | undefined,
  { after, nowCalled }: { after: readonly StageItem[]; nowCalled: ReadonlyMap<string, string> },
): Promise<void> {
  const comes = after[0]!.name
  if (first === undefined || (nowCalled.get(first) ?? first) === comes) return
  const [was = comes] = [...nowCalled].find(([, to]) => to === comes) ?? []
  const reviewed = await tx
    .selectDistinct({ id: placements.id })
    .from(placements)
    .innerJoin(
      promotions,
      and(
        ...[eq(promotions.apiId, placements.apiId), eq(promotions.toStage, placements.stage)],
        eq(promotions.state, 'done'),
      ),
    )
    .where(eq(placements.stage, was))
  if (reviewed.length > 0)
    throw conflict(
      `In ${was} ${count(reviewed.length, 'placement')} came by review. In the first stage nobody reviews what changes, so ${was} cannot become that.`,
    )
}

/** Columns of what is in force that name a stage, and do not refer to it. */
const naming: PgColumn[] = [
  promotions.fromStage,
  promotions.toStage,
  releases.fromStage,
  releases.toStage,
  alerts.stage,
  repositoryJobs.stage,
  drift.stage,
]
/** Columns of what happened in a stage, in their thousands. */
const history: PgColumn[] = [probeRuns.stage, requests.stage, trafficSeries.stage]

async function renameIn(tx: Transaction, columns: readonly PgColumn[], { from, to }: Renamed) {
  for (const column of columns)
    await tx.execute(
      sql`UPDATE ${column.table} SET ${sql.identifier(column.name)} = ${to} WHERE ${column} = ${from}`,
    )
}

const nameHistory = (tx: Transaction, name: Renamed) => renameIn(tx, history, name)

async function nameSettings(tx: Transaction, name: Renamed): Promise<void> {
  const { from, to } = name
  const called = (stage: string) => (stage === from ? to : stage)
  await renameIn(tx, naming, name)
  for (const scoped of [policyScopes, policyChanges])
    await tx
      .update(scoped)
      .set({ name: to })
      .where(and(eq(scoped.kind, 'stage'), eq(scoped.name, from)))
  for (const { id, stages: of } of await tx.select().from(probes))
    if (of.includes(from))
      await tx
        .update(probes)
        .set({ stages: of.map(called) })
        .where(eq(probes.id, id))
  for (const { slug, refs } of await tx.select().from(repositories))
    if (refs.some(({ stage }) => stage === from))
      await tx
        .update(repositories)
        .set({ refs: refs.map((ref) => ({ ...ref, stage: called(ref.stage) })) })
        .where(eq(repositories.slug, slug))
}

/** Publishes a pipeline's next edition, with its stages as they are called now. */
async function rewrite(
  tx: Transaction,
  context: Context,
  { slug, edition }: Holding,
  renamed: readonly Renamed[],
): Promise<void> {
  const [row] = await tx
    .select({ text: pipelineEditions.text })
    .from(pipelineEditions)
    .where(and(eq(pipelineEditions.pipeline, slug), eq(pipelineEditions.number, edition)))
  const text = renamed.reduce(
    (written, { from, to }) => withStageCalled({ file: 'pipeline.yaml', text: written }, from, to),
    row!.text,
  )
  const note = renamed.map(({ from, to }) => `${from} is called ${to} now.`).join(' ')
  await publish(tx, context, slug, edition + 1, text, note)
}

const waitingRequests = (tx: Transaction) =>
  tx
    .select({ row: promotions, api: apiColumns })
    .from(promotions)
    .innerJoin(apis, eq(apis.id, promotions.apiId))
    .where(inArray(promotions.state, ['waiting', 'under-way']))
    .orderBy(asc(promotions.id))
type WaitingRequest = Awaited<ReturnType<typeof waitingRequests>>[number]

/** What a transaction that has set the stages has come to. */
async function impactOf(
  tx: Transaction,
  { before, after, renamed, rewritten }: Setting,
  standing: readonly WaitingRequest[],
  pipelinesBefore: Pipelines,
): Promise<StagesImpact> {
  const pipelines = await Pipelines.read(tx)
  const now = new Map((await waitingRequests(tx)).map((request) => [request.row.id, request]))
  const leads = (through: Pipelines, { row, api }: WaitingRequest) =>
    stageAfter(through.for(api).content, row.fromStage)?.name === row.toStage
  const astray = standing.filter(
    (request) =>
      request.row.kind === 'promotion' &&
      leads(pipelinesBefore, request) &&
      !leads(pipelines, now.get(request.row.id)!),
  )
  const called = new Map(renamed.map(({ from, to }) => [from, to]))
  const kept = before.map(({ name }) => called.get(name) ?? name)
  const names = after.map(({ name }) => name)
  const [first = ''] = names
  return {
    renamed: await Promise.all(
      renamed.map(async ({ from, to }) => ({
        ...{ from, to, placements: await tx.$count(placements, eq(placements.stage, to)) },
        requests: standing.filter(({ row }) => row.fromStage === from || row.toStage === from)
          .length,
        pipelines: rewritten
          .filter(({ content }) => content.stages.some(({ name }) => name === from))
          .map(({ title }) => title),
      })),
    ),
    added: names.filter((name) => !kept.includes(name)),
    removed: kept.filter((name) => !names.includes(name)),
    first: first === kept[0] ? '' : first,
    beside: pipelines.all
      .filter(({ published, content }) => published && content.stages[0]!.name !== first)
      .map(({ title }) => title),
    astray: astray.map(({ row, api }) => ({ promotion: row.id, title: requestTitle(row, api) })),
  }
}
