import { and, asc, eq, isNull, lte, sql } from 'drizzle-orm'
import { createTransport } from 'nodemailer'
import { errorText } from '../../core/text/values'
import { alerts, notices, settings } from '../db/schema'
import type { AlertRow } from './alerts'
import type { Services } from './context'
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
    const [row] = await db.select().from(alerts).where(eq(alerts.id, notice.alertId))
    if (!row) continue
    const trouble = await deliver(services, row, notice).catch((error: unknown) => errorText(error))
    await db
      .update(notices)
      .set(outcomeOf(notice, trouble, now()))
      .where(eq(notices.id, notice.id))
  }
  await announce(db, 'alert')
}

function outcomeOf({ tries }: Notice, trouble: string | undefined, at: Date) {
  if (trouble === undefined) return { sentAt: at, trouble: '' }
  const said = { trouble: trouble.slice(0, 1000) }
  if (tries >= mostTries) return { ...said, failedAt: at }
  return { ...said, dueAt: new Date(at.getTime() + 30_000 * 2 ** tries) }
}

/** Less than the lease, for all that are taken at once; in milliseconds. */
const mailTimeouts = { connectionTimeout: 10_000, greetingTimeout: 10_000, socketTimeout: 15_000 }

const titles = { began: 'Alert', ended: 'Over', test: 'Test' } as const

/** Delivers one notice; why it could not be, where it could not. */
async function deliver(
  services: Services,
  row: AlertRow,
  notice: Notice,
): Promise<string | undefined> {
  return notice.channel === 'mail'
    ? sendMail(services, row, notice)
    : callWebhook(services, row, notice)
}

async function sendMail(
  { db, mail }: Services,
  { title }: AlertRow,
  { event, says, recipient, at, id }: Notice,
): Promise<string | undefined> {
  if (mail.server === '') return 'No mail server is set (ELM_SMTP_URL).'
  const [house] = await db.select().from(settings)
  const address = house?.publicAddress ?? ''
  const transport = createTransport({ url: mail.server, ...mailTimeouts }, { from: mail.from })
  try {
    await transport.sendMail({
      to: recipient,
      // Line breaks in a header would be another header; the package folds them.
      subject: `${titles[event]}: ${title}`.replace(/\s+/g, ' '),
      messageId: `<notice-${id}@elm-ledger>`,
      date: at,
      text: `${says}.\n\n${address === '' ? '' : `${address}/traffic/alerts\n\n`}${house?.organisation ?? ''}, Elm Ledger\n`,
    })
    return undefined
  } finally {
    transport.close()
  }
}

async function callWebhook(
  { secret, allowedTargets }: Services,
  row: AlertRow,
  { id, event, says, recipient, at }: Notice,
): Promise<string | undefined> {
  const body = JSON.stringify({
    type: `alert.${event}`,
    timestamp: at.toISOString(),
    data: { alert: row.id, title: row.title, kind: row.kind, says },
  })
  const [name, time] = [`notice-${id}`, String(Math.floor(Date.now() / 1000))]
  const signature = signatureOf(unseal(secret, row.sealedSecret), name, time, body)
  const status = await guardedPost(recipient, allowedTargets, body, {
    'content-type': 'application/json',
    'webhook-id': name,
    'webhook-timestamp': time,
    'webhook-signature': `v1,${signature}`,
  })
  return status >= 200 && status < 300 ? undefined : `It answered ${status}.`
}
