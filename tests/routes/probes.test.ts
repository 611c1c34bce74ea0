import { eq } from 'drizzle-orm'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { backends, keys, probeKeys, probeRuns, rollouts } from '../../server/db/schema'
import { actAs } from '../../server/services/context'
import { actorNamed } from '../../server/services/people'
import { checkAllGateways } from '../../server/services/gateways'
import { issueProbeKey, sendDueProbes } from '../../server/services/probes'
import { workRollout, workRollouts } from '../../server/services/rollout-work'
import { countTraffic } from '../../server/services/traffic-intake'
import { apiKeyIn } from '../../core/runtime/policies/authenticate'
import { probeEtag } from '../../shared/etags'
import { probeClient } from '../../shared/words'
import type { ProbeItem, ProbeRunItem } from '../../shared/api/probes'
import { Killed, mortal } from '../support/mortal'
import { bringIn, definition, makeWorld, type Visitor, type World } from '../support/world'

let world: World
let imara: Visitor, tomas: Visitor, oskar: Visitor, ruth: Visitor, wren: Visitor
const api = 'supply-interruptions'
const trial = `${api}-trial-1`
const text = (status = 200) => `arazzo: 1.0.1
info: { title: Interruptions, version: 1.0.0 }
sourceDescriptions: [{ name: definition, url: openapi.yaml, type: openapi }]
workflows:
  - workflowId: probe
    steps:
      - stepId: list
        operationPath: '{$sourceDescriptions.definition.url}#/paths/~1interruptions/get'
        successCriteria: [{ condition: $statusCode == ${status} }]
`
const body = (more: object = {}) => ({
  ...{ title: 'Interruptions', text: text(), every: 0, stages: ['Trial'] },
  ...more,
})
const probeOf = async () => (await wren.api.listProbes({ api })).items[0]!
const later = (minutes: number) => ({
  ...world.services,
  now: () => new Date(Date.now() + minutes * 60_000),
})
const runsOf = (rows: { passed: boolean; says: string }[]) =>
  rows.map(({ passed, says }) => `${passed} ${says}`)

beforeAll(async () => {
  world = await makeWorld({ gateways: { 'north-edge': 'edge', 'south-edge': 'edge' } })
  ;[imara, tomas, oskar, ruth, wren] = (await Promise.all(
    ['imara', 'tomas', 'oskar', 'ruth', 'wren'].map((name) => world.visitor(name)),
  )) as [Visitor, Visitor, Visitor, Visitor, Visitor]
  await bringIn(tomas, definition(`${api}/2.4.0.yaml`))
  const { spec, group } = await tomas.api.getPlacementDraft({ api, version: '2.4.0' })
  const routes = spec.routes.map((row) => ({
    ...row,
    treatment: { kind: 'route' as const, backend: 'main' },
  }))
  const policies = { authentication: apiKeyIn('X-Api-Key') }
  const placed = { api, version: '2.4.0', group, spec: { ...spec, routes, policies } }
  await tomas.api.createPlacement({}, placed)
  await imara.api.createPipeline(
    {},
    {
      ...{ title: 'Probed', note: 'Nothing goes on untried' },
      text: `pipeline: 1
stages:
  - name: Trial
  - name: Live
    gates: { probes: { hours: 24 }, approval: {} }
    carryOut: { when: hand, probes: true }
`,
    },
  )
  await checkAllGateways(world.services)
})
afterAll(() => world.close())

