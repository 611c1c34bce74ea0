import { and, asc, desc, eq, inArray, or, sql, type SQL } from 'drizzle-orm'
import { stageBefore } from '../../core/pipeline/pipeline'
import { canonical } from '../../core/text/canonical'
import { grouped } from '../../core/text/grouped'
import { isSame } from '../../core/text/values'
import {
  type ApiVersion,
  type AppliedResource,
  type BodyOf,
  type PlannedResource,
  type ResourceKindName,
} from '../../shared/api/resources'
import type { ChangeRequest } from '../../shared/api/placements'
import type { RolloutItem } from '../../shared/api/rollouts'
import { pipelineEtag, placementEtag, scopeEtag } from '../../shared/etags'
import type { Queries } from '../db/database'
import { apiColumns } from '../db/names'
import { isNewest } from '../db/newest'
import {
  apis,
  apiViewers,
  editions,
  gatewayGroups,
  gateways,
  people,
  pipelineEditions,
  pipelines,
  placements,
  promotions,
  revisionFiles,
  revisions,
  rulebooks,
} from '../db/schema'
import * as administration from './administration'
import { findApi, changeApi } from './catalog'
import type { Context } from './context'
import * as drafts from './drafts'
import { conflict, notFound } from './failure'
import { can } from './permissions'
import { createPipeline, Pipelines, publishPipeline, removePipeline } from './pipelines'
import * as placing from './placements'
import { changeScope, listScopes, previewPolicies, requestPolicyChange } from './policies'
import { requestChange, requestPromotion } from './promotions'
import { markOf } from './register'
import { seen } from './sites'
import { changeStages, listStages } from './stages'
import { slugOf } from './titles'

type Values = Record<string, unknown>

/** A resource as it stands. */
export interface Standing {
  name: string
  spec: Values
  status: Values
  /** The request that is to be decided before anything else is asked for. */
  waiting?: { says: string; page: string }
}

/** A resource that is wanted, and what stands where it goes. */
interface Wanted<B> {
  context: Context
  name: string
  body: B
  standing: Standing | undefined
  note: string
}

type Outcome = Omit<AppliedResource, 'status'>

interface ResourceKind<B> {
  /** All that stand, of those that whoever asks may see; of a kind of which there are many, that of a name alone. */
  list: (context: Context, name?: string) => Promise<Standing[]>
  /** The one that a wanted one is, where it goes by another name. */
  find?: (body: B, all: readonly Standing[]) => Standing | undefined
  /** What is wanted as it would stand: with defaults, and with what is not said about it. */
  read?: (wanted: Omit<Wanted<B>, 'note'>) => Promise<Values> | Values
  /** How it would be done; at once where absent. */
  how?: (wanted: Omit<Wanted<B>, 'note'>) => Promise<PlannedResource['how']>
  apply: (wanted: Wanted<B>) => Promise<Outcome>
  /** Takes one away; absent where that is not done from files. */
  remove?: (context: Context, standing: Standing, note: string) => Promise<Outcome>
}

const done = (says: string): Outcome => ({ state: 'done', says })
const asked = (id: number): Outcome => ({
  ...{ state: 'waits', says: `Request ${id} waits for its gates`, page: `/promotions/${id}` },
})
/** As it travels: what is absent is not there. */
export const plain = (value: unknown) => JSON.parse(JSON.stringify(value)) as Values

/** A rollout that goes on is told by its number. */
const placedAs = (placed: object | undefined): Outcome =>
  placed && 'steps' in placed
    ? {
        ...{ state: 'waits', says: `Rollout ${(placed as RolloutItem).id} is under way` },
        page: `/rollouts/${(placed as RolloutItem).id}`,
      }
    : done('It runs so')

