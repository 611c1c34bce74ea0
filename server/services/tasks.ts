import { and, asc, desc, eq, inArray, isNotNull, isNull, sql } from 'drizzle-orm'
import { alias } from 'drizzle-orm/pg-core'
import { approvalCounts, open } from '../../core/pipeline/gates'
import { count } from '../../core/text/counted'
import type { EndingItem } from '../../shared/api/endings'
import type { TaskItem, TaskQuery } from '../../shared/api/tasks'
import { endingDays, taskKinds, type TaskKind } from '../../shared/words'
import type { Queries } from '../db/database'
import { isNewest } from '../db/newest'
import { apiColumns } from '../db/names'
import {
  apis,
  assignments,
  drift,
  findings,
  gateWaivers,
  placements,
  promotions,
  releases,
  proposals,
  repositoryJobs,
  revisions,
  waivers,
} from '../db/schema'
import type { Actor, Context } from './context'
import { endingsOf } from './endings'
import { dayOf } from './known'
import { pageFrom, type Page } from './paging'
import { can } from './permissions'
import { judgeWaiting, type WaitingRequest } from './promotion-gates'
import { failingProbes } from './probes'
import { requestTitle } from './promotion-plans'
import { listRepositories } from './repositories'
import { isOpenDrift } from './sites'
import { mayDecide } from './waivers'

const mostRepositories = 500

interface Task {
  kind: TaskKind
  subject: string | number
  title: string
  says: string
  api?: { slug: string; title: string } | undefined
  since: Date
  /** A day. */
  due?: string | null
}

interface Asked {
  context: Context
  db: Queries
  actor: Actor
  now: Date
  /** Requests that wait, of those that the person may see. */
  waiting: readonly WaitingRequest[]
}

/** Whether an API is somebody's own: their team's. */
const owns = ({ role, team }: Actor, api: { team: string }) => role === 'owner' && team === api.team

const ofRequest = (
  kind: TaskKind,
  { row, api }: WaitingRequest,
  { verb, says, since }: { verb: string; says: string; since: Date },
): Task => ({
  ...{ kind, subject: row.id, title: `${verb}: ${requestTitle(row, api)}`, says, api, since },
  due: row.neededBy,
})

