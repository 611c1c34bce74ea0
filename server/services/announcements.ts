import { isEmail } from 'class-validator'
import { and, desc, eq, gt, inArray, ne, sql } from 'drizzle-orm'
import { callerName } from '../../core/pipeline/affected'
import { stageAfter } from '../../core/pipeline/pipeline'
import { listed } from '../../core/text/counted'
import { periodAt } from '../../core/traffic/periods'
import type { AnnouncementItem, AnnouncementRequest, CallerItem } from '../../shared/api/endings'
import type { PageQuery } from '../../shared/api/catalog'
import { probeClient } from '../../shared/words'
import type { Queries } from '../db/database'
import { displayName } from '../db/names'
import { announcements, keys, notices, placements, promotions } from '../db/schema'
import { affectedBy, byClient, callsOf } from './affected'
import { apiOf, findPlacement } from './apply'
import type { Context } from './context'
import { conflict, invalid, notFound } from './failure'
import { record } from './ledger'
import { noticesTo } from './notices'
import { pageFrom, type Page } from './paging'
import { requirePermission } from './permissions'
import { Pipelines } from './pipelines'
import { planOf, type PromotionRow } from './promotion-plans'

/** Where no gate says for how long, whoever called in so many days is a caller. */
const usualDays = 30
const mostCallers = 1000

/** What announcements are about: a request, or what stands somewhere. */
type About = { promotion: number } | { placement: string }

const isAbout = (about: About) =>
  'promotion' in about
    ? eq(announcements.promotionId, about.promotion)
    : eq(announcements.placementId, about.placement)

type Called = Omit<CallerItem, 'contact' | 'told'>

/** Who called a placement in thirty days, and every key that could: with where they are told, and whether they were. */
export async function placementCallers(
  { db, now }: Context,
  id: string,
  query: PageQuery,
): Promise<Page<CallerItem>> {
  await findPlacement(db, id)
  const callers = await calledAt(db, id, now())
  return pageFrom(await withContacts(db, callers, { placement: id }), query, mostCallers)
}

async function calledAt(db: Queries, id: string, at: Date): Promise<Called[]> {
  const [called, issued] = await Promise.all([
    callsOf(db, [id], periodAt('30d', at.getTime())),
    db
      .select({ name: keys.name })
      .from(keys)
      .where(and(eq(keys.placementId, id), ne(keys.name, probeClient))),
  ])
  const callers = byClient(called)
  const silent = issued.filter(({ name }) => callers.every(({ client }) => client !== name))
  return [
    ...callers,
    ...silent.map(({ name }) => ({ client: name, calls: 0, operations: [], placements: [id] })),
  ]
}

/** Who calls what a waiting promotion breaks or takes away. */
export async function promotionCallers(
  { db, now }: Context,
  id: number,
  query: PageQuery,
): Promise<Page<CallerItem>> {
  const [row] = await db.select().from(promotions).where(eq(promotions.id, id))
  if (!row) throw notFound(`promotion ${id}`)
  const callers = await affectedIn(db, row, now())
  return pageFrom(await withContacts(db, callers, { promotion: id }), query, mostCallers)
}

async function affectedIn(db: Queries, row: PromotionRow, at: Date): Promise<Called[]> {
  if (row.state !== 'waiting' || row.kind !== 'promotion') return []
  const plan = await planOf(db, row)
  const { content } = (await Pipelines.read(db)).for(plan.api)
  const days = stageAfter(content, row.fromStage)?.gates.callers?.days ?? usualDays
  const found = await affectedBy(db, row, plan, { days, at })
  return found.map(({ told: _, operations, ...caller }) => ({
    ...caller,
    operations: [...operations],
  }))
}

async function withContacts(
  db: Queries,
  callers: readonly Called[],
  about: About,
): Promise<CallerItem[]> {
  const placed = callers.flatMap((caller) => caller.placements)
  const [contacts, given] = await Promise.all([
    db
      .select({ placement: keys.placementId, name: keys.name, contact: keys.contact })
      .from(keys)
      .where(inArray(keys.placementId, placed)),
    db
      .select({
        client: announcements.client,
        how: announcements.how,
        at: announcements.at,
        by: sql<string>`${displayName(announcements.byId)}`,
        sentAt: notices.sentAt,
        failedAt: notices.failedAt,
        trouble: notices.trouble,
      })
      .from(announcements)
      .leftJoin(notices, eq(notices.announcementId, announcements.id))
      .where(isAbout(about))
      .orderBy(desc(announcements.id)),
  ])
  return callers
    .map((caller): CallerItem => {
      const told = given.find(({ client }) => client === caller.client)
      const known = contacts.find(
        ({ name, placement, contact }) =>
          name === caller.client && contact !== '' && caller.placements.includes(placement),
      )
      return {
        ...caller,
        contact: known?.contact ?? '',
        ...(told && {
          told: {
            ...{ at: told.at.toISOString(), by: told.by, how: told.how },
            state: stateOf(told),
            trouble: told.trouble ?? '',
          },
        }),
      }
    })
    .sort((one, other) => other.calls - one.calls || one.client.localeCompare(other.client))
}

const stateOf = ({
  how,
  sentAt,
  failedAt,
}: Pick<typeof announcements.$inferSelect, 'how'> & {
  sentAt: Date | null
  failedAt: Date | null
}): AnnouncementItem['state'] =>
  failedAt ? 'failed' : how === 'other' || sentAt ? 'told' : 'on-its-way'

