import { asc, desc, eq, sql } from 'drizzle-orm'
import { isTeam } from './teams'
import { ruleDifferences } from '../../core/rules/changes'
import { extendRulebook, readRulebook } from '../../core/rules/rulebook'
import type { PageQuery } from '../../shared/api/catalog'
import type { EditionItem, Publication, RulebookDraft } from '../../shared/api/rules'
import type { Queries } from '../db/database'
import { rulebookColumns, teamId } from '../db/names'
import { editions, people, rulebooks } from '../db/schema'
import type { Context } from './context'
import { conflict, invalid, notFound, requireMatch } from './failure'
import { record } from './ledger'
import { pageFrom, type Page } from './paging'
import { requirePermission } from './permissions'
import { currentEdition, houseSlug, insertEdition, requireReadable } from './rulebooks'

type Row = typeof rulebooks.$inferSelect & { team: string | null }

export const draftEtag = (saves: number) => `"draft-${saves}"`

export async function findRulebook(db: Queries, slug: string): Promise<Row> {
  const [row] = await db.select(rulebookColumns).from(rulebooks).where(eq(rulebooks.slug, slug))
  if (!row) throw notFound(`rulebook called "${slug}"`)
  return row
}

/** The newest edition of one rulebook. */
async function newest(db: Queries, slug: string) {
  const [row] = await db
    .select()
    .from(editions)
    .where(eq(editions.rulebook, slug))
    .orderBy(desc(editions.number))
    .limit(1)
  return row
}

const nothing = { rules: [], changes: [], domain: '', words: [] }

async function toDraft(db: Queries, row: Row): Promise<RulebookDraft> {
  const [last, [saver]] = await Promise.all([
    newest(db, row.slug),
    db.select({ name: people.displayName }).from(people).where(eq(people.id, row.savedById)),
  ])
  const { rulebook } = readRulebook({ file: `${row.slug}.yaml`, text: row.text })
  return {
    rulebook: row.slug,
    title: row.title,
    ...(row.team && { team: row.team }),
    text: row.text,
    savedAt: row.savedAt.toISOString(),
    savedBy: saver!.name,
    shown: row.shown,
    edition: last?.number ?? 0,
    changes:
      rulebook && row.text !== last?.text
        ? ruleDifferences(last?.content ?? nothing, rulebook).map(({ says }) => says)
        : [],
  }
}

/** Every rulebook as it is being written: the organisation's first. */
export async function listDrafts(db: Queries, query: PageQuery): Promise<Page<RulebookDraft>> {
  const rows = await db
    .select(rulebookColumns)
    .from(rulebooks)
    .orderBy(sql`${rulebooks.teamId} nulls first`, asc(rulebooks.slug))
  return pageFrom(await Promise.all(rows.map((row) => toDraft(db, row))), query)
}

export async function readDraft(
  db: Queries,
  slug: string,
): Promise<{ draft: RulebookDraft; etag: string }> {
  const row = await findRulebook(db, slug)
  return { draft: await toDraft(db, row), etag: draftEtag(row.saves) }
}

/** Begins the rulebook of a team, on top of the organisation's. */
export async function beginTeamRulebook(context: Context, team: string): Promise<RulebookDraft> {
  const { db, actor, now } = context
  requirePermission(actor, 'rule', team)
  if (!(await isTeam(db, team)))
    throw invalid([{ field: 'team', message: `There is no team "${team}"` }])
  const slug = team.toLowerCase().replace(/[^a-z0-9]+/g, '-')
  const title = `Rules of ${team}`
  const text = `rulebook: 1\nname: ${title}\nextends: ${houseSlug}\n# Rules of the team's own, and what it changes of the organisation's.\ngroups: []\nrules: []\nchanges: []\n`
  await db.transaction(async (tx) => {
    const made = await tx
      .insert(rulebooks)
      .values({
        slug,
        title,
        teamId: teamId(team),
        text,
        saves: 1,
        savedAt: now(),
        savedById: actor.id,
      })
      .onConflictDoNothing()
      .returning({ slug: rulebooks.slug })
    if (made.length === 0) throw conflict(`${team} has a rulebook already.`)
    await record(tx, context, { action: 'rulebook.begun', subject: slug, after: { team } })
  })
  return toDraft(db, await findRulebook(db, slug))
}

