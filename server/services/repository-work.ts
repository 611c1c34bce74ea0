import { digestOf } from '../../core/text/file-digest'
import { and, asc, desc, eq, inArray, isNull, ne, sql } from 'drizzle-orm'
import { isSameLine } from '../../core/compare/version'
import { refText } from '../../core/pipeline/refs'
import { count } from '../../core/text/counted'
import { shellQuoted, shellWord } from '../../core/text/shell'
import type { Fault } from '../../shared/api/problem'
import type { JobOutcome, RepositoryDefinition } from '../../shared/api/repositories'
import type { JobLineKind } from '../../shared/words'
import { personColumns } from '../db/names'
import {
  people,
  placements,
  promotions,
  repositories,
  repositoryJobLines,
  repositoryJobs,
  rollouts,
  settings,
} from '../db/schema'
import { revisionEtag } from '../../shared/etags'
import type { FileBytes, FileSet } from '../jobs/analysis'
import { findApi, findRevision, revisionOfVersion, saveFiles, type ApiRow } from './catalog'
import { actAs, byItself, type Context, type Services } from './context'
import { conflict, Failure } from './failure'
import { filesOf, loadFiles, sha256 } from './files'
import { gather } from './gathering'
import { fetchCommit, type Commit } from './git-remote'
import { enterRegister, prepareFiles } from './intakes'
import { announce, record } from './ledger'
import { toActor } from './people'
import { requirePermission } from './permissions'
import { Pipelines } from './pipelines'
import { draftPlacement, intendPlacing, routesFor } from './placements'
import { placedIn } from './promotion-plans'
import { requestPromotion } from './promotions'
import {
  findRepository,
  remoteOf,
  shelteredBy,
  type JobRow,
  type RepositoryRow,
} from './repositories'
import { carryOut, readRollout } from './rollouts'

/** A job whose worker dies so often is given up. */
const mostAttempts = 3
/** How long a job waits for a rollout before it leaves it to itself, in milliseconds. */
const waitsMs = 120_000
const mostLines = 2000

/** Jobs that have not ended, oldest first. */
const unfinished = async ({ db }: Services): Promise<number[]> =>
  (
    await db
      .select({ id: repositoryJobs.id })
      .from(repositoryJobs)
      .where(isNull(repositoryJobs.endedAt))
      .orderBy(asc(repositoryJobs.id))
  ).map(({ id }) => id)

/** Jobs as what has to be done. */
export const jobTable = (services: Services) => ({
  what: 'job',
  // Each has a connection for its lock, and waits for rollouts that want one, too.
  atOnce: 3,
  unfinished: () => unfinished(services),
  work: (id: number) => workJob(services, id),
})

/** Does everything that has not ended. */
export async function workJobs(services: Services): Promise<void> {
  for (const id of await unfinished(services)) await workJob(services, id)
}

/**
 * Does what a branch asks for, one job of a repository at a time. Who takes over from somebody who died begins again: each
 * step looks whether it is done already.
 */
export async function workJob(services: Services, id: number): Promise<'ended'> {
  const row = await jobOf(services, id)
  if (!row) return 'ended'
  await services.lock(`repository ${row.repository}`, async () => {
    const now = await jobOf(services, id)
    if (now && !now.endedAt) await new Job(services, now).run()
  })
  return 'ended'
}

async function jobOf({ db }: Services, id: number): Promise<JobRow | undefined> {
  const [row] = await db.select().from(repositoryJobs).where(eq(repositoryJobs.id, id))
  return row
}

/** Somebody asked that the job stops. */
class Cancelled extends Error {}

class Job {
  private lines = 0
  private readonly outcomes: JobOutcome[] = []
  private address = ''

  constructor(
    private readonly services: Services,
    private readonly row: JobRow,
  ) {}