/** Every kind of resource: how it stands, how it is changed and with which review. */
export const kindsOfResources: { [K in ResourceKindName]: ResourceKind<BodyOf<K>> } = {
  Stages: {
    async list({ db }) {
      const stages = await listStages(db)
      return [{ name: 'stages', spec: plain({ stages }), status: {} }]
    },
    read: ({ body: { stages } }) =>
      plain({ stages: stages.map(({ formerly: _, ...stage }) => stage) }),
    async apply({ context, body }) {
      await changeStages(context, body.stages)
      return done('The stages stand so')
    },
  },

  Host: {
    list: async ({ db }) =>
      (await administration.listHosts(db)).map(({ name, ...spec }) => ({
        ...{ name, spec, status: {} },
      })),
    async apply({ context, name, body }) {
      await administration.setHost(context, name, body)
      return done('The host stands so')
    },
    async remove(context, { name }) {
      await administration.removeHost(context, name)
      return done('The host is gone')
    },
  },

  GatewayGroup: {
    list: async ({ db }) =>
      (await db.select().from(gatewayGroups).orderBy(asc(gatewayGroups.position))).map(
        ({ name, serves, audiences }) => ({ name, spec: { serves, audiences }, status: {} }),
      ),
    async apply({ context, name, body }) {
      await administration.setGroup(context, name, body)
      return done('The group stands so')
    },
  },

  Gateway: {
    async list({ db, actor }) {
      const rows = await db.select().from(gateways).orderBy(asc(gateways.position))
      return rows.map(
        ({ name, group, serves, kind, dataUrl, tlsUrl, adminUrl, folder, seenAt, trouble }) => ({
          name,
          spec: {
            ...{ group, serves, kind, dataUrl, tlsUrl, folder },
            // Where it is written is for those who write it.
            ...(can(actor, 'administer') && { adminUrl }),
          },
          status: { ...(seenAt && { seenAt: seenAt.toISOString() }), trouble },
        }),
      )
    },
    read({ context, body, standing }) {
      const { adminUrl, ...rest } = plain(body)
      return can(context.actor, 'administer') || !standing ? { adminUrl, ...rest } : rest
    },
    async apply({ context, name, body }) {
      await administration.setGateway(context, name, body)
      return done('The gateway stands so; what its group serves comes to it by a rollout')
    },
    async remove(context, { name }) {
      await administration.removeGateway(context, name)
      return done('The gateway is gone')
    },
  },

  Rulebook: {
    async list({ db }) {
      const rows = await db
        .selectDistinctOn([editions.rulebook], {
          name: editions.rulebook,
          text: editions.text,
          edition: editions.number,
          draft: rulebooks.text,
        })
        .from(editions)
        .innerJoin(rulebooks, eq(rulebooks.slug, editions.rulebook))
        .orderBy(asc(editions.rulebook), desc(editions.number))
      return rows.map(({ name, text, edition, draft }) => ({
        ...{ name, spec: { text }, status: { edition, unpublished: draft !== text } },
      }))
    },
    async apply({ context, name, body: { text }, standing, note }) {
      const { draft, etag } = await drafts.readDraft(context.db, name)
      if (standing && draft.text !== standing.spec['text'] && draft.text !== text)
        throw conflict(
          `${draft.savedBy} has written something in ${name} that is not published; publish or undo that first.`,
        )
      const saved =
        draft.text === text ? { etag } : await drafts.saveDraft(context, name, text, etag)
      const { edition } = await drafts.publish(context, name, { note }, saved.etag)
      return done(`Edition ${edition} is published`)
    },
  },

  Pipeline: {
    async list({ db }) {
      const rows = await db
        .selectDistinctOn([pipelines.position, pipelines.slug], {
          name: pipelines.slug,
          title: pipelines.title,
          text: pipelineEditions.text,
          edition: pipelineEditions.number,
        })
        .from(pipelines)
        .innerJoin(pipelineEditions, eq(pipelineEditions.pipeline, pipelines.slug))
        .orderBy(asc(pipelines.position), asc(pipelines.slug), desc(pipelineEditions.number))
      return rows.map(({ name, title, text, edition }) => ({
        ...{ name, spec: { title, text }, status: { edition } },
      }))
    },
    async apply({ context, name, body, standing, note }) {
      if (!standing && slugOf(body.title) !== name)
        throw conflict(
          `A pipeline called ${body.title} is named ${slugOf(body.title)}, not ${name}.`,
        )
      const change = { ...body, note }
      const { edition } = standing
        ? await publishPipeline(context, name, change, pipelineEtag(editionIn(standing)))
        : await createPipeline(context, change)
      return done(`Edition ${edition} is published`)
    },
    async remove(context, { name }) {
      await removePipeline(context, name)
      return done('The pipeline is gone')
    },
  },

  Api: {
    list: ({ db }, name) => listApis(db, name),
    async read({ context, body, standing }) {
      const { versions: wanted = [], ...change } = body
      const stand = (standing?.spec['versions'] ?? []) as ApiVersion[]
      const known = await knownVersions(
        context.db,
        standing?.name,
        wanted.filter((one) => !isAmong(one, stand)),
      )
      const fresh = wanted.filter((one) => !isAmong(one, stand) && !isAmong(one, known))
      const kept = stand.filter(({ version }) => !fresh.some((one) => one.version === version))
      return { ...standing?.spec, ...plain(change), versions: [...kept, ...fresh.map(plain)] }
    },
    async apply({ context, name, body: { versions: wanted = [], ...change }, standing }) {
      if (!standing) throw notFound(`API called "${name}": bring its definition in first`)
      const stand = standing.spec['versions'] as ApiVersion[]
      const missing = wanted.filter((one) => !isAmong(one, stand))
      const known = await knownVersions(context.db, name, missing)
      const first = missing.find((one) => !isAmong(one, known))
      if (first)
        throw conflict(
          `Save the definition of ${first.version} first, with the files that are named.`,
        )
      if (!isSame(plain({ ...standing.spec, ...plain(change) }), standing.spec))
        await changeApi(context, name, change)
      return done('The API stands so')
    },
  },

  Policies: {
    async list(context) {
      return (await listScopes(context)).map(({ id, policies, binding, generation, waiting }) => ({
        ...{ name: id, spec: plain({ policies, binding }), status: { generation } },
        ...(waiting !== undefined && {
          waiting: { says: `Change ${waiting} of the scope waits`, page: '/policies' },
        }),
      }))
    },
    read: ({ body }) => ({
      policies: placing.toPolicies(body.policies, 'policies'),
      binding: body.binding,
    }),
    async how({ context, name, body }) {
      return (await previewPolicies(context, name, body)).reviewed ? 'review' : 'at-once'
    },
    async apply({ context, name, body, standing, note }) {
      if (!standing) throw notFound(`scope called "${name}"`)
      if ((await previewPolicies(context, name, body)).reviewed) {
        const { id } = await requestPolicyChange(context, { scope: name, note, ...body })
        return { state: 'waits', says: `Change ${id} waits for its approval`, page: '/policies' }
      }
      return placedAs(
        await changeScope(context, name, body, scopeEtag({ generation: generationIn(standing) })),
      )
    },
  },

  Placement: {
    list: listPlacements,
    find: ({ api, stage, group, serving: { host, basePath } }, all) =>
      all.find(({ spec }) => {
        const there = spec['serving'] as { host: string; basePath: string }
        const isSamePlace = there.host === host && there.basePath === basePath
        return (
          spec['api'] === api && spec['stage'] === stage && spec['group'] === group && isSamePlace
        )
      }),
    read: ({ body: { serving, ending, ...rest } }) =>
      plain({ ...rest, serving: placing.toSpec(serving), ...(ending && { ending }) }),
    async how({ context, body, standing }) {
      if ((await placing.firstStage(context.db)).name === body.stage) return 'at-once'
      return standing?.spec['version'] === body.version ? 'review' : 'promotion'
    },
    async apply({ context, body, standing: there, note }) {
      const { api, version, stage, group, serving, ending } = body
      const isFirst = (await placing.firstStage(context.db)).name === stage
      const standing = there?.spec['version'] === version ? there : undefined
      if (!standing)
        return isFirst
          ? placedAs(await placing.place(context, { api, version, group, spec: serving }))
          : askPromotion(context, body, note)
      const etag = placementEtag({ generation: generationIn(standing) })
      const ask = async (change: ChangeRequest) =>
        asked((await requestChange(context, standing.name, change, etag)).id)
      if (canonical(placing.toSpec(serving)) === canonical(standing.spec['serving']))
        return ask({ kind: 'ending', note, ...(ending && { ending }) })
      return isFirst
        ? placedAs(await placing.changePlacement(context, standing.name, serving, etag))
        : ask({ kind: 'change', spec: serving, note })
    },
    async remove(context, standing, note) {
      if ((await placing.firstStage(context.db)).name === standing.spec['stage'])
        return placedAs(await placing.removePlacement(context, standing.name))
      const etag = placementEtag({ generation: generationIn(standing) })
      return asked(
        (await requestChange(context, standing.name, { kind: 'removal', note }, etag)).id,
      )
    },
  },
}

