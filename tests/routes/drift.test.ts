import http from 'node:http'
import { eq, isNull } from 'drizzle-orm'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import type { DriftItem } from '../../shared/api/drift'
import type { TrafficEvent } from '../../core/traffic/event'
import {
  apis,
  drift,
  gateways,
  keys,
  placements,
  revisionFiles,
  revisions,
  rollouts,
} from '../../server/db/schema'
import { followTraffic } from '../../server/services/drift-observed'
import { followSources } from '../../server/services/drift-source'
import { reactToDrift } from '../../server/services/drift-reactions'
import { storeBlob } from '../../server/services/files'
import { checkAllGateways, checkGateway } from '../../server/services/gateways'
import { countEvents } from '../../server/services/traffic-intake'
import { placementEtag } from '../../shared/etags'
import { freePort, listen } from '../support/gateway'
import { meddlerBefore, type Meddler } from '../support/meddler'
import { Killed, mortal } from '../support/mortal'
import { withRate } from '../support/policies'
import {
  adminHeaders,
  bringIn,
  definition,
  makeWorld,
  type Visitor,
  type World,
} from '../support/world'

let world: World
let tomas: Visitor, oskar: Visitor, wren: Visitor, ruth: Visitor, imara: Visitor
const id = 'supply-interruptions-trial-1'
const api = 'supply-interruptions'
const rate = { requests: 60, seconds: 60, per: 'client' as const }
const authentication = { kind: 'none' as const, reason: 'Open while it is tried' }

beforeAll(async () => {
  world = await makeWorld({ gateways: { 'north-edge': 'edge', 'south-edge': 'edge' } })
  ;[tomas, oskar, wren, ruth, imara] = (await Promise.all(
    ['tomas', 'oskar', 'wren', 'ruth', 'imara'].map((name) => world.visitor(name)),
  )) as [Visitor, Visitor, Visitor, Visitor, Visitor]
  await bringIn(tomas, definition('supply-interruptions/2.4.0.yaml'))
  const { spec, group } = await tomas.api.getPlacementDraft({ api })
  const routes = spec.routes.map((row) => ({
    ...row,
    treatment:
      row.path === '/interruptions/export'
        ? { kind: 'withheld' as const, reason: 'Asked for by e-mail' }
        : { kind: 'route' as const, backend: 'main' },
  }))
  const policies = { authentication, rate }
  await tomas.api.createPlacement(
    {},
    { api, version: '2.4.0', group, spec: { ...spec, routes, policies } },
  )
})
afterAll(() => world.close())

const running = async (site = 0) =>
  (
    await fetch(`${world.sites[site]!.adminUrl}/configuration`, {
      headers: adminHeaders(world.sites[site]!.adminUrl),
    })
  ).text()
/** Writes past the ledger, as somebody with the admin secret does. */
async function write(text: string, site = 0): Promise<void> {
  const { adminUrl } = world.sites[site]!
  const answer = await fetch(`${adminUrl}/configuration`, {
    method: 'PUT',
    body: text,
    headers: adminHeaders(adminUrl),
  })
  expect(answer.status).toBe(200)
}
const edited = (text: string, limit: number) => text.replace(/requests: \d+/, `requests: ${limit}`)
const edit = async (limit: number, site = 0) => write(edited(await running(site), limit), site)
const read = () => checkAllGateways(world.services)
const open = async (): Promise<DriftItem[]> => (await tomas.api.listDrift({})).items
const onGateways = async () =>
  (await open()).filter(({ placement, account }) => placement === id && account === 'gateway')
const limits = async () => (await open()).filter(({ what }) => what === 'rate limit')
const detail = (one: DriftItem) => tomas.api.getDrift({ difference: one.drift })
const entries = async (action: string) =>
  (await wren.api.listLedgerEntries({ action, limit: 1000 })).items.length
