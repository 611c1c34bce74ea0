import { desc, eq, sql } from 'drizzle-orm'
import { request } from 'undici'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { apiKeyIn } from '../../core/runtime/policies/authenticate'
import {
  apis,
  driftReactions,
  editions,
  gatewayGroups,
  placements,
  probes,
  repositories,
  repositoryJobs,
  rollouts,
} from '../../server/db/schema'
import { actAs } from '../../server/services/context'
import { checkAllGateways } from '../../server/services/gateways'
import { actorNamed } from '../../server/services/people'
import { changeStages } from '../../server/services/stages'
import { countTraffic } from '../../server/services/traffic-intake'
import type { StageChange, StageItem, StagesImpact } from '../../shared/api/administration'
import type { PromotionDetail } from '../../shared/api/promotions'
import { scopeEtag } from '../../shared/etags'
import { Killed, mortal } from '../support/mortal'
import { bringIn, definition, makeWorld, type Visitor, type World } from '../support/world'

let world: World
let ada: Visitor, imara: Visitor, tomas: Visitor, oskar: Visitor, ruth: Visitor, wren: Visitor
const api = 'supply-interruptions'
const version = '2.4.0'
let promotion: PromotionDetail

const pipeline = `pipeline: 1
# Nobody else's.
for: { audiences: [partner] }
stages:
  - name: Trial
  - name: Live   # where consumers are
    gates:
      approval: {}
      condition:
        all: [{ cel: 'to == "Live"', says: Into Live alone }]
`

beforeAll(async () => {
  world = await makeWorld({ gateways: { 'north-edge': 'edge' } })
  ;[ada, imara, tomas, oskar, ruth, wren] = (await Promise.all(
    ['ada', 'imara', 'tomas', 'oskar', 'ruth', 'wren'].map((name) => world.visitor(name)),
  )) as [Visitor, Visitor, Visitor, Visitor, Visitor, Visitor]
  await bringIn(tomas, definition(`${api}/${version}.yaml`))
  const { spec, group } = await tomas.api.getPlacementDraft({ api })
  const routes = spec.routes.map((row) => ({ ...row, treatment: { kind: 'mock' as const } }))
  const policies = { authentication: apiKeyIn('X-Api-Key') }
  await tomas.api.createPlacement({}, { api, version, group, spec: { ...spec, routes, policies } })
  await imara.api.createPipeline({}, { title: 'Partners', text: pipeline, note: 'For partners' })
  const state = (await oskar.api.getPolicyScope({ scope: 'stage:Live' })) as { generation: number }
  await oskar.api.updatePolicyScope(
    { scope: 'stage:Live' },
    { policies: { errors: { shape: 'text' } }, binding: [] },
    { ifMatch: scopeEtag(state) },
  )
  promotion = await tomas.api.requestPromotion({}, { api, version, from: 'Trial', note: '' })
  const { digest } = await ruth.api.getPromotion({ promotion: promotion.id })
  await ruth.api.approvePromotion({ promotion: promotion.id }, { note: '', digest: digest ?? '' })
  const [placed] = await world.db.select().from(placements)
  const { host, basePath } = placed!.spec
  const answer = await request(`${world.sites[0]!.dataUrl}${basePath}/interruptions`, {
    headers: { host },
  })
  await answer.body.dump()
  await countTraffic(world.services)
  await everythingElse()
  // Administrators see no confidential API, and their stages are called otherwise all the same.
  await world.db.update(apis).set({ confidential: true }).where(eq(apis.slug, api))
})
afterAll(() => world.close())

/** All that refers to stages and is not made above. */
async function everythingElse(): Promise<void> {
  const at = { setById: 1, setAt: new Date() }
  const [group] = await world.db.select().from(gatewayGroups)
  await world.db
    .insert(driftReactions)
    .values({ ...at, group: group!.name, stage: 'Live', reaction: 'ask', minutes: 0 })
  await world.db.insert(probes).values({
    ...{ ...at, apiId: 1, title: 'There', text: 'arazzo: 1.0.1', every: 0, edition: 1 },
    stages: ['Trial', 'Live'],
  })
  await world.db.insert(repositories).values({
    ...{ ...at, slug: 'there', title: 'There', url: 'https://git.example/x', statusUrl: '' },
    ...{ sealedToken: '', sealedSecret: '', teamId: 1, audience: 'partner', definitions: [] },
    refs: [{ kind: 'branch', name: 'main', stage: 'Live' }],
  })
  await world.db.insert(repositoryJobs).values({
    ...{ repository: 'there', ref: 'refs/heads/main', stage: 'Live', cause: 'push' },
    ...{ state: 'done', at: new Date(), endedAt: new Date() },
  })
  await oskar.api.createAlert(
    {},
    {
      ...{ title: 'Errors', kind: 'errors', threshold: 5, minutes: 15, stage: 'Live' },
      ...{ mails: ['oskar@brackenmere.example'], webhook: '' },
    },
  )
}

