import { randomUUID } from 'node:crypto'
import { isUUID } from 'class-validator'
import { and, asc, desc, eq, inArray, sql } from 'drizzle-orm'
import { reported, writeComparison } from '../../core/compare/report'
import { decodeText } from '../../core/text/read'
import type {
  ComparedSide,
  ComparisonChange,
  ComparisonChangeDetail,
  ComparisonChangesQuery,
  ComparisonItem,
  ComparisonReportQuery,
  ComparisonRequest,
  FileComparisonQuery,
  SideShown,
  TextWindow,
} from '../../shared/api/comparisons'
import type { Queries } from '../db/database'
import { apiColumns } from '../db/names'
import {
  apis,
  comparisonChanges,
  comparisonResults,
  comparisons,
  placements,
  revisions,
  type StoredFile,
} from '../db/schema'
import { Callers, clientsIn, includesAnybody } from './callers'
import { findApi, findRevision, revisionOfVersion, tooLarge, type ApiRow } from './catalog'
import { resultFor, type Result } from './comparison-results'
import type { Context } from './context'
import { conflict, invalid, notFound } from './failure'
import { bytesOf, filesIn, filesOf, storeFiles } from './files'
import { offsetOf, pageOf, type Page } from './paging'
import { limits } from '../../core/text/limits'

type Row = typeof comparisons.$inferSelect
type ChangeRow = typeof comparisonChanges.$inferSelect
type RevisionRow = typeof revisions.$inferSelect

interface Side {
  revisionId: number | null
  files: StoredFile[]
}

/** Compares two definitions of the register. What was compared before is there at once. */
export async function startComparison(
  context: Context,
  { before, after }: ComparisonRequest,
): Promise<ComparisonItem> {
  const { db } = context
  return start(context, await registered(db, before), await registered(db, after))
}

/** Compares what the register has with a file that is newer. */
export async function startFileComparison(
  context: Context,
  bytes: Uint8Array,
  { file = 'definition', ...side }: FileComparisonQuery,
): Promise<ComparisonItem> {
  const { db, examiner } = context
  if (bytes.byteLength > limits.bytes) throw tooLarge()
  if (bytes.byteLength === 0) throw invalid([{ field: 'text', message: 'The text is empty' }])
  const before = await registered(db, side)
  const { files } = await filesIn(examiner, bytes, file)
  return start(context, before, { revisionId: null, files: await storeFiles(db, files) })
}

async function registered(db: Queries, side: ComparedSide): Promise<Side> {
  const row = await revisionOf(db, side)
  return { revisionId: row.id, files: await filesOf(db, row.id) }
}

async function revisionOf(
  db: Queries,
  { api: slug, revision, version, stage }: ComparedSide,
): Promise<RevisionRow> {
  if ([revision, version, stage].filter((one) => one !== undefined).length > 1)
    throw invalid([{ field: 'revision', message: 'Say a revision, a version or a stage, not two' }])
  const api = await findApi(db, slug)
  if (version !== undefined) return revisionOfVersion(db, api, version)
  if (stage !== undefined) return runningIn(db, api, stage)
  return findRevision(db, api, revision ?? api.latestNumber)
}

/** What was placed last in a stage. */
async function runningIn(db: Queries, api: ApiRow, stage: string): Promise<RevisionRow> {
  const [row] = await db
    .select({ revision: revisions })
    .from(placements)
    .innerJoin(revisions, eq(revisions.id, placements.revisionId))
    .where(and(eq(placements.apiId, api.id), eq(placements.stage, stage)))
    .orderBy(desc(placements.appliedAt))
    .limit(1)
  if (!row) throw notFound(`version of ${api.title} in ${stage}`)
  return row.revision
}

async function start(context: Context, before: Side, after: Side): Promise<ComparisonItem> {
  const result = await resultFor(context, before.files, after.files)
  const row: Row = {
    id: randomUUID(),
    byId: context.actor.id,
    at: context.now(),
    beforeRevisionId: before.revisionId,
    afterRevisionId: after.revisionId,
    resultId: result.id,
  }
  await context.db.insert(comparisons).values(row)
  return readComparison(context, row.id)
}

