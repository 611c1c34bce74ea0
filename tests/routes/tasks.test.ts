import { createServer, type IncomingHttpHeaders } from 'node:http'
import { eq } from 'drizzle-orm'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { apis, notices, notifications, people } from '../../server/db/schema'
import { checkAllGateways } from '../../server/services/gateways'
import { deliverNotices } from '../../server/services/notices'
import { tellTasks } from '../../server/services/notifications'
import { whyUnsigned } from '../../server/services/webhooks'
import type { NotificationChange, TaskItem } from '../../shared/api/tasks'
import type { Problem } from '../../shared/api/problem'
import { pipelineEtag, placementEtag } from '../../shared/etags'
import { taskKinds } from '../../shared/words'
import { listen } from '../support/gateway'
import { Killed, mortal } from '../support/mortal'
import { bringIn, definition, makeWorld, type Visitor, type World } from '../support/world'

let world: World
let imara: Visitor, tomas: Visitor, oskar: Visitor, ruth: Visitor, wren: Visitor, ada: Visitor
const api = 'supply-interruptions'
const version = '2.4.0'

beforeAll(async () => {
  world = await makeWorld({ gateways: { 'north-edge': 'edge' } })
  ;[imara, tomas, oskar, ruth, wren, ada] = (await Promise.all(
    ['imara', 'tomas', 'oskar', 'ruth', 'wren', 'ada'].map((name) => world.visitor(name)),
  )) as [Visitor, Visitor, Visitor, Visitor, Visitor, Visitor]
})
afterAll(() => world.close())

const tasks = async (who: Visitor) => (await who.api.listTasks({})).items
const kinds = async (who: Visitor) => (await tasks(who)).map(({ kind }) => kind)
const one = async (who: Visitor, kind: TaskItem['kind']) =>
  (await tasks(who)).find((task) => task.kind === kind)
const evenNow = () => checkAllGateways(world.services)

