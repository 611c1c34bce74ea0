import { and, asc, desc, eq, sql } from 'drizzle-orm'
import { alias } from 'drizzle-orm/pg-core'
import type { PageQuery } from '../../shared/api/catalog'
import type {
  ProposalStart,
  ProposalDecision,
  ProposalItem,
  ProposalOutcome,
  ProposalQuery,
  ProposedText,
} from '../../shared/api/proposals'
import type { Queries } from '../db/database'
import { isNewest } from '../db/newest'
import { apiColumns, teamName } from '../db/names'
import { apis, findings, people, proposals, revisions } from '../db/schema'
import type { FileSet, FixedFiles } from '../jobs/analysis'
import { findRevision, saveFiles, type ApiRow } from './catalog'
import { knownAround } from './known'
import type { Context, Services } from './context'
import { Failure, conflict, invalid, notFound } from './failure'
import { filesOf, loadFiles } from './files'
import { announce, record } from './ledger'
import { offsetOf, pageFrom, pageOf, type Page } from './paging'
import { requirePermission } from './permissions'
import { currentEdition } from './rulebooks'

type Row = typeof proposals.$inferSelect

/**
 * Proposes a rule's fix to every API whose newest revision breaks the rule. What it does is worked out on the newest
 * text each time it is shown, so that a proposal never speaks of a text that has gone.
 */
export async function proposeFix(
  context: Context,
  rule: string,
  { fix: index, note = '' }: ProposalStart,
): Promise<{ proposals: number }> {
  const { db, actor, now, queue } = context
  requirePermission(actor, 'rule')
  const edition = await currentEdition(db)
  const fix = edition.rules.find(({ id }) => id === rule)?.fixes?.[index]
  if (!fix) throw notFound(`fix ${index} of a rule called "${rule}"`)
  const count = await db.transaction(async (tx) => {
    const concerned = await tx
      .selectDistinct({ api: apis.id })
      .from(findings)
      .innerJoin(revisions, eq(revisions.id, findings.revisionId))
      .innerJoin(apis, isNewest)
      .where(and(eq(findings.rule, rule), eq(findings.status, 'open')))
    const waiting = await tx
      .select({ api: proposals.apiId })
      .from(proposals)
      .where(and(eq(proposals.rule, rule), sql`${proposals.state} in ('planning', 'waiting')`))
    const asked = new Set(waiting.map(({ api }) => api))
    const fresh = concerned.filter(({ api }) => !asked.has(api))
    if (fresh.length === 0) {
      throw conflict('Every API that breaks it has a proposal already, or none breaks it.')
    }
    await tx.insert(proposals).values(
      fresh.map(({ api }) => ({
        apiId: api,
        rule,
        fix,
        byId: actor.id,
        at: now(),
        state: 'planning' as const,
        note,
      })),
    )
    await record(tx, context, {
      action: 'fix.proposed',
      api: null,
      subject: rule,
      after: { fix: fix.title, apis: fresh.length, note },
    })
    return fresh.length
  })
  await queue.plan()
  return { proposals: count }
}

/** The worker's part: works out what waits to be worked out. Safe to repeat. */
export async function planProposals(services: Services): Promise<void> {
  const { db } = services
  for (;;) {
    const [row] = await db
      .select()
      .from(proposals)
      .where(eq(proposals.state, 'planning'))
      .orderBy(asc(proposals.id))
      .limit(1)
    if (!row) return
    const { places, faults, changed } = await worked(services, row).catch(inWords)
    await db
      .update(proposals)
      .set({
        places,
        trouble: [...new Set(faults)].slice(0, 20).join('. '),
        state: changed.length > 0 ? 'waiting' : 'nothing',
      })
      .where(and(eq(proposals.id, row.id), eq(proposals.state, 'planning')))
    await announce(db, 'proposal')
  }
}

/** One that cannot be worked out says why, and holds nobody else up. */
function inWords(error: unknown): FixedFiles {
  if (!(error instanceof Failure)) throw error
  return { places: 0, faults: [error.detail], changed: [] }
}

interface Worked extends FixedFiles {
  files: FileSet
  api: ApiRow
}

/** What a proposal does to the newest text of its API. */
async function worked(
  { db, examiner, now }: Services,
  { apiId: id, rule, fix }: Row,
  version?: string,
): Promise<Worked> {
  const [api] = await db.select(apiColumns).from(apis).where(eq(apis.id, id))
  const newest = await findRevision(db, api!, api!.latestNumber)
  const edition = await currentEdition(db, api!.team)
  const [files, known] = await Promise.all([
    filesOf(db, newest.id).then((stored) => loadFiles(db, stored)),
    knownAround(db, edition, api!, newest, now()),
  ])
  const fixed = await examiner.fix(files, edition, known, { rule, fix }, version)
  return { ...fixed, files, api: api! }
}

const decider = alias(people, 'decider')