const generationIn = ({ status }: Standing) => status['generation'] as number
const editionIn = ({ status }: Standing) => ({ edition: status['edition'] as number })

/** Asks for a version to come from the stage before, by the pipeline of its API. */
async function askPromotion(
  context: Context,
  { api: slug, version, stage }: BodyOf<'Placement'>,
  note: string,
): Promise<Outcome> {
  const api = await findApi(context.db, slug)
  const { title, content } = (await Pipelines.read(context.db)).for(api)
  const from = stageBefore(content, stage)
  if (!from)
    throw conflict(`${title}, which versions of ${api.title} take, does not lead into ${stage}.`)
  return asked((await requestPromotion(context, { api: slug, version, from: from.name, note })).id)
}

/** Whether a version that is wanted is one that there is: files that no definition refers to are not kept. */
function isSameVersion(wanted: ApiVersion, kept: ApiVersion): boolean {
  const named = new Map(wanted.files.map(({ name, sha256 }) => [name, sha256]))
  const isWhole = kept.files.every(({ name, sha256 }) => named.get(name) === sha256)
  return wanted.version === kept.version && isWhole
}
const isAmong = (wanted: ApiVersion, kept: readonly ApiVersion[]) =>
  kept.some((one) => isSameVersion(wanted, one))

/** Those of some versions that an API has already, whether they stand for something still or not. */
async function knownVersions(
  db: Queries,
  slug: string | undefined,
  wanted: readonly ApiVersion[],
): Promise<ApiVersion[]> {
  if (slug === undefined || wanted.length === 0) return []
  return filesOfRevisions(
    db,
    and(
      eq(apis.slug, slug),
      inArray(
        revisions.version,
        wanted.map(({ version }) => version),
      ),
    ),
  )
}