describe('what waits for a person', () => {
  it('begins with an API that stands nowhere, for those whose it is', async () => {
    await bringIn(tomas, definition(`${api}/${version}.yaml`))
    expect(await one(tomas, 'unplaced')).toMatchObject({
      task: `unplaced ${api}`,
      title: 'Place it: Supply Interruptions',
      api,
    })
    for (const other of [ruth, wren, imara, oskar])
      expect(await kinds(other)).not.toContain('unplaced')
    const { spec, group } = await tomas.api.getPlacementDraft({ api })
    const routes = spec.routes.map((row) => ({ ...row, treatment: { kind: 'mock' as const } }))
    await tomas.api.createPlacement({}, { api, version, group, spec: { ...spec, routes } })
    expect(await kinds(tomas)).not.toContain('unplaced')
  })

  it('is an approval for those whose word counts, until it is given, and the act from then on', async () => {
    await evenNow()
    const asked = await tomas.api.requestPromotion(
      {},
      { api, version, from: 'Trial', note: 'For the winter', neededBy: '2030-12-01' },
    )
    const wanted = {
      title: 'Approve: Promote Supply Interruptions 2.4.0 into Rehearsal',
      ...{ says: 'For the winter', due: '2030-12-01', subject: String(asked.id) },
    }
    expect(await one(ruth, 'approval')).toMatchObject(wanted)
    expect(await one(imara, 'approval')).toMatchObject(wanted)
    for (const other of [tomas, oskar, wren]) expect(await kinds(other)).not.toContain('approval')
    expect(await kinds(oskar)).not.toContain('ready')
    const { digest = '' } = await ruth.api.getPromotion({ promotion: asked.id })
    await ruth.api.approvePromotion({ promotion: asked.id }, { note: 'Fine', digest })
    for (const other of [ruth, imara]) expect(await kinds(other)).not.toContain('approval')
    expect(await one(oskar, 'ready')).toMatchObject({
      title: 'Every gate is open: Promote Supply Interruptions 2.4.0 into Rehearsal',
    })
    expect(await kinds(tomas)).not.toContain('ready')

    // What it would do is another thing now, so that her word is asked for again.
    const placement = `${api}-trial-1`
    const { generation, spec } = await tomas.api.getPlacement({ placement })
    await tomas.api.updatePlacement(
      { placement },
      { ...spec, basePath: '/elsewhere/v2' },
      { ifMatch: placementEtag({ generation }) },
    )
    expect(await one(ruth, 'approval')).toMatchObject(wanted)
    await tomas.api.withdrawPromotion({ promotion: asked.id })
    expect(await kinds(ruth)).toEqual([])
  })

  it('counts only those whom the pipeline asks', async () => {
    const text = `pipeline: 1
stages:
  - name: Trial
  - name: Live
    gates: { soak: { hours: 24 }, approval: { number: 1, roles: [governance], authorsToo: false } }
`
    await imara.api.createPipeline({}, { title: 'Strict', text, note: 'Only governance' })
    const { id } = await oskar.api.requestPromotion({}, { api, version, from: 'Trial', note: '' })
    expect(await kinds(imara)).toContain('approval')
    expect(await kinds(ruth)).not.toContain('approval')

    // A waiver of a gate waits for a second person, who did not ask for the promotion either.
    const { digest = '' } = await ruth.api.getPromotion({ promotion: id })
    const waiver = { gate: 'soak', reason: 'The fault is in Live already', digest }
    await ruth.api.createGateWaiver({ promotion: id }, waiver)
    expect(await kinds(ruth)).not.toContain('gate-waiver')
    expect(await one(imara, 'gate-waiver')).toMatchObject({ subject: String(id) })
    await imara.api.approveGateWaiver({ promotion: id, gate: 'soak' })
    expect(await kinds(imara)).not.toContain('gate-waiver')

    const again = await imara.api.getPromotion({ promotion: id })
    const why = { reason: 'Partners flood the backend', digest: again.digest ?? '' }
    await imara.api.skipApproval({ promotion: id }, why)
    expect(await kinds(imara)).not.toContain('emergency')
    expect(await one(ruth, 'emergency')).toMatchObject({ says: 'Partners flood the backend' })
    await ruth.api.confirmOverride({ promotion: id })
    expect(await kinds(ruth)).not.toContain('emergency')
    await oskar.api.withdrawPromotion({ promotion: id })
    const ifMatch = pipelineEtag(await imara.api.getPipeline({ pipeline: 'strict' }))
    await imara.api.removePipeline({ pipeline: 'strict' }, { ifMatch })
  })

  it('is a waiver to decide on, and one that ends for those whose it is', async () => {
    const until = new Date(Date.now() + 10 * 86_400_000).toISOString().slice(0, 10)
    const { items } = await tomas.api.listFindings({ api })
    const rule = items[0]?.rule ?? 'valid'
    await tomas.api.createWaiver({}, { rule, api, reason: 'Agreed with the partners', until })
    const { waiver } = (await tomas.api.listWaivers({})).items[0]!
    expect(await one(ruth, 'waiver')).toMatchObject({ subject: String(waiver), api })
    expect(await kinds(tomas)).not.toContain('waiver')
    await ruth.api.approveWaiver({ waiver }, { approve: true })
    expect(await one(tomas, 'waiver-ending')).toMatchObject({ due: until })
    expect((await tasks(tomas))[0]).toMatchObject({ kind: 'waiver-ending' })
    expect(await kinds(ruth)).not.toContain('waiver-ending')
    await tomas.api.withdrawWaiver({ waiver })
    expect(await kinds(tomas)).not.toContain('waiver-ending')
  })

  it('is drift in the APIs of one’s team, and of all for those who resolve it', async () => {
    await imara.api.changeByHand({ placement: `${api}-trial-1` }, { kind: 'limit' })
    await evenNow()
    for (const who of [tomas, oskar, imara])
      expect(await one(who, 'drift')).toMatchObject({ subject: api, says: 'In Trial' })
    for (const other of [ruth, wren]) expect(await kinds(other)).not.toContain('drift')
    expect((await tomas.api.listTasks({ kind: 'drift' })).items).toHaveLength(1)
    expect((await tomas.api.listTasks({ api: 'other' })).items).toEqual([])
  })

  it('says nothing of a confidential API to those who may not see it', async () => {
    const { id } = await oskar.api.requestPromotion({}, { api, version, from: 'Trial', note: '' })
    expect(await kinds(oskar)).toContain('drift')
    expect(await kinds(imara)).toContain('approval')
    await world.owner.update(apis).set({ confidential: true }).where(eq(apis.slug, api))
    try {
      expect(await tasks(oskar)).toEqual([])
      expect(await tasks(ruth)).toEqual([])
      expect(await kinds(tomas)).toContain('drift')
    } finally {
      await tomas.api.withdrawPromotion({ promotion: id })
      await world.owner.update(apis).set({ confidential: false }).where(eq(apis.slug, api))
    }
  })
})