/** Proposals, the newest first. */
export async function listProposals(
  db: Queries,
  query: ProposalQuery,
): Promise<Page<ProposalItem>> {
  const limit = query.limit ?? 100
  const offset = offsetOf(query)
  const rows = await db
    .select({
      row: proposals,
      api: apiColumns,
      by: people.displayName,
      decidedBy: decider.displayName,
    })
    .from(proposals)
    .innerJoin(apis, eq(apis.id, proposals.apiId))
    .innerJoin(people, eq(people.id, proposals.byId))
    .leftJoin(decider, eq(decider.id, proposals.decidedById))
    .where(
      and(
        query.api ? eq(apis.slug, query.api) : undefined,
        query.rule ? eq(proposals.rule, query.rule) : undefined,
        query.team ? eq(teamName(apis.teamId), query.team) : undefined,
        query.state ? eq(proposals.state, query.state) : undefined,
      ),
    )
    .orderBy(desc(proposals.id))
    .limit(limit + 1)
    .offset(offset)
  const items = rows.map(({ row, api, by, decidedBy }) => ({
    proposal: row.id,
    api: api.slug,
    title: api.title,
    team: api.team,
    rule: row.rule,
    does: row.fix.title,
    state: row.state,
    places: row.places,
    trouble: row.trouble,
    note: row.note,
    by,
    at: row.at.toISOString(),
    ...(decidedBy !== null && { decidedBy }),
    answer: row.answer,
    ...(row.revisionNumber !== null && { revision: row.revisionNumber }),
  }))
  return pageOf(items, limit, offset)
}

async function findProposal(db: Queries, id: number): Promise<Row> {
  const [row] = await db.select().from(proposals).where(eq(proposals.id, id))
  if (!row) throw notFound(`proposal ${id}`)
  return row
}

/** The texts that a proposal changes, as they are and as they would be. */
export async function readProposal(
  services: Services,
  id: number,
  query: PageQuery,
): Promise<Page<ProposedText>> {
  const row = await findProposal(services.db, id)
  if (row.state !== 'waiting') return { items: [] }
  const { changed } = await worked(services, row)
  return pageFrom(
    changed.map(({ file, before, after }) => ({ file, before, after })),
    query,
  )
}

/** Makes a proposal the next revision of its API, or declines it. */
export async function decideProposal(
  context: Context,
  id: number,
  { accept, version, note = '' }: ProposalDecision,
): Promise<ProposalOutcome> {
  const { db, actor } = context
  const row = await findProposal(db, id)
  const [api] = await db.select(apiColumns).from(apis).where(eq(apis.id, row.apiId))
  requirePermission(actor, 'edit', api!.team)
  if (row.state !== 'waiting') throw conflict('This proposal waits for no decision any more.')
  if (!accept) {
    if (note === '') throw invalid([{ field: 'note', message: 'Say why it is declined' }])
    await close(context, row, api!, { state: 'declined', answer: note })
    return {}
  }
  const { changed, files, api: newest, faults } = await worked(context, row, version)
  if (changed.length === 0) {
    if (faults.length > 0) throw conflict(`${faults.join('. ')}.`)
    await close(context, row, api!, { state: 'nothing', answer: '' })
    throw conflict('The newest revision has nothing left that this would fix.')
  }
  const after = new Map(changed.map(({ file, bytes }) => [file, bytes]))
  const [main, ...others] = files.map(({ name, bytes }) => ({
    name,
    bytes: after.get(name) ?? bytes,
  }))
  const saved = await saveFiles(context, newest, [main!, ...others])
  await close(context, row, api!, {
    state: 'accepted',
    answer: note,
    revisionNumber: saved.revision,
  })
  return { revision: saved.revision }
}

/** Takes a proposal back that nobody has decided on. */
export async function withdrawProposal(context: Context, id: number): Promise<void> {
  const row = await findProposal(context.db, id)
  if (row.byId !== context.actor.id) requirePermission(context.actor, 'rule')
  if (row.state !== 'waiting' && row.state !== 'planning') {
    throw conflict('This proposal waits for no decision any more.')
  }
  const [api] = await context.db.select(apiColumns).from(apis).where(eq(apis.id, row.apiId))
  await close(context, row, api!, { state: 'withdrawn', answer: '' })
}

async function close(
  context: Context,
  { id, rule, fix }: Row,
  api: ApiRow,
  { revisionNumber, ...outcome }: Pick<Row, 'answer' | 'state'> & { revisionNumber?: number },
): Promise<void> {
  await context.db.transaction(async (tx) => {
    await tx
      .update(proposals)
      .set({ ...outcome, revisionNumber, decidedById: context.actor.id, decidedAt: context.now() })
      .where(eq(proposals.id, id))
    await record(tx, context, {
      action: `fix.${outcome.state === 'nothing' ? 'closed' : outcome.state}`,
      api: api.id,
      subject: api.slug,
      after: { rule, fix: fix.title, ...outcome, revision: revisionNumber },
    })
  })
}