const stagesNow = async () => (await ada.api.listStages()).items
const put = (stages: StageChange[]) =>
  ada.call<{ detail: string; faults?: { message: string }[] }>('PUT', '/stages', { stages })
const check = (stages: StageChange[]) =>
  ada.call<StagesImpact & { detail: string }>('POST', '/stage-plans', { stages })
/** The stages with some called otherwise. */
const called = (stages: StageItem[], names: Record<string, string>): StageChange[] =>
  stages.map((stage) =>
    names[stage.name] === undefined
      ? stage
      : { ...stage, name: names[stage.name]!, formerly: stage.name },
  )
const rename = async (names: Record<string, string>) => put(called(await stagesNow(), names))

/** Tables in which a name stands, between quotes as JSON writes them. */
async function tablesWith(name: string): Promise<string[]> {
  const { rows: tables } = await world.db.execute<{ name: string }>(
    sql`SELECT relname AS name FROM pg_class WHERE relnamespace = 'public'::regnamespace AND relkind IN ('r', 'p') AND NOT relispartition ORDER BY 1`,
  )
  const found: string[] = []
  for (const { name: table } of tables) {
    const { rows } = await world.db.execute<{ n: string }>(
      sql`SELECT count(*) AS n FROM ${sql.identifier(table)} t WHERE to_jsonb(t)::text LIKE ${`%"${name}"%`}`,
    )
    if (rows[0]!.n !== '0') found.push(table)
  }
  return found
}
/** What was said at the time stays: the ledger, editions of pipelines, what rollouts and approvals were about. */
const records = ['ledger', 'pipeline_editions', 'rollouts']

describe('a stage that is called otherwise', () => {
  it('is said beforehand with what stands in it, and nothing changes by that', async () => {
    const before = await stagesNow()
    const { status, body } = await check(called(before, { Trial: 'Sandbox', Live: 'Production' }))
    expect(status).toBe(200)
    expect(body).toEqual({
      renamed: [
        { from: 'Trial', to: 'Sandbox', placements: 1, requests: 1, pipelines: ['Partners'] },
        { from: 'Live', to: 'Production', placements: 0, requests: 1, pipelines: ['Partners'] },
      ],
      ...{ added: [], removed: [], first: '', beside: [], astray: [] },
    })
    expect(await stagesNow()).toEqual(before)
    expect((await imara.api.getPipeline({ pipeline: 'partners' })).edition).toBe(1)
  })

  it('is called so everywhere, with what stands in it and waits, and approvals hold', async () => {
    const before = await tablesWith('Live')
    expect(before).toEqual(
      expect.arrayContaining([
        ...['alerts', 'backends', 'drift_reactions', 'hosts', 'policy_scopes', 'probes'],
        ...['promotions', 'repositories', 'repository_jobs', 'stages'],
      ]),
    )
    expect(await tablesWith('Trial')).toEqual(
      expect.arrayContaining(['placements', 'requests', 'traffic_series']),
    )
    expect((await rename({ Trial: 'Sandbox', Live: 'Production' })).status).toBe(204)
    for (const name of ['Trial', 'Live'])
      expect(records).toEqual(expect.arrayContaining(await tablesWith(name)))
    const { text, edition, editions } = await imara.api.getPipeline({ pipeline: 'partners' })
    expect(text).toBe(
      pipeline.replaceAll('Trial', 'Sandbox').replaceAll(/Live(?! alone)/g, 'Production'),
    )
    expect(edition).toBe(2)
    expect(editions[0]).toMatchObject({
      note: 'Trial is called Sandbox now. Live is called Production now.',
    })
    const waits = await imara.api.getPromotion({ promotion: promotion.id })
    expect(waits).toMatchObject({ from: 'Sandbox', to: 'Production' })
    expect(waits.gates.map(({ id, state }) => `${id} ${state}`)).toEqual([
      'condition passed',
      'approval passed',
    ])
    const { items } = await imara.api.listLedgerEntries({ limit: 5 })
    expect(items.map(({ action }) => action)).toEqual(
      expect.arrayContaining(['stages.changed', 'pipeline.published']),
    )
  })

  it('is promoted into, drifts from nothing and is called back as before', async () => {
    expect((await imara.api.promoteVersion({ promotion: promotion.id })).state).toBe('done')
    await checkAllGateways(world.services)
    const { items } = await imara.api.listPlacements({ api })
    expect(items.map(({ stage, mark }) => `${stage} ${mark}`).sort()).toEqual([
      'Production in-step',
      'Sandbox in-step',
    ])
    expect((await rename({ Sandbox: 'Trial', Production: 'Live' })).status).toBe(204)
    expect((await imara.api.getPipeline({ pipeline: 'partners' })).text).toBe(pipeline)
    expect(records).toEqual(expect.arrayContaining(await tablesWith('Production')))
  })
})

