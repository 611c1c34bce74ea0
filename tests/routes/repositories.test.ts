import { createHmac, randomUUID } from 'node:crypto'
import { mkdtempSync, rmSync } from 'node:fs'
import http from 'node:http'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { eq } from 'drizzle-orm'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { RepositoryJob, RepositoryRequest } from '../../shared/api/repositories'
import { apis, people, repositories, repositoryJobs } from '../../server/db/schema'
import { followSources } from '../../server/services/drift-source'
import { reportCommits } from '../../server/services/commit-status'
import { jobTable, workJob } from '../../server/services/repository-work'
import { repositoryEtag, revisionEtag } from '../../shared/etags'
import { RepositoryHost } from '../../standins/repositories'
import { freePort, listen } from '../support/gateway'
import { Killed, mortal } from '../support/mortal'
import { definition, makeWorld, Refused, Visitor, type World } from '../support/world'

let world: World
let imara: Visitor, tomas: Visitor, nadia: Visitor, wren: Visitor
let host: RepositoryHost
let server: http.Server
let origin: string
const folder = mkdtempSync(join(tmpdir(), 'elm-host-'))
const path = 'apis/supply.yaml'
const written = definition('supply-interruptions/2.4.0.yaml')
const text = (version: string) => written.replace('version: 2.4.0', `version: ${version}`)

beforeAll(async () => {
  world = await makeWorld({ gateways: { 'north-edge': 'edge' } })
  ;[imara, tomas, nadia, wren] = (await Promise.all(
    ['imara', 'tomas', 'nadia', 'wren'].map((name) => world.visitor(name)),
  )) as [Visitor, Visitor, Visitor, Visitor]
  host = new RepositoryHost(folder, 'a-token')
  const port = await freePort()
  origin = `http://127.0.0.1:${port}`
  server = http.createServer(host.listener)
  await listen(server, port)
  world.services.allowedTargets.push(new URL(origin).host)
  await host.create('supply', { [path]: text('2.4.0') })
})
afterAll(async () => {
  server.close()
  server.closeAllConnections()
  rmSync(folder, { recursive: true })
  await world.close()
})

const wanted = (more: Partial<RepositoryRequest> = {}): RepositoryRequest => ({
  title: 'Supply',
  url: `${origin}/git/supply.git`,
  statusUrl: `${origin}/git/supply/statuses/{commit}`,
  ...{ team: 'Network Control', audience: 'partner', token: 'a-token' },
  refs: [
    { kind: 'branch', name: 'main', stage: 'Trial' },
    { kind: 'tag', name: 'v*', stage: 'Rehearsal' },
  ],
  definitions: [{ path, api: '' }],
  ...more,
})
const push = (version: string, more: { branch?: string; text?: string } = {}) =>
  host.commit('supply', {
    ...{ branch: 'main', path, message: `Raise to ${version}`, author: 'Tomas Verrall' },
    ...{ text: text(version), ...more },
  })
/** Does all jobs that wait, and answers the newest one. */
async function worked(): Promise<RepositoryJob> {
  const { unfinished, work } = jobTable(world.services)
  for (const id of await unfinished()) await work(id)
  return (await tomas.api.listRepositoryJobs({ limit: 1 })).items[0]!
}
const looked = async () => {
  await tomas.api.readRepositoryBranches({ repository: 'supply' })
  return worked()
}
const logOf = async ({ job }: RepositoryJob) =>
  (await tomas.api.listRepositoryJobLines({ job })).items.map(({ kind, text }) => `${kind} ${text}`)
const api = 'supply-interruptions'

let secret = ''
function signed(
  body: object,
  { id = randomUUID(), key = secret, at = Date.now() } = {},
): [string, Record<string, string>] {
  const sent = JSON.stringify(body)
  const time = String(Math.floor(at / 1000))
  const signature = createHmac('sha256', Buffer.from(key.replace('whsec_', ''), 'base64'))
    .update(`${id}.${time}.${sent}`)
    .digest('base64')
  const headers = { 'webhook-id': id, 'webhook-timestamp': time }
  return [sent, { ...headers, 'webhook-signature': `v1,${signature}` }]
}
const stranger = () => new Visitor(world.base)
const deliver = (body: object, options = {}, repository = 'supply') =>
  stranger().call<{ job?: number; says: string; detail: string }>(
    'POST',
    `/repositories/${repository}/deliveries`,
    ...signed(body, options),
  )

