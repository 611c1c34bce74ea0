import { apiKeyIn } from '../../core/runtime/policies/authenticate'
import { withRate } from '../support/policies'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { PromotionDetail } from '../../shared/api/promotions'
import { placementEtag } from '../../shared/etags'
import { bringIn, definition, makeWorld, type Visitor, type World } from '../support/world'

/** What two people do in the same moment: one of them comes first, and the other is told so. */
let world: World
let tomas: Visitor, imara: Visitor, oskar: Visitor, ruth: Visitor
const api = 'supply-interruptions'
const placement = `${api}-trial-1`

beforeAll(async () => {
  world = await makeWorld()
  ;[tomas, imara, oskar, ruth] = (await Promise.all(
    ['tomas', 'imara', 'oskar', 'ruth'].map((name) => world.visitor(name)),
  )) as [Visitor, Visitor, Visitor, Visitor]
  await bringIn(tomas, definition(`${api}/2.4.0.yaml`))
})
afterAll(() => world.close())

const statuses = async (...calls: Promise<{ status: number }>[]) =>
  (await Promise.all(calls)).map(({ status }) => status).sort()
/** How often the ledger has an act on a subject. */
const entries = async (action: string, subject: string) => {
  const { items } = await imara.api.listLedgerEntries({ action, limit: 1000 })
  return items.filter((entry) => entry.subject === subject).length
}

