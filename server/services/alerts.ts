import { isEmail } from 'class-validator'
import { asc, desc, eq, sql } from 'drizzle-orm'
import { isTimeZone } from '../../core/text/time-zone'
import { alertKind } from '../../core/traffic/alerts'
import type { PageQuery } from '../../shared/api/catalog'
import type { AlertChange, AlertItem, IssuedAlert, NoticeItem } from '../../shared/api/alerts'
import type { Fault } from '../../shared/api/problem'
import type { Queries, Transaction } from '../db/database'
import { displayName } from '../db/names'
import { alerts, apis, gateways, notices, stages } from '../db/schema'
import { findApi, type ApiRow } from './catalog'
import type { Actor, Context } from './context'
import { invalid, notFound } from './failure'
import { record } from './ledger'
import { noticesTo, requireRested, webhookFault } from './notices'
import { pageFrom, type Page } from './paging'
import { requirePermission } from './permissions'
import { seal } from './sealing'
import { newWebhookSecret } from './webhooks'

export type AlertRow = typeof alerts.$inferSelect

const columns = {
  row: alerts,
  api: sql<string | null>`${apis.slug}`,
  by: sql<string>`${displayName(alerts.setById)}`,
}

/** Alerts, those where something is wrong first. */
export async function listAlerts({ db }: Context, query: PageQuery): Promise<Page<AlertItem>> {
  const rows = await db
    .select(columns)
    .from(alerts)
    .leftJoin(apis, eq(apis.id, alerts.apiId))
    .orderBy(sql`${alerts.beganAt} is null`, asc(alerts.title), asc(alerts.id))
  const page = pageFrom(rows, query)
  const items: AlertItem[] = []
  for (const shown of page.items) items.push(await toItem(db, shown))
  return { ...page, items }
}

async function toItem(
  db: Queries,
  { row, api, by }: { row: AlertRow; api: string | null; by: string },
): Promise<AlertItem> {
  const told = await db
    .select()
    .from(notices)
    .where(eq(notices.alertId, row.id))
    .orderBy(desc(notices.id))
    .limit(10)
  return {
    alert: row.id,
    title: row.title,
    kind: row.kind,
    threshold: row.threshold,
    minutes: row.minutes,
    ...(api !== null && { api }),
    ...(row.stage !== '' && { stage: row.stage }),
    ...(row.gateway !== '' && { gateway: row.gateway }),
    mails: row.mails,
    webhook: row.webhook,
    ...(row.quiet && { quiet: row.quiet }),
    ...(row.until !== null && { until: row.until }),
    ...(row.beganAt && { beganAt: row.beganAt.toISOString() }),
    says: row.says,
    ...(row.checkedAt && { checkedAt: row.checkedAt.toISOString() }),
    setBy: by,
    notices: told.map(
      ({ at, event, says, channel, recipient, sentAt, failedAt, trouble }): NoticeItem => ({
        ...{ at: at.toISOString(), event, says, channel, recipient, trouble },
        ...(sentAt && { sentAt: sentAt.toISOString() }),
        failed: failedAt !== null,
      }),
    ),
  }
}

async function findAlert(db: Queries, id: number) {
  const [shown] = await db
    .select(columns)
    .from(alerts)
    .leftJoin(apis, eq(apis.id, alerts.apiId))
    .where(eq(alerts.id, id))
  if (!shown) throw notFound(`alert ${id}`)
  return shown
}

/** What a change comes to, or everything at fault in it. */
async function valuesOf(context: Context, change: AlertChange) {
  const { db, actor, now } = context
  const api: ApiRow | undefined = change.api ? await findApi(db, change.api) : undefined
  requireAlerts(actor, api?.team)
  const faults: Fault[] = []
  const { title, kind, threshold, minutes, stage = '', gateway = '', webhook, quiet } = change
  const { least, most, unit } = alertKind[kind]
  if (threshold < least || threshold > most)
    faults.push({ field: 'threshold', message: `From ${least} to ${most} ${unit}` })
  const mails = [...new Set(change.mails.map((mail) => mail.trim()).filter(Boolean))]
  for (const mail of mails)
    if (!isEmail(mail)) faults.push({ field: 'mails', message: `${mail} is no mail address` })
  if (mails.length === 0 && webhook === '')
    faults.push({ field: 'mails', message: 'Say whom it tells: by mail, by a webhook, or both' })
  const wrong = webhookFault(webhook)
  if (wrong !== undefined) faults.push({ field: 'webhook', message: wrong })
  if (quiet && !isTimeZone(quiet.timeZone))
    faults.push({ field: 'quiet.timeZone', message: `${quiet.timeZone} is no time zone` })
  if (stage !== '' && (await db.$count(stages, eq(stages.name, stage))) === 0)
    faults.push({ field: 'stage', message: `There is no stage called ${stage}` })
  if (gateway !== '' && (await db.$count(gateways, eq(gateways.name, gateway))) === 0)
    faults.push({ field: 'gateway', message: `There is no gateway called ${gateway}` })
  if (faults.length > 0) throw invalid(faults)
  return {
    ...{ title: title.trim(), kind, threshold, minutes, stage, gateway, mails, webhook },
    apiId: api?.id ?? null,
    quiet: quiet ? { from: quiet.from, to: quiet.to, timeZone: quiet.timeZone } : null,
    until: change.until ?? null,
    setById: actor.id,
    setAt: now(),
  }
}