/** Saves a text as the draft. A text with faults is kept too: it is a draft, and publishing is where they stop. */
export async function saveDraft(
  context: Context,
  slug: string,
  text: string,
  ifMatch: string | undefined,
): Promise<{ draft: RulebookDraft; etag: string }> {
  const { db, actor, now } = context
  await db.transaction(async (tx) => {
    const [row] = await tx
      .select(rulebookColumns)
      .from(rulebooks)
      .where(eq(rulebooks.slug, slug))
      .for('update')
    if (!row) throw notFound(`rulebook called "${slug}"`)
    requirePermission(actor, 'rule', row.team ?? undefined)
    requireMatch(ifMatch, draftEtag(row.saves), 'the rulebook')
    const { rulebook } = readRulebook({ file: `${slug}.yaml`, text })
    await tx
      .update(rulebooks)
      .set({
        text,
        saves: row.saves + 1,
        savedAt: now(),
        savedById: actor.id,
        ...(rulebook?.name && { title: rulebook.name }),
      })
      .where(eq(rulebooks.slug, slug))
    await record(tx, context, {
      action: 'rulebook.saved',
      subject: slug,
      after: { saves: row.saves + 1 },
    })
  })
  return readDraft(db, slug)
}

/** Whether the page of a rulebook may be read by everybody. */
export async function showRulebook(
  context: Context,
  slug: string,
  shown: boolean,
): Promise<RulebookDraft> {
  const { db } = context
  const row = await findRulebook(db, slug)
  requirePermission(context.actor, 'rule', row.team ?? undefined)
  await db.transaction(async (tx) => {
    await tx.update(rulebooks).set({ shown }).where(eq(rulebooks.slug, slug))
    await record(tx, context, {
      action: 'rulebook.shown',
      subject: slug,
      before: { shown: row.shown },
      after: { shown },
    })
  })
  return toDraft(db, { ...row, shown })
}

/** Makes the draft an edition; from then on it is what definitions are checked against. */
export async function publish(
  context: Context,
  slug: string,
  { note }: Publication,
  ifMatch: string | undefined,
): Promise<EditionItem> {
  const { db, actor, now } = context
  const number = await db.transaction(async (tx) => {
    const [row] = await tx
      .select(rulebookColumns)
      .from(rulebooks)
      .where(eq(rulebooks.slug, slug))
      .for('update')
    if (!row) throw notFound(`rulebook called "${slug}"`)
    requirePermission(actor, 'rule', row.team ?? undefined)
    requireMatch(ifMatch, draftEtag(row.saves), 'the rulebook')
    const content = requireReadable(row.text, `${slug}.yaml`)
    const last = await newest(tx, slug)
    if (last?.text === row.text) throw conflict('Nothing has changed since the last edition.')
    if (slug !== houseSlug) {
      const { faults } = extendRulebook(await currentEdition(tx), content)
      if (faults.length > 0) throw invalid(faults.map((message) => ({ field: 'changes', message })))
    }
    const at = now()
    const made = await insertEdition(tx, { slug, text: row.text, note, actor, at })
    await record(tx, context, {
      action: 'rulebook.published',
      subject: slug,
      before: { edition: last?.number ?? 0 },
      after: {
        edition: made,
        note,
        changes: ruleDifferences(last?.content ?? nothing, content).map(({ says }) => says),
      },
    })
    return made
  })
  await context.queue.recheck()
  return (await listEditions(db, { limit: 1 }, number)).items[0]!
}

/** Editions of every rulebook, newest first, each with what it changed. */
export async function listEditions(
  db: Queries,
  query: PageQuery,
  only?: number,
): Promise<Page<EditionItem>> {
  const rows = await db
    .select({ edition: editions, title: rulebooks.title, by: people.displayName })
    .from(editions)
    .innerJoin(rulebooks, eq(rulebooks.slug, editions.rulebook))
    .innerJoin(people, eq(people.id, editions.publishedById))
    .orderBy(desc(editions.number))
  const items = rows
    .filter(({ edition }) => only === undefined || edition.number === only)
    .map(({ edition, title, by }): EditionItem => {
      const before = rows.find(
        (row) => row.edition.rulebook === edition.rulebook && row.edition.number < edition.number,
      )
      return {
        edition: edition.number,
        rulebook: edition.rulebook,
        title,
        note: edition.note,
        publishedAt: edition.publishedAt.toISOString(),
        publishedBy: by,
        rules: edition.content.rules.length,
        changes: before
          ? ruleDifferences(before.edition.content, edition.content).map(({ says }) => says)
          : [],
      }
    })
  return pageFrom(items, query)
}

/** The text of an edition, as it was published. */
export async function editionText(db: Queries, number: number): Promise<string> {
  const [row] = await db
    .select({ text: editions.text })
    .from(editions)
    .where(eq(editions.number, number))
  if (!row) throw notFound(`edition ${number}`)
  return row.text
}

/** The newest edition of a rulebook, where the reader may see it: everybody once it is shown. */
export async function guidePage(db: Queries, slug: string, isKnown: boolean) {
  const [row] = await db
    .select({ shown: rulebooks.shown })
    .from(rulebooks)
    .where(eq(rulebooks.slug, slug))
  return row && (row.shown || isKnown) ? newest(db, slug) : undefined
}