  async run(): Promise<void> {
    const { db } = this.services
    const [last] = await db
      .select({ number: sql<number>`coalesce(max(${repositoryJobLines.number}), 0)::int` })
      .from(repositoryJobLines)
      .where(eq(repositoryJobLines.jobId, this.row.id))
    this.lines = last!.number
    const attempts = this.row.attempts + 1
    await this.keep({ state: 'running', attempts })
    try {
      if (attempts > mostAttempts)
        return await this.end('failed', 'Whoever worked on it ended three times in the middle')
      if (attempts > 1) await this.log('step', 'Begun again: whoever worked on it ended in between')
      await this.work()
    } catch (error) {
      if (error instanceof Cancelled) return this.end('cancelled', error.message)
      if (!(error instanceof Failure)) throw error
      await this.end('failed', error.detail)
    }
  }

  private async work(): Promise<void> {
    const { db, allowedTargets, secret } = this.services
    const repository = await findRepository(db, this.row.repository)
    const context = await this.actingFor(repository)
    const [house] = await db.select({ address: settings.publicAddress }).from(settings)
    this.address = house?.address ?? ''
    const { ref } = this.row
    // Whoever may push has chosen its name, and others copy it into a terminal.
    const name = shellWord(refText(ref).replace(/^tag /, ''))
    const url = shellWord(repository.url)
    await this.log('command', `git clone --depth 1 --branch ${name} ${url} definitions`)
    const commit = await fetchCommit(remoteOf(repository, secret), ref, allowedTargets)
    if (!commit) return this.end('done', `${refText(ref)} is not there any more; nothing was done`)
    const { commit: id, author, message } = commit
    await this.keep({ commit: id, author: author.slice(0, 200), message: message.slice(0, 500) })
    await this.log('step', `${refText(ref)} is at ${id.slice(0, 10)}: ${message} (${author})`)
    const earlier = await this.doneBefore(id)
    if (earlier !== undefined)
      return this.end(
        'done',
        `Job ${earlier} has done what there is to do about ${id.slice(0, 10)}`,
      )
    await this.keep({ reportDueAt: this.services.now() })
    for (const definition of repository.definitions) {
      await this.stopIfCancelled()
      await this.definition(context, repository, definition, commit)
    }
    const failed = this.outcomes.filter(({ state }) => state === 'failed')
    const done = this.outcomes.map(({ says }) => says).join('. ')
    await this.end(failed.length > 0 ? 'failed' : 'done', done)
  }

  /** Whose name it is done in: whoever set the repository, as far as they may still do it. */
  private async actingFor({ setById, title }: RepositoryRow): Promise<Context> {
    const [person] = await this.services.db
      .select(personColumns)
      .from(people)
      .where(eq(people.id, setById))
    if (person?.endedAt === null) return actAs(this.services, toActor(person))
    throw conflict(
      `${person?.displayName ?? 'Whoever'} set ${title}, and may not sign in any more. Somebody else has to save it.`,
    )
  }

  /** The job that dealt with a commit before; one that somebody asked for does it again. */
  private async doneBefore(commit: string): Promise<number | undefined> {
    const { id, repository, ref, stage, cause } = this.row
    if (cause === 'hand') return undefined
    const [found] = await this.services.db
      .select({ id: repositoryJobs.id })
      .from(repositoryJobs)
      .where(
        and(
          ...[eq(repositoryJobs.repository, repository), eq(repositoryJobs.ref, ref)],
          ...[eq(repositoryJobs.stage, stage), eq(repositoryJobs.commit, commit)],
          ...[eq(repositoryJobs.state, 'done'), ne(repositoryJobs.id, id)],
        ),
      )
      .orderBy(desc(repositoryJobs.id))
      .limit(1)
    return found?.id
  }

  private async definition(
    context: Context,
    repository: RepositoryRow,
    { path, api: slug }: RepositoryDefinition,
    commit: Commit,
  ): Promise<void> {
    let known = slug
    try {
      const files = await this.filesAt(path, commit)
      const held = slug === '' ? undefined : await findApi(context.db, slug)
      requirePermission(context.actor, 'edit', held?.team ?? repository.team)
      const saved = held
        ? await this.saved(context, held, files)
        : await this.entered(context, repository, path, files)
      known = saved.api.slug
      await this.stopIfCancelled()
      this.outcomes.push(await this.moved(context, { path, ...saved }))
    } catch (error) {
      if (!(error instanceof Failure)) throw error
      for (const fault of (error.faults ?? []).slice(0, 50)) await this.log('bad', placed(fault))
      if (!error.faults?.length) await this.log('bad', error.detail)
      this.outcomes.push({ path, api: known, state: 'failed', says: `${path}: ${error.detail}` })
    }
    await this.keep({ outcomes: this.outcomes })
  }