const approvedAgain = async () => {
  await read()
  if ((await onGateways()).length > 0) await oskar.api.putLedgerBack({ placement: id })
  await read()
  expect(await onGateways()).toEqual([])
}
const later = (minutes: number) => ({
  ...world.services,
  now: () => new Date(Date.now() + minutes * 60_000),
})

describe('a difference over time', () => {
  beforeEach(approvedAgain)

  it('keeps its number from reading to reading, whatever its values become', async () => {
    await edit(600)
    await read()
    const [first, ...others] = await limits()
    expect(others).toEqual([])
    expect(first).toMatchObject({
      account: 'gateway',
      state: 'open',
      ...{ api, placement: id, gateway: 'north-edge', stage: 'Trial', version: '2.4.0' },
      ...{ where: 'every operation', ledger: '60 / minute', runs: '600 / minute' },
    })
    const opened = await entries('drift.opened')
    await read()
    expect(await limits()).toEqual([first])
    expect(await entries('drift.opened')).toBe(opened)
    await edit(700)
    await read()
    const [again] = await limits()
    expect(again).toMatchObject({
      drift: first!.drift,
      openedAt: first!.openedAt,
      runs: '700 / minute',
    })
    expect(again!.changedAt > first!.changedAt).toBe(true)
    const { events } = await detail(again!)
    expect(events.map(({ action }) => action)).toEqual(['drift.opened', 'drift.changed'])
  })

  it('says how it came about, and what speaks for it', async () => {
    await edit(600)
    await read()
    const found = await detail((await limits())[0]!)
    expect(found.cause).toMatch(/north-edge was changed past the ledger/)
    expect(found.evidence.map(({ text }) => text)).toEqual([
      expect.stringMatching(/^(?:Place|Put) Supply Interruptions 2.4.0/),
      'read, as approved',
      'read, with this difference',
      'south-edge runs what was approved',
    ])
    expect(found.evidence[0]!.rollout).toBeGreaterThan(0)
    await edit(600, 1)
    await read()
    const south = (await limits()).find(({ gateway }) => gateway === 'south-edge')
    expect((await detail(south!)).evidence.at(-1)!.text).toBe('north-edge differs too')
  })

  it('ends by the ledger with its rollout, or by hand, and stands in the history', async () => {
    const before = await running()
    await edit(600)
    await read()
    const [one] = await limits()
    await oskar.api.putLedgerBack({ placement: id })
    expect(await detail(one!)).toMatchObject({
      ...{ state: 'resolved', resolution: 'put-back', closedBy: 'oskar', ways: [] },
      rollout: expect.any(Number) as number,
    })
    await edit(600)
    await read()
    const [two] = await limits()
    expect(two!.drift).not.toBe(one!.drift)
    await write(before)
    await read()
    expect(await detail(two!)).toMatchObject({ resolution: 'by-hand' })
    const history = (await tomas.api.listDrift({ state: 'resolved' })).items
    expect(history.slice(0, 2).map((item) => item.drift)).toEqual([two!.drift, one!.drift])
    const month = await tomas.api.getDriftMonth({})
    expect(month.resolved).toBeGreaterThanOrEqual(2)
    expect(month.opened).toBeGreaterThanOrEqual(month.resolved)
    expect(month.endings.map(({ resolution }) => resolution).sort()).toContain('by-hand')
    expect(await tomas.api.getDriftMonth({ month: '2020-02-29' })).toMatchObject({ opened: 0 })
  })

  it('is an old file where the gateway runs to the letter what it ran before', async () => {
    const old = await running()
    const { spec, generation } = await tomas.api.getPlacement({ placement: id })
    const answer = await tomas.call('PUT', `/placements/${id}`, withRate(spec, 50), {
      'if-match': placementEtag({ generation }),
    })
    expect(answer).toMatchObject({ status: 200 })
    await write(old)
    await read()
    const found = await detail((await limits())[0]!)
    expect(found).toMatchObject({
      ...{ ledger: '50 / minute', runs: '60 / minute' },
      cause: expect.stringMatching(/restarted with an old file/) as string,
    })
    // The same limit in another text is no old file, but what was approved before.
    await write(`${old}\n# restored\n`, 1)
    await read()
    const south = (await limits()).find(({ gateway }) => gateway === 'south-edge')
    expect(south!.cause).toMatch(/runs what was approved before/)
  })

  it('is one where a placement is missing as a whole, and tells whose address a laptop is', async () => {
    await write('# nothing\n')
    await read()
    const all = (await open()).filter(({ placement }) => placement === id)
    expect(all).toMatchObject([{ what: 'placement', runs: 'not there', gateway: 'north-edge' }])
    await oskar.api.putLedgerBack({ placement: id })
    await oskar.api.changeByHand({ placement: id }, { kind: 'backend' })
    await read()
    const moved = (await open()).find(({ what }) => what === 'address')
    expect(moved!.cause).toMatch(/somebody pointed it at their own computer/)
  })

  it('is unknown, and neither opened nor ended, while a gateway does not answer', async () => {
    await edit(600)
    await read()
    const before = await limits()
    await world.sites[0]!.stop()
    await read()
    expect(await limits()).toEqual(before)
    await world.sites[0]!.start()
    await read()
    expect((await limits()).map((one) => one.drift)).toEqual(before.map((one) => one.drift))
  })

  it('is one, however many read at once', async () => {
    await edit(600)
    await Promise.all(Array.from({ length: 6 }, () => checkGateway(world.services, 'north-edge')))
    expect(await limits()).toHaveLength(1)
  })

  it('is kept whole or not at all when a process is killed between any two statements', async () => {
    let survived = false
    for (let at = 1; !survived; at++) {
      await edit(600 + at)
      const { services, pool } = mortal(world.services, world.url, { at, when: 'after' })
      await checkGateway(services, 'north-edge').catch((error: unknown) => {
        if (!(error instanceof Killed) && !pool.dead) throw error
      })
      survived = !pool.dead
      if (survived) await pool.end()
      await read()
      const found = await limits()
      expect(found).toMatchObject([{ runs: `${600 + at} / minute` }])
      const { events } = await detail(found[0]!)
      // Opened once, and once for each time it changed.
      expect(events).toHaveLength(at)
      expect(at).toBeLessThan(80)
    }
  })
})

