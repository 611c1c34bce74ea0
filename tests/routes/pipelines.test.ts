import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { eq } from 'drizzle-orm'
import type { PromotionDetail } from '../../shared/api/promotions'
import { apis } from '../../server/db/schema'
import { checkAllGateways } from '../../server/services/gateways'
import { pipelineEtag, placementEtag } from '../../shared/etags'
import { bringIn, definition, makeWorld, type Visitor, type World } from '../support/world'

let world: World
let imara: Visitor, tomas: Visitor, oskar: Visitor, ruth: Visitor, ada: Visitor, wren: Visitor
const api = 'supply-interruptions'
const version = '2.4.0'

beforeAll(async () => {
  world = await makeWorld({ gateways: { 'north-edge': 'edge' } })
  ;[imara, tomas, oskar, ruth, ada, wren] = (await Promise.all(
    ['imara', 'tomas', 'oskar', 'ruth', 'ada', 'wren'].map((name) => world.visitor(name)),
  )) as [Visitor, Visitor, Visitor, Visitor, Visitor, Visitor]
  await bringIn(tomas, definition(`${api}/${version}.yaml`))
  const { spec, group } = await tomas.api.getPlacementDraft({ api })
  const routes = spec.routes.map((row) => ({
    ...row,
    treatment: { kind: 'route' as const, backend: 'main' },
  }))
  await tomas.api.createPlacement({}, { api, version, group, spec: { ...spec, routes } })
})
afterAll(() => world.close())

const straight = (gates: string) => `pipeline: 1
for: { audiences: [partner] }
stages:
  - name: Trial
  - name: Live
    gates: ${gates}
`
const publication = (text: string, title = 'Partner APIs') => ({
  ...{ title, text, note: 'Straight to Live' },
})
const gatesOf = ({ gates }: Pick<PromotionDetail, 'gates'>) =>
  gates.map(({ id, state }) => `${id} ${state}`)
const ask = (from = 'Trial') =>
  tomas.call<PromotionDetail & { detail: string }>('POST', '/promotions', {
    ...{ api, version, from, note: '' },
  })
const etagOf = async (pipeline: string) => pipelineEtag(await imara.api.getPipeline({ pipeline }))
const publish = async (text: string) =>
  imara.api.publishPipeline({ pipeline: 'partner-apis' }, publication(text), {
    ifMatch: await etagOf('partner-apis'),
  })

