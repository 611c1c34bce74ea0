import { eq } from 'drizzle-orm'
import { request } from 'undici'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { apiKeyIn } from '../../core/runtime/policies/authenticate'
import { announcements, notices, placements } from '../../server/db/schema'
import { actAs, type Services } from '../../server/services/context'
import { takeOffRetired } from '../../server/services/endings'
import { checkAllGateways } from '../../server/services/gateways'
import { deliverNotices } from '../../server/services/notices'
import { actorNamed } from '../../server/services/people'
import { readPromotion } from '../../server/services/promotions'
import { workRollouts } from '../../server/services/rollout-work'
import { countTraffic } from '../../server/services/traffic-intake'
import type { PromotionDetail } from '../../shared/api/promotions'
import { pipelineEtag, placementEtag } from '../../shared/etags'
import { Killed, mortal } from '../support/mortal'
import { bringIn, definition, makeWorld, type Visitor, type World } from '../support/world'

let world: World
let imara: Visitor, tomas: Visitor, oskar: Visitor, ruth: Visitor, wren: Visitor
const api = 'meter-readings'
const text = definition(`${api}/4.0.0.yaml`)

const pipeline = (predecessor: string, gates = '') => `pipeline: 1
stages:
  - name: Trial
  - name: Live
    gates: { approval: {}${gates} }
    predecessor: ${predecessor}
`
/** The same definition under another number, at an address of its own. */
const numbered = (version: string) =>
  text
    .replace('version: 4.0.0', `version: ${version}`)
    .replace('/meter-readings/v4', `/meter-readings/v${version[0]!}`)

async function place(version: string, written = numbered(version), base?: string): Promise<void> {
  await bringIn(tomas, written, version === '3.0.0' ? undefined : { api })
  const { spec, group } = await tomas.api.getPlacementDraft({ api, version })
  const routes = spec.routes.map((row) => ({ ...row, treatment: { kind: 'mock' as const } }))
  const authentication = apiKeyIn('X-Api-Key')
  const body = { ...spec, routes, policies: { authentication } }
  if (base !== undefined) body.basePath = base
  await tomas.api.createPlacement({}, { api, version, group, spec: body })
  await checkAllGateways(world.services)
}
const ask = (version: string) =>
  tomas.api.requestPromotion({}, { api, version, from: 'Trial', note: '' })
async function approve({ id }: PromotionDetail): Promise<void> {
  const { digest } = await ruth.api.getPromotion({ promotion: id })
  await ruth.api.approvePromotion({ promotion: id }, { note: 'Read', digest: digest ?? '' })
}
async function promote(version: string): Promise<PromotionDetail> {
  const asked = await ask(version)
  await approve(asked)
  return oskar.api.promoteVersion({ promotion: asked.id })
}
const liveOf = async (version: string) =>
  (await wren.api.listPlacements({ api, stage: 'Live' })).items.find(
    (one) => one.version === version,
  )
const publish = async (written: string) => {
  const [first] = (await imara.api.listPipelines({})).items.filter(({ title }) => title === 'Ends')
  if (!first) return imara.api.createPipeline({}, { title: 'Ends', text: written, note: 'A test' })
  const ifMatch = pipelineEtag(await imara.api.getPipeline({ pipeline: first.pipeline }))
  const body = { title: 'Ends', text: written, note: 'Another test' }
  return imara.api.publishPipeline({ pipeline: first.pipeline }, body, { ifMatch })
}
const day = (ahead: number) => new Date(Date.now() + ahead * 86_400_000).toISOString().slice(0, 10)
/** The services as they are in so many days. */
const later = (days: number): Services => ({
  ...world.services,
  now: () => new Date(Date.now() + days * 86_400_000),
})
const keys = new Map<string, string>()
async function call(version: string, client: string, path = '/rounds'): Promise<Response | number> {
  const { host, basePath } = (await liveOf(version))!
  const answer = await request(`${world.sites[0]!.dataUrl}${basePath}${path}`, {
    headers: { host, 'x-api-key': keys.get(client) ?? '' },
  })
  await answer.body.dump()
  return answer.statusCode
}
const headersOf = async (version: string) => {
  const { host, basePath } = (await liveOf(version))!
  const answer = await request(`${world.sites[0]!.dataUrl}${basePath}/meters`, {
    headers: { host, 'x-api-key': keys.get('Alder Homes') ?? '' },
  })
  await answer.body.dump()
  return answer.headers
}