describe('routes that nobody placed', () => {
  it('are drift of the gateway, and end when they are gone', async () => {
    await approvedAgain()
    const before = await running()
    const stranger = `---\napiVersion: gateway.networking.k8s.io/v1\nkind: HTTPRoute\nmetadata: { name: stranger }\nspec:\n  hostnames: [odd.example]\n  rules: [{ matches: [{ path: { type: Exact, value: /secret } }], backendRefs: [{ kind: Backend, name: ${id}-main }] }]\n`
    await write(`${before}${stranger}`)
    await read()
    const [one, ...others] = await open()
    expect(others).toEqual([])
    expect(one).toMatchObject({
      ...{ placement: '', gateway: 'north-edge', where: 'any method odd.example/secret' },
      ...{ ledger: 'placed by nobody', runs: 'served by main' },
    })
    expect((await detail(one!)).ways.map(({ way }) => way)).toEqual(['take-off', 'accept'])
    expect((await tomas.api.getShell()).counts['drift']).toBe(1)
    await write(before)
    await read()
    expect(await open()).toEqual([])
  })

  it('are taken off by a rollout, and nothing else with them', async () => {
    const before = await running()
    const rule = (path: string) =>
      `{ matches: [{ path: { type: Exact, value: ${path} } }], backendRefs: [{ kind: Backend, name: ${id}-main }] }`
    await write(
      `${before}---\napiVersion: gateway.networking.k8s.io/v1\nkind: HTTPRoute\nmetadata: { name: stranger }\nspec:\n  hostnames: [odd.example]\n  rules: [${rule('/secret')}, ${rule('/other')}]\n`,
    )
    await read()
    const found = await open()
    const one = found.find(({ where }) => where.endsWith('/secret'))!
    expect(found).toHaveLength(2)
    expect((await tomas.call('POST', `/differences/${one.drift}/take-off`)).status).toBe(403)
    // Two at once: one of them does it.
    const asked = await Promise.all(
      [oskar, oskar].map((who) => who.call('POST', `/differences/${one.drift}/take-off`)),
    )
    expect(asked.map(({ status }) => status).sort()).toEqual([200, 409])
    expect(await running()).not.toContain('/secret')
    expect((await open()).map(({ where }) => where)).toEqual(['any method odd.example/other'])
    const ended = await detail(one)
    expect(ended).toMatchObject({ state: 'resolved', resolution: 'put-back', closedBy: 'oskar' })
    expect(ended.events.map(({ action }) => action)).toContain('drift.opened')
    expect((await oskar.call('POST', `/differences/${one.drift}/take-off`)).status).toBe(409)
    await write(before)
    await read()
  })

  it('are all that is taken off so', async () => {
    await edit(600)
    await read()
    const [limit] = await limits()
    expect((await oskar.call('POST', `/differences/${limit!.drift}/take-off`)).status).toBe(409)
    await approvedAgain()
  })
})

