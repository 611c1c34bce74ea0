import { and, desc, eq, gte, lt } from 'drizzle-orm'
import type { Step } from '../../core/runtime/explain'
import { isObject } from '../../core/text/values'
import { periodAt } from '../../core/traffic/periods'
import type { RequestDetail, RequestItem, RequestQuery } from '../../shared/api/requests'
import { apis, gateways, requests } from '../db/schema'
import { readLogEntry } from '../gateways/admin-api'
import type { Context } from './context'
import { Failure, notFound } from './failure'
import { offsetOf, pageOf, type Page } from './paging'
import { isVisible, stepsFor, type Explained } from './logged'
import { can } from './permissions'
import { endedSo } from './traffic'

type Row = typeof requests.$inferSelect

const toItem = (row: Row, api: string | null): RequestItem => {
  const { id, at, apiId: _, ms, upstreamMs, breaks, ...told } = row
  return {
    ...told,
    request: id,
    at: at.toISOString(),
    ms: Math.round(ms),
    ...(upstreamMs !== null && { upstreamMs: Math.round(upstreamMs) }),
    ...(breaks !== '' && { breaks }),
    ...(api !== null && { api }),
  }
}

/** Single requests of a time, as far as they are kept, the newest first. */
export async function listRequests(
  { db, now }: Pick<Context, 'db' | 'now'>,
  query: RequestQuery,
): Promise<Page<RequestItem>> {
  const limit = query.limit ?? 100
  const offset = offsetOf(query)
  const { from, to } = periodAt(query.period ?? '24h', now().getTime())
  const rows = await db
    .select({ row: requests, api: apis.slug })
    .from(requests)
    .leftJoin(apis, eq(apis.id, requests.apiId))
    .where(
      and(
        gte(requests.at, new Date(from)),
        lt(requests.at, new Date(to)),
        query.api ? eq(apis.slug, query.api) : undefined,
        query.version ? eq(requests.version, query.version) : undefined,
        query.stage ? eq(requests.stage, query.stage) : undefined,
        query.placement ? eq(requests.placement, query.placement) : undefined,
        query.gateway ? eq(requests.gateway, query.gateway) : undefined,
        query.operation ? eq(requests.operation, query.operation) : undefined,
        query.client ? eq(requests.client, query.client) : undefined,
        endedSo(requests, query.ended),
      ),
    )
    .orderBy(desc(requests.at), desc(requests.id))
    .limit(limit + 1)
    .offset(offset)
  const page = pageOf(rows, limit, offset)
  return { ...page, items: page.items.map(({ row, api }) => toItem(row, api)) }
}

/**
 * One request by its identifier: what was kept of it, and its whole way while the gateway still has it in its log. One that
 * was not kept is asked for at every gateway.
 */
export async function readRequest(context: Context, id: string): Promise<RequestDetail> {
  const { db, actor } = context
  const [kept] = await db
    .select({ row: requests, api: apis.slug })
    .from(requests)
    .leftJoin(apis, eq(apis.id, requests.apiId))
    .where(eq(requests.id, id))
    .limit(1)
  const mayRead = can(actor, 'send')
  const logged = mayRead ? await inLogs(context, id, kept?.row.gateway) : undefined
  if (!kept && (!logged?.entry || !(await isVisible(db, logged.entry.placement))))
    throw notFound(`request ${id}, neither kept nor in the log of a gateway`)
  const trouble = mayRead
    ? (logged?.trouble ?? 'The gateway does not have it in its log any more.')
    : 'The way of a request is shown to those who may send requests.'
  return {
    ...(kept ? toItem(kept.row, kept.api) : fromLog(logged!.entry!)),
    steps: logged?.entry ? await stepsFor(db, logged.entry) : [],
    trouble: logged?.entry ? '' : trouble,
    isLogged: !kept,
  }
}

/** What a gateway has in its log of a request. */
interface Logged extends Explained {
  gateway: string
  id: string
  at: string
  method: string
  status: number
  ms: number
  consumer: string
  placement: string
  address: string
  steps: Step[]
}

async function inLogs(
  { db, gatewaySecret }: Context,
  id: string,
  gateway: string | undefined,
): Promise<{ entry?: Logged; trouble?: string }> {
  const asked = await db
    .select({ name: gateways.name, adminUrl: gateways.adminUrl })
    .from(gateways)
    .where(and(eq(gateways.kind, 'admin-api'), gateway ? eq(gateways.name, gateway) : undefined))
  let trouble: string | undefined
  const answers = await Promise.all(
    asked.map(async (one) => {
      try {
        const entry = await readLogEntry(one, gatewaySecret, id)
        return isObject(entry) ? { ...(entry as unknown as Logged), gateway: one.name } : undefined
      } catch (error) {
        if (!(error instanceof Failure)) throw error
        trouble = error.detail
        return undefined
      }
    }),
  )
  const entry = answers.find((answer) => answer !== undefined)
  return { ...(entry && { entry }), ...(trouble !== undefined && { trouble }) }
}

/** Of one that was not kept nothing is told that an event would not tell. */
function fromLog({
  gateway,
  id,
  at,
  method,
  status,
  ms,
  consumer,
  placement,
  address,
  steps,
}: Logged): RequestItem {
  const stopped = steps.find(({ passed }) => !passed)
  return {
    ...{ request: id, at, gateway, placement, version: '', stage: '', operation: method },
    ...{ client: consumer, address, status, ms: Math.round(ms) },
    ...{ step: stopped?.name ?? '', policy: stopped?.policy ?? '' },
    ...{ bytesIn: 0, bytesOut: 0, requestType: '', responseType: '' },
    ...{ query: [], members: [] },
  }
}
