import { digestOf } from '../core/text/file-digest'
import { fork, type ChildProcess } from 'node:child_process'
import { mkdtempSync, readFileSync } from 'node:fs'
import { availableParallelism, cpus, tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as pause } from 'node:timers/promises'
import type { DefinitionSummary } from '../core/definition'
import { migrateDatabase, openAsOwner, type Database } from '../server/db/database'
import { grantTo, roleOf } from '../server/db/grants'
import { apis, people, revisionFiles, revisions } from '../server/db/schema'
import { directExaminer, threadedExaminer } from '../server/jobs/examiner'
import { openQueue, queueOver } from '../server/jobs/queue'
import { actAs, type Services } from '../server/services/context'
import { storeFiles } from '../server/services/files'
import { readImpact, startImpact } from '../server/services/impact'
import { recheckAll } from '../server/services/checking'
import { readRegister } from '../server/services/register'
import { beginRulebook, houseSlug } from '../server/services/rulebooks'
import { largeDefinition } from './large'
import { lines } from './measure'
import { teamId } from '../server/db/names'
import { setTeams } from '../server/services/teams'

const definitions = 240

async function fill(db: Database): Promise<void> {
  for (let n = 0; n < definitions; n++) {
    const bytes = new TextEncoder().encode(JSON.stringify(largeDefinition(100 + (n % 80))))
    const stored = await storeFiles(db, [{ name: 'a.json', bytes }])
    const [file] = stored
    const [api] = await db
      .insert(apis)
      .values({
        slug: `api-${n}`,
        title: `API ${n}`,
        teamId: teamId('Field'),
        audience: 'partner',
        lifecycle: 'active',
        latestNumber: 1,
      })
      .returning({ id: apis.id })
    const [revision] = await db
      .insert(revisions)
      .values({
        apiId: api!.id,
        number: 1,
        version: '1.0.0',
        file: 'a.json',
        sha256: file!.sha256,
        digest: digestOf(stored),
        format: 'OpenAPI 3.1',
        bytes: bytes.byteLength,
        summary: { servers: [] as string[] } as DefinitionSummary,
        counts: { must: 0, should: 0, may: 0 },
        edition: 1,
        savedAt: new Date(),
        savedById: 1,
      })
      .returning({ id: revisions.id })
    await db.insert(revisionFiles).values({ revisionId: revision!.id, position: 0, ...file! })
  }
}

/** Seconds in which cores of this machine were busy: the worker's threads, and the database that serves them. */
const busySeconds = () =>
  cpus().reduce((sum, { times }) => sum + times.user + times.nice + times.sys + times.irq, 0) / 1000

function startWorker(url: string): Promise<ChildProcess> {
  const env = { ...process.env, DATABASE_URL: url, ELM_DIST: import.meta.dirname }
  const keys = mkdtempSync(join(tmpdir(), 'elm-bench-'))
  return new Promise((resolve) => {
    const worker = fork(join(import.meta.dirname, 'worker.mjs'), {
      env: { ...env, ELM_SESSION_SECRET: 's', ELM_GATEWAY_SECRET: 's', ELM_KEYS: keys },
    })
    worker.once('message', () => resolve(worker))
  })
}

/**
 * What an unpublished change would bring, worked out by the real worker over the real queue, while this process answers
 * for the register as the web process does.
 */
export async function impact(): Promise<void> {
  const url = process.env['ELM_BENCH_DATABASE']
  if (!url) throw new Error('ELM_BENCH_DATABASE is not set; run "npm run bench"')
  const { db, pool } = openAsOwner(url)
  await migrateDatabase(db, 'server/db/migrations')
  await grantTo(pool, roleOf(url))
  const actor = {
    id: 1,
    name: 'bench',
    displayName: 'Bench',
    role: 'governance',
    team: undefined,
  } as const
  await db.insert(people).values({ ...actor, passwordHash: '' })
  await db.transaction((tx) => setTeams(tx, ['Field']))
  const text = readFileSync('rulebooks/house.yaml', 'utf8')
  const now = () => new Date()
  await db.transaction((tx) => beginRulebook(tx, text, { actor, now }))
  await fill(db)
  const boss = await openQueue(url, { maintains: false })
  const services: Services = {
    db,
    seenBy: () => db,
    now,
    examiner: directExaminer,
    queue: queueOver(boss, db),
    gatewayFolders: '',
    gatewayAuthority: '',
    gatewaySecret: 's',
    secret: 'a session secret of more than 32 characters',
    alwaysLocal: false,
    lock: (_, work) => work(),
    heads: { keyFile: '', headsFile: '', witness: '' },
    setupCode: '',
    allowedTargets: [],
    mail: { server: '', from: '' },
  }
  const context = actAs(services, actor)
  // As in a register at work: every definition has been checked today, by the edition in force.
  const examiner = threadedExaminer(import.meta.dirname)
  await recheckAll({ ...services, examiner })
  await examiner.close()
  const worker = await startWorker(url)
  const begun = performance.now()
  const before = busySeconds()
  const changed = text.replace(/level: SHOULD/g, 'level: MUST')
  const { impact: id } = await startImpact(context, houseSlug, changed)
  const answers: number[] = []
  let state = 'waiting'
  while (state === 'waiting' || state === 'running') {
    const asked = performance.now()
    await readRegister(db, now(), { limit: 100 })
    answers.push(performance.now() - asked)
    ;({ state } = await readImpact(db, id))
    await pause(50)
  }
  const seconds = (performance.now() - begun) / 1000
  const busy = (busySeconds() - before) / seconds
  const p95 = answers.sort((a, b) => a - b)[Math.floor(answers.length * 0.95)]!
  lines.push(
    `${`Impact of changed levels on ${definitions} definitions, ${state}`.padEnd(52)} ${(seconds * 1000).toFixed(0).padStart(7)} ms   ${busy.toFixed(2).padStart(6)} of ${availableParallelism()} cores busy; register meanwhile ${p95.toFixed(0)} ms for 95 in 100 (at most 200)`,
  )
  worker.kill('SIGKILL')
  await boss.stop({ graceful: false })
  await pool.end()
}