beforeAll(async () => {
  world = await makeWorld()
  ;[imara, tomas, oskar, ruth, wren] = (await Promise.all(
    ['imara', 'tomas', 'oskar', 'ruth', 'wren'].map((name) => world.visitor(name)),
  )) as [Visitor, Visitor, Visitor, Visitor, Visitor]
  await publish(pipeline('{ becomes: deprecated, days: 90 }'))
  await place('3.0.0')
  await promote('3.0.0')
})
afterAll(() => world.close())

describe('the version that a promoted one succeeds', () => {
  it('is deprecated until a day, both are served, and callers are told', async () => {
    const { secret } = await oskar.api.issueKey(
      { placement: (await liveOf('3.0.0'))!.id },
      { name: 'Alder Homes', contact: 'api@alder-homes.example' },
    )
    keys.set('Alder Homes', secret)
    await place('4.0.0')
    const asked = await ask('4.0.0')
    expect(asked.plan).toMatchObject([
      { replaces: '', address: /v4$/ },
      { replaces: '3.0.0', becomes: { as: 'deprecated', until: day(90) }, removed: [] },
    ])
    await approve(asked)
    await oskar.api.promoteVersion({ promotion: asked.id })
    const old = (await liveOf('3.0.0'))!
    expect(old.ending).toEqual({ as: 'deprecated', since: day(0), until: day(90) })
    expect((await liveOf('4.0.0'))!.ending).toBeUndefined()
    const headers = await headersOf('3.0.0')
    expect(headers['sunset']).toBe(new Date(`${day(90)}T00:00:00Z`).toUTCString())
    expect(headers['deprecation']).toMatch(/^@\d+$/)
    expect((await headersOf('4.0.0'))['sunset']).toBeUndefined()
    expect(old.mark).toBe('in-step')
    const { items } = await wren.api.listLedgerEntries({ action: 'placement.ending' })
    expect(items[0]).toMatchObject({ subject: old.id, after: { ending: { until: day(90) } } })
    const evidence = await wren.api.getPromotionEvidence({ promotion: asked.id })
    expect(JSON.stringify(evidence)).toContain(`"until":"${day(90)}"`)
  })

  it('stands in the calendar with whoever still calls it', async () => {
    expect(await call('3.0.0', 'Alder Homes')).toBe(200)
    await countTraffic(world.services)
    const { items } = await wren.api.listEndings({})
    expect(items).toMatchObject([
      {
        ...{ api, version: '3.0.0', stage: 'Live', as: 'deprecated', until: day(90), calls: 2 },
        callers: [{ client: 'Alder Homes', calls: 2, told: false }],
      },
    ])
    expect((await wren.api.listEndings({ team: 'Nobody' })).items).toEqual([])
  })

  it('is told to callers by mail, once, by whoever may', async () => {
    const { id } = (await liveOf('3.0.0'))!
    const body = { clients: ['Alder Homes'], how: 'mail' as const, says: 'Please move to v4.' }
    expect((await wren.call('POST', `/placements/${id}/announcements`, body)).status).toBe(403)
    const nobody = { ...body, clients: ['Nobody'] }
    expect((await tomas.call('POST', `/placements/${id}/announcements`, nobody)).status).toBe(422)
    const both = await Promise.all(
      [tomas, oskar].map((one) => one.call('POST', `/placements/${id}/announcements`, body)),
    )
    expect(both.map(({ status }) => status).sort()).toEqual([200, 409])
    const written = await world.owner.select().from(notices).where(eq(notices.event, 'announced'))
    expect(written).toMatchObject([{ recipient: 'api@alder-homes.example', says: body.says }])
    const [caller] = (await wren.api.listPlacementCallers({ placement: id })).items
    expect(caller).toMatchObject({ told: { how: 'mail', state: 'on-its-way' } })
    expect((await wren.api.listEndings({})).items[0]!.callers[0]!.told).toBe(true)
  })

  it('keeps a contact that is one, and says so where it is none', async () => {
    const { id } = (await liveOf('3.0.0'))!
    const at = `/placements/${id}/keys/Alder%20Homes/contact`
    const odd = { contact: 'a@b.example\r\nBcc: all@b.example' }
    expect((await oskar.call('PUT', at, odd)).status).toBe(422)
    expect((await wren.call('PUT', at, { contact: 'a@b.example' })).status).toBe(403)
    expect((await oskar.call('PUT', at, { contact: 'b@alder-homes.example' })).status).toBe(204)
    const [caller] = (await wren.api.listPlacementCallers({ placement: id })).items
    expect(caller!.contact).toBe('b@alder-homes.example')
  })
})