describe('people are told of what waits for them', () => {
  const heard: { headers: IncomingHttpHeaders; body: string }[] = []
  const hook = createServer((request, response) => {
    let body = ''
    request.on('data', (part) => (body += String(part)))
    request.on('end', () => {
      heard.push({ headers: request.headers, body })
      response.writeHead(204).end()
    })
  })
  let webhook = ''
  const settings = (more: Partial<NotificationChange> = {}): NotificationChange => ({
    ...{ mail: '', webhook, kinds: [...taskKinds], when: 'at-once', hour: 8, timeZone: 'UTC' },
    ...more,
  })
  beforeAll(async () => {
    webhook = `http://127.0.0.1:${await listen(hook)}/ruth`
    world.services.allowedTargets.push(new URL(webhook).host)
  })
  afterAll(() => hook.close())

  const tell = async () => {
    await tellTasks(world.services)
    await deliverNotices(world.services)
    return heard.splice(0).map(({ body }) => JSON.parse(body) as Told)
  }
  interface Told {
    type: string
    data: { tasks?: TaskItem[]; says: string }
  }
  const ask = () => tomas.api.requestPromotion({}, { api, version, from: 'Trial', note: 'Soon' })

  it('not at all until they say how, and refuses what cannot be told', async () => {
    expect(await ruth.api.getNotifications()).toMatchObject({ mail: '', webhook: '' })
    expect(await tell()).toEqual([])
    const put = (more: Partial<NotificationChange>) =>
      ruth.call<Problem>('PUT', '/notifications', settings(more))
    expect((await put({ mail: 'ruth' })).body.faults).toMatchObject([{ field: 'mail' }])
    expect((await put({ webhook: 'ftp://a.example/' })).body.faults).toMatchObject([
      { field: 'webhook' },
    ])
    expect((await put({ timeZone: 'Nowhere/At-all' })).body.faults).toMatchObject([
      { field: 'timeZone' },
    ])
    expect((await put({ hour: 24 })).status).toBe(422)
    expect((await ruth.call('POST', '/notifications/test')).status).toBe(409)
  })

  it('once of each thing, signed, with what is to be done', async () => {
    const { secret = '' } = await ruth.api.updateNotifications({}, settings())
    expect(secret).toMatch(/^whsec_/)
    expect(await tell()).toEqual([])
    const { id } = await ask()
    await tellTasks(world.services)
    await deliverNotices(world.services)
    const [first] = heard
    const {
      'webhook-id': name,
      'webhook-timestamp': time,
      'webhook-signature': signatures,
    } = first!.headers
    const signed = { id: String(name), time: String(time), signatures: String(signatures) }
    expect(whyUnsigned(secret, signed, Buffer.from(first!.body), new Date())).toBeUndefined()
    expect(await tell()).toMatchObject([
      {
        type: 'tasks.waiting',
        data: { tasks: [{ kind: 'approval', subject: String(id) }], says: /Soon/ },
      },
    ])
    expect(await tell()).toEqual([])
    // A change of where it goes tells nothing twice, and gives the new address a secret of its own.
    expect(await ruth.api.updateNotifications({}, settings())).not.toHaveProperty('secret')
    expect(await tell()).toEqual([])
    await tomas.api.withdrawPromotion({ promotion: id })
    await tell()
    const { id: another } = await ask()
    expect(await tell()).toHaveLength(1)
    await tomas.api.withdrawPromotion({ promotion: another })
  })

  it('by a test as well, though not every second', async () => {
    await ruth.api.testNotifications({})
    expect(await tell()).toMatchObject([{ type: 'tasks.test' }])
    expect((await ruth.call('POST', '/notifications/test')).status).toBe(409)
    expect(await ruth.api.getNotifications()).toMatchObject({ trouble: '' })
  })

  it('only of what they asked for, and of all of it once a day where they want that', async () => {
    const { id } = await ask()
    await ruth.api.updateNotifications({}, settings({ kinds: ['waiver'] }))
    await world.db.update(notifications).set({ told: [] })
    expect(await tell()).toEqual([])

    const daily = settings({ when: 'daily', hour: 8, timeZone: 'Europe/Paris' })
    await ruth.api.updateNotifications({}, daily)
    const at = (iso: string) => (world.services.now = () => new Date(iso))
    try {
      at('2030-03-04T06:59:00Z')
      expect(await tell()).toEqual([])
      at('2030-03-04T07:01:00Z')
      expect(await tell()).toMatchObject([{ data: { tasks: [{ subject: String(id) }] } }])
      expect(await tell()).toEqual([])
      at('2030-03-05T07:01:00Z')
      expect(await tell()).toHaveLength(1)
    } finally {
      world.services.now = () => new Date()
    }
    await tomas.api.withdrawPromotion({ promotion: id })
    await ruth.api.updateNotifications({}, settings())
    await tell()
  })

  it('never of what they may not see, and no more once they are gone', async () => {
    await wren.api.updateNotifications({}, settings())
    await ada.api.updateNotifications({}, settings({ webhook: `${webhook}/ada` }))
    const { id } = await ask()
    await world.owner.update(apis).set({ confidential: true }).where(eq(apis.slug, api))
    try {
      expect(await tell()).toEqual([])
    } finally {
      await world.owner.update(apis).set({ confidential: false }).where(eq(apis.slug, api))
    }
    await world.owner.update(people).set({ endedAt: new Date() }).where(eq(people.name, 'ruth'))
    try {
      expect(await tell()).toEqual([])
    } finally {
      await world.owner.update(people).set({ endedAt: null }).where(eq(people.name, 'ruth'))
    }
    expect(await tell()).toHaveLength(1)
    await tomas.api.withdrawPromotion({ promotion: id })
    await tell()
  })

  it('once, by two workers, and by one that dies between any two statements', async () => {
    for (const who of [wren, ada]) await who.api.updateNotifications({}, settings({ webhook: '' }))
    /** Tells by a process that dies at a statement, and says how many it came to. */
    const tellDying = async (at: number) => {
      const { id } = await ask()
      await world.db.delete(notices)
      const { services, pool } = mortal(world.services, world.url, { at, when: 'after' })
      await tellTasks(services).catch((error: unknown) => {
        if (!(error instanceof Killed) && !pool.dead) throw error
      })
      if (!pool.dead) await pool.end()
      await Promise.all([tellTasks(world.services), tellTasks(world.services)])
      const told = await world.db.select().from(notices)
      expect(
        told.map(({ event }) => event),
        `died at ${at}`,
      ).toEqual(['waiting'])
      await tomas.api.withdrawPromotion({ promotion: id })
      await tellTasks(world.services)
      return pool.statements
    }
    const all = await tellDying(Infinity)
    // Before the last ones nothing is written.
    for (let at = all - 1; at > all - 9; at--) await tellDying(at)
  })
})