describe('a name', () => {
  it('is refused that is none, is another’s, or is of nothing', async () => {
    const items = await stagesNow()
    const [trial, rehearsal, live] = items as [StageItem, StageItem, StageItem]
    const attempts: StageChange[][] = [
      [{ ...trial, name: ' ' }, rehearsal, live],
      [trial, rehearsal, { ...live, name: 'Trial', formerly: 'Live' }],
      [
        { ...trial, name: 'Live', formerly: 'Trial' },
        rehearsal,
        { ...live, name: 'Trial', formerly: 'Live' },
      ],
      [{ ...trial, name: 'A', formerly: 'Nowhere' }, rehearsal, live],
      [
        { ...trial, name: 'A', formerly: 'Trial' },
        { ...rehearsal, name: 'B', formerly: 'Trial' },
        live,
      ],
      [{ ...trial, name: 'x'.repeat(41), formerly: 'Trial' }, rehearsal, live],
    ]
    for (const stages of attempts) {
      expect((await put(stages)).status, JSON.stringify(stages)).toBe(422)
      expect((await check(stages)).status).toBe(422)
    }
    expect(await stagesNow()).toEqual(items)
    for (const visitor of [imara, tomas, oskar, wren])
      expect((await visitor.call('POST', '/stage-plans', { stages: items })).status).toBe(403)
  })

  it('that rules ask for, or that something is being placed under, is kept for the time', async () => {
    const [edition] = await world.db.select().from(editions).orderBy(desc(editions.number)).limit(1)
    const { content } = edition!
    const rule = { ...content.rules[0]!, title: 'Is watched', expect: 'stage != "Live"' }
    const say = (rules: typeof content.rules) =>
      world.db
        .update(editions)
        .set({ content: { ...content, rules } })
        .where(eq(editions.number, edition!.number))
    await say([...content.rules, rule])
    expect((await rename({ Live: 'Production' })).body.detail).toMatch(
      /The rule "Is watched" of .* asks for "Live" .* \["Live", "Production"\]/,
    )
    await say(content.rules)
    const [row] = await world.db
      .insert(rollouts)
      .values({
        ...{ apiId: 1, byId: 1, at: new Date(), action: 'placement.applied', title: 'Place it' },
        change: {
          kind: 'place',
          wanted: [{ ...(await world.db.select().from(placements))[0]!, stage: 'Live' }],
        },
        ...{ pace: {}, state: 'running', pausedBy: 'Oskar' },
      })
      .returning()
    expect((await rename({ Live: 'Production' })).body.detail).toBe(
      `Rollout ${row!.id} is under way there (Place it). Wait for it, or have it go back.`,
    )
    expect((await rename({ Rehearsal: 'Practice' })).status).toBe(204)
    expect((await rename({ Practice: 'Rehearsal' })).status).toBe(204)
    await world.db.delete(rollouts).where(eq(rollouts.id, row!.id))
  })

  it('is all of one kind wherever a process dies that gives it', async () => {
    const stages = called(await stagesNow(), { Live: 'Production' })
    const names = new Set<string>()
    for (let at = 1; ; at += 5) {
      const { services, pool } = mortal(world.services, world.url, { at, when: 'after' })
      const context = actAs(services, await actorNamed(world.db, 'ada'))
      await changeStages(context, stages).catch((error: unknown) => {
        if (!(error instanceof Killed) && !pool.dead) throw error
      })
      if (!pool.dead) {
        await pool.end()
        break
      }
      names.add((await stagesNow()).at(-1)!.name)
    }
    expect([...names]).toEqual(['Live'])
    expect((await stagesNow()).at(-1)!.name).toBe('Production')
    expect(records).toEqual(expect.arrayContaining(await tablesWith('Live')))
    expect((await rename({ Production: 'Live' })).status).toBe(204)
  })
})