describe('certificates', () => {
  it('differ at a gateway where one is missing, has ended, or was renewed elsewhere alone', async () => {
    const { spec } = await tomas.api.getPlacement({ placement: id })
    const held = (ends: string) => ({
      ...{ file: 'api', names: [spec.host], issuer: 'Brackenmere Works' },
      ...{ begins: '2020-01-01T00:00:00.000Z', ends },
    })
    const saying = (...certificates: object[]) =>
      JSON.stringify({ https: true, certificates, troubles: [] })
    const between = await Promise.all(
      world.sites.map(({ adminUrl }) => meddlerBefore(adminUrl, adminHeaders(adminUrl))),
    )
    const [north, south] = between as [Meddler, Meddler]
    const through = (urls: string[]) =>
      Promise.all(
        world.sites.map(({ name }, n) =>
          world.db.update(gateways).set({ adminUrl: urls[n]! }).where(eq(gateways.name, name)),
        ),
      )
    const of = async () => {
      await read()
      await read()
      return (await open()).filter(({ what }) => what === 'certificate')
    }
    try {
      await through(between.map(({ url }) => url))
      north.says['/listeners'] = saying(held('2099-01-01T00:00:00.000Z'))
      south.says['/listeners'] = saying()
      const [missing, ...others] = await of()
      expect(others).toEqual([])
      expect(missing).toMatchObject({
        ...{ placement: '', gateway: 'south-edge', where: spec.host },
        ...{ ledger: 'one for this host', runs: 'none' },
      })
      const { cause, ways } = await detail(missing!)
      expect(cause).toMatch(/^south-edge has no certificate for .*[.]$/)
      expect(ways.map(({ way }) => way)).toEqual(['accept'])
      south.says['/listeners'] = saying(held('2024-01-01T00:00:00.000Z'))
      expect(await of()).toMatchObject([{ drift: missing!.drift, runs: 'ended on 2024-01-01' }])
      south.says['/listeners'] = saying(held('2098-01-01T00:00:00.000Z'))
      expect(await of()).toMatchObject([
        { drift: missing!.drift, runs: 'of Brackenmere Works, until 2098-01-01' },
      ])
      south.says['/listeners'] = north.says['/listeners']
      expect(await of()).toEqual([])
      expect((await detail(missing!)).state).toBe('resolved')
    } finally {
      await through(world.sites.map(({ adminUrl }) => adminUrl))
      await Promise.all(between.map((one) => one.close()))
    }
  })
})

