import { and, asc, eq, isNotNull, lte, ne, sql } from 'drizzle-orm'
import { errorText } from '../../core/text/values'
import type { JobState } from '../../shared/words'
import { repositories, repositoryJobs, settings } from '../db/schema'
import type { Services } from './context'
import { guardedPost } from './guard'
import { announce } from './ledger'
import { remoteOf, type JobRow } from './repositories'

/** Tried so often, each time after a longer while. */
const mostTries = 6
/** Whoever tells has it for so long; a process that dies leaves it to the next. In milliseconds. */
const leaseMs = 60_000
const atOnce = 5

/** What hosts call how far a job is. */
const words: Record<JobState, string> = {
  ...{ waiting: 'pending', running: 'pending', done: 'success' },
  ...{ failed: 'failure', cancelled: 'error' },
}

/**
 * Tells the hosts of repositories how their commits fare. What is to be told is taken before and marked after it, so that it
 * is told again where a process died between; a host keeps the last that it was told.
 */
export async function reportCommits(services: Services): Promise<void> {
  const { db, now } = services
  const taken = await db
    .update(repositoryJobs)
    .set({
      reportDueAt: new Date(now().getTime() + leaseMs),
      reportTries: sql`${repositoryJobs.reportTries} + 1`,
    })
    .where(
      sql`${repositoryJobs.id} in (select id from ${repositoryJobs} where ${and(
        isNotNull(repositoryJobs.reportDueAt),
        lte(repositoryJobs.reportDueAt, now()),
        ne(repositoryJobs.commit, ''),
      )} order by ${asc(repositoryJobs.id)} limit ${atOnce} for update skip locked)`,
    )
    .returning()
  for (const job of taken) {
    const state = words[job.state]
    const trouble = await tell(services, job, state).catch((error: unknown) => errorText(error))
    const isOver = trouble === '' || job.reportTries >= mostTries
    const due = isOver ? null : new Date(now().getTime() + 5000 * 2 ** job.reportTries)
    await db
      .update(repositoryJobs)
      .set({
        reportTrouble: trouble.slice(0, 1000),
        ...(trouble === '' && { reported: state }),
        // It has gone on while it was told: that is told next.
        reportDueAt: sql`case when ${repositoryJobs.state} = ${job.state} then ${due?.toISOString() ?? null}::timestamptz else ${now().toISOString()}::timestamptz end`,
      })
      .where(eq(repositoryJobs.id, job.id))
  }
  if (taken.length > 0) await announce(db, 'repository')
}

/** Tells one; why it could not be told, or nothing. */
async function tell(services: Services, job: JobRow, state: string): Promise<string> {
  const { db, allowedTargets, secret } = services
  const [row] = await db.select().from(repositories).where(eq(repositories.slug, job.repository))
  if (!row || row.statusUrl === '') return ''
  const [house] = await db.select({ address: settings.publicAddress }).from(settings)
  const { token } = remoteOf(row, secret)
  const body = JSON.stringify({
    state,
    context: 'elm-ledger',
    description: (job.says || 'Elm Ledger reads it').slice(0, 140),
    ...(house?.address && { target_url: `${house.address}/promotions/jobs/${job.id}` }),
  })
  const url = row.statusUrl.replaceAll('{commit}', job.commit)
  const status = await guardedPost(url, allowedTargets, body, {
    'content-type': 'application/json',
    ...(token !== '' && { authorization: `Bearer ${token}` }),
  })
  return status >= 200 && status < 300 ? '' : `It answered ${status}.`
}
