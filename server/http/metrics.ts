import {
  defineEventHandler,
  getRequestHeader,
  getRequestIP,
  setResponseHeader,
  setResponseStatus,
} from 'h3'
import { sql } from 'drizzle-orm'
import { collectDefaultMetrics, Gauge, Histogram, Registry } from 'prom-client'
import type { Queries } from '../db/database'
import { drift, eventCursors, gateways, rollouts } from '../db/schema'
import { isSecret } from '../services/sealing'
import { isOpenDrift } from '../services/sites'
import { isLoopback } from '../../core/runtime/backend-address'
import type { Serving } from './router'

/** What this process tells of itself (Prometheus text format, OpenMetrics names). */
export const registry = new Registry()
collectDefaultMetrics({ register: registry })

const durations = new Histogram({
  name: 'elm_http_request_duration_seconds',
  help: 'How long operations of the API took.',
  labelNames: ['operation', 'status'],
  buckets: [0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 10],
  registers: [registry],
})

/** Notes that an operation was answered. */
export const noteAnswer = (operation: string, status: number, seconds: number) =>
  durations.observe({ operation, status: `${Math.floor(status / 100)}xx` }, seconds)

const gauge = (name: string, help: string, label?: string) =>
  new Gauge({ name, help, labelNames: label ? [label] : [], registers: [registry] })

const openDrift = gauge('elm_drift_open', 'Differences that count.', 'account')
const running = gauge('elm_rollouts_unfinished', 'Rollouts that have not ended.')
const unread = gauge('elm_gateway_reading_age_seconds', 'Since a gateway was read.', 'gateway')
const counted = gauge('elm_events_counted', 'The last event that was counted.', 'gateway')
const lost = gauge('elm_events_lost', 'Events that were lost before they were counted.', 'gateway')

/** What the store knows, whichever process is asked. */
async function collect(db: Queries, now: Date): Promise<void> {
  const [accounts, unfinished, readings, cursors] = await Promise.all([
    db
      .select({ account: drift.account, count: sql<number>`count(*)::int` })
      .from(drift)
      .where(isOpenDrift)
      .groupBy(drift.account),
    db.$count(rollouts, sql`${rollouts.endedAt} is null`),
    db.select({ name: gateways.name, seenAt: gateways.seenAt }).from(gateways),
    db.select().from(eventCursors),
  ])
  for (const one of [openDrift, unread, counted, lost]) one.reset()
  for (const { account, count } of accounts) openDrift.set({ account }, count)
  running.set(unfinished)
  for (const { name, seenAt } of readings)
    if (seenAt) unread.set({ gateway: name }, (now.getTime() - seenAt.getTime()) / 1000)
  for (const { gateway, seq, lost: gone } of cursors) {
    counted.set({ gateway }, seq)
    lost.set({ gateway }, gone)
  }
}

/** Figures for whoever watches the installation: from the machine itself, or with the token that was set for it. */
export const metricsHandler = (serving: () => Promise<Serving>, token: string) =>
  defineEventHandler(async (event) => {
    const given = /^Bearer (.+)$/.exec(getRequestHeader(event, 'authorization') ?? '')?.[1]
    const isNear =
      isLoopback(getRequestIP(event) ?? '') && !getRequestHeader(event, 'x-forwarded-for')
    const hasToken = given !== undefined && isSecret(given, token)
    if (!hasToken && !(token === '' && isNear)) {
      setResponseStatus(event, 401)
      setResponseHeader(event, 'WWW-Authenticate', 'Bearer')
      return 'ELM_METRICS_TOKEN is asked for, as a bearer token.\n'
    }
    const { services } = await serving()
    await collect(services.db, services.now())
    setResponseHeader(event, 'Content-Type', registry.contentType)
    return registry.metrics()
  })
