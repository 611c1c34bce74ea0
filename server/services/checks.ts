import { randomUUID } from 'node:crypto'
import { isUUID } from 'class-validator'
import { eq } from 'drizzle-orm'
import { countLevels } from '../../core/definition'
import { writeReport } from '../../core/report'
import type { Report } from '../../core/report/model'
import type { CheckItem, CheckQuery, ReportQuery } from '../../shared/api/checks'
import type { Queries } from '../db/database'
import { apiColumns, checkColumns, teamId } from '../db/names'
import { apis, baselines, checks } from '../db/schema'
import { findApi } from './catalog'
import { waiverFor, waiversInForce } from './checking'
import { dayOf, factsOf, factsOfNew, knownAroundFiles } from './known'
import type { Context, Services } from './context'
import { Failure, conflict, notFound } from './failure'
import { filesIn } from './files'
import { currentEdition } from './rulebooks'

type Row = typeof checks.$inferSelect & { team: string | null }

/** A text up to this size is checked while its sender waits. */
const smallBytes = 300_000

/** Checks a text against the rulebook in force; a large one is left to the workers, and asked for again. */
export async function startCheck(
  context: Context,
  bytes: Uint8Array,
  { file = 'definition', api: slug, team, audience }: CheckQuery,
): Promise<CheckItem> {
  const { db, actor, now, queue } = context
  const api = slug === undefined ? undefined : await findApi(db, slug)
  const owning = api?.team ?? team ?? actor.team
  const id = randomUUID()
  await db.insert(checks).values({
    id,
    byId: actor.id,
    at: now(),
    state: 'waiting',
    file,
    apiId: api?.id ?? null,
    teamId: owning === undefined ? null : teamId(owning),
    audience: audience ?? 'partner',
    bytes: Buffer.from(bytes),
  })
  if (bytes.byteLength <= smallBytes) await workCheck(context, id)
  else await queue.check(id)
  return readCheck(db, id)
}

async function findCheck(db: Queries, id: string): Promise<Row> {
  const [row] = isUUID(id)
    ? await db.select(checkColumns).from(checks).where(eq(checks.id, id))
    : []
  if (!row) throw notFound('check of that name; checks are kept for a day')
  return row
}

/** How a check stands, and what it found in figures. */
export async function readCheck(db: Queries, id: string): Promise<CheckItem> {
  const { state, file, edition, report, trouble } = await findCheck(db, id)
  const open = report?.findings.filter(({ waived }) => !waived) ?? []
  return {
    check: id,
    state,
    file,
    edition,
    findings: countLevels(open),
    waived: (report?.findings.length ?? 0) - open.length,
    trouble,
  }
}

/** What a check found, written as somebody can use it. */
export async function writeCheck(
  { db, now }: Services,
  id: string,
  { format = 'json', level = 'MAY' }: ReportQuery,
  version: string,
): Promise<string> {
  const { state, report, team, trouble } = await findCheck(db, id)
  if (state === 'waiting') throw conflict('The check is not done yet; ask again in a moment.')
  if (!report) throw conflict(trouble)
  const edition = await currentEdition(db, team ?? undefined)
  return writeReport(format, { edition, level, version, at: now().toISOString() }, report)
}

/** The worker's part; safe to repeat. */
export async function workCheck(services: Services, id: string): Promise<void> {
  const { db } = services
  const row = await findCheck(db, id)
  if (row.state !== 'waiting') return
  try {
    const { report, edition } = await checked(services, row)
    await db
      .update(checks)
      .set({ state: 'done', report, edition, bytes: null })
      .where(eq(checks.id, id))
  } catch (error) {
    if (!(error instanceof Failure)) throw error
    await db
      .update(checks)
      .set({ state: 'failed', trouble: error.detail, bytes: null })
      .where(eq(checks.id, id))
  }
}

async function checked(
  services: Services,
  { file, apiId: id, team, audience, bytes }: Row,
): Promise<{ report: Report; edition: number }> {
  const { db, examiner, now } = services
  const edition = await currentEdition(db, team ?? undefined)
  const [api] = id === null ? [] : await db.select(apiColumns).from(apis).where(eq(apis.id, id))
  const facts = api
    ? await factsOf(db, api, now())
    : factsOfNew({ team: team ?? '', audience }, now())
  const { files } = await filesIn(examiner, bytes ?? new Uint8Array(), file)
  const around = await knownAroundFiles(services, edition, facts, files)
  const examination = await examiner.examine(files, edition, around)
  const nothing = { file, findings: [], reach: [], faults: [] }
  if (!examination.readable) {
    return { report: { ...nothing, unreadable: examination.diagnostics }, edition: edition.number }
  }
  const [held, accepted] = api
    ? await Promise.all([
        waiversInForce(db, api.id, dayOf(now())),
        db.select().from(baselines).where(eq(baselines.apiId, api.id)),
      ])
    : [[], []]
  const known = new Set(accepted.map(({ key }) => key))
  const { findings, reach, faults } = examination
  const report = {
    file,
    findings: findings.map((finding) => ({
      ...finding,
      waived: known.has(finding.key) || waiverFor(held, finding) !== undefined,
    })),
    reach,
    faults,
  }
  return { report, edition: edition.number }
}