  /** The main file with everything that it refers to. */
  private async filesAt(path: string, commit: Commit): Promise<FileSet> {
    const { examiner } = this.services
    const bytes = await commit.file(path)
    if (!bytes) throw conflict(`There is no file ${path} at this commit.`)
    const main: FileSet = [{ name: path, bytes }]
    const find = async (names: string[]): Promise<FileBytes[]> => {
      const found: FileBytes[] = []
      for (const name of names) {
        const file = await commit.file(name)
        if (file) found.push({ name, bytes: file })
      }
      return found
    }
    const files = await gather(examiner, main, (await examiner.names(main))?.missing ?? [], find)
    const others = files.length - 1
    await this.log(
      'step',
      `${path}: ${bytes.byteLength} bytes${others > 0 ? `, with ${count(others, 'file')} that it refers to` : ''}`,
    )
    return files
  }

  /** The newest revision as it is, or the next one. */
  private async saved(context: Context, api: ApiRow, files: FileSet): Promise<Held> {
    const { db, examiner } = context
    const newest = await findRevision(db, api, api.latestNumber)
    const { number, version } = newest
    const stored = files.map(({ name, bytes }) => ({
      ...{ name, bytes: bytes.byteLength },
      sha256: sha256(bytes),
    }))
    if (digestOf(stored) === newest.digest) {
      await this.log('good', `It is revision ${number} of ${api.title} already`)
      return { api, state: 'same', revision: number, version }
    }
    const kept = await loadFiles(db, await filesOf(db, newest.id))
    const file = shellWord(`definitions/${files[0].name}`)
    await this.log('command', `elm-ledger compare revision-${number}.yaml ${file}`)
    const compared = await examiner.compare(kept, files)
    if (!('fault' in compared)) {
      const { breaking, risky, safe } = compared.counts
      await this.log(
        'step',
        `Beside revision ${number}: ${breaking} breaking, ${risky} risky and ${count(safe, 'safe change')}`,
      )
    }
    await this.log('command', `elm-ledger lint ${file}`)
    await this.log(
      'command',
      `${this.call(`/apis/${api.slug}/revisions`)} -H 'If-Match: ${revisionEtag(number)}' --data-binary @${file}`,
    )
    const saved = await saveFiles(context, api, files)
    const { must, should, may } = saved.findings
    await this.log(
      'good',
      `Saved as revision ${saved.revision} of ${api.title}, version ${saved.version}; findings: ${must} at MUST, ${should} at SHOULD, ${may} at MAY`,
    )
    return { api, state: 'saved', revision: saved.revision, version: saved.version }
  }

  /** A new API of the register; the repository knows it from then on. */
  private async entered(
    context: Context,
    { slug, team, audience }: RepositoryRow,
    path: string,
    files: FileSet,
  ): Promise<Held> {
    const entry = await prepareFiles(context, files, '', { api: undefined, team, audience })
    const saved = await context.db.transaction(async (tx) => {
      const made = await enterRegister(tx, context, entry)
      const [row] = await tx
        .select({ definitions: repositories.definitions })
        .from(repositories)
        .where(eq(repositories.slug, slug))
        .for('update')
      const definitions = (row?.definitions ?? []).map((one) =>
        one.path === path && one.api === '' ? { path, api: made.api } : one,
      )
      await tx.update(repositories).set({ definitions }).where(eq(repositories.slug, slug))
      return made
    })
    await this.log('good', `Entered as a new API, ${saved.api}, version ${saved.version}`)
    const api = await findApi(context.db, saved.api)
    return { api, state: 'saved', revision: saved.revision, version: saved.version }
  }