describe('probes of an API', () => {
  it('are kept by who may place it, and refused with every fault and its line', async () => {
    expect((await wren.call('POST', `/apis/${api}/probes`, body())).status).toBe(403)
    const odd = { text: text().replace('~1interruptions', '~1nothing') }
    expect(await tomas.call('POST', `/apis/${api}/probes`, body(odd))).toMatchObject({
      status: 422,
      body: { detail: /Line 8: The definition has no operation GET \/nothing/ },
    })
    const made = await tomas.call<ProbeItem>('POST', `/apis/${api}/probes`, body())
    expect(made).toMatchObject({ status: 201, body: { steps: 1, problems: [], last: [] } })
    expect((await tomas.call('POST', `/apis/${api}/probes`, body())).status).toBe(409)
    const { probe } = made.body
    const change = body({ every: 5 })
    expect((await tomas.call('PUT', `/probes/${probe}`, change)).status).toBe(428)
    const ifMatch = { 'if-match': probeEtag(made.body) }
    const two = await Promise.all(
      [tomas, oskar].map((one) => one.call('PUT', `/probes/${probe}`, change, ifMatch)),
    )
    expect(two.map(({ status }) => status).filter((status) => status === 200)).toHaveLength(1)
  })

  it('are made of what the definition lets read', async () => {
    const { text: made } = await wren.api.getProbeDraft({ api })
    expect(made).toContain('~1interruptions/get')
    const kept = await tomas.call<ProbeItem>(
      'POST',
      `/apis/${api}/probes`,
      body({ title: 'Made', text: made }),
    )
    expect(kept).toMatchObject({ status: 201, body: { problems: [] } })
    await tomas.api.removeProbe({ probe: kept.body.probe })
  })

  it('are sent with a key of their own, which nobody reads, and are no callers', async () => {
    const { probe } = await probeOf()
    const send = () => oskar.api.runProbe({ probe }, { placement: trial })
    expect(runsOf((await send()).items)).toEqual([
      `false Probes have no key at ${trial}: give them one under Probes`,
      `false Probes have no key at ${trial}: give them one under Probes`,
    ])
    expect((await wren.call('POST', `/placements/${trial}/probe-key`)).status).toBe(403)
    // Whoever dies in between: there is no key without what sends probes having it.
    const actor = await actorNamed(world.db, 'oskar')
    const given = () => world.db.select().from(keys).where(eq(keys.name, probeClient))
    for (let at = 1; (await given()).length === 0; at += 1) {
      const { services, pool } = mortal(world.services, world.url, { at, when: 'after' })
      await issueProbeKey(actAs(services, actor), trial).catch(() => undefined)
      if (!pool.dead) await pool.end()
      expect(await world.db.$count(probeKeys)).toBe((await given()).length)
    }
    await workRollouts(world.services)
    expect(JSON.stringify(await world.db.select().from(probeKeys))).not.toMatch(/elm_/)
    const { items } = await send()
    expect(runsOf(items.slice(0, 2))).toEqual(['true 1 step passed', 'true 1 step passed'])
    expect(items[0]).toMatchObject({ cause: 'hand', by: 'Oskar Lindley', version: '2.4.0' })
    expect((await wren.call('POST', `/probes/${probe}/runs`, { placement: trial })).status).toBe(
      403,
    )
    await countTraffic(world.services)
    const callers = (await wren.api.listPlacementCallers({ placement: trial })).items
    expect(callers.map(({ client }) => client)).not.toContain(probeClient)
  })

  it('are sent by schedule, once by two workers, and again when it is time', async () => {
    await world.owner.delete(probeRuns)
    await Promise.all([sendDueProbes(later(0)), sendDueProbes(later(0))])
    const { probe } = await probeOf()
    const runs = async () => (await wren.api.listProbeRuns({ probe })).items
    expect((await runs()).map(({ gateway, cause }) => `${gateway} ${cause}`)).toEqual([
      'south-edge schedule',
      'north-edge schedule',
    ])
    await sendDueProbes(later(4))
    expect(await runs()).toHaveLength(2)
    await sendDueProbes(later(6))
    expect(await runs()).toHaveLength(4)
  })

  it('say what is wrong with what stands there, and wait for no target that hangs', async () => {
    const { probe } = await probeOf()
    const now = await probeOf()
    const ifMatch = probeEtag(now)
    await tomas.api.updateProbe({ probe }, body({ text: text(418), every: 5 }), { ifMatch })
    const { items } = await oskar.api.runProbe({ probe }, { placement: trial })
    expect(items[0]).toMatchObject({
      passed: false,
      says: 'list, GET /interruptions: not so: $statusCode == 418 (it answered 200)',
    })
    // What is sent by schedule and fails waits for whoever owns it, and for those who resolve what runs.
    const failing = async (who: Visitor) => (await who.api.listTasks({ kind: 'probe' })).items
    for (const who of [tomas, oskar])
      expect(await failing(who)).toMatchObject([
        {
          ...{ title: '2 probes fail: Supply Interruptions', subject: api },
          says: expect.stringMatching(/^Interruptions in Trial on .*-edge: list, GET/) as string,
        },
      ])
    expect(await failing(wren)).toEqual([])
    await world.sites[1]!.stop()
    const away = (await oskar.api.runProbe({ probe }, { placement: trial })).items
    expect(away.find(({ gateway }) => gateway === 'south-edge')!.steps[0]).toMatchObject({
      trouble: /south-edge at .* gave no answer/,
    })
    await world.sites[1]!.start()
    await tomas.api.updateProbe({ probe }, body(), { ifMatch: probeEtag(await probeOf()) })
  })
})

