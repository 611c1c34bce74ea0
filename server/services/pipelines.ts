import { asc, desc, eq, min, sql } from 'drizzle-orm'
import { gateNames, gateTitle, type Gate } from '../../core/pipeline/gates'
import {
  carryingText,
  isFor,
  readPipeline as readText,
  stageBefore,
  stageNamed,
  usualPipeline,
  type Pipeline,
} from '../../core/pipeline/pipeline'
import { grouped } from '../../core/text/grouped'
import { isSame } from '../../core/text/values'
import type {
  PipelineChange,
  PipelineDetail,
  PipelineDraft,
  PipelineImpact,
  PipelineItem,
} from '../../shared/api/promotions'
import { pipelineEtag } from '../../shared/etags'
import { lockKeys } from '../db/lock-keys'
import type { Queries, Transaction } from '../db/database'
import { displayName, teamName } from '../db/names'
import { apis, pipelineEditions, pipelines, type promotions, stages } from '../db/schema'
import type { Context } from './context'
import { conflict, invalid, notFound, requireMatch } from './failure'
import { record } from './ledger'
import { pageFrom, type Page } from './paging'
import type { PageQuery } from '../../shared/api/catalog'
import { requirePermission } from './permissions'
import { slugOf } from './titles'

/** A pipeline as it holds. */
export interface Holding {
  slug: string
  title: string
  edition: number
  content: Pipeline
  /** Of the edition; nothing for the one that nobody wrote. */
  published?: { at: Date; by: string }
}

/** The name of the one that nobody wrote. */
const usual = 'usual'
/** Names that stand for something else; on its page a pipeline that is being begun is called new. */
const reserved = [usual, 'new']
const mostPipelines = 50

/** All pipelines in the order in which they are asked whose they are; the usual one takes those that are in no other. */
export class Pipelines {
  constructor(readonly all: readonly Holding[]) {}

  static async read(db: Queries): Promise<Pipelines> {
    const [rows, names] = await Promise.all([
      db
        .selectDistinctOn([pipelines.position, pipelines.slug], {
          slug: pipelines.slug,
          title: pipelines.title,
          edition: pipelineEditions.number,
          content: pipelineEditions.content,
          published: {
            at: pipelineEditions.publishedAt,
            by: sql<string>`${displayName(pipelineEditions.publishedById)}`,
          },
        })
        .from(pipelines)
        .innerJoin(pipelineEditions, eq(pipelineEditions.pipeline, pipelines.slug))
        .orderBy(asc(pipelines.position), asc(pipelines.slug), desc(pipelineEditions.number)),
      stageNames(db),
    ])
    const last = {
      slug: usual,
      title: 'The usual pipeline',
      edition: 0,
      content: usualPipeline(names),
    }
    return new Pipelines([...rows, last])
  }

  for(api: { audience: string; team: string; labels: readonly string[] }): Holding {
    return this.all.find(({ content }) => isFor(content, api))!
  }

  /** As they would be with another text of one of them, or with a new one. */
  with(slug: string | undefined, content: Pipeline): Pipelines {
    if (slug !== undefined)
      return new Pipelines(this.all.map((one) => (one.slug === slug ? { ...one, content } : one)))
    const made = { slug: '', title: '', edition: 1, content }
    return new Pipelines([made, ...this.all])
  }

  /** One that somebody wrote; throws where there is none of that name. */
  named(slug: string): Holding {
    const found = this.all.find((one) => one.slug === slug)
    if (!found?.published) throw notFound(`pipeline called "${slug}"`)
    return found
  }
}

/** Whether nobody has to carry a request out: it is as soon as every gate is open. */
export const isAutomatic = (
  { content }: Holding,
  { kind, toStage }: Pick<typeof promotions.$inferSelect, 'kind' | 'toStage'>,
): boolean => kind === 'promotion' && stageNamed(content, toStage)?.carryOut?.when === 'open'

const stageNames = async (db: Queries): Promise<string[]> =>
  (await db.select({ name: stages.name }).from(stages).orderBy(asc(stages.position))).map(
    ({ name }) => name,
  )

const allApis = (db: Queries) =>
  db
    .select({
      ...{ slug: apis.slug, audience: apis.audience, labels: apis.labels },
      team: teamName(apis.teamId),
    })
    .from(apis)
    .orderBy(asc(apis.slug))

