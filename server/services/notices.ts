import { and, asc, eq, gt, isNull, lte, sql, type SQL } from 'drizzle-orm'
import { createTransport } from 'nodemailer'
import { errorText } from '../../core/text/values'
import type { Transaction } from '../db/database'
import { alerts, notices, notifications, settings } from '../db/schema'
import type { Services } from './context'
import { conflict } from './failure'
import { guardedPost } from './guard'
import { announce } from './ledger'
import { unseal } from './sealing'
import { signatureOf } from './webhooks'

type Notice = typeof notices.$inferSelect

/** Tried so often, each time after a longer while; then it is given up. */
const mostTries = 8
/** Whoever takes a notice has it for so long; a process that dies leaves it to the next. In milliseconds. */
const leaseMs = 120_000
const atOnce = 3

/** A notice for everybody who is told: by mail, and by a webhook where it is not empty. */
export function noticesTo(
  { mails, webhook }: { mails: readonly string[]; webhook: string },
  notice: Pick<
    typeof notices.$inferInsert,
    'alertId' | 'personId' | 'announcementId' | 'event' | 'at' | 'title' | 'says' | 'data'
  >,
  dueAt: Date,
): (typeof notices.$inferInsert)[] {
  const to = [
    ...mails.map((recipient) => ({ channel: 'mail' as const, recipient })),
    ...(webhook === '' ? [] : [{ channel: 'webhook' as const, recipient: webhook }]),
  ]
  return to.map((one) => ({ ...notice, ...one, dueAt }))
}

/** Refuses a test of somebody's notices a moment after another one. */
export async function requireRested(tx: Transaction, whose: SQL, now: Date): Promise<void> {
  const since = new Date(now.getTime() - 10_000)
  const recent = and(whose, eq(notices.event, 'test'), gt(notices.at, since))
  if ((await tx.$count(notices, recent)) > 0)
    throw conflict('It was tested a moment ago. Wait ten seconds.')
}

/** Why an address is none that can be told; undefined where it can, or is empty. */
export function webhookFault(webhook: string): string | undefined {
  if (webhook === '') return undefined
  const address = URL.parse(webhook)
  if (!address || !/^https?:$/.test(address.protocol))
    return 'A webhook is an http or https address'
  return address.username || address.password
    ? 'A webhook has no name or password in its address'
    : undefined
}

/**
 * Delivers what is due. A notice is taken before it is sent and marked after it: nothing is lost when a process dies in
 * between, and what was sent just then is sent again under the same identifier.
 */
export async function deliverNotices(services: Services): Promise<void> {
  const { db, now } = services
  const taken = await db
    .update(notices)
    .set({ dueAt: new Date(now().getTime() + leaseMs), tries: sql`${notices.tries} + 1` })
    .where(
      sql`${notices.id} in (select id from ${notices} where ${and(
        lte(notices.dueAt, now()),
        isNull(notices.sentAt),
        isNull(notices.failedAt),
      )} order by ${asc(notices.id)} limit ${atOnce} for update skip locked)`,
    )
    .returning()
  if (taken.length === 0) return
  for (const notice of taken.sort((a, b) => a.id - b.id)) {
    const trouble = await deliver(services, notice).catch((error: unknown) => errorText(error))
    await db
      .update(notices)
      .set(outcomeOf(notice, trouble, now()))
      .where(eq(notices.id, notice.id))
  }
  for (const topic of new Set(taken.map(topicOf))) await announce(db, topic)
}

const topicOf = ({ alertId, announcementId }: Notice) =>
  announcementId !== null ? 'announcement' : alertId === null ? 'task' : 'alert'

function outcomeOf({ tries }: Notice, trouble: string | undefined, at: Date) {
  if (trouble === undefined) return { sentAt: at, trouble: '' }
  const said = { trouble: trouble.slice(0, 1000) }
  if (tries >= mostTries) return { ...said, failedAt: at }
  return { ...said, dueAt: new Date(at.getTime() + 30_000 * 2 ** tries) }
}

/** Less than the lease, for all that are taken at once; in milliseconds. */
const mailTimeouts = { connectionTimeout: 10_000, greetingTimeout: 10_000, socketTimeout: 15_000 }

/** How the subject of a mail begins, what a webhook calls it, and where it is seen. */
const told = (event: Notice['event'], isAlert: boolean) =>
  ({
    began: { begins: 'Alert: ', type: 'alert.began' },
    ended: { begins: 'Over: ', type: 'alert.ended' },
    test: { begins: 'Test: ', type: isAlert ? 'alert.test' : 'tasks.test' },
    waiting: { begins: '', type: 'tasks.waiting' },
    announced: { begins: '', type: 'announcement' },
  })[event]

/** Delivers one notice; why it could not be, where it could not. */
const deliver = (services: Services, notice: Notice): Promise<string | undefined> =>
  notice.channel === 'mail' ? sendMail(services, notice) : callWebhook(services, notice)

async function sendMail(
  { db, mail }: Services,
  { alertId, announcementId, event, title, says, recipient, at, id }: Notice,
): Promise<string | undefined> {
  if (mail.server === '') return 'No mail server is set (ELM_SMTP_URL).'
  const [house] = await db.select().from(settings)
  const address = house?.publicAddress ?? ''
  // Callers do not sign in here: their mail leads to no page of it.
  const page = alertId === null ? '/tasks' : '/traffic/alerts'
  const link = address === '' || announcementId !== null ? '' : `${address}${page}\n\n`
  const transport = createTransport({ url: mail.server, ...mailTimeouts }, { from: mail.from })
  try {
    await transport.sendMail({
      to: recipient,
      // Line breaks in a header would be another header; the package folds them.
      subject: `${told(event, alertId !== null).begins}${title}`.replace(/\s+/g, ' '),
      messageId: `<notice-${id}@elm-ledger>`,
      date: at,
      text: `${alertId === null ? says : `${says}.`}\n\n${link}${house?.organisation ?? ''}, Elm Ledger\n`,
    })
    return undefined
  } finally {
    transport.close()
  }
}

async function callWebhook(services: Services, notice: Notice): Promise<string | undefined> {
  const { id, alertId, event, says, recipient, at, data } = notice
  const sealed = await sealedSecretOf(services, notice)
  if (sealed === undefined) return 'Nobody is told of this any more.'
  const body = JSON.stringify({
    type: told(event, alertId !== null).type,
    timestamp: at.toISOString(),
    data: { ...data, says },
  })
  const [name, time] = [`notice-${id}`, String(Math.floor(Date.now() / 1000))]
  const signature = signatureOf(unseal(services.secret, sealed), name, time, body)
  const status = await guardedPost(recipient, services.allowedTargets, body, {
    'content-type': 'application/json',
    'webhook-id': name,
    'webhook-timestamp': time,
    'webhook-signature': `v1,${signature}`,
  })
  return status >= 200 && status < 300 ? undefined : `It answered ${status}.`
}

/** What the webhook of a notice is signed with; undefined where there is none any more. */
async function sealedSecretOf(
  { db }: Services,
  { alertId, personId }: Notice,
): Promise<string | undefined> {
  const secrets =
    alertId === null
      ? await db
          .select({ sealed: notifications.sealedSecret })
          .from(notifications)
          .where(eq(notifications.personId, personId!))
      : await db.select({ sealed: alerts.sealedSecret }).from(alerts).where(eq(alerts.id, alertId))
  return secrets[0]?.sealed
}