describe('the order of stages', () => {
  it('is another one while versions stand in them, and says which promotions lead nowhere then', async () => {
    await world.db.update(apis).set({ confidential: false }).where(eq(apis.slug, api))
    await imara.api.removePipeline({ pipeline: 'partners' })
    const next = definition(`${api}/${version}.yaml`).replace('version: 2.4.0', 'version: 2.5.0')
    await bringIn(tomas, next.replace('/interruptions/v2', '/interruptions/v25'), { api })
    const { spec, group } = await tomas.api.getPlacementDraft({ api, version: '2.5.0' })
    const routes = spec.routes.map((row) => ({ ...row, treatment: { kind: 'mock' as const } }))
    const body = { ...spec, basePath: '/elsewhere', routes }
    await tomas.api.createPlacement({}, { api, version: '2.5.0', group, spec: body })
    const asked = await tomas.api.requestPromotion(
      {},
      { api, version: '2.5.0', from: 'Trial', note: '' },
    )
    expect(asked.to).toBe('Rehearsal')
    const [trial, rehearsal, live] = (await stagesNow()) as [StageItem, StageItem, StageItem]
    const order = [trial, live, rehearsal]
    expect((await check(order)).body.astray).toEqual([
      { promotion: asked.id, title: 'Promote Supply Interruptions 2.5.0 into Rehearsal' },
    ])
    expect((await put(order)).status).toBe(204)
    const { gates } = await tomas.api.getPromotion({ promotion: asked.id })
    expect(gates).toMatchObject([{ id: 'stage', state: 'failed' }])
    expect((await put([trial, rehearsal, live])).status).toBe(204)
    const again = await tomas.api.getPromotion({ promotion: asked.id })
    expect(again.gates.map(({ id }) => id)).not.toContain('stage')
    await tomas.api.withdrawPromotion({ promotion: asked.id })
  })

  it('has no stage come first into which something came by review', async () => {
    const [trial, rehearsal, live] = (await stagesNow()) as [StageItem, StageItem, StageItem]
    expect((await put([live, trial, rehearsal])).body.detail).toMatch(
      /In Live 1 placement came by review\. In the first stage nobody reviews/,
    )
    await imara.api.createPipeline({}, { title: 'Partners', text: pipeline, note: 'For partners' })
    const { body } = await check([rehearsal, trial, live])
    expect(body).toMatchObject({ first: 'Rehearsal', beside: ['Partners'] })
    const spare = { ...rehearsal, name: 'Sandbox' }
    expect((await check([spare, trial, rehearsal, live])).body).toMatchObject({
      ...{ added: ['Sandbox'], first: 'Sandbox', beside: ['Partners'] },
    })
    const { diagnostics } = await imara.api.checkPipeline({}, { text: pipeline })
    expect(diagnostics).toEqual([])
    expect((await put([spare, trial, rehearsal, live])).status).toBe(204)
    expect((await imara.api.checkPipeline({}, { text: pipeline })).diagnostics[0]).toMatchObject({
      severity: 'warning',
      line: 5,
    })
    expect((await put([trial, rehearsal, live])).status).toBe(204)
  })

  it('keeps a stage that a pipeline goes through', async () => {
    const [, rehearsal, live] = (await stagesNow()) as [StageItem, StageItem, StageItem]
    expect((await put([rehearsal, live])).body.detail).toMatch(/Partners goes through Trial/)
  })
})