export async function listPipelines(db: Queries, query: PageQuery): Promise<Page<PipelineItem>> {
  const [pipelines, everybody] = await Promise.all([Pipelines.read(db), allApis(db)])
  const taken = grouped(everybody, (api) => pipelines.for(api).slug)
  const items = pipelines.all.map((one) => itemOf(one, taken.get(one.slug) ?? []))
  return pageFrom(items, query)
}

function itemOf(
  { slug, title, edition, content, published }: Holding,
  taken: readonly { slug: string }[],
): PipelineItem {
  return {
    pipeline: slug,
    title,
    audiences: content.for.audiences ?? [],
    teams: content.for.teams ?? [],
    labels: content.for.labels ?? [],
    stages: content.stages.map((stage) => ({
      name: stage.name,
      then: carryingText(stage),
      gates: gateNames.flatMap((gate) => {
        const before = stageBefore(content, stage.name)?.name ?? ''
        return gateTitle(gate, stage.gates, before) ?? []
      }),
    })),
    apis: taken.map((api) => api.slug),
    edition,
    ...(published && { publishedAt: published.at.toISOString(), publishedBy: published.by }),
  }
}

export async function readPipeline(db: Queries, slug: string): Promise<PipelineDetail> {
  const [pipelines, everybody] = await Promise.all([Pipelines.read(db), allApis(db)])
  const taken = everybody.filter((api) => pipelines.for(api).slug === slug)
  const item = itemOf(pipelines.named(slug), taken)
  const editions = await db
    .select({
      edition: pipelineEditions.number,
      text: pipelineEditions.text,
      note: pipelineEditions.note,
      at: pipelineEditions.publishedAt,
      by: sql<string>`${displayName(pipelineEditions.publishedById)}`,
    })
    .from(pipelineEditions)
    .where(eq(pipelineEditions.pipeline, slug))
    .orderBy(desc(pipelineEditions.number))
  return {
    ...item,
    text: editions[0]!.text,
    editions: editions.map(({ edition, note, at, by }) => ({
      ...{ edition, note, publishedAt: at.toISOString(), publishedBy: by },
    })),
  }
}

/** Held until the transaction ends by whoever writes pipelines, or the stages that they go through. */
export const lockPipelines = (tx: Transaction) =>
  tx.execute(sql`SELECT pg_advisory_xact_lock(${lockKeys.pipelines})`)

/** The pipeline of a text, which has to be one. */
async function contentOf(db: Queries, text: string): Promise<Pipeline> {
  const { pipeline, diagnostics } = readText({ file: 'pipeline.yaml', text }, await stageNames(db))
  if (pipeline) return pipeline
  throw invalid(
    diagnostics.map(({ line, message }) => ({
      field: 'text',
      message: `Line ${line}: ${message}`,
    })),
  )
}

/** Publishes a pipeline that was none before. It is asked before those there are: what is written later is for fewer. */
export async function createPipeline(
  context: Context,
  { title, text, note }: PipelineChange,
): Promise<PipelineDetail> {
  const { db } = context
  requirePermission(context.actor, 'pipeline')
  const slug = slugOf(title)
  if (reserved.includes(slug))
    throw invalid([{ field: 'title', message: 'Another pipeline is called so' }])
  await db.transaction(async (tx) => {
    await lockPipelines(tx)
    if ((await tx.$count(pipelines)) >= mostPipelines)
      throw conflict(`There are ${mostPipelines} pipelines already.`)
    const made = await tx
      .insert(pipelines)
      .values({ slug, title, position: await firstPosition(tx) })
      .onConflictDoNothing()
      .returning()
    if (made.length === 0)
      throw invalid([{ field: 'title', message: 'Another pipeline is called so' }])
    await publish(tx, context, slug, 1, text, note)
  })
  return readPipeline(db, slug)
}

/** The place before all others. */
async function firstPosition(tx: Transaction): Promise<number> {
  const [row] = await tx.select({ first: min(pipelines.position) }).from(pipelines)
  return (row?.first ?? 1) - 1
}

