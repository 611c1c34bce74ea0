import { and, asc, desc, eq, gt, inArray, sql } from 'drizzle-orm'
import type { JobLine, JobLineQuery, JobQuery, RepositoryJob } from '../../shared/api/repositories'
import type { Queries } from '../db/database'
import { repositoryJobLines, repositoryJobs } from '../db/schema'
import type { Context } from './context'
import { conflict, notFound } from './failure'
import { announce } from './ledger'
import { pageFrom, type Page } from './paging'
import { requirePermission } from './permissions'
import { findRepository, listRepositories, readBranch, toJob, type JobRow } from './repositories'

const mostListed = 500

/** Jobs, the newest first, of the repositories that somebody may see. */
export async function listJobs(context: Context, query: JobQuery): Promise<Page<RepositoryJob>> {
  const { items } = await listRepositories(context, { limit: mostListed })
  const seen = items.map(({ repository }) => repository)
  const wanted = seen.filter((slug) => query.repository === undefined || slug === query.repository)
  const rows = await context.db
    .select()
    .from(repositoryJobs)
    .where(
      and(
        inArray(repositoryJobs.repository, wanted),
        query.state ? eq(repositoryJobs.state, query.state) : undefined,
      ),
    )
    .orderBy(desc(repositoryJobs.id))
    .limit(mostListed)
  const page = pageFrom(rows, query)
  return { ...page, items: page.items.map(toJob) }
}

async function findJob(db: Queries, id: number): Promise<JobRow> {
  const [row] = await db.select().from(repositoryJobs).where(eq(repositoryJobs.id, id))
  if (!row) throw notFound(`job ${id}`)
  // Whose repository is not there for somebody, neither are its jobs.
  await findRepository(db, row.repository)
  return row
}

export const readJob = async ({ db }: Context, id: number): Promise<RepositoryJob> =>
  toJob(await findJob(db, id))

/** The log of a job, from a line on. */
export async function jobLines(
  { db }: Context,
  id: number,
  { after = 0, ...query }: JobLineQuery,
): Promise<Page<JobLine>> {
  await findJob(db, id)
  const rows = await db
    .select()
    .from(repositoryJobLines)
    .where(and(eq(repositoryJobLines.jobId, id), gt(repositoryJobLines.number, after)))
    .orderBy(asc(repositoryJobLines.number))
  const page = pageFrom(rows, query)
  return {
    ...page,
    items: page.items.map(({ number, at, kind, text }) => ({
      ...{ number, at: at.toISOString(), kind, text },
    })),
  }
}

/** Does what a job did once more, with what its branch is at now. */
export async function repeatJob(context: Context, id: number): Promise<RepositoryJob> {
  const { repository, ref, state } = await findJob(context.db, id)
  if (state === 'waiting' || state === 'running') throw conflict('This job has not ended yet.')
  return readJob(context, await readBranch(context, repository, ref))
}

/** Has a job stop before its next step; what it has done by then stays. */
export async function cancelJob(context: Context, id: number): Promise<RepositoryJob> {
  const { db, actor, now } = context
  const { repository } = await findJob(db, id)
  const { team } = await findRepository(db, repository)
  requirePermission(actor, 'connect', team)
  const stopped = await db
    .update(repositoryJobs)
    .set({
      cancelledBy: actor.displayName,
      state: sql`case when state = 'waiting' then 'cancelled' else state end`,
      endedAt: sql`case when state = 'waiting' then ${now().toISOString()}::timestamptz end`,
      says: sql`case when state = 'waiting' then ${`Cancelled by ${actor.displayName} before it began`} else says end`,
    })
    .where(and(eq(repositoryJobs.id, id), inArray(repositoryJobs.state, ['waiting', 'running'])))
    .returning({ id: repositoryJobs.id })
  if (stopped.length === 0) throw conflict('This job has ended.')
  await announce(db, 'repository')
  return readJob(context, id)
}