/** The files of some revisions, the main one first, by the order in which revisions came. */
const filesOfRevisions = (db: Queries, which: SQL | undefined) =>
  db
    .select({
      apiId: revisions.apiId,
      number: revisions.number,
      version: revisions.version,
      files: sql<
        ApiVersion['files']
      >`json_agg(json_build_object('name', ${revisionFiles.name}, 'sha256', ${revisionFiles.sha256})
        order by ${revisionFiles.name} <> ${revisions.file}, ${revisionFiles.name})`,
    })
    .from(revisions)
    .innerJoin(apis, eq(apis.id, revisions.apiId))
    .innerJoin(revisionFiles, eq(revisionFiles.revisionId, revisions.id))
    .where(which)
    .groupBy(revisions.id)
    .orderBy(asc(revisions.apiId), asc(revisions.number))

/** Every API with the versions that are served or newest. */
async function listApis(db: Queries, slug?: string): Promise<Standing[]> {
  const named = slug === undefined ? undefined : eq(apis.slug, slug)
  const [rows, viewers, texts] = await Promise.all([
    db
      .select({ api: apiColumns, number: revisions.number, counts: revisions.counts })
      .from(apis)
      .innerJoin(revisions, isNewest)
      .where(named)
      .orderBy(asc(apis.slug)),
    db
      .select({ apiId: apiViewers.apiId, name: people.name })
      .from(apiViewers)
      .innerJoin(apis, eq(apis.id, apiViewers.apiId))
      .innerJoin(people, eq(people.id, apiViewers.personId))
      .where(named)
      .orderBy(asc(people.name)),
    filesOfRevisions(
      db,
      and(
        named,
        or(
          eq(revisions.number, apis.latestNumber),
          inArray(revisions.id, db.select({ id: placements.revisionId }).from(placements)),
        ),
      ),
    ),
  ])
  const seenBy = grouped(viewers, ({ apiId }) => apiId)
  const versions = grouped(texts, ({ apiId }) => apiId)
  return rows.map(({ api, number, counts: { must, should, may } }) => ({
    name: api.slug,
    spec: {
      ...{ team: api.team, audience: api.audience, lifecycle: api.lifecycle },
      ...{ owner: api.owner ?? '', labels: api.labels, links: api.links },
      ...{ deprecatedOn: api.deprecatedOn ?? '', sunset: api.sunset ?? '' },
      ...{ sourceAddress: api.sourceAddress, confidential: api.confidential },
      viewers: (seenBy.get(api.id) ?? []).map(({ name }) => name),
      versions: (versions.get(api.id) ?? []).map(({ version, files }) => ({ version, files })),
    },
    status: {
      ...{ title: api.title, revision: number, findings: { must, should, may } },
      revisions: Object.fromEntries(
        (versions.get(api.id) ?? []).map((one) => [one.version, one.number]),
      ),
    },
  }))
}