  /** What the stage of the branch asks for: to stand in the first one, or to be promoted into a later one. */
  private async moved(context: Context, held: Held & { path: string }): Promise<JobOutcome> {
    const { api, version, path, state, revision } = held
    const { stage } = this.row
    const { title, content } = (await Pipelines.read(context.db)).for(api)
    const index = content.stages.findIndex(({ name }) => name === stage)
    if (index < 0)
      throw conflict(`${title}, which versions of ${api.title} take, does not go through ${stage}.`)
    const outcome = { path, api: api.slug, state, revision, version }
    return index === 0
      ? { ...outcome, ...(await this.placed(context, held)) }
      : { ...outcome, ...(await this.asked(context, held, content.stages[index - 1]!.name)) }
  }

  private async placed(context: Context, { api, version }: Held) {
    const { stage } = this.row
    const { db } = context
    const revision = await revisionOfVersion(db, api, version)
    // Whoever began with the job may have wanted it.
    for (const { id, wanted } of await this.underWay(api, revision.id))
      await this.carriedOut(context, id, wanted)
    const all = await db
      .select()
      .from(placements)
      .where(and(eq(placements.apiId, api.id), eq(placements.stage, stage)))
      .orderBy(asc(placements.id))
    // What breaks clients stands beside the version that they call.
    const there = all.filter((row) => isSameLine(row.version, version))
    const title = `${api.title} ${version}`
    const behind = there.filter((row) => row.revisionId !== revision.id)
    if (there.length > 0 && behind.length === 0) {
      await this.log('good', `${title} stands in ${stage}`)
      return { says: `${title} stands in ${stage}` }
    }
    const targets =
      there.length > 0
        ? behind.map(({ group, spec }) => ({
            group,
            spec: { ...spec, routes: routesFor(revision.summary, spec.routes) },
          }))
        : [await draftPlacement(context, api.slug, { version, stage })]
    let last: number | undefined
    for (const { group, spec } of targets) {
      await this.log(
        'step',
        `Placing ${title} in ${stage} at ${group}, ${spec.host}${spec.basePath}`,
      )
      const target = { api, version, revision, stage, group, spec }
      const { rollout, id } = await intendPlacing(context, target)
      await this.carriedOut(context, rollout, id)
      last = rollout
    }
    return { says: `${title} is placed in ${stage}`, ...(last !== undefined && { rollout: last }) }
  }

  /** Rollouts that are placing a revision in the stage at this moment, with what each places. */
  private async underWay(api: ApiRow, revision: number): Promise<{ id: number; wanted: string }[]> {
    const rows = await this.services.db
      .select({ id: rollouts.id, change: rollouts.change })
      .from(rollouts)
      .where(and(isNull(rollouts.endedAt), eq(rollouts.apiId, api.id)))
      .orderBy(asc(rollouts.id))
    return rows.flatMap(({ id, change }) => {
      const wanted = change.kind === 'place' ? change.wanted : []
      const own = wanted.find((one) => one.revisionId === revision && one.stage === this.row.stage)
      return own ? [{ id, wanted: own.id }] : []
    })
  }

  private async carriedOut(context: Context, rollout: number, placement: string): Promise<void> {
    const { steps } = await readRollout(context.db, rollout)
    await this.log(
      'step',
      `Rollout ${rollout} reaches ${steps.map(({ gateway }) => gateway).join(', ')}`,
    )
    const until = Date.now() + waitsMs
    while (!(await carryOut(context, rollout))) {
      if (Date.now() > until)
        throw conflict(`Rollout ${rollout} has not ended yet; it goes on by itself.`)
      await this.stopIfCancelled()
    }
    await this.log('good', `${placement} runs as approved`)
  }

