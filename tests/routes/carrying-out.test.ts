import { eq } from 'drizzle-orm'
import { request } from 'undici'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { backends, gateways, rollouts } from '../../server/db/schema'
import { checkAllGateways } from '../../server/services/gateways'
import { promoteOpen } from '../../server/services/promotions'
import { workRollout } from '../../server/services/rollout-work'
import { countTraffic } from '../../server/services/traffic-intake'
import type { PromotionDetail } from '../../shared/api/promotions'
import { pipelineEtag } from '../../shared/etags'
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

const pipeline = `pipeline: 1
stages:
  - name: Trial
  - name: Live
    gates: { approval: {} }
    carryOut: { when: open, watch: { minutes: 5, errorPercent: 10 } }
`

async function place(version: string, kind: 'mock' | 'route' = 'mock'): Promise<void> {
  await bringIn(
    tomas,
    definition(`${api}/${version}.yaml`),
    version === '2.4.0' ? undefined : { api },
  )
  const { spec, group } = await tomas.api.getPlacementDraft({ api, version })
  const routes = spec.routes.map((row) => ({
    ...row,
    treatment: kind === 'mock' ? { kind } : { kind, backend: 'main' },
  }))
  const policies = { authentication: { kind: 'none' as const, reason: 'Only a test asks' } }
  await tomas.api.createPlacement({}, { api, version, group, spec: { ...spec, routes, policies } })
}
const ask = (version: string) =>
  tomas.api.requestPromotion({}, { api, version, from: 'Trial', note: '' })
async function approve({ id, digest }: PromotionDetail): Promise<void> {
  await ruth.api.approvePromotion({ promotion: id }, { note: 'Read', digest: digest ?? '' })
}
const rolloutOf = async (promotion: number) =>
  (await wren.api.listRollouts({})).items.find((one) => one.promotion === promotion)
const runs = async (site: World['sites'][number]) =>
  (
    await fetch(`${site.adminUrl}/configuration`, {
      headers: adminHeaders(site.adminUrl),
    })
  ).text()
const [north, south] = [() => world.sites[0]!, () => world.sites[1]!]
const live = `${api}-live-1`

/** Whether a gateway serves a version in Live. */
const servesLive = async (site: World['sites'][number], version: string) =>
  (await runs(site)).split('\n---').some((one) => one.includes(live) && one.includes(version))

/** Lets so many minutes pass for whoever carries rollouts out. */
function later(minutes: number): void {
  world.services.now = () => new Date(Date.now() + minutes * 60_000)
}
/** Works on a rollout until it waits for something, or has ended. */
const work = (rollout: number) => workRollout(world.services, rollout)

beforeAll(async () => {
  world = await makeWorld({ gateways: { 'north-edge': 'edge', 'south-edge': 'edge' } })
  ;[imara, tomas, oskar, ruth, wren] = (await Promise.all(
    ['imara', 'tomas', 'oskar', 'ruth', 'wren'].map((name) => world.visitor(name)),
  )) as [Visitor, Visitor, Visitor, Visitor, Visitor]
  // Nobody carries anything out but these tests.
  const carryOut = async () => {
    const open = await world.db.select().from(rollouts).where(eq(rollouts.state, 'running'))
    for (const { id } of open) await work(id)
  }
  world.services.queue.rollOut = carryOut
  await place('2.4.0')
  await imara.api.createPipeline({}, { title: 'By itself', text: pipeline, note: 'Site by site' })
  await checkAllGateways(world.services)
})
afterAll(() => world.close())

