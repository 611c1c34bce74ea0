import { createHash } from 'node:crypto'
import { eq } from 'drizzle-orm'
import { request } from 'undici'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { apiKeyIn } from '../../core/runtime/policies/authenticate'
import { backends, keys, requests, rollouts, settings } from '../../server/db/schema'
import { checkAllGateways } from '../../server/services/gateways'
import { promoteOpen } from '../../server/services/promotions'
import { workRollout } from '../../server/services/rollout-work'
import { countTraffic } from '../../server/services/traffic-intake'
import type { PromotionDetail } from '../../shared/api/promotions'
import { Killed, mortal } from '../support/mortal'
import {
  adminHeaders,
  bringIn,
  definition,
  makeWorld,
  type Visitor,
  type World,
} from '../support/world'

let world: World
let imara: Visitor, tomas: Visitor, oskar: Visitor, ruth: Visitor, wren: Visitor
const api = 'supply-interruptions'
const live = `${api}-live-1`
const clients = Array.from({ length: 24 }, (_, n) => `Client ${n}`)

const pipeline = `pipeline: 1
stages:
  - name: Trial
  - name: Live
    gates: { approval: {} }
    carryOut:
      when: open
      watch: { minutes: 5, errorPercent: 10 }
      shares: [20, 60]
`

async function place(
  version: string,
  treatment: 'mock' | 'route' = 'mock',
  text = definition(`${api}/${version}.yaml`),
): Promise<void> {
  await bringIn(tomas, text, version === '2.4.0' ? undefined : { api })
  const { spec, group } = await tomas.api.getPlacementDraft({ api, version })
  const routes = spec.routes.map((row) => ({
    ...row,
    treatment: treatment === 'mock' ? { kind: treatment } : { kind: treatment, backend: 'main' },
  }))
  const policies = { authentication: apiKeyIn('X-Api-Key') }
  await tomas.api.createPlacement({}, { api, version, group, spec: { ...spec, routes, policies } })
}
let minutes = 0
async function promote(version: string): Promise<PromotionDetail> {
  minutes = 0
  const asked = await tomas.api.requestPromotion({}, { api, version, from: 'Trial', note: '' })
  const { digest = '' } = await ruth.api.getPromotion({ promotion: asked.id })
  await ruth.api.approvePromotion({ promotion: asked.id }, { note: '', digest })
  await promoteOpen(world.services)
  return asked
}
const rolloutOf = async ({ id }: PromotionDetail) =>
  (await wren.api.listRollouts({})).items.find((one) => one.promotion === id)!.id
const [north, south] = [() => world.sites[0]!, () => world.sites[1]!]
/** Lets so many minutes pass for whoever carries rollouts out, and has them carry out. */
async function after(more: number, rollout: number) {
  minutes += more
  const ends = await workRollout(at(), rollout)
  return { ends, ...(await wren.api.getRollout({ rollout })) }
}
const at = () => ({
  ...world.services,
  now: () => new Date(Date.now() + minutes * 60_000),
})
/** The version that each client gets at a gateway, and how it was answered. */
async function versions({ dataUrl }: World['sites'][number]): Promise<Map<string, string>> {
  const { items } = await imara.api.listPlacements({ api, stage: 'Live' })
  const { host, basePath } = items[0]!
  await world.db.delete(requests)
  for (const name of clients) {
    const headers = { host, 'x-api-key': name }
    await (await request(`${dataUrl}${basePath}/interruptions`, { headers })).body.dump()
  }
  await countTraffic(world.services)
  const rows = await world.db.select().from(requests)
  return new Map(rows.map((row) => [row.client, row.version]))
}
const newIn = (got: Map<string, string>, version = '2.5.0') =>
  [...got].flatMap(([client, one]) => (one === version ? [client] : [])).sort()
const runs = async ({ adminUrl }: World['sites'][number]) =>
  (await fetch(`${adminUrl}/configuration`, { headers: adminHeaders(adminUrl) })).text()

beforeAll(async () => {
  world = await makeWorld({ gateways: { 'north-edge': 'edge', 'south-edge': 'edge' } })
  ;[imara, tomas, oskar, ruth, wren] = (await Promise.all(
    ['imara', 'tomas', 'oskar', 'ruth', 'wren'].map((name) => world.visitor(name)),
  )) as [Visitor, Visitor, Visitor, Visitor, Visitor]
  // Every request is kept, to see which version each caller got.
  const [{ retention }] = (await world.db.select().from(settings)) as [typeof settings.$inferSelect]
  await world.db.update(settings).set({ retention: { ...retention, requestPercent: 100 } })
  const carryOut = async () => {
    const open = await world.db.select().from(rollouts).where(eq(rollouts.state, 'running'))
    for (const { id } of open) await workRollout(at(), id)
  }
  world.services.queue.rollOut = carryOut
  await place('2.4.0')
  await imara.api.createPipeline({}, { title: 'Grows', text: pipeline, note: 'A few at first' })
  await checkAllGateways(world.services)
})
afterAll(() => world.close())