/** What waits for a person, by what it is; each says for itself whom it waits for. */
const finders: Record<TaskKind, (asked: Asked) => Promise<Task[]> | Task[]> = {
  approval: ({ actor, waiting }) =>
    waiting.flatMap((request) => {
      const { row, gates, review, wanted } = request
      const isShut = gates.some(({ id, state }) => id === 'approval' && state !== 'passed')
      const hasSpoken = review.approvals.some(({ by, voided }) => by === actor.name && !voided)
      if (!wanted || !isShut || hasSpoken || !can(actor, 'approve')) return []
      if (!approvalCounts(wanted, review, { by: actor.name, role: actor.role })) return []
      const says = row.note || 'Nothing was said with it'
      return ofRequest('approval', request, { verb: 'Approve', says, since: row.requestedAt })
    }),

  ready: ({ actor, waiting }) =>
    waiting.flatMap((request) =>
      request.row.releaseId === null &&
      request.byHand &&
      can(actor, 'promote') &&
      open(request.gates)
        ? ofRequest('ready', request, {
            ...{ verb: 'Every gate is open', since: request.row.requestedAt },
            says: count(request.gates.length, 'gate'),
          })
        : [],
    ),

  async release({ db, actor, waiting }) {
    if (!can(actor, 'promote')) return []
    const rows = await db.select().from(releases).where(eq(releases.state, 'waiting'))
    return rows.flatMap(({ id, title, toStage, apiIds, madeAt }) => {
      const own = waiting.filter(({ row }) => row.releaseId === id)
      const isReady = own.length === apiIds.length && own.every(({ gates }) => open(gates))
      if (!isReady || !own.some(({ byHand }) => byHand)) return []
      return {
        ...{ kind: 'release' as const, subject: id, since: madeAt },
        title: `Every gate is open: release ${title} into ${toStage}`,
        says: own.map(({ row, api }) => `${api.title} ${row.version}`).join(', '),
        due: own.flatMap(({ row }) => row.neededBy ?? []).sort()[0],
      }
    })
  },

  async 'gate-waiver'({ db, actor, waiting }) {
    if (!can(actor, 'passGate')) return []
    const asked = await db.select().from(gateWaivers).where(isNull(gateWaivers.secondId))
    return asked.flatMap((waiver) => {
      const request = waiting.find(({ row }) => row.id === waiver.promotionId)
      const gate = request?.gates.find(({ id }) => id === waiver.gate)
      if (!request || gate?.waiver !== 'asked') return []
      if (waiver.byId === actor.id || request.row.requestedById === actor.id) return []
      return ofRequest('gate-waiver', request, {
        ...{ verb: 'Agree that a gate is waived', since: waiver.at },
        says: `${gate.title}: ${gate.text}`,
      })
    })
  },

  async emergency({ db, actor }) {
    if (!can(actor, 'approve')) return []
    return (await unconfirmed(db))
      .filter(({ row }) => row.override?.by !== actor.name && row.requestedById !== actor.id)
      .map(({ row, api }) => ({
        ...{ kind: 'emergency' as const, subject: row.id, api },
        title: `Confirm an emergency: ${requestTitle(row, api)}`,
        says: row.override!.reason,
        since: new Date(row.override!.at),
      }))
  },

  async waiver({ db, actor }) {
    if (!can(actor, 'waive')) return []
    return (await waiversIn(db, 'waiting'))
      .filter(({ row }) => mayDecide(actor, row))
      .map(({ row, api }) => ({
        ...{ kind: 'waiver' as const, subject: row.id, api: api ?? undefined },
        title: `Decide on a waiver: ${row.rule} for ${whom(row, api)}`,
        says: row.reason,
        since: row.askedAt,
      }))
  },

  async 'waiver-ending'({ db, actor, now }) {
    const today = dayOf(now)
    const soon = dayOf(new Date(now.getTime() + endingDays * 86_400_000))
    return (await waiversIn(db, 'approved'))
      .filter(({ row }) => row.until >= today && row.until <= soon)
      .filter(({ row, api }) =>
        api ? owns(actor, api) || row.askedById === actor.id : can(actor, 'rule'),
      )
      .map(({ row, api }) => ({
        ...{ kind: 'waiver-ending' as const, subject: row.id, api: api ?? undefined },
        title: `A waiver ends: ${row.rule} for ${whom(row, api)}`,
        says: row.reason,
        since: row.decidedAt ?? row.askedAt,
        due: row.until,
      }))
  },

  async ending({ db, actor, now }) {
    const soon = dayOf(new Date(now.getTime() + endingDays * 86_400_000))
    return (await endingsOf(db, now))
      .filter(
        ({ until, team }) => until <= soon && (owns(actor, { team }) || can(actor, 'resolve')),
      )
      .map(({ api, title, placement, version, stage, as, since, until, calls, callers }) => ({
        ...{ kind: 'ending' as const, subject: placement ?? api, api: { slug: api, title } },
        title: `${placement ? `${title} ${version} in ${stage}` : title} ${endsHow(as, until, dayOf(now))}`,
        says: calls === 0 ? 'Nobody called it in a week' : calledText(calls, callers),
        since: new Date(since === '' ? until : since),
        due: until,
      }))
  },

  async drift({ db, actor }) {
    const rows = await db
      .select({
        api: apiColumns,
        differences: sql<number>`count(*)::int`,
        places: sql<string>`string_agg(distinct ${drift.stage}, ', ' order by ${drift.stage}) filter (where ${drift.stage} <> '')`,
        since: sql<string>`min(${drift.openedAt})`,
      })
      .from(drift)
      .innerJoin(apis, eq(apis.id, drift.apiId))
      .where(isOpenDrift)
      .groupBy(apis.id)
    return rows
      .filter(({ api }) => owns(actor, api) || can(actor, 'resolve'))
      .map(({ api, differences, places, since }) => ({
        ...{ kind: 'drift' as const, subject: api.slug, api, since: new Date(since) },
        title: `Resolve ${count(differences, 'difference')}: ${api.title}`,
        says: places ? `In ${places}` : 'Between the definition and where it comes from',
      }))
  },

  async probe({ db, actor }) {
    const failing = await failingProbes(db)
    if (failing.size === 0) return []
    const owners = await db
      .select(apiColumns)
      .from(apis)
      .where(inArray(apis.id, [...failing.keys()]))
    return owners
      .filter((api) => owns(actor, api) || can(actor, 'resolve'))
      .map((api) => {
        const runs = failing.get(api.id)!
        const { title, row } = runs[0]!
        return {
          ...{ kind: 'probe' as const, subject: api.slug, api },
          since: new Date(Math.min(...runs.map((run) => run.row.at.getTime()))),
          title: `${count(runs.length, 'probe fails', 'probes fail')}: ${api.title}`,
          says: `${title} in ${row.stage} on ${row.gateway}: ${row.says}`,
        }
      })
  },

  async unplaced({ db, actor }) {
    const first = alias(revisions, 'first')
    const rows = await db
      .select({ api: apiColumns, by: first.savedById, at: first.savedAt })
      .from(apis)
      .innerJoin(first, and(eq(first.apiId, apis.id), eq(first.number, 1)))
      .where(
        sql`${apis.lifecycle} <> 'retired' and not exists (select from ${placements} p where p.api_id = ${apis.id})`,
      )
    return rows
      .filter(
        ({ api, by }) => (owns(actor, api) || by === actor.id) && can(actor, 'place', api.team),
      )
      .map(({ api, at }) => ({
        ...{ kind: 'unplaced' as const, subject: api.slug, api, since: at },
        title: `Place it: ${api.title}`,
        says: 'It was brought in, and stands on no gateway',
      }))
  },

  async job({ context, db, actor }) {
    const { items } = await listRepositories(context, { limit: mostRepositories })
    const own = new Map(
      items
        .filter(({ team }) => can(actor, 'connect', team))
        .map(({ repository, title }) => [repository, title]),
    )
    const last = await db
      .selectDistinctOn([repositoryJobs.repository, repositoryJobs.ref])
      .from(repositoryJobs)
      .where(inArray(repositoryJobs.repository, [...own.keys()]))
      .orderBy(repositoryJobs.repository, repositoryJobs.ref, desc(repositoryJobs.id))
    return last
      .filter(({ state }) => state === 'failed')
      .map(({ id, repository, ref, says, endedAt, at }) => ({
        ...{ kind: 'job' as const, subject: id, says, since: endedAt ?? at },
        title: `A job failed: ${ref} of ${own.get(repository)}`,
      }))
  },

  async fix({ db, actor }) {
    const rows = await db
      .select({ row: proposals, api: apiColumns })
      .from(proposals)
      .innerJoin(apis, eq(apis.id, proposals.apiId))
      .where(eq(proposals.state, 'waiting'))
      .orderBy(asc(proposals.id))
    return rows
      .filter(({ api }) => owns(actor, api))
      .map(({ row, api }) => ({
        ...{ kind: 'fix' as const, subject: row.id, api, since: row.at },
        title: `Take or decline a fix: ${row.fix.title}, ${api.title}`,
        says: `${count(row.places, 'place')} by ${row.rule}. ${row.note}`.trim(),
      }))
  },

  async finding({ db, actor }) {
    const rows = await db
      .select({
        api: apiColumns,
        findings: sql<number>`count(*)::int`,
        since: sql<string>`max(${revisions.savedAt})`,
      })
      .from(assignments)
      .innerJoin(apis, eq(apis.id, assignments.apiId))
      .innerJoin(revisions, isNewest)
      .innerJoin(
        findings,
        and(
          eq(findings.revisionId, revisions.id),
          eq(findings.key, assignments.key),
          eq(findings.status, 'open'),
        ),
      )
      .where(eq(assignments.assigneeId, actor.id))
      .groupBy(apis.id)
    return rows.map(({ api, findings: number, since }) => ({
      ...{ kind: 'finding' as const, subject: api.slug, api, since: new Date(since) },
      title: `See to ${count(number, 'finding')}: ${api.title}`,
      says: 'Assigned to you',
    }))
  },
}

