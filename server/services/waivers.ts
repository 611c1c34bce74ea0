import { differenceInCalendarDays, isValid, parseISO } from 'date-fns'
import { and, desc, eq, sql } from 'drizzle-orm'
import { displayName } from '../db/names'
import type { WaiverDecision, WaiverItem, WaiverQuery, WaiverRequest } from '../../shared/api/rules'
import type { Queries, Transaction } from '../db/database'
import { apis, findings, people, waivers } from '../db/schema'
import { findApi } from './catalog'
import { settleAll } from './checking'
import { dayOf } from './known'
import type { Actor, Context } from './context'
import { Failure, conflict, invalid, notFound } from './failure'
import { record } from './ledger'
import { pageFrom, type Page } from './paging'
import { can, requirePermission } from './permissions'
import { currentEdition } from './rulebooks'

type Row = typeof waivers.$inferSelect

/** The longest that an exception may be given for: after that it has to be asked for again. */
const mostDays = 730

const endedBy = ({ state, until }: Row, today: string) => state === 'approved' && until < today

/** Who may decide: whoever may waive, but never who asked. */
export const mayDecide = (actor: Actor, row: Row) =>
  row.state === 'waiting' && row.askedById !== actor.id && can(actor, 'waive')

/** Waivers, those that wait first, then those that end soonest. */
export async function listWaivers(context: Context, query: WaiverQuery): Promise<Page<WaiverItem>> {
  const { db, actor, now } = context
  const today = dayOf(now())
  const rows = await db
    .select({
      row: waivers,
      slug: apis.slug,
      title: apis.title,
      asked: people.displayName,
      decided: sql<string | null>`${displayName(waivers.decidedById)}`,
      findings: sql<number>`(select count(*)::int from ${findings} f where f.waiver_id = ${waivers.id}
        and f.revision_id in (select r.id from revisions r join apis a on a.id = r.api_id and a.latest_number = r.number))`,
    })
    .from(waivers)
    .leftJoin(apis, eq(apis.id, waivers.apiId))
    .innerJoin(people, eq(people.id, waivers.askedById))
    .where(
      and(
        query.api ? eq(apis.slug, query.api) : undefined,
        query.rule ? eq(waivers.rule, query.rule) : undefined,
      ),
    )
    .orderBy(desc(waivers.id))
  const items = rows.map(({ row, slug, title, asked, decided, findings: count }): WaiverItem => {
    const { id, rule, operation, key, reason, until, state, askedAt, note } = row
    return {
      waiver: id,
      rule,
      ...(slug && { api: slug }),
      ...(title && { title }),
      ...(operation && { operation }),
      ...(key && { key }),
      reason,
      until,
      days: differenceInCalendarDays(parseISO(until), parseISO(today)),
      state: endedBy(row, today) ? 'ended' : state,
      askedBy: asked,
      askedAt: askedAt.toISOString(),
      ...(decided !== null && { decidedBy: decided }),
      note,
      findings: count,
      yours: mayDecide(actor, row),
    }
  })
  const order = { waiting: 0, approved: 1, ended: 2, refused: 3, withdrawn: 4 }
  items.sort((a, b) => order[a.state] - order[b.state] || a.days - b.days)
  return pageFrom(
    items.filter(({ state }) => !query.state || state === query.state),
    query,
  )
}

/** Asks for an exception; somebody else decides. */
export async function askForWaiver(
  context: Context,
  request: WaiverRequest,
): Promise<{ waiver: number }> {
  const { db, actor, now } = context
  const today = dayOf(now())
  const faults = []
  const end = parseISO(request.until)
  if (!isValid(end)) faults.push({ field: 'until', message: `${request.until} is not a day` })
  else if (request.until < today)
    faults.push({ field: 'until', message: 'The last day is past already' })
  else if (differenceInCalendarDays(end, parseISO(today)) > mostDays)
    faults.push({ field: 'until', message: 'A waiver holds for two years at most' })
  const api = request.api === undefined ? undefined : await findApi(db, request.api)
  const edition = await currentEdition(db, api?.team)
  if (request.rule !== 'valid' && !edition.rules.some(({ id }) => id === request.rule))
    faults.push({ field: 'rule', message: `There is no rule "${request.rule}"` })
  if (!api && (request.operation ?? request.key) !== undefined)
    faults.push({ field: 'api', message: 'Say of which API' })
  if (faults.length > 0) throw invalid(faults)
  requirePermission(actor, 'askWaiver', api?.team)
  return db.transaction(async (tx) => {
    const [row] = await tx
      .insert(waivers)
      .values({
        rule: request.rule,
        apiId: api?.id ?? null,
        operation: request.operation ?? null,
        key: request.key ?? null,
        reason: request.reason,
        until: request.until,
        state: 'waiting',
        askedById: actor.id,
        askedAt: now(),
      })
      .returning({ id: waivers.id })
    await record(tx, context, {
      action: 'waiver.asked',
      api: api?.id ?? null,
      subject: request.api ?? request.rule,
      after: { waiver: row!.id, ...request },
    })
    return { waiver: row!.id }
  })
}

async function locked(tx: Transaction, id: number): Promise<Row> {
  const [row] = await tx.select().from(waivers).where(eq(waivers.id, id)).for('update')
  if (!row) throw notFound(`waiver ${id}`)
  return row
}

/** Approves or refuses an exception that somebody else asked for. */
export async function decideWaiver(
  context: Context,
  id: number,
  { approve, note = '' }: WaiverDecision,
): Promise<void> {
  const { actor, now } = context
  requirePermission(actor, 'waive')
  const row = await context.db.transaction(async (tx) => {
    const waiting = await locked(tx, id)
    if (waiting.state !== 'waiting') throw conflict('This waiver has been decided on already.')
    if (waiting.askedById === actor.id) {
      throw new Failure(
        403,
        'Somebody else decides',
        'A waiver is approved by somebody else than who asked for it.',
      )
    }
    const state = approve ? 'approved' : 'refused'
    await tx
      .update(waivers)
      .set({ state, decidedById: actor.id, decidedAt: now(), note })
      .where(eq(waivers.id, id))
    await record(tx, context, {
      action: `waiver.${state}`,
      api: waiting.apiId,
      subject: await subjectOf(tx, waiting),
      before: { waiver: id, state: 'waiting' },
      after: { waiver: id, state, note, rule: waiting.rule, until: waiting.until },
    })
    return waiting
  })
  if (approve) await settleAll(context, row.apiId ?? undefined)
}

/** Takes an exception back: the one who asked, or whoever may decide. What it took out counts again. */
export async function withdrawWaiver(context: Context, id: number): Promise<void> {
  const { actor } = context
  const row = await context.db.transaction(async (tx) => {
    const row = await locked(tx, id)
    if (row.askedById !== actor.id) requirePermission(actor, 'waive')
    if (!['waiting', 'approved'].includes(row.state))
      throw conflict('This waiver does not stand any more.')
    await tx.update(waivers).set({ state: 'withdrawn' }).where(eq(waivers.id, id))
    await record(tx, context, {
      action: 'waiver.withdrawn',
      api: row.apiId,
      subject: await subjectOf(tx, row),
      before: { waiver: id, state: row.state },
      after: { waiver: id, state: 'withdrawn' },
    })
    return row
  })
  if (row.state === 'approved') await settleAll(context, row.apiId ?? undefined)
}

async function subjectOf(db: Queries, { apiId: api, rule }: Row): Promise<string> {
  if (api === null) return rule
  const [row] = await db.select({ slug: apis.slug }).from(apis).where(eq(apis.id, api))
  return row?.slug ?? rule
}