describe('what is accepted', () => {
  beforeEach(approvedAgain)
  const day = (days: number) => new Date(Date.now() + days * 86_400_000).toISOString().slice(0, 10)
  const accept = (who: Visitor, number: number, until = day(3)) =>
    who.call<DriftItem & { detail: string }>('PUT', `/differences/${number}/acceptance`, {
      until,
      reason: 'The flood desk needs it this week',
    })

  it('does not count until its day, and counts again as soon as it changes', async () => {
    await edit(600)
    await read()
    const [{ drift: number }] = (await limits()) as [DriftItem]
    expect((await accept(tomas, number)).status).toBe(403)
    expect((await accept(oskar, number, day(-1))).status).toBe(422)
    expect((await accept(oskar, number, day(400))).status).toBe(422)
    expect((await accept(oskar, 4711)).status).toBe(404)
    const { body } = await accept(oskar, number)
    expect(body).toMatchObject({ state: 'accepted', acceptedUntil: day(3) })
    await read()
    expect(await limits()).toEqual([])
    expect((await tomas.api.getPlacement({ placement: id })).mark).toBe('in-step')
    expect((await tomas.api.listDrift({ state: 'accepted' })).items).toHaveLength(1)
    await edit(700)
    await read()
    expect(await limits()).toMatchObject([{ drift: number, state: 'open' }])
  })

  it('can be taken back, and is of no use once it has ended', async () => {
    await edit(600)
    await read()
    const [{ drift: number }] = (await limits()) as [DriftItem]
    await accept(oskar, number)
    await oskar.api.endDriftAcceptance({ difference: number })
    expect(await limits()).toHaveLength(1)
    expect((await oskar.call('DELETE', `/differences/${number}/acceptance`)).status).toBe(409)
    await oskar.api.putLedgerBack({ placement: id })
    expect((await accept(oskar, number)).body.detail).toMatch(/ended in between/)
  })
})

describe('what happens by itself', () => {
  beforeEach(approvedAgain)
  const set = (who: Visitor, reaction: string, minutes: number, stage = 'Trial') =>
    who.call<{ detail: string }>('PUT', `/drift-reactions/edge/${stage}`, { reaction, minutes })
  const ended = async () => {
    await expect
      .poll(() => world.db.$count(rollouts, isNull(rollouts.endedAt)), { timeout: 20_000 })
      .toBe(0)
  }

  it('is nothing, until governance says so', async () => {
    await edit(600)
    await read()
    await reactToDrift(later(600))
    expect(await limits()).toHaveLength(1)
    expect((await set(oskar, 'put-back', 5)).status).toBe(403)
    expect((await set(imara, 'put-back', 0)).status).toBe(422)
    expect((await set(imara, 'ask', 5)).status).toBe(422)
    expect((await set(imara, 'put-back', 5, 'Nowhere')).status).toBe(404)
    expect((await set(imara, 'ask', 5, 'Live')).status).toBe(200)
    const { items } = await tomas.api.listDriftReactions({})
    expect(items.filter(({ reaction }) => reaction !== 'report')).toMatchObject([
      { group: 'edge', stage: 'Live', reaction: 'ask', minutes: 5, setBy: 'Imara Holt' },
    ])
  })

  it('is a rollout in the name of whoever set it, after so many minutes, and stops when it comes back', async () => {
    expect((await set(imara, 'put-back', 5)).status).toBe(200)
    for (let round = 1; round <= 3; round++) {
      await edit(600 + round)
      await read()
      await reactToDrift(later(4))
      expect(await limits(), 'it is not time yet').toHaveLength(1)
      const [one] = await limits()
      await Promise.all([reactToDrift(later(6)), reactToDrift(later(6))])
      await ended()
      expect(await detail(one!)).toMatchObject({ resolution: 'put-back', closedBy: 'imara' })
    }
    const mine = await world.db.select().from(rollouts).where(eq(rollouts.action, 'drift.put-back'))
    const byItself = mine.filter(({ change }) => change.kind === 'apply' && change.byItself)
    expect(byItself).toHaveLength(3)
    expect(byItself[0]!.title).toMatch(/back in Trial by itself/)
    await edit(999)
    await read()
    await reactToDrift(later(6))
    await reactToDrift(later(7))
    expect(await limits()).toMatchObject([
      { runs: '999 / minute', halted: expect.stringMatching(/works against it/) as string },
    ])
    expect(await entries('drift.halted')).toBe(1)
    expect((await set(imara, 'report', 0)).status).toBe(200)
  })

  it('leaves a placement alone of which something was accepted', async () => {
    await world.db.update(drift).set({ halted: '' })
    expect((await set(imara, 'put-back', 5)).status).toBe(200)
    await edit(600)
    await oskar.api.changeByHand({ placement: id }, { kind: 'backend' })
    await read()
    const [limit] = await limits()
    const until = new Date(Date.now() + 86_400_000).toISOString().slice(0, 10)
    await oskar.api.acceptDrift({ difference: limit!.drift }, { until, reason: 'For today' })
    const before = await world.db.$count(rollouts)
    await reactToDrift(later(6))
    expect(await world.db.$count(rollouts)).toBe(before)
    await oskar.api.endDriftAcceptance({ difference: limit!.drift })
    await set(imara, 'report', 0)
  })

  it('does nothing in the name of somebody who may not do it any more', async () => {
    await world.db.update(drift).set({ halted: '' })
    expect((await set(imara, 'put-back', 5)).status).toBe(200)
    await world.owner.execute(`update people set role = 'reader' where name = 'imara'`)
    await edit(600)
    await read()
    const before = await world.db.$count(rollouts)
    await reactToDrift(later(6))
    expect(await world.db.$count(rollouts)).toBe(before)
    const { items } = await tomas.api.listDriftReactions({})
    expect(items.find(({ stage }) => stage === 'Trial')).toMatchObject({ holds: false })
    await world.owner.execute(`update people set role = 'governance' where name = 'imara'`)
    await set(imara, 'report', 0)
  })
})