describe('a share of callers', () => {
  it('is nothing where no version is replaced: all get it at once', async () => {
    const rollout = await rolloutOf(await promote('2.4.0'))
    expect((await wren.api.getRollout({ rollout })).steps[0]!.share).toBeUndefined()
    for (;;) if ((await after(6, rollout)).ends === 'ended') break
    // Of known keys it is known which of them are among the first.
    const digest = (secret: string) => createHash('sha256').update(secret).digest('hex')
    await world.db.insert(keys).values(
      clients.map((name) => ({
        ...{ placementId: live, name, sha256: digest(name), state: 'active' as const },
      })),
    )
    await tomas.api.issueKey({ placement: live }, { name: 'One more, with which all are written' })
    expect(newIn(await versions(north()), '2.4.0')).toHaveLength(clients.length)
  })

  it('gets the new version first, always the same callers, and grows at one gateway after the other', async () => {
    await place('2.5.0')
    const asked = await promote('2.5.0')
    const rollout = await rolloutOf(asked)
    expect(await wren.api.getRollout({ rollout })).toMatchObject({
      held: 'north-edge at 20 %: 0 errors in 0 calls; watched for 5 more minutes',
      steps: [
        { state: 'confirmed', share: 20 },
        { state: 'waiting', share: 20 },
      ],
    })
    const few = newIn(await versions(north()))
    expect(few.length).toBeGreaterThan(0)
    expect(few.length).toBeLessThan(clients.length / 2)
    expect(newIn(await versions(north()))).toEqual(few)
    expect(newIn(await versions(south()))).toEqual([])
    // On its way it is nobody's drift.
    await checkAllGateways(world.services)
    expect((await wren.api.listDrift({ state: 'open' })).items).toEqual([])

    expect(await after(6, rollout)).toMatchObject({ steps: [{ share: 60 }, { state: 'waiting' }] })
    const more = newIn(await versions(north()))
    expect(more).toEqual(expect.arrayContaining(few))
    expect(more.length).toBeGreaterThan(few.length)
    expect(more.length).toBeLessThan(clients.length)
    const whole = await after(6, rollout)
    expect(whole.steps[0]!.share).toBeUndefined()
    expect(newIn(await versions(north()))).toHaveLength(clients.length)
    expect(newIn(await versions(south()))).toEqual([])

    for (const share of [20, 60])
      expect(await after(6, rollout)).toMatchObject({ steps: [{}, { share }] })
    expect(newIn(await versions(south()))).toEqual(more)
    expect(await after(6, rollout)).toMatchObject({ state: 'running' })
    expect(await after(6, rollout)).toMatchObject({ ends: 'ended', state: 'done' })
    expect((await wren.api.getPromotion({ promotion: asked.id })).state).toBe('done')
    for (const site of [north(), south()]) {
      expect(newIn(await versions(site))).toHaveLength(clients.length)
      expect(await runs(site)).not.toMatch(/Portion|-next/)
    }
    expect((await wren.api.listPlacements({ api, stage: 'Live' })).items[0]!.mark).toBe('in-step')
  })

  it('goes back with all others when somebody has it, at whichever share it is', async () => {
    await place('2.3.1')
    for (const passing of [0, 1, 2]) {
      const asked = await promote('2.3.1')
      const rollout = await rolloutOf(asked)
      for (let n = 0; n < passing; n++) await after(6, rollout)
      await oskar.api.cancelRollout({ rollout })
      expect(await after(0, rollout)).toMatchObject({ ends: 'ended', state: 'rolled-back' })
      for (const site of [north(), south()]) {
        expect(newIn(await versions(site))).toHaveLength(clients.length)
        expect(await runs(site)).not.toMatch(/Portion|-next/)
      }
      await tomas.api.withdrawPromotion({ promotion: asked.id })
    }
  })

  it('is whole in the end wherever the process dies that grows it', async () => {
    const asked = await promote('2.3.1')
    const rollout = await rolloutOf(asked)
    for (let point = 2; ; point += 5) {
      minutes += 6
      const { services, pool } = mortal(at(), world.url, { at: point, when: 'after' })
      const ends = await workRollout(services, rollout).catch((error: unknown) => {
        if (!(error instanceof Killed) && !pool.dead) throw error
        return 'died'
      })
      if (!pool.dead) await pool.end()
      if (ends === 'ended') break
      expect(point).toBeLessThan(400)
    }
    expect((await wren.api.getPromotion({ promotion: asked.id })).state).toBe('done')
    for (const site of [north(), south()]) {
      expect(newIn(await versions(site), '2.3.1')).toHaveLength(clients.length)
      expect(await runs(site)).not.toMatch(/Portion|-next/)
    }
  })

  it('has all of it go back by itself where its calls fail, and no other', async () => {
    await world.db.update(backends).set({ url: 'http://127.0.0.1:1' })
    // Nobody has called it before: what is counted is this.
    const text = definition(`${api}/2.5.0.yaml`).replace('version: 2.5.0', 'version: 2.6.0')
    await place('2.6.0', 'route', text)
    const asked = await promote('2.6.0')
    const rollout = await rolloutOf(asked)
    const few = newIn(await versions(north()), '2.6.0')
    expect(few.length).toBeGreaterThan(0)
    expect(await after(0, rollout)).toMatchObject({
      ends: 'ended',
      state: 'rolled-back',
      trouble: /It went back by itself. north-edge at 20 %: \d+ errors in \d+ calls/,
    })
    expect(newIn(await versions(north()), '2.3.1')).toHaveLength(clients.length)
  })
})