describe('two at once', () => {
  it('save on top of the same revision: one becomes the next', async () => {
    const text = definition(`${api}/2.4.0.yaml`)
    const save = (visitor: Visitor, summary: string) =>
      visitor.call(
        'POST',
        `/apis/${api}/revisions`,
        text.replace('summary:', `summary: ${summary} `),
        {
          'if-match': '"revision-1"',
        },
      )
    expect(await statuses(save(tomas, 'A'), save(imara, 'B'), save(imara, 'C'))).toEqual([
      201, 412, 412,
    ])
    const { latest } = await tomas.api.getApi({ api })
    expect(latest.revision).toBe(2)
    expect(await entries('revision.saved', api)).toBe(2)
  })

  it('bring in an API of the same name: there is one of it', async () => {
    const text = (n: number) =>
      `openapi: 3.1.0\ninfo: { title: Valve Twins, version: 1.0.${n} }\npaths: {}\n`
    const about = { team: 'Network Control', audience: 'private' }
    const made = await Promise.all([bringIn(tomas, text(1), about), bringIn(imara, text(2), about)])
    // The other is refused, or becomes the next revision where the first one was there already.
    expect(made.filter(({ status }) => status === 201).length).toBeGreaterThan(0)
    const { items } = await imara.api.listApis()
    expect(items.filter(({ title }) => title === 'Valve Twins')).toHaveLength(1)
  })

  it('place a version at the same address: one does', async () => {
    const { spec, group } = await tomas.api.getPlacementDraft({ api })
    const body = {
      api,
      version: '2.4.0',
      group,
      spec: {
        ...spec,
        routes: spec.routes.map((row) => ({ ...row, treatment: { kind: 'mock' } })),
      },
    }
    const place = (visitor: Visitor) => visitor.call('POST', '/placements', body)
    const [first, second] = await statuses(place(tomas), place(oskar))
    expect([first, second]).toEqual([201, 409])
    expect((await tomas.api.listPlacements({ api })).items).toHaveLength(1)
  })

  it('change a placement: the second has to read what the first one made of it', async () => {
    const { spec, generation } = await tomas.api.getPlacement({ placement })
    const change = (visitor: Visitor, requests: number) =>
      visitor.call('PUT', `/placements/${placement}`, withRate(spec, requests), {
        'if-match': placementEtag({ generation }),
      })
    const answered = await statuses(change(tomas, 11), change(oskar, 22))
    expect(answered[0]).toBe(200)
    expect([409, 412]).toContain(answered[1])
    expect((await tomas.api.getPlacement({ placement })).generation).toBe(generation + 1)
  })

  it('ask for the same promotion: one request waits', async () => {
    const ask = (visitor: Visitor) =>
      visitor.call('POST', '/promotions', { api, version: '2.4.0', from: 'Trial', note: '' })
    expect(await statuses(ask(tomas), ask(oskar), ask(tomas))).toEqual([201, 409, 409])
  })

  const waiting = async () => (await imara.api.listPromotions({ state: 'waiting' })).items[0]!.id

  it('approve it twice over: the approval counts once', async () => {
    const id = await waiting()
    const { digest } = await ruth.api.getPromotion({ promotion: id })
    const approve = () => ruth.call('POST', `/promotions/${id}/approvals`, { note: 'Fine', digest })
    const answered = await statuses(approve(), approve())
    expect(answered.every((status) => status === 200 || status === 201 || status === 409)).toBe(
      true,
    )
    expect((await ruth.api.getPromotion({ promotion: id })).approvals).toHaveLength(1)
  })

  it('promote: it happens once, and is in the ledger once', async () => {
    const id = await waiting()
    const promote = (visitor: Visitor) =>
      visitor.call<PromotionDetail>('POST', `/promotions/${id}/promote`)
    const answered = await statuses(promote(oskar), promote(imara), promote(oskar))
    expect(answered.filter((status) => status === 200 || status === 202)).toHaveLength(1)
    expect(answered.filter((status) => status === 409)).toHaveLength(2)
    expect(await imara.api.getPromotion({ promotion: id })).toMatchObject({ state: 'done' })
    const { items } = await imara.api.listPlacements({ api, stage: 'Rehearsal' })
    expect(items).toHaveLength(1)
    expect(await entries('promotion.done', api)).toBeLessThanOrEqual(1)
  })

  it('issue a key for the same client: one secret works', async () => {
    const { spec } = await tomas.api.getPlacement({ placement })
    const asking = {
      ...spec,
      policies: { ...spec.policies, authentication: apiKeyIn('X-Api-Key') },
    }
    const { generation } = await tomas.api.getPlacement({ placement })
    await tomas.call('PUT', `/placements/${placement}`, asking, {
      'if-match': placementEtag({ generation }),
    })
    const issue = (visitor: Visitor) =>
      visitor.call('POST', `/placements/${placement}/keys`, { name: 'Alder Homes' })
    expect(await statuses(issue(tomas), issue(oskar))).toEqual([201, 409])
    expect((await tomas.api.getPlacement({ placement })).keys).toEqual(['Alder Homes'])
  })

  it('withdraw the same key: the second finds none', async () => {
    const withdraw = (visitor: Visitor) =>
      visitor.call('DELETE', `/placements/${placement}/keys/Alder%20Homes`)
    expect(await statuses(withdraw(tomas), withdraw(oskar))).toEqual([204, 404])
    expect((await tomas.api.getPlacement({ placement })).keys).toEqual([])
  })

  it('publish: editions are numbered one after the other', async () => {
    const { text } = await imara.api.getRulebookDraft({ rulebook: 'house' })
    const publish = async (note: string) => {
      const draft = await imara.api.raw.getRulebookDraft({ rulebook: 'house' })
      const state = draft.headers.get('etag')!
      const saved = await imara.call(
        'PUT',
        '/rulebooks/house',
        { text: text.replace('domain:', `# ${note}\ndomain:`) },
        { 'if-match': state },
      )
      return saved.status
    }
    const answered = await Promise.all([publish('one'), publish('two')])
    expect(answered.sort()).toEqual([200, 412])
  })

  it('set up the same team’s rulebook: one begins it', async () => {
    const begin = () => imara.call('POST', '/rulebooks', { team: 'Metering' })
    expect(await statuses(begin(), begin())).toEqual([201, 409])
  })

  it('change the teams while somebody joins one: nobody is left without', async () => {
    const ada = await world.visitor('ada')
    const { teams } = await imara.api.getShell()
    const without = teams.filter((team) => team !== 'Customer')
    const [removed, added] = await Promise.all([
      ada.call('PUT', '/organisation', { organisation: 'Brackenmere Water', teams: without }),
      ada.call('POST', '/people', {
        name: 'faye',
        displayName: 'Faye Moor',
        role: 'owner',
        team: 'Customer',
      }),
    ])
    // Edwin speaks for the team, so it stays.
    expect(removed.status).toBe(409)
    expect(added.status).toBe(201)
    expect((await imara.api.getShell()).teams).toContain('Customer')
  })

  it('remove the placement: it goes once', async () => {
    const remove = (visitor: Visitor) => visitor.call('DELETE', `/placements/${placement}`)
    const answered = await statuses(remove(tomas), remove(oskar))
    expect(answered[0]).toBe(204)
    expect([404, 409]).toContain(answered[1])
    expect(await entries('placement.removed', placement)).toBe(1)
  })
})