/** Tells callers of what a promotion breaks or takes away. */
export async function announcePromotion(
  context: Context,
  id: number,
  body: AnnouncementRequest,
): Promise<Page<CallerItem>> {
  const { db, now } = context
  const [row] = await db.select().from(promotions).where(eq(promotions.id, id))
  if (row?.state !== 'waiting') throw conflict('This request is not waiting any more.')
  const api = await apiOf(db, row)
  requirePermission(context.actor, 'request', api.team)
  const subject = `${api.title} ${row.version} comes to ${row.toStage}`
  const callers = await affectedIn(db, row, now())
  return tell(context, body, callers, { about: { promotion: id }, api, subject })
}

/** Tells callers of a placement that it ends. */
export async function announceEnding(
  context: Context,
  id: string,
  body: AnnouncementRequest,
): Promise<Page<CallerItem>> {
  const { db, now } = context
  const row = await findPlacement(db, id)
  const api = await apiOf(db, row)
  requirePermission(context.actor, 'request', api.team)
  const until = row.ending?.until ?? (api.lifecycle === 'deprecated' ? api.sunset : null)
  if (until === null) throw conflict(`No end of ${id} is announced that callers could be told of.`)
  const subject = `${api.title} ${row.version} in ${row.stage} is served until ${until}`
  const callers = await calledAt(db, id, now())
  return tell(context, body, callers, { about: { placement: id }, api, subject })
}

interface Told {
  about: About
  api: { id: number; slug: string }
  subject: string
}

/** Tells some of those who call something; gives all of them back, with what they were told. */
async function tell(
  context: Context,
  { clients, how, says }: AnnouncementRequest,
  called: readonly Called[],
  { about, api, subject }: Told,
): Promise<Page<CallerItem>> {
  const { db, actor, now } = context
  const callers = await withContacts(db, called, about)
  const wanted = [...new Set(clients)].map((client, index) => {
    const caller = callers.find((one) => one.client === client)
    if (!caller)
      throw invalid([
        { field: `clients.${index}`, message: `${callerName(client)} calls nothing of it` },
      ])
    if (how === 'mail' && caller.contact === '')
      throw invalid([
        {
          field: `clients.${index}`,
          message: `Nobody knows where ${callerName(client)} is told: give its key a contact, or say that you told it otherwise`,
        },
      ])
    return caller
  })
  const at = now()
  await db.transaction(async (tx) => {
    // Two who tell the same at once tell it once.
    if ('promotion' in about)
      await tx.select().from(promotions).where(eq(promotions.id, about.promotion)).for('update')
    else await tx.select().from(placements).where(eq(placements.id, about.placement)).for('update')
    const recent = await tx
      .select({ client: announcements.client })
      .from(announcements)
      .where(
        and(
          isAbout(about),
          gt(announcements.at, new Date(at.getTime() - 60_000)),
          inArray(announcements.client, clients),
        ),
      )
    if (recent.length > 0)
      throw conflict(
        `${listed(recent.map(({ client }) => callerName(client)))} heard of it a moment ago.`,
      )
    const made = await tx
      .insert(announcements)
      .values(
        wanted.map(({ client, contact, placements: [first = ''] }) => ({
          ...{ apiId: api.id, client, how, subject, says, at, byId: actor.id },
          ...('promotion' in about && { promotionId: about.promotion }),
          placementId: first,
          recipient: how === 'mail' ? contact : '',
        })),
      )
      .returning({ id: announcements.id, recipient: announcements.recipient })
    if (how === 'mail')
      await tx
        .insert(notices)
        .values(
          made.flatMap(({ id, recipient }) =>
            noticesTo(
              { mails: [recipient], webhook: '' },
              { announcementId: id, event: 'announced', at, title: subject, says, data: {} },
              at,
            ),
          ),
        )
    await record(tx, context, {
      action: 'api.announced',
      api: api.id,
      subject: 'placement' in about ? about.placement : api.slug,
      after: { ...about, clients: wanted.map(({ client }) => client), how, subject, says },
    })
  })
  return pageFrom(await withContacts(db, called, about), {}, mostCallers)
}

/** Says where whoever holds a key is told. */
export async function changeContact(
  context: Context,
  id: string,
  name: string,
  written: string,
): Promise<void> {
  const { db, actor } = context
  const row = await findPlacement(db, id)
  const api = await apiOf(db, row)
  requirePermission(actor, 'place', api.team)
  const contact = readContact(written)
  await db.transaction(async (tx) => {
    const changed = await tx
      .update(keys)
      .set({ contact })
      .where(and(eq(keys.placementId, id), eq(keys.name, name)))
      .returning({ name: keys.name })
    if (changed.length === 0) throw notFound(`key of ${name} at this placement`)
    await record(tx, context, {
      action: 'key.contact',
      api: api.id,
      subject: id,
      after: { name, contact },
    })
  })
}

/** A contact as it is kept; throws where it is no mail address. */
export function readContact(written: string): string {
  const contact = written.trim()
  if (contact === '' || isEmail(contact)) return contact
  throw invalid([{ field: 'contact', message: 'A contact is a mail address, or nothing' }])
}