describe('what requests show', () => {
  beforeEach(approvedAgain)
  let seq = 0
  const event = (over: Partial<TrafficEvent>): TrafficEvent => ({
    ...{ seq: ++seq, id: '', at: Date.now() - 60_000, placement: id, version: '2.4.0' },
    ...{ operation: 'GET /interruptions', host: '', client: 'Alder Homes', status: 200 },
    ...{ step: '', policy: '', ms: 12, bytesIn: 1, bytesOut: 1, requestType: '' },
    ...{ address: '', responseType: '', query: [], members: [], breaks: '' },
    ...over,
  })
  async function counted(times: number, over: Partial<TrafficEvent>) {
    const from = seq === 0 ? undefined : { journal: 'made-up', seq }
    const events = Array.from({ length: times }, () => event(over))
    const gateway = { name: 'north-edge', group: 'edge' }
    expect(
      await countEvents(world.services, gateway, from, { journal: 'made-up', events, upTo: seq }),
    ).toBe(times)
  }
  const told = async (account: 'behaviour' | 'callers') =>
    (await tomas.api.listDrift({ account })).items.map(
      ({ where, what, ledger, runs, calls }) => `${where}: ${what}, ${ledger}, ${runs}, ${calls}`,
    )

  it('is held against the definition and the placement', async () => {
    await counted(20, {})
    await counted(6, { status: 302 })
    await counted(7, { operation: 'GET /interruptions/export', status: 404, step: 'match' })
    await counted(12, { operation: 'GET /reports', status: 404, step: 'match', client: '' })
    await followTraffic(world.services)
    expect(await told('behaviour')).toEqual([
      'GET /interruptions: response 302, not in the definition, sent by the backend, 26',
    ])
    expect((await told('callers')).sort()).toEqual([
      'GET /interruptions/export: calls, withheld: Asked for by e-mail, called, and refused, 7',
      'GET /reports: calls, not in the definition, called, and refused, 12',
    ])
    const before = await entries('drift.opened')
    await counted(5, { status: 302 })
    await Promise.all([followTraffic(world.services), followTraffic(world.services)])
    expect(await entries('drift.opened')).toBe(before)
    await followTraffic(later(26 * 60))
    expect(await told('behaviour')).toEqual([])
    const [gone] = (await tomas.api.listDrift({ state: 'resolved', account: 'behaviour' })).items
    expect(gone).toMatchObject({ resolution: 'gone' })
  })

  it('tells whom putting the ledger back would stop', async () => {
    await counted(30, { operation: 'GET /areas', client: 'Flood Board' })
    await oskar.api.changeByHand({ placement: id }, { kind: 'route' })
    await counted(9, { operation: 'GET /interruptions/export', client: 'Flood Board' })
    await counted(4, { operation: 'GET /interruptions/export', client: '' })
    await read()
    const route = (await open()).find(
      ({ what, account }) => what === 'route' && account === 'gateway',
    )
    const found = await detail(route!)
    expect(found.callers).toContainEqual({ client: 'Flood Board', calls: 9 })
    const effects = Object.fromEntries(found.ways.map(({ way, effect }) => [way, effect]))
    expect(effects['put-back']).toMatch(/^It would stop \d+ calls a day of \d clients? and callers/)
    expect(effects['keep']).toMatch(/is what is approved from then on/)
  })

  it('tells a key that was issued for another placement, and of a confidential API only its stage', async () => {
    const [row] = await world.db.select().from(placements).where(eq(placements.id, id))
    const other = {
      ...row!,
      id: 'supply-elsewhere',
      spec: { ...row!.spec, basePath: '/elsewhere' },
    }
    const sha256 = 'ab'.repeat(32)
    await world.db.insert(placements).values(other)
    await world.db
      .insert(keys)
      .values({ placementId: other.id, name: 'Alder Homes', sha256, state: 'active' })
    const refused = { status: 401, step: 'authenticate', client: '' } as const
    const given = async () =>
      (await tomas.api.listDrift({ account: 'callers' })).items
        .filter(({ what }) => what === 'credential of Alder Homes for elsewhere')
        .map(({ ledger, runs }) => `${ledger}, ${runs}`)
    await counted(3, { ...refused, id: 'tried', tried: sha256.slice(0, 16) })
    await counted(9, { ...refused, id: 'tried', tried: 'cd'.repeat(8) })
    await followTraffic(world.services)
    expect(await given()).toEqual([])
    await counted(2, { ...refused, id: 'tried', tried: sha256.slice(0, 16) })
    await followTraffic(world.services)
    expect(await given()).toEqual([
      'given for Supply Interruptions 2.4.0 in Trial, tried here, and refused',
    ])
    const [{ api: another } = { api: 0 }] = await world.db
      .insert(apis)
      .values({
        ...(await world.db.select().from(apis).where(eq(apis.slug, api)))[0]!,
        id: undefined,
        slug: 'hush',
        confidential: true,
      })
      .returning({ api: apis.id })
    await world.db.update(placements).set({ apiId: another }).where(eq(placements.id, other.id))
    await followTraffic(world.services)
    expect(await given()).toEqual(['given for another API in Trial, tried here, and refused'])
    await world.db.delete(placements).where(eq(placements.id, other.id))
    await world.owner.execute(`delete from estate_names where api_id = ${another}`)
    await world.db.delete(apis).where(eq(apis.id, another))
    await followTraffic(world.services)
    expect(await given()).toEqual([])
  })
})