/** What waits for whoever asks, what is due first first, and what waits longest before the rest. */
export async function listTasks(context: Context, query: TaskQuery): Promise<Page<TaskItem>> {
  const tasks = await tasksOf(context, await judgeWaiting(context))
  return pageFrom(
    tasks.filter(
      ({ kind, api }) =>
        (query.kind === undefined || kind === query.kind) &&
        (query.api === undefined || api === query.api),
    ),
    query,
  )
}

/** What waits for a person; `waiting` are the requests that wait, of those that they may see. */
export async function tasksOf(
  context: Context,
  waiting: readonly WaitingRequest[],
): Promise<TaskItem[]> {
  const asked = { context, db: context.db, actor: context.actor, now: context.now(), waiting }
  const found = await Promise.all(taskKinds.map(async (kind) => finders[kind](asked)))
  const never = '9999'
  return found
    .flat()
    .sort(
      (one, other) =>
        (one.due ?? never).localeCompare(other.due ?? never) ||
        one.since.getTime() - other.since.getTime(),
    )
    .map(({ kind, subject, title, says, api, since, due }) => ({
      ...{ task: `${kind} ${subject}`, kind, subject: String(subject), title, says },
      ...(api && { api: api.slug, apiTitle: api.title }),
      since: since.toISOString(),
      ...(due && { due }),
    }))
}

/** What becomes of something that ends, seen from a day. */
const endsHow = (as: EndingItem['as'], until: string, today: string) =>
  until < today ? `ended, and is served still` : as === 'retired' ? 'is taken off' : 'ends'

function calledText(calls: number, callers: EndingItem['callers']): string {
  const untold = callers.filter(({ told }) => !told).length
  return `${count(calls, 'call')} in a week by ${count(callers.length, 'caller')}, ${untold === 0 ? 'who were told' : `${untold} of whom nobody has told`}`
}

const unconfirmed = (db: Queries) =>
  db
    .select({ row: promotions, api: apiColumns })
    .from(promotions)
    .innerJoin(apis, eq(apis.id, promotions.apiId))
    .where(and(isNotNull(promotions.override), isNull(promotions.confirmedById)))
    .orderBy(asc(promotions.id))

const waiversIn = (db: Queries, state: 'waiting' | 'approved') =>
  db
    .select({ row: waivers, api: apiColumns })
    .from(waivers)
    .leftJoin(apis, eq(apis.id, waivers.apiId))
    .where(eq(waivers.state, state))
    .orderBy(asc(waivers.id))

type WaiverRow = typeof waivers.$inferSelect

const whom = ({ operation }: WaiverRow, api: { title: string } | null) =>
  api === null ? 'every API' : operation === null ? api.title : `${operation} of ${api.title}`
