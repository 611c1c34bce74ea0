import { readFileSync } from 'node:fs'
import { eq } from 'drizzle-orm'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { PolicySet } from '../../core/runtime/policies'
import { placements } from '../../server/db/schema'
import type { ImpactItem } from '../../shared/api/impact'
import type { PlacementFinding, SpecBody } from '../../shared/api/placements'
import type { PromotionDetail } from '../../shared/api/promotions'
import { placementEtag } from '../../shared/etags'
import { bringIn, definition, makeWorld, type Visitor, type World } from '../support/world'

let world: World
let tomas: Visitor, ruth: Visitor, wren: Visitor
let spec: SpecBody
const api = 'supply-interruptions'
const rehearsal = 'supply-rehearsal'

const open: PolicySet = { authentication: { kind: 'none', reason: 'For now' } }

beforeAll(async () => {
  world = await makeWorld()
  ;[tomas, ruth, wren] = (await Promise.all(
    ['tomas', 'ruth', 'wren'].map((name) => world.visitor(name)),
  )) as [Visitor, Visitor, Visitor]
  await bringIn(tomas, definition('supply-interruptions/2.4.0.yaml'))
  const draft = await tomas.api.getPlacementDraft({ api })
  const routes = draft.spec.routes.map((row) => ({
    ...row,
    treatment: { kind: 'route' as const, backend: 'main' },
  }))
  spec = { ...draft.spec, routes }
  const placed = await tomas.api.createPlacement(
    {},
    { api, version: '2.4.0', group: draft.group, spec },
  )
  // What promotion would do is tried elsewhere; this is a placement that stands in a later stage, open to everybody.
  const [row] = await world.db
    .select()
    .from(placements)
    .where(eq(placements.id, String(placed.id)))
  await world.db.insert(placements).values({
    ...row!,
    id: rehearsal,
    stage: 'Rehearsal',
    spec: { ...row!.spec, host: 'rehearsal.api.brackenmere.example', policies: open },
  })
})
afterAll(() => world.close())

const check = async (more: Partial<SpecBody>, stage?: string, visitor = wren) =>
  visitor.call<{ items: PlacementFinding[]; detail: string }>('POST', '/placement-checks', {
    api,
    version: '2.4.0',
    group: 'edge',
    ...(stage && { stage }),
    spec: { ...spec, ...more },
  })
const rules = (items: readonly PlacementFinding[]) => [...new Set(items.map(({ rule }) => rule))]
const waive = async (rule: string) => {
  const until = new Date(Date.now() + 30 * 86_400_000).toISOString().slice(0, 10)
  await tomas.api.createWaiver({}, { rule, api, reason: 'For a month', until })
  const { items } = await ruth.api.listWaivers({ rule })
  const { waiver } = items[0]!
  await ruth.api.approveWaiver({ waiver }, { approve: true })
}