/** Has a pipeline asked before all others whose an API is; it holds at once, also for promotions that wait. */
export async function moveFirst(context: Context, slug: string): Promise<PipelineDetail> {
  const { db } = context
  requirePermission(context.actor, 'pipeline')
  await db.transaction(async (tx) => {
    await lockPipelines(tx)
    const { all } = await Pipelines.read(tx)
    if (!all.some((one) => one.slug === slug && one.published))
      throw notFound(`pipeline called "${slug}"`)
    if (all[0]!.slug === slug) throw conflict('It is asked first already.')
    await tx
      .update(pipelines)
      .set({ position: await firstPosition(tx) })
      .where(eq(pipelines.slug, slug))
    await record(tx, context, {
      action: 'pipeline.moved',
      subject: slug,
      before: { order: all.map((one) => one.slug) },
      after: { first: slug },
    })
  })
  return readPipeline(db, slug)
}

/** Publishes the next edition of a pipeline. */
export async function publishPipeline(
  context: Context,
  slug: string,
  { title, text, note }: PipelineChange,
  ifMatch: string | undefined,
): Promise<PipelineDetail> {
  const { db } = context
  requirePermission(context.actor, 'pipeline')
  await db.transaction(async (tx) => {
    await lockPipelines(tx)
    const { edition } = (await Pipelines.read(tx)).named(slug)
    requireMatch(ifMatch, pipelineEtag({ edition }), 'the pipeline')
    await tx.update(pipelines).set({ title }).where(eq(pipelines.slug, slug))
    await publish(tx, context, slug, edition + 1, text, note)
  })
  return readPipeline(db, slug)
}

/** Publishes the edition of a number; throws where the text is none. */
export async function publish(
  tx: Transaction,
  context: Context,
  pipeline: string,
  number: number,
  text: string,
  note: string,
): Promise<void> {
  const { actor, now } = context
  const content = await contentOf(tx, text)
  await tx.insert(pipelineEditions).values({
    ...{ pipeline, number, text, content, note },
    ...{ publishedAt: now(), publishedById: actor.id },
  })
  await record(tx, context, {
    action: 'pipeline.published',
    subject: pipeline,
    after: { edition: number, note, content },
  })
}

/** Takes a pipeline away: versions of its APIs take another one from then on. */
export async function removePipeline(context: Context, slug: string): Promise<void> {
  const { db } = context
  requirePermission(context.actor, 'pipeline')
  await db.transaction(async (tx) => {
    await lockPipelines(tx)
    const { title, edition } = (await Pipelines.read(tx)).named(slug)
    await tx.delete(pipelines).where(eq(pipelines.slug, slug))
    await record(tx, context, {
      action: 'pipeline.removed',
      subject: slug,
      before: { title, edition },
    })
  })
}

/** Judges the gates of waiting promotions by each of some pipelines. */
export type Judging = (
  all: readonly Pipelines[],
) => Promise<{ promotion: number; title: string; gates: Gate[][] }[]>

/** What a text would change if it were published: whose versions take it, and how waiting promotions would stand. */
export async function pipelineImpact(
  { db, actor }: Context,
  { pipeline, text }: PipelineDraft,
  judge: Judging,
): Promise<PipelineImpact> {
  requirePermission(actor, 'measure')
  const now = await Pipelines.read(db)
  if (pipeline !== undefined) now.named(pipeline)
  const read = readText({ file: 'pipeline.yaml', text }, await stageNames(db))
  const nothing = { coming: [], leaving: [], promotions: [] }
  if (!read.pipeline) return { diagnostics: read.diagnostics, ...nothing }
  const then = now.with(pipeline, read.pipeline)
  const slug = pipeline ?? ''
  const moved = (await allApis(db)).map((api) => ({
    api: api.slug,
    before: now.for(api).slug === slug,
    after: then.for(api).slug === slug,
  }))
  return {
    diagnostics: read.diagnostics,
    coming: moved.flatMap((one) => (one.after && !one.before ? one.api : [])),
    leaving: moved.flatMap((one) => (one.before && !one.after ? one.api : [])),
    promotions: (await judge([now, then])).flatMap(({ gates: [before = [], after = []], ...of }) =>
      isSame(before, after) ? [] : [{ ...of, now: before, then: after }],
    ),
  }
}