/** What the ledger says of an alert: whom it tells is nobody else's business. */
const said = ({ title, kind, threshold, minutes, stage, gateway }: AlertRow) => ({
  ...{ title, kind, threshold, minutes, stage, gateway },
})

export async function createAlert(context: Context, change: AlertChange): Promise<IssuedAlert> {
  const values = await valuesOf(context, change)
  const secret = newWebhookSecret()
  const id = await context.db.transaction(async (tx) => {
    const [row] = await tx
      .insert(alerts)
      .values({ ...values, sealedSecret: seal(context.secret, secret) })
      .returning()
    await tell(tx, context, 'alert.set', row!, { after: said(row!) })
    return row!.id
  })
  const item = await toItem(context.db, await findAlert(context.db, id))
  return { ...item, ...(values.webhook !== '' && { secret }) }
}

/** Changes an alert; it begins anew with what it watches for. */
export async function updateAlert(
  context: Context,
  id: number,
  change: AlertChange,
): Promise<AlertItem> {
  await requireOwn(context, id)
  const values = await valuesOf(context, change)
  await context.db.transaction(async (tx) => {
    const before = await lockAlert(tx, id)
    const [row] = await tx
      .update(alerts)
      .set({ ...values, beganAt: null, says: '', checkedAt: null })
      .where(eq(alerts.id, id))
      .returning()
    await tell(tx, context, 'alert.set', row!, { before: said(before), after: said(row!) })
  })
  return toItem(context.db, await findAlert(context.db, id))
}

export async function removeAlert(context: Context, id: number): Promise<void> {
  await requireOwn(context, id)
  await context.db.transaction(async (tx) => {
    const row = await lockAlert(tx, id)
    await tx.delete(alerts).where(eq(alerts.id, id))
    await tell(tx, context, 'alert.removed', row, { before: said(row) })
  })
}

/** Tells everybody of an alert that it is one, as it would tell them if something were wrong. */
export async function testAlert(context: Context, id: number): Promise<AlertItem> {
  await requireOwn(context, id)
  const { db, actor, now } = context
  await db.transaction(async (tx) => {
    const row = await lockAlert(tx, id)
    await requireRested(tx, eq(notices.alertId, id), now())
    await writeNotices(tx, row, 'test', `${actor.displayName} tries whether this arrives`, now())
  })
  return toItem(db, await findAlert(db, id))
}

/** An owner's alerts are those of their team's APIs. */
async function requireOwn(context: Context, id: number): Promise<void> {
  const { api } = await findAlert(context.db, id)
  requireAlerts(context.actor, api === null ? undefined : (await findApi(context.db, api)).team)
}

const requireAlerts = (actor: Actor, team: string | undefined) =>
  team === undefined
    ? requirePermission(actor, 'alertAll')
    : requirePermission(actor, 'alert', team)

async function lockAlert(tx: Transaction, id: number): Promise<AlertRow> {
  const [row] = await tx.select().from(alerts).where(eq(alerts.id, id)).for('update')
  if (!row) throw notFound(`alert ${id}`)
  return row
}

const tell = (
  tx: Transaction,
  context: Context,
  action: 'alert.set' | 'alert.removed',
  row: AlertRow,
  values: { before?: object; after?: object },
) => record(tx, context, { action, api: row.apiId, subject: `alert ${row.id}`, ...values })

/** Writes what everybody is to be told; after quiet hours where it is `quiet` for so many minutes. */
export async function writeNotices(
  tx: Transaction,
  { id, title, kind, mails, webhook }: AlertRow,
  event: NoticeItem['event'],
  says: string,
  at: Date,
  quietMinutes = 0,
): Promise<void> {
  const dueAt = new Date(at.getTime() + quietMinutes * 60_000)
  const notice = { alertId: id, event, at, title, says, data: { alert: id, title, kind } }
  const told = noticesTo({ mails, webhook }, notice, dueAt)
  if (told.length > 0) await tx.insert(notices).values(told)
}