describe('a placement held against the rules about what runs', () => {
  it('is found fault with where it stands and where it would stand', async () => {
    expect(rules((await check({ policies: open })).body.items)).toEqual(['open-explained'])
    const live = (await check({ policies: open }, 'Live')).body.items
    expect(rules(live)).toEqual(
      expect.arrayContaining([
        'last-stage-protected',
        'last-stage-limited',
        'backend-not-loopback',
        'placement-owned',
      ]),
    )
    expect(live[0]).toMatchObject({
      rule: 'last-stage-protected',
      title: 'What is not public asks who calls',
      level: 'MUST',
      subject: expect.stringMatching(/^GET /) as string,
    })
    const { body } = await wren.call<{ items: PlacementFinding[] }>(
      'GET',
      `/placements/${rehearsal}/findings`,
    )
    expect(rules(body.items)).toContain('open-explained')
  })

  it('is refused where nothing could be said of it', async () => {
    expect((await check({}, 'Nowhere')).status).toBe(404)
    const wrong = { rate: { requests: -1 } } as unknown as PolicySet
    expect((await check({ policies: wrong })).status).toBe(422)
    expect((await wren.call('GET', '/placements/none-1/findings')).status).toBe(404)
  })

  it('is not let through by a gate, until a waiver excuses it', async () => {
    const { body } = await tomas.call<PromotionDetail>('POST', '/promotions', {
      api,
      version: '2.4.0',
      from: 'Rehearsal',
      note: '',
    })
    const gate = async () =>
      (await tomas.api.getPromotion({ promotion: body.id })).gates.find(
        ({ id }) => id === 'findings',
      )
    expect(await gate()).toMatchObject({
      state: 'failed',
      text: expect.stringMatching(
        /breaks rules at MUST: .* is open to everybody: For now/,
      ) as string,
    })
    await waive('last-stage-protected')
    expect(await gate()).toMatchObject({ state: 'passed' })
    const { items } = (await check({ policies: open }, 'Live')).body
    expect(items.find(({ rule }) => rule === 'last-stage-protected')!.waiver).toBeGreaterThan(0)
  })

  it('stands in the list of all placements with what it breaks, by filters', async () => {
    const placed = (await wren.api.listPlacements({ api })).items.map(({ id }) => id)
    const one = async (placement: string) =>
      (await wren.api.listPlacementFindings({ placement })).items.map(
        ({ key }) => `${placement} ${key}`,
      )
    const alone = (await Promise.all(placed.map(one))).flat()
    expect(alone.length).toBeGreaterThan(2)
    const all = await wren.api.listFindingsAtPlacements({ limit: 1000 })
    expect(all.items.map(({ placement, key }) => `${placement} ${key}`).sort()).toEqual(
      alone.sort(),
    )
    expect(all.placements).toBe(placed.length)
    const open = all.items.filter(({ waiver }) => waiver === undefined)
    const at = (level: string) => open.filter((item) => item.level === level).length
    expect(all).toMatchObject({ must: at('MUST'), should: at('SHOULD'), may: at('MAY') })

    const of = async (query: Parameters<typeof wren.api.listFindingsAtPlacements>[0]) =>
      (await wren.api.listFindingsAtPlacements(query)).items
    expect(await of({ stage: 'Rehearsal' })).toEqual(
      all.items.filter(({ placement }) => placement === rehearsal),
    )
    expect(await of({ level: 'MUST' })).toEqual(all.items.filter(({ level }) => level === 'MUST'))
    expect(await of({ rule: 'open-explained', team: 'Network Control', group: 'edge' })).toEqual(
      all.items.filter(({ rule }) => rule === 'open-explained'),
    )
    for (const query of [{ team: 'Metering' }, { api: 'none' }, { group: 'inner' }])
      expect(await wren.api.listFindingsAtPlacements(query)).toMatchObject({
        placements: 0,
        items: [],
      })
    await waive('open-explained')
    expect(rules(await of({ status: 'open' }))).not.toContain('open-explained')
    expect(rules(await of({ status: 'waived' }))).toContain('open-explained')

    const first = await wren.api.listFindingsAtPlacements({ limit: 1 })
    const second = await of({ limit: 1, cursor: first.nextCursor! })
    expect([...first.items, ...second].map(({ key }) => key)).toEqual(
      (await of({ limit: 2 })).map(({ key }) => key),
    )
  })

  it('may be changed where it breaks a rule already, and not so that it breaks another', async () => {
    const plain = spec.backends.map((backend) => ({
      ...backend,
      url: 'http://supply.brackenmere.example',
    }))
    const host = 'rehearsal.api.brackenmere.example'
    const ask = async (change: Partial<SpecBody>) => {
      const asked = await tomas.call<PromotionDetail>(
        'POST',
        `/placements/${rehearsal}/requests`,
        { kind: 'change', spec: { ...spec, host, ...change }, note: '' },
        { 'if-match': placementEtag({ generation: 1 }) },
      )
      expect(asked.status).toBe(201)
      const gates = asked.body.gates.map(({ id, state }) => `${id} ${state}`)
      await tomas.api.withdrawPromotion({ promotion: asked.body.id })
      return gates
    }
    const caching = { caching: { visibility: 'no-store' as const, maxAgeSeconds: 0 } }
    expect(await ask({ policies: { ...open, ...caching } })).toEqual([
      'findings passed',
      'approval waiting',
    ])
    expect(await ask({ policies: open, backends: plain })).toEqual([
      'findings failed',
      'approval waiting',
    ])
  })
})

describe('impact before edict', () => {
  const house = readFileSync('rulebooks/house.yaml', 'utf8')
  const measured = async (text: string) => {
    const imara = await world.visitor('imara')
    const { body } = await imara.call<ImpactItem>('POST', '/rulebooks/house/impacts', { text })
    const run = (await imara.call<ImpactItem>('GET', `/impacts/${body.impact}`)).body
    const { items } = await imara.api.listImpactPlaces({ impact: body.impact, limit: 1000 })
    return { run, items }
  }

  it('says which placements would break a rule that is new, or none any more', async () => {
    const [before, after] = [
      "expect: policy.config.reason.size() >= 12 && policy.config.reason.contains(' ')",
      'expect: policy.config.reason.size() > 0',
    ]
    expect(house).toContain(before)
    const looser = await measured(house.replace(before, after))
    expect(looser.items).toEqual([
      expect.objectContaining({
        rule: 'open-explained',
        kind: 'passes',
        placement: rehearsal,
        line: 0,
      }),
    ])
    const stricter = await measured(
      house.replace(
        "where: '!placement.isFirst'\n    expect: placement.owner",
        "where: 'true'\n    expect: placement.owner",
      ),
    )
    expect(stricter.items.map(({ rule, kind }) => `${rule} ${kind}`)).toEqual([
      'placement-owned fails',
    ])
    expect(stricter.items[0]!.placement).not.toBe(rehearsal)
    const same = await measured(house)
    expect(same.run).toMatchObject({ state: 'done', total: 2, done: 2, rules: [] })
  })
})