describe('a pipeline with probes', () => {
  const gate = async (promotion: number) =>
    (await wren.api.getPromotion({ promotion })).gates.find(({ id }) => id === 'probes')

  it('lets a version on once they passed where it stands, and keeps that as evidence', async () => {
    const { id } = await tomas.api.requestPromotion(
      {},
      { api, version: '2.4.0', from: 'Trial', note: '' },
    )
    expect(await gate(id)).toMatchObject({ state: 'waiting', text: /has not been sent to/ })
    const { probe } = await probeOf()
    await oskar.api.runProbe({ probe }, { placement: trial })
    expect(await gate(id)).toMatchObject({ state: 'passed', text: '1 probe passed' })
    const { digest } = await wren.api.getPromotion({ promotion: id })
    await ruth.api.approvePromotion({ promotion: id }, { note: 'Read', digest: digest! })
    await oskar.api.promoteVersion({ promotion: id })
    const { act } = await wren.api.getPromotionEvidence({ promotion: id })
    expect(act!.probes).toMatchObject([{ passed: true }, { passed: true }])
  })

  it('goes back where they fail on a gateway that has it, whoever dies, and sends each once', async () => {
    const live = `${api}-live-1`
    await oskar.api.issueProbeKey({ placement: live })
    // Nobody carries anything out but this test.
    world.services.queue.rollOut = () => Promise.resolve()
    await world.owner
      .update(backends)
      .set({ url: 'http://127.0.0.1:9' })
      .where(eq(backends.stage, 'Live'))
    const { probe } = await probeOf()
    await bringIn(tomas, definition(`${api}/2.5.0.yaml`), { api })
    const { spec, group } = await tomas.api.getPlacementDraft({ api, version: '2.5.0' })
    const routes = spec.routes.map((row) => ({
      ...row,
      treatment: { kind: 'route' as const, backend: 'main' },
    }))
    const placing = tomas.api.createPlacement(
      {},
      { api, version: '2.5.0', group, spec: { ...spec, routes } },
    )
    await workUntil(placing)
    await oskar.api.runProbe({ probe }, { placement: trial })
    const asked = await tomas.api.requestPromotion(
      {},
      { api, version: '2.5.0', from: 'Trial', note: '' },
    )
    const { digest } = await wren.api.getPromotion({ promotion: asked.id })
    await ruth.api.approvePromotion({ promotion: asked.id }, { note: 'Read', digest: digest! })
    const promoting = oskar.call('POST', `/promotions/${asked.id}/promote`)
    let rollout = 0
    await expect
      .poll(async () => {
        const open = (await wren.api.listRollouts({})).items.find(
          ({ promotion }) => promotion === asked.id,
        )
        rollout = open?.id ?? 0
        return rollout
      })
      .toBeGreaterThan(0)
    for (let at = 2; ; at += 7) {
      const { services, pool } = mortal(world.services, world.url, { at, when: 'after' })
      await workRollout(services, rollout).catch((error: unknown) => {
        if (!(error instanceof Killed) && !pool.dead) throw error
      })
      if (!pool.dead) {
        await pool.end()
        break
      }
    }
    expect(await promoting).toMatchObject({
      status: 409,
      body: { detail: /It went back by itself/ },
    })
    expect(await wren.api.getRollout({ rollout })).toMatchObject({
      state: 'rolled-back',
      trouble: /It went back by itself. north-edge: Interruptions: list, GET \/interruptions/,
      steps: [{ state: 'undone' }, { state: 'untouched' }],
    })
    const sent = (await wren.api.listProbeRuns({ probe, placement: live })).items
    expect(sent.filter(({ cause }: ProbeRunItem) => cause === 'rollout')).toMatchObject([
      { gateway: 'north-edge', passed: false },
    ])
    const { items } = await wren.api.listLedgerEntries({ action: 'rollout.rolled-back' })
    expect(JSON.stringify(items[0]!.after)).toContain('"probes":[{')
  })
})

/** Works on rollouts until something that waits for one has come. */
async function workUntil(work: Promise<unknown>): Promise<void> {
  let isOver = false
  const ended = work.finally(() => (isOver = true))
  while (!isOver) {
    const open = await world.db.select().from(rollouts).where(eq(rollouts.state, 'running'))
    for (const { id } of open) await workRollout(world.services, id)
    await new Promise((resume) => setTimeout(resume, 20))
  }
  await ended
}