describe('a promotion whose pipeline carries it out', () => {
  let asked: PromotionDetail
  let rollout = 0

  it('begins by itself as soon as every gate is open, and not before', async () => {
    asked = await ask('2.4.0')
    expect(asked).toMatchObject({ automatic: true, state: 'waiting' })
    await promoteOpen(world.services)
    expect(await rolloutOf(asked.id)).toBeUndefined()
    await approve(asked)
    expect((await oskar.api.listTasks({})).items.map(({ kind }) => kind)).not.toContain('ready')
    await Promise.all([promoteOpen(world.services), promoteOpen(world.services)])
    const begun = (await wren.api.listRollouts({})).items.filter(
      (one) => one.promotion === asked.id,
    )
    expect(begun).toHaveLength(1)
    rollout = begun[0]!.id
    const { items } = await wren.api.listLedgerEntries({ action: 'rollout.begun' })
    expect(items[0]).toMatchObject({
      actor: 'tomas',
      after: { promotion: asked.id, carriedOut: 'as soon as every gate was open' },
    })
  })

  it('watches the first gateway before the next has it, and says so', async () => {
    expect(await work(rollout)).toBe('waits')
    const now = await wren.api.getRollout({ rollout })
    expect(now).toMatchObject({
      state: 'running',
      held: 'north-edge: 0 errors in 0 calls; watched for 5 more minutes',
      steps: [{ state: 'confirmed' }, { state: 'waiting' }],
    })
    expect(await runs(north())).toContain(live)
    expect(await runs(south())).not.toContain(live)
    expect((await wren.api.getPromotion({ promotion: asked.id })).state).toBe('under-way')
  })

  it('stops where somebody says so, and goes on from there', async () => {
    expect((await wren.call('POST', `/rollouts/${rollout}/pause`)).status).toBe(403)
    expect((await oskar.call('POST', `/rollouts/${rollout}/resume`)).status).toBe(409)
    await oskar.api.pauseRollout({ rollout })
    expect((await oskar.call('POST', `/rollouts/${rollout}/pause`)).status).toBe(409)
    later(6)
    expect(await work(rollout)).toBe('waits')
    expect(await wren.api.getRollout({ rollout })).toMatchObject({
      pausedBy: 'Oskar Lindley',
      held: 'Oskar Lindley stopped it',
    })
    expect(await runs(south())).not.toContain(live)
    await oskar.api.resumeRollout({ rollout })
    expect(await work(rollout)).toBe('waits')
    expect(await runs(south())).toContain(live)
    expect(await wren.api.getRollout({ rollout })).toMatchObject({
      held: /^south-edge: .* watched for 5 more minutes$/,
    })
  })

  it('is done once the last one was watched, by another process where one dies on the way', async () => {
    later(12)
    for (let at = 3; ; at += 5) {
      const { services, pool } = mortal(world.services, world.url, { at, when: 'after' })
      await workRollout(services, rollout).catch((error: unknown) => {
        if (!(error instanceof Killed) && !pool.dead) throw error
      })
      if (!pool.dead) {
        await pool.end()
        break
      }
    }
    expect((await wren.api.getPromotion({ promotion: asked.id })).state).toBe('done')
    const { items } = await wren.api.listLedgerEntries({ action: 'promotion.done' })
    expect(items).toHaveLength(1)
    later(0)
  })

  it('goes back by itself where calls fail, wholly, and waits for somebody from then on', async () => {
    await place('2.5.0', 'route')
    // Nobody listens there.
    const nowhere = { url: 'http://127.0.0.1:9' }
    await world.owner.update(backends).set(nowhere).where(eq(backends.stage, 'Live'))
    await checkAllGateways(world.services)
    asked = await ask('2.5.0')
    await approve(asked)
    await promoteOpen(world.services)
    rollout = (await rolloutOf(asked.id))!.id
    await work(rollout)
    expect(await servesLive(north(), '2.5.0')).toBe(true)
    const { items } = await oskar.api.listPlacements({ api, stage: 'Live' })
    const { host, basePath } = items[0]!
    for (let n = 0; n < 5; n++)
      await (
        await request(`${north().dataUrl}${basePath}/interruptions`, { headers: { host } })
      ).body.dump()
    await countTraffic(world.services)
    expect(await work(rollout)).toBe('ended')
    expect(await wren.api.getRollout({ rollout })).toMatchObject({
      state: 'rolled-back',
      trouble: /It went back by itself. north-edge: \d errors in \d calls; at most 10 % may fail/,
      steps: [{ state: 'undone' }, { state: 'untouched' }],
    })
    expect(items[0]!.version).toBe('2.4.0')
    const again = await wren.api.getPromotion({ promotion: asked.id })
    expect(again).toMatchObject({ state: 'waiting', wentBack: /It went back by itself/ })
    await promoteOpen(world.services)
    expect((await rolloutOf(asked.id))!.id).toBe(rollout)
    expect((await oskar.api.listTasks({})).items.map(({ kind }) => kind)).toContain('ready')
    await tomas.api.withdrawPromotion({ promotion: asked.id })
  })
})

describe('a rollout that was stopped', () => {
  it('goes back where somebody says so, and waits for nobody then', async () => {
    // Calls are counted by the minute: those that failed a moment ago are of the same one.
    later(2)
    const asked = await ask('2.5.0')
    await approve(asked)
    await promoteOpen(world.services)
    const { id: rollout } = (await rolloutOf(asked.id))!
    await work(rollout)
    expect(await servesLive(north(), '2.5.0')).toBe(true)
    await oskar.api.pauseRollout({ rollout })
    await work(rollout)
    await oskar.api.cancelRollout({ rollout })
    await work(rollout)
    const ended = await wren.api.getRollout({ rollout })
    expect(ended).toMatchObject({ state: 'rolled-back', held: '' })
    expect(ended.pausedBy).toBeUndefined()
    expect(await servesLive(north(), '2.5.0')).toBe(false)
    await tomas.api.withdrawPromotion({ promotion: asked.id })
    later(0)
  })
})

describe('an approval', () => {
  it('does not hold where it would be carried out at another pace, or elsewhere', async () => {
    const paced = async (minutes: number) => {
      const { pipeline: slug, edition } = (await imara.api.listPipelines({})).items[0]!
      await imara.api.publishPipeline(
        { pipeline: slug },
        {
          title: 'By itself',
          text: pipeline.replace('minutes: 5', `minutes: ${minutes}`),
          note: 'Another pace',
        },
        { ifMatch: pipelineEtag({ edition }) },
      )
    }
    await paced(10)
    const { id: promotion } = await ask('2.5.0')
    const read = () => ruth.api.getPromotion({ promotion })
    const gate = async () => (await read()).gates[0]!
    await approve(await read())
    expect((await gate()).state).toBe('passed')
    await paced(1)
    expect((await gate()).text).toMatch(/another pace/)
    await paced(10)
    expect((await gate()).state).toBe('passed')
    const at = (adminUrl: string) =>
      world.db.update(gateways).set({ adminUrl }).where(eq(gateways.name, 'south-edge'))
    await at('http://127.0.0.1:9')
    expect((await gate()).text).toMatch(/elsewhere/)
    await at(south().adminUrl)
    expect((await gate()).state).toBe('passed')
    await tomas.api.withdrawPromotion({ promotion })
  })
})

describe('the text of a pipeline', () => {
  const check = async (text: string) => (await imara.api.checkPipeline({}, { text })).diagnostics

  it('says how versions are carried out, and is refused where that cannot be', async () => {
    expect(await check(pipeline)).toEqual([])
    expect(await check(pipeline.replace('minutes: 5', 'minutes: 5000'))).toHaveLength(1)
    expect(await check(pipeline.replace('when: open', 'when: soon'))).toHaveLength(1)
    const first = pipeline.replace('name: Trial', 'name: Trial\n    carryOut: { when: open }')
    expect((await check(first))[0]!.message).toMatch(/Into the first stage nothing is carried/)
  })
})