describe('pipelines', () => {
  it('are one where nobody wrote any, which everybody takes', async () => {
    const { items } = await wren.api.listPipelines({})
    expect(items).toEqual([
      {
        ...{ pipeline: 'usual', title: 'The usual pipeline', edition: 0, apis: [api] },
        ...{ audiences: [], teams: [], labels: [] },
        stages: [
          { name: 'Trial', gates: [], then: [] },
          {
            name: 'Rehearsal',
            gates: [
              'No finding at MUST',
              'Trial matches the ledger',
              'The number fits the changes',
              'One approval by somebody else',
            ],
            then: [],
          },
          {
            name: 'Live',
            then: [],
            gates: expect.arrayContaining(['Rehearsal matches the ledger']) as [],
          },
        ],
      },
    ])
    expect((await wren.call('GET', '/pipelines/usual')).status).toBe(404)
  })

  it('are refused with what is wrong, and where', async () => {
    const wrong = (text: string) =>
      imara.call<{ errors: { message: string }[] }>('POST', '/pipelines', publication(text))
    const answer = await wrong(straight('{ colour: {} }'))
    expect(answer.status).toBe(422)
    expect(JSON.stringify(answer.body)).toMatch(/Line 6: Gates has no member colour/)
    expect((await wrong('pipeline: [')).status).toBe(422)
    expect(
      (await imara.call('POST', '/pipelines', publication(straight('{}'), 'Usual'))).status,
    ).toBe(422)
    // Its page would be that of a pipeline that is being begun.
    expect(
      (await imara.call('POST', '/pipelines', publication(straight('{}'), 'New'))).status,
    ).toBe(422)
    const long = straight('{}').padEnd(100_001, '#')
    expect((await wrong(long)).status).toBe(422)
    expect((await wren.api.listPipelines({})).items).toHaveLength(1)
  })

  it('say before they are published whose they would be, and what waiting promotions would make of them', async () => {
    const asked = await ask()
    expect(asked.body).toMatchObject({ to: 'Rehearsal' })
    const impact = await tomas.api.checkPipeline(
      {},
      { text: straight('{ findings: {}, approval: { number: 2 } }') },
    )
    expect(impact).toMatchObject({ diagnostics: [], coming: [api], leaving: [] })
    expect(impact.promotions).toMatchObject([
      {
        promotion: asked.body.id,
        title: 'Supply Interruptions 2.4.0 into Rehearsal',
        then: [{ id: 'stage', state: 'failed' }],
      },
    ])
    const none = await tomas.api.checkPipeline({}, { text: 'pipeline: 1\nstages: []\n' })
    expect(none).toMatchObject({ coming: [], promotions: [] })
    expect(none.diagnostics[0]).toMatchObject({ line: 2, severity: 'error' })
    expect((await wren.api.listPipelines({})).items).toHaveLength(1)
  })

  it('lead waiting promotions astray where they do not go there any more, and the next ones elsewhere', async () => {
    const text = straight(
      '{ findings: {}, drift: {}, soak: { hours: 1 }, approval: { number: 2 } }',
    )
    expect((await tomas.call('POST', '/pipelines', publication(text))).status).toBe(403)
    const made = await imara.api.createPipeline({}, publication(text))
    expect(made).toMatchObject({ pipeline: 'partner-apis', edition: 1, apis: [api], text })
    expect((await imara.call('POST', '/pipelines', publication(text))).status).toBe(422)
    const [waiting] = (await oskar.api.listPromotions({})).items
    expect(waiting!.gates).toMatchObject([
      { id: 'stage', state: 'failed', text: expect.stringMatching(/Partner APIs/) as string },
    ])
    const { digest } = await ruth.api.getPromotion({ promotion: waiting!.id })
    await ruth.api.approvePromotion({ promotion: waiting!.id }, { note: 'Fine', digest: digest! })
    expect((await oskar.call('POST', `/promotions/${waiting!.id}/promote`)).status).toBe(409)
    await tomas.api.withdrawPromotion({ promotion: waiting!.id })
    const next = await ask()
    expect(next.body.to).toBe('Live')
    expect(gatesOf(next.body)).toEqual([
      'findings passed',
      'drift passed',
      'soak waiting',
      'approval waiting',
    ])
    const refused = await ask('Rehearsal')
    expect(refused).toMatchObject({
      status: 409,
      body: { detail: expect.stringMatching(/does not go through Rehearsal/) as string },
    })
  })

  it('open with what their next edition asks for, and the ledger tells which that was', async () => {
    const [waiting] = (await oskar.api.listPromotions({ state: 'waiting' })).items
    const promotion = waiting!.id
    const approve = async (who: Visitor) => {
      const { digest } = await who.api.getPromotion({ promotion })
      return who.api.approvePromotion({ promotion }, { note: 'Fine', digest: digest! })
    }
    expect(gatesOf(await approve(ruth))).toContain('approval waiting')
    expect(gatesOf(await approve(imara))).toContain('approval passed')
    expect((await oskar.call('POST', `/promotions/${promotion}/promote`)).status).toBe(409)
    const edition = await publish(straight('{ drift: {}, approval: { number: 2 } }'))
    expect(edition).toMatchObject({ edition: 2, editions: [{ edition: 2 }, { edition: 1 }] })
    await checkAllGateways(world.services)
    expect(await oskar.api.promoteVersion({ promotion })).toMatchObject({
      state: 'done',
      to: 'Live',
    })
    const { items } = await wren.api.listLedgerEntries({ action: 'rollout.begun', limit: 1 })
    expect(items[0]).toMatchObject({ after: { pipeline: { name: 'partner-apis', edition: 2 } } })
  })

  it('count what changed within a day, and a gate is waived once by two people', async () => {
    await publish(straight('{ drift: {}, quota: { promotions: 1 } }'))
    await bringIn(tomas, definition(`${api}/2.5.0.yaml`), { api })
    const { spec, group } = await tomas.api.getPlacementDraft({ api, version: '2.5.0' })
    const routes = spec.routes.map((row) => ({ ...row, treatment: { kind: 'mock' as const } }))
    await tomas.api.createPlacement({}, { api, version: '2.5.0', group, spec: { ...spec, routes } })
    await checkAllGateways(world.services)
    const asked = await tomas.api.requestPromotion(
      {},
      { ...{ api, version: '2.5.0', from: 'Trial', note: '' } },
    )
    const { id: promotion } = asked
    expect(gatesOf(asked)).toEqual(['drift passed', 'quota waiting'])
    expect(asked.gates[1]!.text).toMatch(/^1 of 1 .* room again in 24 hours$/)
    expect((await oskar.call('POST', `/promotions/${promotion}/promote`)).status).toBe(409)
    const waive = async (who: Visitor, more: object = {}) => {
      const { digest } = await who.api.getPromotion({ promotion })
      const body = { gate: 'quota', reason: 'It mends what 2.4.0 broke', digest, ...more }
      return who.call<PromotionDetail>('POST', `/promotions/${promotion}/gate-waivers`, body)
    }
    const agree = (who: Visitor, gate = 'quota') =>
      who.call<PromotionDetail>('POST', `/promotions/${promotion}/gate-waivers/${gate}/approve`)
    expect((await waive(oskar)).status).toBe(403)
    expect((await waive(ruth, { digest: 'x' })).status).toBe(412)
    expect((await waive(ruth, { reason: 'short' })).status).toBe(422)
    expect((await waive(ruth, { gate: 'soak' })).status).toBe(404)
    expect((await waive(ruth, { gate: 'drift' })).status).toBe(409)
    expect((await agree(ruth)).status).toBe(404)
    const both = await Promise.all([waive(ruth), waive(imara)])
    expect(both.map(({ status }) => status).sort()).toEqual([201, 409])
    const [first, second] = both[0].status === 201 ? [ruth, imara] : [imara, ruth]
    expect((await agree(first)).status).toBe(403)
    expect((await agree(tomas)).status).toBe(403)
    expect((await oskar.call('POST', `/promotions/${promotion}/promote`)).status).toBe(409)
    const agreed = await agree(second)
    expect(agreed.status).toBe(200)
    expect(gatesOf(agreed.body)).toEqual(['drift passed', 'quota passed'])
    expect(agreed.body.gates[1]!.text).toMatch(/Waived this once by .*: It mends what 2.4.0 broke$/)
    expect((await agree(second)).status).toBe(409)
    // For the plan that stood then: another one is asked for anew.
    const [there] = (await tomas.api.listPlacements({ api, stage: 'Trial' })).items
    const { spec: now } = await tomas.api.getPlacement({ placement: there!.id })
    await tomas.api.updatePlacement(
      { placement: there!.id },
      { ...now, routes: now.routes.toReversed() },
      { ifMatch: placementEtag(there!) },
    )
    await checkAllGateways(world.services)
    const changed = await ruth.api.getPromotion({ promotion })
    expect(changed.gates[1]).toMatchObject({ state: 'waiting', waiver: 'void' })
    expect((await waive(ruth)).body.gates[1]).toMatchObject({ waiver: 'asked' })
    await agree(imara)
    expect((await oskar.api.promoteVersion({ promotion })).state).toBe('done')
    const { items } = await wren.api.listLedgerEntries({ action: 'request.gate-waived' })
    expect(items).toHaveLength(2)
    expect(items[0]).toMatchObject({ after: { promotion, gate: 'quota' } })
  })

  it('are gone back in one act, to what was approved once', async () => {
    const [there] = (await oskar.api.listPlacements({ api, stage: 'Live' })).items
    const { id: placement } = there!
    expect(there!.version).toBe('2.5.0')
    const { items } = await oskar.api.listLedgerEntries({ search: placement, limit: 100 })
    const states = items.filter(
      ({ subject, action }) => subject === placement && action === 'placement.promoted',
    )
    const [now, before] = states.map(({ number }) => number)
    const back = (who: Visitor, entry: number, ifMatch = placementEtag(there!)) =>
      who.call<{ version: string; detail: string }>(
        'POST',
        `/placements/${placement}/rollback`,
        { entry, reason: 'Readings are refused since' },
        { 'if-match': ifMatch },
      )
    expect((await back(tomas, before!)).status).toBe(403)
    expect((await back(oskar, before!, '"placement-0"')).status).toBe(412)
    expect((await back(oskar, now!)).body.detail).toBe('It stands so already.')
    const other = items.find(({ subject }) => subject !== placement)!
    expect((await back(oskar, other?.number ?? 1)).status).toBe(404)
    expect((await back(oskar, 1)).status).toBe(404)
    const both = await Promise.all([back(oskar, before!), back(imara, before!)])
    expect(both.map(({ status }) => status).sort()).toEqual([200, 409])
    expect(await oskar.api.getPlacement({ placement })).toMatchObject({ version: '2.4.0' })
    await checkAllGateways(world.services)
    expect((await oskar.api.getPlacement({ placement })).differences).toEqual([])
    const [told] = (await wren.api.listLedgerEntries({ action: 'placement.rolled-back' })).items
    expect(told).toMatchObject({
      subject: placement,
      before: { version: '2.5.0' },
      after: { version: '2.4.0', revision: 1 },
    })
  })

  it('shut on the days of a freeze', async () => {
    const today = new Date().toISOString().slice(0, 10)
    const freeze = `{ periods: [{ from: ${today}, until: ${today}, why: Stock is taken }] }`
    const draft = { text: straight(`{ freeze: ${freeze} }`) }
    expect((await imara.api.checkPipeline({}, draft)).diagnostics).toEqual([])
    const wrong = straight('{ freeze: { periods: [{ from: soon, until: 2026-01-01, why: x }] } }')
    expect((await imara.api.checkPipeline({}, { text: wrong })).diagnostics).toHaveLength(1)
  })

  it('ask conditions of what is promoted, and refuse those that could never hold', async () => {
    const asks = (cel: string) =>
      straight(`{ condition: { all: [{ cel: '${cel}', says: As agreed }] } }`)
    const faults = async (cel: string) =>
      (await imara.api.checkPipeline({}, { text: asks(cel) })).diagnostics
    expect(await faults('breaking == 0 && team == "Metering"')).toEqual([])
    expect(await faults('brekaing == 0')).toMatchObject([
      { line: 6, message: /There is no "brekaing" here; there is api, team/ },
    ])
    expect(await faults('labels')).toMatchObject([{ message: /has to answer yes or no/ }])
    const ifMatch = await etagOf('partner-apis')
    const held = publication(asks('team == "Network Control" && safe + breaking > 0'))
    await imara.api.publishPipeline({ pipeline: 'partner-apis' }, held, { ifMatch })
    const { id, gates } = await tomas.api.requestPromotion(
      {},
      { api, version: '2.5.0', from: 'Trial', note: '' },
    )
    expect(gates).toMatchObject([{ id: 'condition', title: 'As agreed', state: 'passed' }])
    await publish(asks('audience == "public"'))
    expect((await wren.api.getPromotion({ promotion: id })).gates).toMatchObject([
      { id: 'condition', state: 'failed', text: 'Not so: As agreed' },
    ])
    await tomas.api.withdrawPromotion({ promotion: id })
  })

  it('are written by one of two at once', async () => {
    const ifMatch = await etagOf('partner-apis')
    const body = publication(straight('{ approval: {} }'))
    const all = await Promise.all(
      [1, 2].map(() => imara.call('PUT', '/pipelines/partner-apis', body, { 'if-match': ifMatch })),
    )
    expect(all.map(({ status }) => status).sort()).toEqual([200, 412])
    expect((await imara.api.getPipeline({ pipeline: 'partner-apis' })).edition).toBe(6)
    expect((await imara.call('PUT', '/pipelines/partner-apis', body)).status).toBe(428)
  })

  it('keep their stages, and so do promotions that wait', async () => {
    const stages = await ada.api.listStages({})
    const put = (names: string[]) =>
      ada.call<{ detail: string }>('PUT', '/stages', {
        stages: names.map((name) => stages.items.find((stage) => stage.name === name)),
      })
    const { detail } = (await put(['Rehearsal', 'Live'])).body
    expect(detail).toMatch(/Partner APIs goes through Trial/)
  })

  it('name confidential APIs to nobody else', async () => {
    await world.db.update(apis).set({ confidential: true }).where(eq(apis.slug, api))
    const of = async (who: Visitor) =>
      (await who.api.listPipelines({})).items.find(({ pipeline }) => pipeline === 'partner-apis')!
    expect((await of(imara)).apis).toEqual([api])
    expect((await of(wren)).apis).toEqual([])
    const draft = { text: straight('{}') }
    const nadia = await world.visitor('nadia')
    expect((await nadia.api.checkPipeline({}, draft)).coming).toEqual([])
    await world.db.update(apis).set({ confidential: false }).where(eq(apis.slug, api))
  })

  it('are taken away, and versions take the usual one again', async () => {
    expect((await tomas.call('DELETE', '/pipelines/partner-apis')).status).toBe(403)
    await imara.api.removePipeline({ pipeline: 'partner-apis' })
    expect((await imara.call('DELETE', '/pipelines/partner-apis')).status).toBe(404)
    expect((await wren.api.listPipelines({})).items).toMatchObject([
      { pipeline: 'usual', apis: [api] },
    ])
    const { items } = await wren.api.listLedgerEntries({ action: 'pipeline.removed' })
    expect(items).toMatchObject([{ subject: 'partner-apis' }])
  })

  it('have a schema that editors read', async () => {
    const schema = await wren.call<{ title: string }>('GET', '/pipeline-schema')
    expect(schema.body).toMatchObject({ title: 'Pipeline', type: 'object' })
  })
})

describe('the order of pipelines', () => {
  it('has the newest first, until another one is moved there', async () => {
    const text = (label: string) =>
      `pipeline: 1\nfor: { labels: [${label}] }\nstages: [{ name: Trial }, { name: Live, gates: {} }]\n`
    const made = []
    for (const title of ['Asked once', 'Asked twice'])
      made.push(await imara.api.createPipeline({}, { title, text: text(title), note: 'Ordered' }))
    const [once, twice] = made.map(({ pipeline }) => pipeline)
    const first = async () => (await imara.api.listPipelines({})).items[0]!.pipeline
    expect(await first()).toBe(twice)
    expect(await imara.api.movePipelineFirst({ pipeline: once! })).toMatchObject({ pipeline: once })
    expect(await first()).toBe(once)
    expect((await imara.call('POST', `/pipelines/${once}/first`)).status).toBe(409)
    expect((await imara.call('POST', '/pipelines/usual/first')).status).toBe(404)
    for (const pipeline of [once!, twice!]) await imara.api.removePipeline({ pipeline })
  })
})