interface Found {
  row: Row
  result: Result
  before: Sided
  after: Sided
  callers: Callers
}

interface Sided {
  shown: SideShown
  files: StoredFile[]
}

async function findComparison({ db, actor }: Context, id: string): Promise<Found> {
  const [found] = isUUID(id)
    ? await db
        .select({ row: comparisons, result: comparisonResults })
        .from(comparisons)
        .innerJoin(comparisonResults, eq(comparisonResults.id, comparisons.resultId))
        .where(eq(comparisons.id, id))
    : []
  const isOwnFile =
    found && (found.row.beforeRevisionId === null || found.row.afterRevisionId === null)
  // What somebody compares with a file of their own is theirs.
  if (!found || (isOwnFile && found.row.byId !== actor.id))
    throw notFound('comparison of that name')
  const { row, result } = found
  const [before, after] = await Promise.all([
    sided(db, row.beforeRevisionId, result.beforeFiles, result.beforeVersion),
    sided(db, row.afterRevisionId, result.afterFiles, result.afterVersion),
  ])
  const callers = before.api
    ? await Callers.of(db, before.api.id, before.shown.version)
    : Callers.none
  return { row, result, before, after, callers }
}

async function sided(
  db: Queries,
  revisionId: number | null,
  files: StoredFile[],
  version: string,
): Promise<Sided & { api?: ApiRow }> {
  if (revisionId === null) {
    const title = files[0]!.name
    return {
      files,
      shown: { api: '', title, version, revision: 0, format: '', stages: [] },
    }
  }
  const [found] = await db
    .select({ revision: revisions, api: apiColumns })
    .from(revisions)
    .innerJoin(apis, eq(apis.id, revisions.apiId))
    .where(eq(revisions.id, revisionId))
  const { revision, api } = found!
  const placed = await db
    .selectDistinct({ stage: placements.stage })
    .from(placements)
    .where(and(eq(placements.apiId, api.id), eq(placements.version, revision.version)))
  return {
    api,
    files,
    shown: {
      api: api.slug,
      title: api.title,
      version: revision.version,
      revision: revision.number,
      format: revision.format,
      stages: placed.map(({ stage }) => stage),
    },
  }
}

/** How a comparison stands, with its figures and whoever it touches. */
export async function readComparison(context: Context, id: string): Promise<ComparisonItem> {
  const { result, before, after, callers } = await findComparison(context, id)
  const { state, done, total, trouble, counts, fitting } = result
  const broken = await context.db
    .selectDistinct({ operation: comparisonChanges.formerly })
    .from(comparisonChanges)
    .where(and(eq(comparisonChanges.resultId, result.id), eq(comparisonChanges.effect, 'breaking')))
  const touched = new Map(
    broken
      .flatMap(({ operation }) => callers.reaching(operation))
      .map((caller) => [JSON.stringify(caller), caller]),
  )
  return {
    comparison: id,
    state,
    done,
    total,
    trouble,
    before: before.shown,
    after: after.shown,
    counts,
    ...(fitting && { fitting }),
    touched: [...touched.values()],
    clients: clientsIn(callers.all),
  }
}

async function requireDone(context: Context, id: string): Promise<Found> {
  const found = await findComparison(context, id)
  const { state, trouble } = found.result
  if (state === 'failed') throw conflict(trouble)
  if (state !== 'done') throw conflict('The comparison is not done yet; ask again in a moment.')
  return found
}