describe('an end that is asked for', () => {
  it('is reviewed, has no new keys, and is taken off on its day, once, whoever dies', async () => {
    const standing = (await liveOf('3.0.0'))!
    const { id } = standing
    const etag = { 'if-match': placementEtag(standing) }
    const wants = (until: string) => ({
      ...{ kind: 'ending', note: 'Nobody may call it then' },
      ending: { as: 'retired', until },
    })
    const to = `/placements/${id}/requests`
    expect((await wren.call('POST', to, wants(day(10)), etag)).status).toBe(403)
    expect((await tomas.call('POST', to, wants(day(0)), etag)).status).toBe(422)
    expect((await tomas.call('POST', to, wants('2027-02-31'), etag)).status).toBe(422)
    const asked = await tomas.call<PromotionDetail>('POST', to, wants(day(10)), etag)
    expect(asked.body.plan[0]!.becomes).toEqual({ as: 'retired', until: day(10) })
    await approve(asked.body)
    await oskar.api.promoteVersion({ promotion: asked.body.id })
    expect((await liveOf('3.0.0'))!.ending).toMatchObject({ as: 'retired', until: day(10) })
    const refused = await oskar.call('POST', `/placements/${id}/keys`, { name: 'Fernhill' })
    expect(refused).toMatchObject({ status: 409, body: { detail: /no new keys/ } })
    expect(await call('3.0.0', 'Alder Homes')).toBe(200)

    await takeOffRetired(later(9))
    await workRollouts(world.services)
    expect(await liveOf('3.0.0')).toBeDefined()
    const due = (await tomas.api.listTasks({ kind: 'ending' })).items
    expect(due).toMatchObject([{ subject: id, due: day(10), title: /is taken off/ }])

    for (let at = 1; ; at += 3) {
      const { services, pool } = mortal(later(10), world.url, { at, when: 'after' })
      await takeOffRetired({ ...services, queue: world.services.queue }).catch((error: unknown) => {
        if (!(error instanceof Killed) && !pool.dead) throw error
      })
      if (!pool.dead) {
        await pool.end()
        break
      }
    }
    await Promise.all([takeOffRetired(later(10)), takeOffRetired(later(10))])
    await workRollouts(world.services)
    expect(await liveOf('3.0.0')).toBeUndefined()
    const { items } = await wren.api.listLedgerEntries({ action: 'placement.removed' })
    expect(items.filter(({ subject }) => subject === id)).toHaveLength(1)
  })

  it('is lifted again where somebody asks for that', async () => {
    const standing = (await liveOf('4.0.0'))!
    const { id } = standing
    const etag = { 'if-match': placementEtag(standing) }
    const lift = { kind: 'ending', note: '' }
    const to = `/placements/${id}/requests`
    expect((await tomas.call('POST', to, lift, etag)).status).toBe(409)
    const end = { ...lift, ending: { as: 'deprecated', until: day(10) } }
    const asked = await tomas.call<PromotionDetail>('POST', to, end, etag)
    await approve(asked.body)
    await oskar.api.promoteVersion({ promotion: asked.body.id })
    const now = (await liveOf('4.0.0'))!
    const again = await tomas.call<PromotionDetail>('POST', to, lift, {
      'if-match': placementEtag(now),
    })
    expect(again.body.plan[0]!.becomes).toEqual({ as: 'served' })
    await approve(again.body)
    await oskar.api.promoteVersion({ promotion: again.body.id })
    expect((await liveOf('4.0.0'))!.ending).toBeUndefined()
  })
})

