import { Agent, request } from 'undici'
import { readResources, writeResources } from '../../core/runtime/resources'
import { readEvent, type TrafficEvent } from '../../core/traffic/event'
import { isObject } from '../../core/text/values'
import { Failure } from '../services/failure'
import type { KeptListeners } from '../db/schema'
import { guardedLookup } from '../services/guard'
import { secretOf } from './secret'
import { changedInBetween, gatewayDown, type Adapter, type Running, type Written } from './adapter'

export interface GatewayAddress {
  name: string
  adminUrl: string
}

const guarded = new Agent({ connect: { lookup: guardedLookup } })

const down = ({ name, adminUrl }: GatewayAddress, why: string) =>
  gatewayDown(`${name} at ${adminUrl}`, why)

/** A gateway may take its time: nobody else waits for it. In milliseconds. */
const timeouts = { headersTimeout: 20_000, bodyTimeout: 20_000 }

async function call(
  gateway: GatewayAddress,
  secret: string,
  path: string,
  change?: { body: string; etag?: string },
): Promise<{ status: number; etag: string; text: string }> {
  try {
    const answer = await request(gateway.adminUrl + path, {
      method: change ? 'PUT' : 'GET',
      dispatcher: guarded,
      headers: {
        'x-admin-secret': secretOf(secret, gateway),
        ...(change?.etag && { 'if-match': change.etag }),
      },
      ...(change && { body: change.body }),
      ...timeouts,
    })
    const etag = answer.headers['etag']
    return {
      status: answer.statusCode,
      etag: typeof etag === 'string' ? etag : '',
      text: await answer.body.text(),
    }
  } catch (error) {
    throw down(gateway, reasonOf(error))
  }
}

/** Whether something answers at an admin address that no gateway is registered at: it is sent no secret. */
export async function knock(adminUrl: string): Promise<string> {
  const address = { name: 'It', adminUrl }
  try {
    const answer = await request(`${adminUrl}/configuration`, { dispatcher: guarded, ...timeouts })
    await answer.body.dump({ limit: 64 * 1024 })
    return answer.statusCode === 401
      ? 'It answers, and asks for a secret. Add it, and configure it with the secret that is shown then'
      : `It answers ${answer.statusCode} to a request without a secret, where a gateway answers 401`
  } catch (error) {
    throw down(address, reasonOf(error))
  }
}

const reasonOf = (error: unknown) => {
  const { code, message } = error as NodeJS.ErrnoException
  return code === 'ECONNREFUSED' ? 'refuses connections' : `failed (${message})`
}

async function readConfiguration(gateway: GatewayAddress, secret: string): Promise<Running> {
  const { status, etag, text } = await call(gateway, secret, '/configuration')
  if (status !== 200) throw down(gateway, `answered ${status}`)
  return { text, etag }
}

/** A gateway that is read and written over its admin API, and runs exactly what is written. */
export const adminApi = (gateway: GatewayAddress, secret: string): Adapter => ({
  read: () => readConfiguration(gateway, secret),
  understand: (text) => ({ resources: readResources(text), passedOver: [] }),
  asRead: (resources) => [...resources],
  write: ({ resources }, etag) =>
    writeConfiguration(gateway, secret, writeResources(resources), etag),
})

/** Replaces the configuration, if it is still the one that was read; the gateway takes it whole or not at all. */
async function writeConfiguration(
  gateway: GatewayAddress,
  secret: string,
  body: string,
  etag: string,
): Promise<Written> {
  const answer = await call(gateway, secret, '/configuration', { body, etag })
  if (answer.status === 200) return { taken: true, text: body }
  if (answer.status === 412) return changedInBetween
  if (answer.status === 422) {
    const { detail } = JSON.parse(answer.text) as { detail?: string }
    throw new Failure(
      422,
      'The gateway refused the configuration',
      `${detail ?? 'It gave no reason'}. What ran before runs on.`,
    )
  }
  throw down(gateway, `answered ${answer.status}`)
}

/** What the gateway logged of one request, if it still knows. */
export async function readLogEntry(
  gateway: GatewayAddress,
  secret: string,
  id: string,
): Promise<unknown> {
  const { status, text } = await call(gateway, secret, `/log/${encodeURIComponent(id)}`)
  return status === 200 ? JSON.parse(text) : undefined
}

/** Where it listens; undefined where it is too old to say. */
export async function readListeners(
  gateway: GatewayAddress,
  secret: string,
): Promise<KeptListeners | undefined> {
  const { status, text } = await call(gateway, secret, '/listeners')
  return status === 200 ? (JSON.parse(text) as KeptListeners) : undefined
}

/** How its targets are. */
export interface TargetState {
  url: string
  state: 'healthy' | 'unhealthy' | 'resting'
  trouble: string
}

export async function readHealth(gateway: GatewayAddress, secret: string): Promise<TargetState[]> {
  const { status, text } = await call(gateway, secret, '/health')
  if (status !== 200) throw down(gateway, `answered ${status}`)
  return JSON.parse(text) as TargetState[]
}

/** What one gateway has counted of a quota: whose, in which day or month, and how many. */
export interface QuotaCount {
  who: string
  period: string
  own: number
}

/** What a gateway has counted in days and months that have not ended. */
export async function readQuotas(gateway: GatewayAddress, secret: string): Promise<QuotaCount[]> {
  const { status, text } = await call(gateway, secret, '/quotas')
  if (status !== 200) throw down(gateway, `answered ${status}`)
  return JSON.parse(text) as QuotaCount[]
}

/** Tells a gateway what the others of its group have counted. */
export async function tellQuotas(
  gateway: GatewayAddress,
  secret: string,
  others: { who: string; period: string; taken: number }[],
): Promise<void> {
  const { status } = await call(gateway, secret, '/quotas', { body: JSON.stringify(others) })
  if (status !== 200) throw down(gateway, `answered ${status}`)
}

/** Events of a gateway that were not counted yet. */
export interface EventBatch {
  journal: string
  events: TrafficEvent[]
  /** The number of the last that was told, whether it could be read or not; 0 where there was none. */
  upTo: number
}

/**
 * The next events after those that were counted, or behind a batch that is not counted yet; what is none of them is passed over, as
 * its number tells.
 */
export async function takeEvents(
  gateway: GatewayAddress,
  secret: string,
  counted: { journal: string; seq: number } | undefined,
  before?: EventBatch,
): Promise<EventBatch> {
  const query = new URLSearchParams()
  const journalOf = before?.journal ?? counted?.journal
  if (journalOf !== undefined) query.set('journal', journalOf)
  if (counted && counted.journal === journalOf) query.set('after', String(counted.seq))
  if (before) query.set('seen', String(before.upTo))
  const { status, text } = await call(gateway, secret, `/events?${query.toString()}`)
  if (status !== 200) throw down(gateway, `answered ${status}`)
  const { journal, events } = JSON.parse(text) as { journal: string; events: unknown[] }
  const last = events.at(-1)
  const upTo = isObject(last) && typeof last['seq'] === 'number' ? last['seq'] : 0
  return { journal, events: events.flatMap((event) => readEvent(event) ?? []), upTo }
}