/** The changes of a comparison, operation by operation, what breaks first. */
export async function listComparisonChanges(
  context: Context,
  id: string,
  query: ComparisonChangesQuery,
): Promise<Page<ComparisonChange>> {
  const { db } = context
  const { result, callers } = await requireDone(context, id)
  const limit = query.limit ?? 200
  const offset = offsetOf(query)
  const { effect, operation, client, q } = query
  const rows = await db
    .select()
    .from(comparisonChanges)
    .where(
      and(
        eq(comparisonChanges.resultId, result.id),
        effect && eq(comparisonChanges.effect, effect),
        operation === undefined ? undefined : eq(comparisonChanges.operation, operation),
        client === undefined ? undefined : await reachedBy(db, result.id, callers, client),
        q
          ? sql`position(lower(${q}) in lower(${comparisonChanges.operation} || ' ' || ${comparisonChanges.message})) > 0`
          : undefined,
      ),
    )
    .orderBy(asc(comparisonChanges.position))
    .limit(limit + 1)
    .offset(offset)
  return pageOf(
    rows.map((row) => shown(row, callers)),
    limit,
    offset,
  )
}

/** Only changes in operations that a client reaches. */
async function reachedBy(db: Queries, resultId: number, callers: Callers, client: string) {
  const all = await db
    .selectDistinct({ operation: comparisonChanges.formerly })
    .from(comparisonChanges)
    .where(eq(comparisonChanges.resultId, resultId))
  const reached = all.flatMap(({ operation }) =>
    callers.reaches(client, operation) ? [operation] : [],
  )
  return inArray(comparisonChanges.formerly, reached)
}

function shown(row: ChangeRow, callers: Callers): ComparisonChange {
  const reaching = callers.reaching(row.formerly)
  const { position, effect, direction, kind, operation, subject, message, before, after } = row
  return {
    change: position,
    effect,
    direction,
    kind,
    operation,
    subject,
    message,
    ...(before && { before }),
    ...(after && { after }),
    clients: clientsIn(reaching).length,
    anybody: includesAnybody(reaching),
  }
}

/** One change with what shows it, the texts at its place, and who is touched. */
export async function readComparisonChange(
  context: Context,
  id: string,
  position: number,
): Promise<ComparisonChangeDetail> {
  const { db } = context
  const { result, before, after, callers } = await requireDone(context, id)
  const [row] = await db
    .select()
    .from(comparisonChanges)
    .where(and(eq(comparisonChanges.resultId, result.id), eq(comparisonChanges.position, position)))
  if (!row) throw notFound(`change ${position} of this comparison`)
  const [textBefore, textAfter] = await Promise.all([
    windowAt(db, before.files, row.before),
    windowAt(db, after.files, row.after),
  ])
  return {
    ...shown(row, callers),
    ...(row.witness && { witness: row.witness }),
    undecided: row.undecided,
    ways: row.ways,
    ...(textBefore && { textBefore }),
    ...(textAfter && { textAfter }),
    callers: callers.reaching(row.formerly),
  }
}

/** Lines given before a place and from it on, and the widest of them. */
const windowLines = { before: 24, after: 36, widest: 400 }

async function windowAt(
  db: Queries,
  files: StoredFile[],
  place: ChangeRow['before'],
): Promise<TextWindow | undefined> {
  const stored = place && files.find(({ name }) => name === place.file)
  if (!stored) return undefined
  const decoded = decodeText(await bytesOf(db, stored.sha256), stored.name)
  if (!('text' in decoded)) return undefined
  const lines = decoded.text.split(/\r\n|\r|\n/)
  const from = Math.max(1, place.line - windowLines.before)
  const shownLines = lines.slice(from - 1, place.line + windowLines.after)
  return {
    ...place,
    from,
    text: shownLines.map((line) => line.slice(0, windowLines.widest)).join('\n'),
  }
}

const named = ({ title, version }: SideShown) => `${title} ${version}`.trim()

/** A comparison as somebody can use it: a changelog, or for programs. */
export async function writeReport(
  context: Context,
  id: string,
  { format = 'markdown' }: ComparisonReportQuery,
  version: string,
): Promise<string> {
  const { result, before, after } = await requireDone(context, id)
  const rows = await context.db
    .select()
    .from(comparisonChanges)
    .where(eq(comparisonChanges.resultId, result.id))
    .orderBy(asc(comparisonChanges.position))
  return writeComparison(format, reported(rows), {
    before: named(before.shown),
    after: named(after.shown),
    version,
    ...(result.fitting && { fits: result.fitting }),
  })
}