  private async asked(context: Context, { api, version }: Held, from: string) {
    const { stage } = this.row
    const { db } = context
    const title = `${api.title} ${version}`
    const standsIn = async (name: string) =>
      (await placedIn(db, { apiId: api.id, version, fromStage: name })).length > 0
    if (await standsIn(stage)) {
      await this.log('good', `${title} stands in ${stage}`)
      return { says: `${title} stands in ${stage}` }
    }
    if (!(await standsIn(from)))
      throw conflict(`${title} is not in ${from}, from where it would be promoted into ${stage}.`)
    const [waiting] = await db
      .select({ id: promotions.id })
      .from(promotions)
      .where(
        and(
          ...[eq(promotions.apiId, api.id), eq(promotions.version, version)],
          ...[eq(promotions.toStage, stage), inArray(promotions.state, ['waiting', 'under-way'])],
          eq(promotions.kind, 'promotion'),
        ),
      )
    if (waiting) {
      await this.log('good', `Promotion ${waiting.id} into ${stage} is waiting already`)
      return { promotion: waiting.id, says: `${title} waits to be promoted into ${stage}` }
    }
    const asking = { api: api.slug, version, from, note: `Pushed to ${refText(this.row.ref)}` }
    await this.log(
      'command',
      `${this.call('/promotions')} -H 'Content-Type: application/json' -d ${shellQuoted(JSON.stringify(asking))}`,
    )
    const { id, gates } = await requestPromotion(context, asking)
    const open = gates.filter((gate) => gate.state === 'passed').length
    await this.log(
      'good',
      `Promotion ${id} into ${stage} is asked for; ${open} of ${gates.length} gates are open`,
    )
    return { promotion: id, says: `${title} waits to be promoted into ${stage}` }
  }

  /** The beginning of a call of the API from a terminal. */
  private call = (path: string) =>
    `curl -X POST ${shellQuoted(`${this.address}/api/v1${path}`)} -H "Authorization: Bearer $ELM_TOKEN"`

  private async stopIfCancelled(): Promise<void> {
    const now = await jobOf(this.services, this.row.id)
    // Gone with its repository.
    if (!now) throw new Cancelled('The repository was disconnected')
    if (now.cancelledBy !== '') throw new Cancelled(`Cancelled by ${now.cancelledBy}`)
  }

  private async log(kind: JobLineKind, text: string): Promise<void> {
    const { db, now } = this.services
    if (this.lines >= mostLines) return
    const line = {
      jobId: this.row.id,
      number: ++this.lines,
      at: now(),
      kind,
      text: text.slice(0, 4000),
    }
    // It goes with its repository.
    await db.execute(sql`
      insert into ${repositoryJobLines} (job_id, number, at, kind, text)
      select id, ${line.number}, ${line.at.toISOString()}::timestamptz, ${kind}, ${line.text} from ${repositoryJobs} where id = ${this.row.id}`)
    await announce(db, 'repository')
  }

  private keep(values: Partial<JobRow>) {
    return this.services.db
      .update(repositoryJobs)
      .set(values)
      .where(eq(repositoryJobs.id, this.row.id))
  }

  private async end(state: 'done' | 'failed' | 'cancelled', says: string): Promise<void> {
    const { db, now } = this.services
    await this.log(state === 'done' ? 'good' : 'bad', says)
    const { id, repository, ref } = this.row
    await db.transaction(async (tx) => {
      const [row] = await tx
        .update(repositoryJobs)
        .set({
          state,
          says: says.slice(0, 2000),
          endedAt: now(),
          reportDueAt: now(),
          reportTries: 0,
        })
        .where(eq(repositoryJobs.id, id))
        .returning({ commit: repositoryJobs.commit })
      if (!row) return
      const [of] = await tx
        .select({ definitions: repositories.definitions })
        .from(repositories)
        .where(eq(repositories.slug, repository))
      await record(
        tx,
        { actor: byItself, now },
        {
          action: 'repository.read',
          api: await shelteredBy(tx, of!.definitions),
          subject: repository,
          after: { job: id, ref, commit: row.commit, state },
        },
      )
    })
    await announce(db, 'repository')
  }
}

/** What a commit holds of an API, as the register has it. */
interface Held {
  api: ApiRow
  state: 'saved' | 'same'
  revision: number
  version: string
}

/** A fault of a text with its place. */
const placed = ({ field, message, line, column }: Fault): string =>
  line === undefined ? `${field}: ${message}` : `${field}:${line}:${column ?? 1} ${message}`