describe('drift of a confidential API', () => {
  it('is not there for those who may not see it', async () => {
    await approvedAgain()
    await edit(600)
    await read()
    await tomas.api.updateApi({ api }, { confidential: true })
    const [one] = await limits()
    expect((await ruth.api.listDrift({})).items.map((item) => item.drift)).not.toContain(one!.drift)
    expect((await ruth.call('GET', `/differences/${one!.drift}`)).status).toBe(404)
    expect((await ruth.api.getDriftMonth({})).open).toBe(0)
    await tomas.api.updateApi({ api }, { confidential: false })
  })
})

describe('a definition that was brought in from an address', () => {
  let text = definition('supply-interruptions/2.4.0.yaml')
  let status = 200
  const files = new Map<string, string>()
  const source = http.createServer(({ url = '' }, response) =>
    response.writeHead(status).end(files.get(url) ?? text),
  )
  afterAll(() => void source.close())
  const told = async () => (await tomas.api.listDrift({ account: 'source' })).items

  it('is read again, and what changed there is told until it is brought in', async () => {
    const port = await freePort()
    await listen(source, port)
    const services = { ...world.services, allowedTargets: [`127.0.0.1:${port}`] }
    const address = `http://127.0.0.1:${port}/supply.yaml`
    expect(
      (await tomas.call('PATCH', `/apis/${api}`, { sourceAddress: 'file:///etc' })).status,
    ).toBe(422)
    await tomas.api.updateApi({ api }, { sourceAddress: address })
    await followSources(services)
    expect(await told()).toEqual([])
    expect((await tomas.api.getApi({ api })).sourceReadAt).toBeDefined()
    text = text.replace('title: Supply Interruptions', 'title: Supply interruptions')
    await Promise.all([followSources(services), followSources(services)])
    const [one, ...others] = await told()
    expect(others).toEqual([])
    expect(one).toMatchObject({
      ...{ api, placement: '', where: address, what: 'definition', ledger: 'revision 1' },
      cause: expect.stringMatching(/changed at the source/) as string,
    })
    expect((await detail(one!)).ways.map(({ way }) => way).sort()).toEqual(['accept', 'revise'])
    expect((await detail(one!)).events.map(({ action }) => action)).toEqual(['drift.opened'])
    // What cannot be read is neither the same nor different.
    status = 503
    await followSources(services)
    expect(await told()).toHaveLength(1)
    expect((await tomas.api.getApi({ api })).sourceTrouble).toMatch(/answered 503/)
    // Nobody leads the ledger into its own network.
    await followSources(world.services)
    expect((await tomas.api.getApi({ api })).sourceTrouble).toMatch(/private, loopback/)
    status = 200
    text = definition('supply-interruptions/2.4.0.yaml')
    await followSources(services)
    expect(await told()).toEqual([])
    expect((await detail(one!)).resolution).toBe('gone')
  })

  it('is read with all of its files, wherever they lie beside the main one', async () => {
    const [{ port }] = [source.address() as { port: number }]
    const services = { ...world.services, allowedTargets: [`127.0.0.1:${port}`] }
    const [{ id: revisionId } = { id: 0 }] = await world.db.select().from(revisions).limit(1)
    const common = Buffer.from('type: string\n')
    const file = {
      ...{ revisionId, position: 1, name: '../common/text.yaml', bytes: common.length },
      sha256: await storeBlob(world.db, common),
    }
    await world.db.insert(revisionFiles).values(file)
    await tomas.api.updateApi(
      { api },
      { sourceAddress: `http://127.0.0.1:${port}/apis/supply.yaml` },
    )
    files.set('/common/text.yaml', 'type: string\n')
    await followSources(services)
    expect(await told()).toEqual([])
    files.set('/common/text.yaml', 'type: integer\n')
    await followSources(services)
    expect(await told()).toMatchObject([
      {
        where: `http://127.0.0.1:${port}/apis/supply.yaml`,
        what: 'file ../common/text.yaml',
        ledger: 'revision 1',
      },
    ])
    files.clear()
    await world.db.delete(revisionFiles).where(eq(revisionFiles.position, 1))
    await followSources(services)
    expect(await told()).toEqual([])
  })

  it('is not told of any more where it is written here from then on', async () => {
    const [{ port }] = [source.address() as { port: number }]
    const services = { ...world.services, allowedTargets: [`127.0.0.1:${port}`] }
    text = `${text}# more\n`
    await followSources(services)
    expect(await told()).toHaveLength(1)
    await tomas.api.updateApi({ api }, { sourceAddress: '' })
    await followSources(services)
    expect(await told()).toEqual([])
  })
})