async function listPlacements({ db, now }: Context, id?: string): Promise<Standing[]> {
  const [rows, requests] = await Promise.all([
    db
      .select({ row: placements, api: apis.slug, revision: revisions.number, ...seen })
      .from(placements)
      .innerJoin(apis, eq(apis.id, placements.apiId))
      .innerJoin(revisions, eq(revisions.id, placements.revisionId))
      .where(id === undefined ? undefined : eq(placements.id, id))
      .orderBy(asc(placements.id)),
    db
      .select({ id: promotions.id, placementId: promotions.placementId })
      .from(promotions)
      .where(inArray(promotions.state, ['waiting', 'under-way'])),
  ])
  const requestOf = new Map(requests.map((request) => [request.placementId, request.id]))
  return rows.map(({ row, api, revision, checkedAt, differences }) => {
    const { version, stage, group, spec, ending, generation, appliedAt } = row
    const request = requestOf.get(row.id)
    return {
      name: row.id,
      spec: {
        ...{ api, version, stage, group, serving: plain(spec) },
        ...(ending && { ending: { as: ending.as, until: ending.until } }),
      },
      status: {
        ...{ generation, revision, appliedAt: appliedAt.toISOString() },
        mark: markOf({ checkedAt, differences }, now()),
      },
      ...(request !== undefined && {
        waiting: { says: `Request ${request} waits there`, page: `/promotions/${request}` },
      }),
    }
  })
}

/** The promotion that waits for a version to enter a stage; undefined where none does. */
export async function waitingPromotion(
  db: Queries,
  { api, version, stage }: { api: string; version: string; stage: string },
): Promise<number | undefined> {
  const [row] = await db
    .select({ id: promotions.id })
    .from(promotions)
    .innerJoin(apis, eq(apis.id, promotions.apiId))
    .where(
      and(
        eq(apis.slug, api),
        eq(promotions.version, version),
        eq(promotions.toStage, stage),
        eq(promotions.kind, 'promotion'),
        inArray(promotions.state, ['waiting', 'under-way']),
      ),
    )
  return row?.id
}
