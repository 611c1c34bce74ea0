import { isEmail } from 'class-validator'
import { eq, isNull, sql } from 'drizzle-orm'
import { dayIn, hourInWeek } from '../../core/pipeline/hours'
import { count } from '../../core/text/counted'
import { isTimeZone } from '../../core/text/time-zone'
import type { Fault } from '../../shared/api/problem'
import type {
  IssuedNotification,
  NotificationChange,
  NotificationItem,
  TaskItem,
} from '../../shared/api/tasks'
import { taskKinds } from '../../shared/words'
import { apis, notices, notifications, people } from '../db/schema'
import type { Transaction } from '../db/database'
import { personColumns } from '../db/names'
import { noticesTo, requireRested, webhookFault } from './notices'
import { actAs, type Context, type Services } from './context'
import { conflict, invalid } from './failure'
import { announce } from './ledger'
import { toActor } from './people'
import { judgeWaiting, type WaitingRequest } from './promotion-gates'
import { seal } from './sealing'
import { tasksOf } from './tasks'
import { newWebhookSecret } from './webhooks'

type Row = typeof notifications.$inferSelect

/** Nobody is told of anything until they say how. */
const usual: NotificationItem = {
  ...{ mail: '', webhook: '', kinds: [...taskKinds], when: 'at-once', hour: 8, timeZone: 'UTC' },
  trouble: '',
}

/** How whoever asks is told of what waits for them. */
export async function readNotifications({ db, actor }: Context): Promise<NotificationItem> {
  const [row] = await db.select().from(notifications).where(eq(notifications.personId, actor.id))
  if (!row) return usual
  const { mail, webhook, kinds, when, hour, timeZone } = row
  const [last] = await db
    .select({ at: notices.at, trouble: notices.trouble })
    .from(notices)
    .where(eq(notices.personId, actor.id))
    .orderBy(sql`${notices.id} desc`)
    .limit(1)
  return {
    ...{ mail, webhook, kinds, when, hour, timeZone },
    ...(last && { toldAt: last.at.toISOString() }),
    trouble: last?.trouble ?? '',
  }
}

/** Says how whoever asks is told. What waits already is not told again. */
export async function changeNotifications(
  context: Context,
  change: NotificationChange,
): Promise<IssuedNotification> {
  const { db, actor } = context
  const { webhook, kinds, when, hour, timeZone } = change
  const mail = change.mail.trim()
  const faults: Fault[] = []
  if (mail !== '' && !isEmail(mail))
    faults.push({ field: 'mail', message: `${mail} is no mail address` })
  const wrong = webhookFault(webhook)
  if (wrong !== undefined) faults.push({ field: 'webhook', message: wrong })
  if (!isTimeZone(timeZone))
    faults.push({ field: 'timeZone', message: `${timeZone} is no time zone` })
  if (faults.length > 0) throw invalid(faults)
  const told = (await tasksOf(context, await judgeWaiting(context))).map(({ task }) => task)
  const secret = await db.transaction(async (tx) => {
    const own = eq(notifications.personId, actor.id)
    const [before] = await tx.select().from(notifications).where(own).for('update')
    const fresh = webhook !== '' && webhook !== before?.webhook ? newWebhookSecret() : undefined
    const values = {
      ...{ mail, webhook, kinds, when, hour, timeZone, told },
      sealedSecret:
        fresh === undefined ? (before?.sealedSecret ?? '') : seal(context.secret, fresh),
    }
    await tx
      .insert(notifications)
      .values({ personId: actor.id, ...values })
      .onConflictDoUpdate({ target: notifications.personId, set: values })
    return fresh
  })
  return { ...(await readNotifications(context)), ...(secret !== undefined && { secret }) }
}

/** Tells whoever asks, by all that they set, that this is a test. */
export async function testNotifications(context: Context): Promise<NotificationItem> {
  const { db, actor, now } = context
  await db.transaction(async (tx) => {
    const own = eq(notifications.personId, actor.id)
    const [row] = await tx.select().from(notifications).where(own).for('update')
    if (!row || (row.mail === '' && row.webhook === ''))
      throw conflict('Set a mail address or a webhook first.')
    await requireRested(tx, eq(notices.personId, actor.id), now())
    await write(tx, row, {
      ...{ event: 'test', at: now(), data: {} },
      title: 'What waits for you',
      says: 'You try whether this arrives.',
    })
  })
  return readNotifications(context)
}

/** Tells everybody who wants to know what has come to wait for them since they were told last. */
export async function tellTasks(services: Services): Promise<void> {
  const { db } = services
  const rows = await db
    .select({ row: notifications, person: personColumns })
    .from(notifications)
    .innerJoin(people, eq(people.id, notifications.personId))
    .where(isNull(people.endedAt))
  const wanted = rows.filter(
    ({ row }) => (row.mail !== '' || row.webhook !== '') && isTime(row, services.now()),
  )
  if (wanted.length === 0) return
  const waiting = await judgeWaiting(services)
  let told = false
  for (const { row, person } of wanted) {
    const context = actAs(services, toActor(person))
    told = (await tellOne(context, row, await visibleIn(context, waiting))) || told
  }
  if (told) await announce(db, 'task')
}

/** Whether somebody is told now: at any time, or from an hour of the day on, once. */
function isTime({ when, hour, timeZone, toldOn }: Row, now: Date): boolean {
  if (when === 'at-once') return true
  const at = now.getTime()
  return hourInWeek(timeZone, at).hour >= hour && dayIn(timeZone, at) !== toldOn
}

/** Requests of APIs that somebody may see. */
async function visibleIn({ db }: Context, waiting: readonly WaitingRequest[]) {
  const visible = new Set((await db.select({ id: apis.id }).from(apis)).map(({ id }) => id))
  return waiting.filter(({ row }) => visible.has(row.apiId))
}

/** Tells one person; of two workers that come to it at once, one does. */
async function tellOne(
  context: Context,
  seen: Row,
  waiting: readonly WaitingRequest[],
): Promise<boolean> {
  const all = await tasksOf(context, waiting)
  return context.db.transaction(async (tx) => {
    const own = eq(notifications.personId, seen.personId)
    const [row] = await tx.select().from(notifications).where(own).for('update')
    if (!row || !isTime(row, context.now())) return false
    const known = new Set(row.told)
    const tasks = all.filter(
      ({ task, kind }) => row.kinds.includes(kind) && (row.when === 'daily' || !known.has(task)),
    )
    const at = context.now()
    await tx
      .update(notifications)
      .set({ told: all.map(({ task }) => task), toldOn: dayIn(row.timeZone, at.getTime()) })
      .where(own)
    if (tasks.length === 0) return false
    await write(tx, row, {
      ...{ event: 'waiting', at, data: { tasks } },
      title: `${count(tasks.length, 'thing waits', 'things wait')} for you`,
      says: tasks.map(lineOf).join('\n'),
    })
    return true
  })
}

const write = (
  tx: Transaction,
  { personId, mail, webhook }: Row,
  notice: Pick<typeof notices.$inferInsert, 'event' | 'at' | 'title' | 'says' | 'data'> & {
    at: Date
  },
) =>
  tx
    .insert(notices)
    .values(
      noticesTo({ mails: mail === '' ? [] : [mail], webhook }, { ...notice, personId }, notice.at),
    )

const lineOf = ({ title, says, due }: TaskItem) =>
  `${title}${due === undefined ? '' : ` (by ${due})`}\n  ${says.replace(/\s+/g, ' ')}\n`