describe('callers of what breaks', () => {
  it('keep a promotion out until each was told', async () => {
    await publish(pipeline('{ becomes: removed }', ', callers: { days: 30, noticeDays: 2 }'))
    const { id } = (await liveOf('4.0.0'))!
    for (const name of ['Alder Homes', 'Fernhill']) {
      const contact = name === 'Fernhill' ? {} : { contact: 'api@alder-homes.example' }
      const { secret } = await oskar.api.issueKey({ placement: id }, { name, ...contact })
      keys.set(name, secret)
    }
    expect(await call('4.0.0', 'Alder Homes')).toBe(200)
    expect(await call('4.0.0', 'Fernhill')).toBe(200)
    await countTraffic(world.services)
    await place('5.0.0')
    const asked = await ask('5.0.0')
    const gate = async () =>
      (await wren.api.getPromotion({ promotion: asked.id })).gates.find(
        ({ id: one }) => one === 'callers',
      )!
    expect(await gate()).toMatchObject({ state: 'failed', text: /and 1 other caller/ })
    const found = (await wren.api.listPromotionCallers({ promotion: asked.id })).items
    expect(found).toMatchObject([
      { client: 'Alder Homes', calls: 1, operations: ['GET /rounds'] },
      { client: 'Fernhill', calls: 1 },
    ])
    const to = `/promotions/${asked.id}/announcements`
    const says = 'From Monday on 5.0.0 is served alone.'
    const all = { clients: ['Alder Homes', 'Fernhill'], how: 'mail', says }
    expect(await tomas.call('POST', to, all)).toMatchObject({
      status: 422,
      body: { faults: [{ message: /Nobody knows where Fernhill is told/ }] },
    })
    expect((await wren.call('POST', to, all)).status).toBe(403)
    await tomas.call('POST', to, { ...all, clients: ['Alder Homes'] })
    expect((await gate()).text).toMatch(/^Fernhill \(1 call\) calls what breaks/)
    await tomas.call('POST', to, { clients: ['Fernhill'], how: 'other', says: 'By telephone' })
    expect(await gate()).toMatchObject({ state: 'waiting', text: /2 days of notice are left/ })

    const toldBefore = (days: number) =>
      world.owner.update(announcements).set({ at: new Date(Date.now() - days * 86_400_000) })
    await toldBefore(2)
    expect((await gate()).state).toBe('passed')
    // Mail that nobody takes told nobody.
    for (let round = 0; round < 9; round++) await deliverNotices(later(round))
    expect(await gate()).toMatchObject({ state: 'failed', text: /Alder Homes/ })
    await tomas.call('POST', to, { clients: ['Alder Homes'], how: 'other', says: 'By telephone' })
    await toldBefore(2)
    await approve(asked)
    await oskar.api.promoteVersion({ promotion: asked.id })
    expect(await liveOf('4.0.0')).toBeUndefined()
    expect(await liveOf('5.0.0')).toMatchObject({ mark: 'in-step' })
    const gone = await world.owner.select().from(placements).where(eq(placements.id, id))
    expect(gone).toEqual([])
  })

  it('are those of the operations that break, where an address is taken over', async () => {
    await publish(pipeline('{ becomes: deprecated }', ', callers: { days: 30 }'))
    const { id, basePath } = (await liveOf('5.0.0'))!
    const { secret } = await oskar.api.issueKey({ placement: id }, { name: 'Tarn Institute' })
    keys.set('Tarn Institute', secret)
    expect(await call('5.0.0', 'Tarn Institute')).toBe(200)
    await countTraffic(world.services)
    const breaking = numbered('6.0.0').replaceAll(/^ {2}\/meters:\n/gm, '  /all-meters:\n')
    await place('6.0.0', breaking, basePath)
    const asked = await ask('6.0.0')
    const gate = asked.gates.find(({ id: one }) => one === 'callers')
    // What it calls is not what breaks.
    expect(gate).toMatchObject({ state: 'passed', text: /Nobody called what breaks/ })
    await tomas.api.withdrawPromotion({ promotion: asked.id })
  })

  it('keeps an approval of today for tomorrow, and none for what changed beside it', async () => {
    await publish(pipeline('{ becomes: deprecated, days: 20 }'))
    await place('7.0.0')
    const asked = await ask('7.0.0')
    const reader = await actorNamed(world.db, 'wren')
    const approval = async (days: number) =>
      (await readPromotion(actAs(later(days), reader), asked.id)).gates.find(
        ({ id }) => id === 'approval',
      )!.state
    await approve(asked)
    expect(await approval(1)).toBe('passed')
    await publish(pipeline('{ becomes: retired, days: 20 }'))
    expect(await approval(0)).toBe('waiting')
  })
})