describe('a repository', () => {
  it('is connected by those whose definitions they are, with everything at fault named', async () => {
    const attempt = (visitor: Visitor, more: Partial<RepositoryRequest>) =>
      visitor.call<{ detail: string; faults: { field: string }[] }>(
        'POST',
        '/repositories',
        wanted(more),
      )
    expect((await attempt(wren, {})).status).toBe(403)
    expect((await attempt(nadia, {})).status).toBe(403)
    const refused = await attempt(tomas, {
      ...{ url: 'ssh://git@host/x', statusUrl: 'https://other.example/x' },
      refs: [{ kind: 'branch', name: '$(rm)', stage: 'Nowhere' }],
      definitions: [
        { path: '../x', api: 'none' },
        { path: '../x', api: '' },
      ],
    })
    expect(refused.status).toBe(422)
    expect(refused.body.faults.map(({ field }) => field)).toEqual([
      ...['url', 'statusUrl', 'statusUrl', 'refs.0.name', 'refs.0.stage'],
      ...['definitions.0.path', 'definitions.0.api', 'definitions.1.path', 'definitions.1.path'],
    ])
    for (const more of [{ refs: [] }, { definitions: [] }, { url: `http://a:b@127.0.0.1/x` }])
      expect((await attempt(tomas, more)).status).toBe(422)
  })

  it('brings its definitions into the register, and says what is to be decided before they are placed', async () => {
    const made = await tomas.api.connectRepository({}, wanted())
    secret = made.secret
    expect(secret).toMatch(/^whsec_/)
    expect(made.last).toMatchObject({ state: 'waiting', ref: 'refs/heads/main', cause: 'found' })
    expect(JSON.stringify(await tomas.api.getRepository({ repository: 'supply' }))).not.toContain(
      secret,
    )
    const job = await worked()
    expect(job).toMatchObject({
      ...{ state: 'failed', author: 'Nadia Corrie', message: 'Describe readings' },
      outcomes: [{ path, api, state: 'failed' }],
    })
    expect(job.says).toMatch(/decide/i)
    expect(await logOf(job)).toContainEqual(
      'good Entered as a new API, supply-interruptions, version 2.4.0',
    )
    const { definitions } = await tomas.api.getRepository({ repository: 'supply' })
    expect(definitions).toEqual([{ path, api }])
    await reportCommits(world.services)
    expect(host.statusOf('supply', job.commit)).toMatchObject({
      ...{ state: 'failure', context: 'elm-ledger' },
    })
  })

  it('goes on from where a person has decided', async () => {
    await tomas.entered(api)
    const { spec, group } = await tomas.api.getPlacementDraft({ api })
    const routes = spec.routes.map((row) => ({ ...row, treatment: { kind: 'mock' as const } }))
    await tomas.api.createPlacement({}, { api, version: '2.4.0', group, spec: { ...spec, routes } })
    const [last] = (await tomas.api.listRepositoryJobs({})).items
    await tomas.api.retryRepositoryJob({ job: last!.job })
    const job = await worked()
    expect(job).toMatchObject({ state: 'done', cause: 'hand' })
    expect(job.says).toBe('Supply Interruptions 2.4.0 stands in Trial')
    expect(job.outcomes).toMatchObject([{ state: 'same', revision: 1, version: '2.4.0' }])
  })

  it('is told of a push by its host, and what was pushed is saved, placed and told of', async () => {
    host.setHook('supply', { url: `${world.base}/api/v1/repositories/supply/deliveries`, secret })
    const commit = await push('2.4.1')
    await expect.poll(() => host.deliveriesOf('supply')[0]?.status).toBe(202)
    const job = await worked()
    expect(job).toMatchObject({ state: 'done', cause: 'push', commit })
    expect(job.outcomes).toMatchObject([{ api, state: 'saved', revision: 2, version: '2.4.1' }])
    expect(job.outcomes[0]!.rollout).toBeGreaterThan(0)
    const { items } = await tomas.api.listPlacements({ api })
    expect(items).toMatchObject([{ version: '2.4.1', stage: 'Trial', revision: 2 }])
    const log = await logOf(job)
    expect(log[0]).toBe(
      `command git clone --depth 1 --branch main ${origin}/git/supply.git definitions`,
    )
    expect(log).toContainEqual('step Beside revision 1: 0 breaking, 0 risky and 1 safe change')
    await reportCommits(world.services)
    expect(host.statusOf('supply', commit)).toMatchObject({ state: 'success' })
    // Nothing is told twice.
    expect(await tomas.api.getRepositoryJob({ job: job.job })).toMatchObject({
      ...{ reported: 'success', reportTrouble: '' },
    })
    const entries = (await imara.api.listLedgerEntries({ search: 'supply' })).items
    expect(entries.some(({ action }) => action === 'repository.read')).toBe(true)
  })

  it('does nothing about what was done, however often and in whatever order it is told', async () => {
    const count = async () => (await tomas.api.listRepositoryJobs({})).items.length
    await push('2.4.2')
    await push('2.4.3')
    await expect.poll(() => host.deliveriesOf('supply').length).toBe(3)
    await worked()
    const message = { ref: 'refs/heads/main', before: '1', after: '2' }
    const id = randomUUID()
    expect((await deliver(message, { id })).status).toBe(202)
    expect((await deliver(message, { id })).status).toBe(409)
    const both = await Promise.all([deliver({ data: message }), deliver(message)])
    expect(new Set(both.map(({ body }) => body.job)).size).toBe(1)
    const job = await worked()
    expect(job.says).toMatch(/^Job \d+ has done what there is to do about/)
    const { items } = await tomas.api.listRevisions({ api })
    expect(items.map(({ version }) => version).filter((one) => one === '2.4.3')).toHaveLength(1)
    const before = await count()
    await looked()
    expect(await count()).toBe(before)
  })

  it('is believed by its signature alone', async () => {
    const message = { ref: 'refs/heads/main' }
    const other = `whsec_${Buffer.alloc(24, 'x').toString('base64')}`
    const words = new Set<string>()
    for (const [options, repository] of [
      [{ key: other }, 'supply'],
      [{}, 'no-such-repository'],
      [{ key: other }, 'no-such-repository'],
    ] as const) {
      const answer = await deliver(message, options, repository)
      expect(answer.status).toBe(401)
      words.add(answer.body.detail)
    }
    expect(words.size).toBe(1)
    const hour = 3_600_000
    for (const at of [Date.now() - hour, Date.now() + hour])
      expect((await deliver(message, { at })).body.detail).toMatch(/five minutes/)
    const url = '/repositories/supply/deliveries'
    const [body, headers] = signed(message)
    const changed = body.replace('main', 'other')
    expect((await stranger().call('POST', url, changed, headers)).status).toBe(401)
    expect((await stranger().call('POST', url, body)).status).toBe(401)
    const without = { ...headers, 'webhook-signature': headers['webhook-signature']!.slice(3) }
    expect((await stranger().call('POST', url, body, without)).status).toBe(401)
    const two = { ...headers, 'webhook-signature': `v1,AAAA ${headers['webhook-signature']}` }
    expect((await stranger().call('POST', url, body, two)).status).toBe(202)
    expect((await deliver({ ref: 'refs/heads/else' })).body).toEqual({
      says: 'else belongs to no stage, so that nothing is done.',
    })
    for (const odd of [{}, { ref: 7 }, { ref: 'main' }, { ref: `refs/${'x'.repeat(300)}` }, []])
      expect((await deliver(odd)).status).toBe(422)
    const large = { ref: 'refs/heads/main', more: 'x'.repeat(300_000) }
    expect((await deliver(large)).status).toBe(413)
    await tomas.api.renewRepositorySecret({ repository: 'supply' })
    expect((await deliver(message)).status).toBe(401)
    await worked()
  })

  it('is told of a push in the way of its host: an HMAC in a header, or a token', async () => {
    const { secret: own } = await tomas.api.renewRepositorySecret({ repository: 'supply' })
    const settings = async (webhook?: RepositoryRequest['webhook']) => {
      const now = await tomas.api.getRepository({ repository: 'supply' })
      const { token: _, ...rest } = wanted({ definitions: now.definitions })
      return tomas.call<{ faults: { field: string }[] }>(
        'PUT',
        '/repositories/supply',
        { ...rest, ...(webhook && { webhook }) },
        { 'if-match': repositoryEtag(now) },
      )
    }
    const url = '/repositories/supply/deliveries'
    const send = (body: string, headers: Record<string, string>) =>
      stranger().call<{ says: string; job?: number }>('POST', url, body, headers)
    const hmac = (body: string, key = own) =>
      `sha256=${createHmac('sha256', key).update(body).digest('hex')}`
    for (const header of ['', 'Authorization', 'webhook-id', 'a b'])
      expect((await settings({ kind: 'hmac-sha256', header })).status).toBe(422)
    expect((await settings({ kind: 'hmac-sha256', header: 'X-Signature-256' })).status).toBe(200)
    const pushed = JSON.stringify({
      changes: [{ new: { ref: 'refs/heads/main' } }, { new: { ref: 'refs/heads/x' } }],
    })
    // The same again is another push: it says nothing of when it was sent.
    for (let n = 0; n < 2; n++)
      expect((await send(pushed, { 'x-signature-256': hmac(pushed) })).body.job).toBeGreaterThan(0)
    await world.db.update(repositories).set({ refusedAt: null })
    for (const bad of [hmac(pushed, 'other'), hmac(`${pushed} `), hmac(pushed).slice(7), '', own])
      expect((await send(pushed, { 'x-signature-256': bad })).status).toBe(401)
    expect((await deliver({ ref: 'refs/heads/main' }, { key: own })).status).toBe(401)
    const refused = await tomas.api.getRepository({ repository: 'supply' })
    expect(refused.refusedAt).toBeDefined()
    expect(refused.refusedWhy).toMatch(/not signed with the secret/)
    expect((await settings({ kind: 'token', header: 'X-Push-Token' })).status).toBe(200)
    expect((await send(pushed, { 'x-push-token': own })).status).toBe(202)
    for (const bad of ['', 'x', hmac(pushed)])
      expect((await send(pushed, { 'x-push-token': bad })).status).toBe(401)
    for (const odd of ['[]', '{"ref":"main"}', JSON.stringify({ deep: 'refs/other/main' }), 'no'])
      expect((await send(odd, { 'x-push-token': own })).status).toBe(422)
    expect((await settings()).status).toBe(200)
    expect((await deliver({ ref: 'refs/heads/main' }, { key: own })).status).toBe(202)
    await worked()
  })

  it('is not taken where its text is wrong, or a version that is placed has another one', async () => {
    await push('2.4.3', { text: text('2.4.3').replace('Planned and', 'Wanted and') })
    const fixed = await looked()
    expect(fixed).toMatchObject({ state: 'failed', outcomes: [{ state: 'failed', api }] })
    expect(fixed.says).toMatch(/Version 2.4.3 .* is placed, so its text is fixed/)
    await push('2.4.4', { text: 'openapi: 3.1.0\ninfo: [\n' })
    const broken = await looked()
    expect(broken.state).toBe('failed')
    expect((await logOf(broken)).some((line) => /^bad apis\/supply.yaml:\d+:\d+ /.test(line))).toBe(
      true,
    )
    expect((await tomas.api.listRevisions({ api })).items[0]!.version).toBe('2.4.3')
    // It is tried again when somebody asks, and not by itself.
    const before = (await tomas.api.listRepositoryJobs({})).items.length
    await looked()
    expect((await tomas.api.listRepositoryJobs({})).items).toHaveLength(before)
  })

  it('is asked for in a later stage by a tag, from the stage before', async () => {
    await push('2.5.0')
    await host.tag('supply', 'v2.5.0', 'main')
    await looked()
    const { items } = await tomas.api.listRepositoryJobs({})
    const tagged = items.find(({ ref }) => ref === 'refs/tags/v2.5.0')!
    // Both were wanted at once: where the tag came first, the version was not in Trial yet.
    const job =
      tagged.state === 'done'
        ? tagged
        : await tomas.api.retryRepositoryJob({ job: tagged.job }).then(worked)
    expect(job.outcomes).toMatchObject([{ api, version: '2.5.0', state: 'same' }])
    const [waiting] = (await tomas.api.listPromotions({ state: 'waiting' })).items
    expect(waiting).toMatchObject({
      id: job.outcomes[0]!.promotion,
      version: '2.5.0',
      to: 'Rehearsal',
    })
    const again = await tomas.api.retryRepositoryJob({ job: job.job }).then(worked)
    expect(again.outcomes[0]!.promotion).toBe(waiting!.id)
  })

  it('is read in parts, and what is missing is named', async () => {
    const parted = text('2.6.0').replace(
      /\$ref: '#\/components\/schemas\/Interruption'/,
      "$ref: '../schemas/interruption.yaml'",
    )
    expect(parted).not.toBe(text('2.6.0'))
    await push('2.6.0', { text: parted })
    const missing = await looked()
    expect(missing.outcomes[0]!.state).not.toBe('same')
    await host.commit('supply', {
      ...{ branch: 'main', path: 'schemas/interruption.yaml', message: 'Part', author: 'Tomas' },
      text: 'type: object\nproperties: { id: { type: string } }\n',
    })
    const job = await looked()
    expect((await logOf(job)).join('\n')).toContain('with 1 file that it refers to')
  })

  it('that says something else than the register is drift of its definition', async () => {
    const told = async () => (await tomas.api.listDrift({ account: 'source' })).items
    await followSources(world.services)
    expect(await told()).toEqual([])
    const { latest } = await tomas.api.getApi({ api })
    const own = text('2.6.5').replace('Planned and', 'Wanted and')
    await tomas.api.saveRevision({ api }, own, { ifMatch: revisionEtag(latest.revision) })
    await Promise.all([followSources(world.services), followSources(world.services)])
    const [difference] = await told()
    expect(difference).toMatchObject({ api, where: `supply@main:${path}` })
    expect(difference!.cause).toMatch(/changed/)
    const commit = await push('2.6.6')
    await looked()
    await followSources(world.services)
    expect(await told()).toEqual([])
    expect(commit).toHaveLength(40)
  })

  it('tells its commit again where the host did not take it, and says why it did not', async () => {
    const settings = async (statusUrl: string) => {
      const now = await tomas.api.getRepository({ repository: 'supply' })
      const { token: _, ...rest } = wanted({ definitions: now.definitions, statusUrl })
      await tomas.api.updateRepository({ repository: 'supply' }, rest, {
        ifMatch: repositoryEtag(now),
      })
    }
    // Those of the jobs before are told.
    await world.db.update(repositoryJobs).set({ reportDueAt: null })
    await settings(`${origin}/git/nowhere/statuses/{commit}`)
    const commit = await push('2.6.7')
    const { job } = await looked()
    const told = () => tomas.api.getRepositoryJob({ job })
    await reportCommits(world.services)
    expect(await told()).toMatchObject({ reported: '', reportTrouble: 'It answered 404.' })
    await settings(wanted().statusUrl)
    // It is not due yet.
    await reportCommits(world.services)
    expect(host.statusOf('supply', commit)).toBeUndefined()
    await world.db
      .update(repositoryJobs)
      .set({ reportDueAt: new Date() })
      .where(eq(repositoryJobs.id, job))
    await Promise.all([reportCommits(world.services), reportCommits(world.services)])
    expect(await told()).toMatchObject({ reported: 'success', reportTrouble: '' })
    expect(host.statusOf('supply', commit)).toMatchObject({ state: 'success' })
  })

  it('stops where somebody cancels it, and is done once more where they ask', async () => {
    await push('2.7.0')
    await tomas.api.readRepositoryBranches({ repository: 'supply' })
    const [waiting] = (await tomas.api.listRepositoryJobs({ state: 'waiting' })).items
    expect((await wren.call('POST', `/repository-jobs/${waiting!.job}/cancel`)).status).toBe(403)
    expect(await tomas.api.cancelRepositoryJob({ job: waiting!.job })).toMatchObject({
      ...{ state: 'cancelled', says: 'Cancelled by Tomas Verrall before it began' },
    })
    expect((await tomas.call('POST', `/repository-jobs/${waiting!.job}/cancel`)).status).toBe(409)
    // Nobody wants it back by looking.
    await looked()
    expect((await tomas.api.listRevisions({ api })).items[0]!.version).not.toBe('2.7.0')
    expect((await wren.call('POST', `/repository-jobs/${waiting!.job}/repeat`)).status).toBe(403)
    const job = await tomas.api.retryRepositoryJob({ job: waiting!.job }).then(worked)
    expect(job).toMatchObject({ state: 'done', outcomes: [{ version: '2.7.0' }] })
  })

  it('is done wholly by whoever takes over when its worker dies at any statement', async () => {
    let survived = false
    for (let at = 0; !survived; at += 23) {
      const version = `3.0.${at}`
      const commit = await push(version)
      await tomas.api.readRepositoryBranches({ repository: 'supply' })
      const [job] = (await tomas.api.listRepositoryJobs({ state: 'waiting' })).items
      const dying = mortal(world.services, world.url, { at, when: at % 2 ? 'before' : 'after' })
      await workJob(dying.services, job!.job).catch((error: unknown) => {
        if (!(error instanceof Killed) && !dying.pool.dead) throw error
      })
      survived = !dying.pool.dead
      // Who died holds connections that nobody gives back.
      if (survived) await dying.pool.end()
      await worked()
      const ended = await tomas.api.getRepositoryJob({ job: job!.job })
      expect(ended, `at ${at}: ${ended.says}`).toMatchObject({ state: 'done', commit })
      const { items } = await tomas.api.listRevisions({ api })
      expect(items.filter((one) => one.version === version)).toHaveLength(1)
      const { items: placed } = await tomas.api.listPlacements({ api })
      expect(placed).toMatchObject([{ version }])
      expect(at).toBeLessThan(2000)
    }
  })

  it('is given up where its workers die again and again', async () => {
    await push('3.1.0')
    await tomas.api.readRepositoryBranches({ repository: 'supply' })
    await world.db
      .update(repositoryJobs)
      .set({ attempts: 3 })
      .where(eq(repositoryJobs.state, 'waiting'))
    expect(await worked()).toMatchObject({ state: 'failed' })
  })

  it('keeps its token for its own host, and is changed by one at a time', async () => {
    const now = await tomas.api.getRepository({ repository: 'supply' })
    const etag = repositoryEtag(now)
    const change = (more: Partial<RepositoryRequest>, ifMatch = etag) => {
      const { token: _, ...rest } = wanted({ definitions: now.definitions, ...more })
      return tomas.call<{ detail: string }>('PUT', '/repositories/supply', rest, {
        'if-match': ifMatch,
      })
    }
    const moved = await change({ url: 'https://elsewhere.example/x.git', statusUrl: '' })
    expect(moved.status).toBe(422)
    expect(moved.body.detail).toMatch(/token that is kept is for another host/)
    expect((await change({}, '"repository-1-0"')).status).toBe(412)
    const [one, other] = await Promise.all([change({ title: 'One' }), change({ title: 'Other' })])
    expect([one.status, other.status].sort()).toEqual([200, 412])
    expect((await tomas.api.getRepository({ repository: 'supply' })).hasToken).toBe(true)
  })

  it('says why it cannot be read, and of whom nobody acts for', async () => {
    server.close()
    server.closeAllConnections()
    const trouble = await tomas.api.readRepositoryBranches({ repository: 'supply' })
    expect(trouble.trouble).toContain('127.0.0.1')
    await listen(server, Number(new URL(origin).port))
    const own = eq(people.name, 'tomas')
    await world.db.update(people).set({ endedAt: new Date() }).where(own)
    await push('3.2.0')
    await imara.api.readRepositoryBranches({ repository: 'supply' })
    const { unfinished, work } = jobTable(world.services)
    for (const id of await unfinished()) await work(id)
    const [job] = (await imara.api.listRepositoryJobs({ limit: 1 })).items
    expect(job).toMatchObject({ state: 'failed' })
    expect(job!.says).toMatch(/Tomas Verrall set .* and may not sign in any more/)
    await world.db.update(people).set({ endedAt: null }).where(own)
    tomas = await world.visitor('tomas')
  })

  it('with a confidential API is there for nobody else', async () => {
    await world.db.update(apis).set({ confidential: true }).where(eq(apis.slug, api))
    const [{ job }] = (await tomas.api.listRepositoryJobs({})).items as [RepositoryJob]
    expect((await wren.api.listRepositories({})).items).toEqual([])
    expect((await wren.api.listRepositoryJobs({})).items).toEqual([])
    for (const url of [
      '/repositories/supply',
      `/repository-jobs/${job}`,
      `/repository-jobs/${job}/lines`,
    ])
      expect((await wren.call('GET', url)).status, url).toBe(404)
    expect((await imara.api.listRepositories({})).items).toHaveLength(1)
    await world.db.update(apis).set({ confidential: false }).where(eq(apis.slug, api))
  })

  it('is forgotten with its jobs, and what came from it stays', async () => {
    expect((await nadia.call('DELETE', '/repositories/supply')).status).toBe(403)
    await tomas.api.removeRepository({ repository: 'supply' })
    expect((await tomas.api.listRepositoryJobs({})).items).toEqual([])
    expect((await tomas.api.listRevisions({ api })).items.length).toBeGreaterThan(2)
    await expect(tomas.api.getRepository({ repository: 'supply' })).rejects.toThrow(Refused)
  })
})
