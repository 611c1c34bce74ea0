import { withRate } from '../support/policies'
import { sql } from 'drizzle-orm'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { DeskResponse } from '../../shared/api/desk'
import type { Verification } from '../../shared/api/ledger'
import type { PlacementDetail, SpecBody } from '../../shared/api/placements'
import type { PromotionDetail } from '../../shared/api/promotions'
import { placementEtag } from '../../shared/etags'
import {
  adminHeaders,
  bringIn,
  definition,
  makeWorld,
  type Visitor,
  type World,
} from '../support/world'

let world: World
let tomas: Visitor
let oskar: Visitor
let ruth: Visitor
const id = 'supply-interruptions-trial-1'

beforeAll(async () => {
  world = await makeWorld()
  ;[tomas, oskar, ruth] = (await Promise.all(
    ['tomas', 'oskar', 'ruth'].map((name) => world.visitor(name)),
  )) as [Visitor, Visitor, Visitor]
  await bringIn(tomas, definition('supply-interruptions/2.4.0.yaml'))
})
afterAll(() => world.close())

const draft = async (): Promise<SpecBody> =>
  (await tomas.call<{ spec: SpecBody }>('GET', '/apis/supply-interruptions/placement-draft')).body
    .spec
const decided = (spec: SpecBody): SpecBody => ({
  ...spec,
  routes: spec.routes.map((row) => ({
    ...row,
    treatment:
      row.path === '/interruptions/export'
        ? { kind: 'withheld', reason: 'Asked for by e-mail' }
        : row.path.startsWith('/subscriptions')
          ? { kind: 'mock' }
          : { kind: 'route', backend: 'main' },
  })),
})
const place = (spec: SpecBody) =>
  tomas.call<PlacementDetail & { detail: string; faults: { field: string; message: string }[] }>(
    'POST',
    '/placements',
    { api: 'supply-interruptions', version: '2.4.0', group: 'edge', spec },
  )
const send = (path: string, more: object = {}) =>
  oskar.call<DeskResponse>('POST', '/requests', { placement: id, method: 'GET', path, ...more })
const configuration = async () =>
  (
    await fetch(`${world.adminUrl}/configuration`, {
      headers: adminHeaders(world.adminUrl),
    })
  ).text()
const now = async () => (await tomas.call<PlacementDetail>('GET', `/placements/${id}`)).body
let key = ''

/** Whether the register marks a version in a stage as open. */
const isOpen = async () =>
  (await tomas.api.listApis({})).items.find(({ api }) => api === 'supply-interruptions')?.cells[0]
    ?.unprotected

describe('placing', () => {
  it('is stopped by undecided operations', async () => {
    const answer = await place(await draft())
    expect(answer.status).toBe(422)
    expect(answer.body.faults[0]).toMatchObject({
      field: 'routes',
      message: expect.stringMatching(/18 of 18 operations are undecided/) as string,
    })
    const spec = decided(await draft())
    const forgetful = await place({ ...spec, routes: spec.routes.slice(2) })
    expect(forgetful.body.faults[0]!.message).toMatch(/2 of 18 operations are undecided/)
  })

  it('says that the gateway is down and leaves everything as it was', async () => {
    await world.stopGateway()
    const answer = await place(decided(await draft()))
    expect(answer).toMatchObject({
      status: 502,
      body: {
        detail: expect.stringMatching(
          /north-edge at .* refuses connections. Nothing was changed/,
        ) as string,
      },
    })
    expect((await tomas.call('GET', `/placements/${id}`)).status).toBe(404)
    await world.startGateway()
  })

  it('writes the gateway’s configuration, and confirms what runs', async () => {
    expect(await place(decided(await draft()))).toMatchObject({
      status: 201,
      body: { id, mark: 'in-step', version: '2.4.0', differences: [] },
    })
    const text = await configuration()
    expect(text).toMatch(/kind: HTTPRoute/)
    expect(text).toMatch(/interruptions\/export[\s\S]*kind: Withheld/)
  })

  it('is marked in the register where anybody is served without a credential, though it is not public', async () => {
    const { spec } = await now()
    const change = async (next: SpecBody) =>
      tomas.call('PUT', `/placements/${id}`, next, { 'if-match': placementEtag(await now()) })
    const none = { authentication: { kind: 'none' as const, reason: 'Only a test asks' } }
    expect(await isOpen()).toBe(false)
    expect((await change({ ...spec, policies: { ...spec.policies, ...none } })).status).toBe(200)
    expect(await isOpen()).toBe(true)
    const [first, ...rest] = spec.routes
    const one = { ...spec, routes: [{ ...first!, policies: none }, ...rest] }
    expect((await change(one)).status).toBe(200)
    expect(await isOpen()).toBe(true)
    const withheld = { ...one.routes[0]!, treatment: { kind: 'withheld' as const, reason: 'No' } }
    expect((await change({ ...one, routes: [withheld, ...rest] })).status).toBe(200)
    expect(await isOpen()).toBe(false)
    expect((await change(spec)).status).toBe(200)
    expect(await isOpen()).toBe(false)
  })

  it('tells callers of an end from the moment the register says it', async () => {
    const headers = async () => {
      const { body } = await send('/supply/v2/areas', { key: 'x' })
      return new Map(body.headers.map(({ name, value }) => [name, value]))
    }
    const change = (what: object) =>
      tomas.call<{ detail: string; deprecatedOn: string }>(
        'PATCH',
        '/apis/supply-interruptions',
        what,
      )
    const link = { title: 'Move to 3.0', url: 'https://wiki.brackenmere.example/supply-3' }
    expect((await headers()).has('deprecation')).toBe(false)
    expect((await change({ lifecycle: 'deprecated', sunset: '2020-01-01' })).status).toBe(422)
    const broken = { title: 'x', url: 'https://a.example/>;rel="next', deprecation: true }
    expect((await change({ links: [broken] })).status).toBe(422)
    expect((await change({ links: [{ ...broken, deprecation: false }] })).status).toBe(200)
    const done = await change({
      lifecycle: 'deprecated',
      sunset: '2099-03-31',
      links: [{ ...link, deprecation: true }],
    })
    expect(done).toMatchObject({ status: 200 })
    await expect.poll(async () => (await headers()).get('sunset')).toMatch(/31 Mar 2099/)
    const told = await headers()
    const since = Date.parse(`${done.body.deprecatedOn}T00:00:00Z`) / 1000
    expect(told.get('deprecation')).toBe(`@${since}`)
    expect(told.get('link')).toContain(`<${link.url}>; rel="deprecation"`)
    await expect.poll(async () => (await now()).rollout).toBeUndefined()
    expect(await now()).toMatchObject({ mark: 'in-step', differences: [] })
    expect((await change({ lifecycle: 'active', sunset: '' })).status).toBe(200)
    await expect.poll(async () => (await headers()).has('sunset')).toBe(false)
    await expect.poll(async () => (await now()).rollout).toBeUndefined()
  })

  it('refuses an address that another API has, or part of it, by name', async () => {
    await bringIn(tomas, definition('leak-sensors/0.3.0.yaml'))
    const spec = (await tomas.call<{ spec: SpecBody }>('GET', '/apis/leak-sensors/placement-draft'))
      .body.spec
    const at = (host: string, basePath: string) =>
      tomas.call<PlacementDetail & { detail: string }>('POST', '/placements', {
        api: 'leak-sensors',
        version: '0.3.0',
        group: 'edge',
        spec: {
          ...spec,
          host,
          basePath,
          routes: spec.routes.map((row) => ({ ...row, treatment: { kind: 'mock' } })),
        },
      })
    const { host } = await draft()
    for (const basePath of ['/supply/v2', '/supply', '/', '/supply/v2/areas']) {
      const refused = await at(host, basePath)
      expect(refused.status, basePath).toBe(409)
      expect(refused.body.detail).toMatch(/belongs to Supply Interruptions already/)
    }
    expect((await at('api.brackenmere.example', '/leaks')).body.detail).toMatch(
      /belongs to Live, not to Trial/,
    )
    expect((await at('elsewhere.example', '/leaks')).body.detail).toMatch(/not a host of Trial/)
    const placed = await at(host, '/supply/v20')
    expect(placed.status).toBe(201)
    expect((await tomas.call('DELETE', `/placements/${placed.body.id}`)).status).toBe(204)
    const supply = decided(await draft())
    expect((await place({ ...supply, basePath: '/supply/v2/' })).status).toBe(422)
    expect((await now()).mark).toBe('in-step')
  })
})

describe('the request desk', () => {
  it('explains a 401', async () => {
    const { body } = await send('/supply/v2/areas')
    expect(body).toMatchObject({
      status: 401,
      verdict: expect.stringMatching(/no key in the header X-Api-Key/) as string,
    })
    expect((await send('/supply/v2/areas', { key: 'wrong' })).body.verdict).toMatch(
      /not known at this placement/,
    )
  })

  it('sends headers as they are written, but for those of the connection itself', async () => {
    const with_ = (name: string, value = 'x') =>
      send('/supply/v2/areas', { key: 'wrong', headers: [{ name, value }] })
    expect((await with_('X-Trace-Id')).status).toBe(200)
    for (const name of ['Content-Length', 'transfer-encoding', 'Host', 'Connection', 'Upgrade'])
      expect((await with_(name)).body, name).toMatchObject({
        faults: [{ field: 'headers.0.name', message: expect.stringMatching(/by hand/) as string }],
      })
    expect((await with_('X Trace')).status).toBe(422)
    expect((await with_('X-Trace', 'a\r\nHost: b')).status).toBe(422)
  })

  it('offers bodies that the definition has, or makes them from its schemas', async () => {
    const { operations } = await tomas.api.getRevision({ api: 'supply-interruptions', revision: 1 })
    const at = (method: string) =>
      operations.findIndex(({ method: of, path }) => of === method && path === '/subscriptions')
    const of = (operation: number) =>
      tomas.api.listBodySamples({ api: 'supply-interruptions', revision: 1, operation })
    const { items } = await of(at('POST'))
    expect(items[0]!.mediaType).toBe('application/json')
    expect(JSON.parse(items[0]!.body)).toBeTypeOf('object')
    expect((await of(at('GET'))).items).toEqual([])
  })

  it('shows every step of a request that goes through', async () => {
    key = (
      await oskar.call<{ secret: string }>('POST', `/placements/${id}/keys`, {
        name: 'Alder Homes',
      })
    ).body.secret
    const { body } = await send('/supply/v2/areas?limit=1', { key })
    expect(body.status).toBe(200)
    expect(JSON.parse(body.body)).toMatchObject({ items: [{ areaId: 'area-12' }] })
    expect(body.steps.map(({ name, passed }) => `${name} ${passed}`)).toEqual([
      'listen true',
      'match true',
      'authenticate true',
      'limit true',
      'transform true',
      'forward true',
    ])
    expect(await configuration()).not.toContain(key)
  })

  it('explains a 404 by the nearest route, a wrong host, and answers mocks from examples', async () => {
    expect((await send('/supply/v2/area', { key })).body).toMatchObject({
      status: 404,
      verdict: expect.stringMatching(/nearest route is GET \/supply\/v2\/areas/) as string,
    })
    expect((await send('/areas', { key })).body.verdict).toMatch(/base path is missing/)
    expect((await send('/supply/v2/areas', { key, host: 'other.example' })).body.verdict).toMatch(
      /No placement here answers for the host/,
    )
    const mocked = (await send('/supply/v2/subscriptions', { key })).body
    expect(mocked.verdict).toMatch(
      /Answered 20\d (?:from the definition|with the definition’s example)/,
    )
    expect(JSON.parse(mocked.body)).toHaveProperty('items')
  })

  it('explains a 429', async () => {
    const { spec, generation: generation } = await now()
    const changed = await tomas.call('PUT', `/placements/${id}`, withRate(spec, 2), {
      'if-match': `"placement-${generation}"`,
    })
    expect(changed.status).toBe(200)
    expect(
      (
        await tomas.call('PUT', `/placements/${id}`, spec, {
          'if-match': `"placement-${generation}"`,
        })
      ).status,
    ).toBe(412)
    await send('/supply/v2/areas', { key })
    await send('/supply/v2/areas', { key })
    const third = (await send('/supply/v2/areas', { key })).body
    expect(third).toMatchObject({
      status: 429,
      verdict: expect.stringMatching(
        /limit of 2 \/ minute is used up; the next request is taken in \d+ s/,
      ) as string,
    })
    expect(third.headers.find(({ name }) => name === 'retry-after')).toBeDefined()
  })

  it('takes a key back', async () => {
    expect((await oskar.call('DELETE', `/placements/${id}/keys/Alder%20Homes`)).status).toBe(204)
    expect((await send('/supply/v2/areas', { key })).body.status).toBe(401)
  })
})

describe('drift', () => {
  const edit = (kind: string) =>
    oskar.call<PlacementDetail>('POST', `/placements/${id}/hand-edit`, { kind })

  it('shows a hand edit with the values side by side, and puts the ledger back', async () => {
    expect((await edit('limit')).body).toMatchObject({
      mark: 'differs',
      differences: [{ what: 'rate limit', ledger: '2 / minute', gateway: '20 / minute' }],
    })
    expect(
      (await tomas.call<{ detail: string }>('POST', `/placements/${id}/put-back`)).body.detail,
    ).toMatch(/takes the role governance or operator/)
    expect(
      (await oskar.call<PlacementDetail>('POST', `/placements/${id}/put-back`)).body,
    ).toMatchObject({ mark: 'in-step', spec: { policies: { rate: { requests: 2 } } } })
  })

  it('keeps the gateway’s as a new approved placement', async () => {
    expect((await edit('route')).body.differences).toMatchObject([
      { what: 'route', ledger: 'withheld', gateway: 'served by main' },
    ])
    const kept = (await oskar.call<PlacementDetail>('POST', `/placements/${id}/keep`)).body
    expect(kept.mark).toBe('in-step')
    expect(
      kept.spec.routes.find(({ path }) => path === '/interruptions/export')?.treatment,
    ).toEqual({ kind: 'route', backend: 'main' })
  })

  it('sees a stranger’s route in the placement’s address space, and takes it off when the ledger is put back', async () => {
    const text = `${await configuration()}---\napiVersion: gateway.networking.k8s.io/v1\nkind: HTTPRoute\nmetadata: { name: stranger }\nspec:\n  hostnames: [trial.api.brackenmere.example]\n  rules: [{ matches: [{ path: { type: Exact, value: /supply/v2/secret } }], backendRefs: [{ kind: Backend, name: ${id}-main }] }]\n`
    await fetch(`${world.adminUrl}/configuration`, {
      method: 'PUT',
      body: text,
      headers: adminHeaders(world.adminUrl),
    })
    await oskar.call('POST', '/gateways/north-edge/read')
    expect((await now()).differences).toMatchObject([
      { where: 'any method /supply/v2/secret', ledger: 'withheld' },
    ])
    expect((await oskar.call('POST', `/placements/${id}/keep`)).status).toBe(409)
    expect(
      (await oskar.call<PlacementDetail>('POST', `/placements/${id}/put-back`)).body.mark,
    ).toBe('in-step')
  })

  it('keeps the last picture and says so when the gateway cannot be read', async () => {
    await world.stopGateway()
    expect((await oskar.call('POST', '/gateways/north-edge/read')).status).toBe(502)
    const { items } = (await oskar.call<{ items: { trouble: string }[] }>('GET', '/gateways')).body
    expect(items[0]!.trouble).toMatch(/refuses connections/)
    await world.startGateway()
    expect((await oskar.call('POST', '/gateways/north-edge/read')).status).toBe(200)
  })
})

describe('promotion', () => {
  let promotion: PromotionDetail

  it('shows its gates and what would change', async () => {
    const asked = await tomas.call<PromotionDetail>('POST', '/promotions', {
      api: 'supply-interruptions',
      version: '2.4.0',
      from: 'Trial',
      note: 'First',
    })
    promotion = asked.body
    expect(asked.status).toBe(201)
    expect(promotion.gates.map(({ id: gate, state }) => `${gate} ${state}`)).toEqual([
      'findings passed',
      'drift passed',
      'version passed',
      'approval waiting',
    ])
    expect(promotion.plan).toMatchObject([
      { replaces: '', address: 'https://rehearsal.api.brackenmere.example/supply/v2' },
    ])
    expect(
      (
        await tomas.call('POST', '/promotions', {
          api: 'supply-interruptions',
          version: '2.4.0',
          from: 'Trial',
          note: '',
        })
      ).status,
    ).toBe(409)
  })

  it('needs somebody else’s approval and gates that are open at the act', async () => {
    expect((await oskar.call('POST', `/promotions/${promotion.id}/promote`)).status).toBe(409)
    const imara = await world.visitor('imara')
    const own = await imara.call<PromotionDetail>('POST', '/promotions', {
      api: 'leak-sensors',
      version: '0.3.0',
      from: 'Trial',
      note: '',
    })
    expect(own.status).toBe(409)
    expect(
      (
        await ruth.call<PromotionDetail>('POST', `/promotions/${promotion.id}/approvals`, {
          note: 'Fine',
          digest: (await ruth.call<PromotionDetail>('GET', `/promotions/${promotion.id}`)).body
            .digest,
        })
      ).body.gates.every(({ state }) => state === 'passed'),
    ).toBe(true)
    await oskar.call('POST', `/placements/${id}/hand-edit`, { kind: 'limit' })
    expect(
      (await oskar.call<{ detail: string }>('POST', `/promotions/${promotion.id}/promote`)).body
        .detail,
    ).toMatch(/The gateway differs/)
    await oskar.call('POST', `/placements/${id}/put-back`)
    const done = await oskar.call<PromotionDetail>('POST', `/promotions/${promotion.id}/promote`)
    expect(done).toMatchObject({ status: 200, body: { state: 'done' } })
    expect((await oskar.call('POST', `/promotions/${promotion.id}/promote`)).status).toBe(409)
    const register = (
      await tomas.call<{
        items: { api: string; cells: { stage: string; version: string; mark: string }[] }[]
      }>('GET', '/apis')
    ).body.items
    expect(register.find(({ api }) => api === 'supply-interruptions')!.cells).toMatchObject([
      { stage: 'Trial', version: '2.4.0' },
      { stage: 'Rehearsal', version: '2.4.0', mark: 'in-step' },
    ])
  })

  it('is shut by a finding at MUST', async () => {
    await tomas.call(
      'POST',
      '/apis/supply-interruptions/revisions',
      definition('supply-interruptions/2.5.0.yaml'),
      { 'if-match': '"revision-1"' },
    )
    const spec = decided(
      (
        await tomas.call<{ spec: SpecBody }>(
          'GET',
          '/apis/supply-interruptions/placement-draft?version=2.5.0',
        )
      ).body.spec,
    )
    const placed = await tomas.call<PlacementDetail>('POST', '/placements', {
      api: 'supply-interruptions',
      version: '2.5.0',
      group: 'edge',
      spec,
    })
    expect(placed.body).toMatchObject({ id, version: '2.5.0' })
    const asked = await tomas.call<PromotionDetail>('POST', '/promotions', {
      api: 'supply-interruptions',
      version: '2.5.0',
      from: 'Trial',
      note: '',
    })
    expect(asked.body.gates[0]).toMatchObject({
      state: 'failed',
      text: '2 findings at MUST; fix them in a new version',
    })
    expect(asked.body.plan[0]).toMatchObject({
      replaces: '2.4.0',
      added: ['GET /bottled-water-points'],
    })
    expect(
      (await tomas.call<PromotionDetail>('POST', `/promotions/${asked.body.id}/withdraw`)).body
        .state,
    ).toBe('withdrawn')
  })

  it('fixes the text of a version that is placed', async () => {
    const changed = definition('supply-interruptions/2.5.0.yaml').replace('Bottled', 'Full')
    const answer = await tomas.call<{ detail: string }>(
      'POST',
      '/apis/supply-interruptions/revisions',
      `${changed}# more\n`,
      { 'if-match': '"revision-2"' },
    )
    expect(answer).toMatchObject({
      status: 409,
      body: { detail: expect.stringMatching(/Raise its version/) as string },
    })
  })
})

describe('the ledger', () => {
  const verify = async () => (await tomas.call<Verification>('POST', '/ledger/verify')).body

  it('has every change with before and after, and holds', async () => {
    const { items } = (
      await tomas.call<{
        items: { action: string; actor: string; before: unknown; after: unknown }[]
      }>('GET', '/ledger?limit=1000')
    ).body
    const actions = new Set(items.map(({ action }) => action))
    for (const action of [
      'api.added',
      'revision.saved',
      'placement.applied',
      'placement.changed',
      'key.issued',
      'key.withdrawn',
      'drift.put-back',
      'drift.kept',
      'promotion.requested',
      'promotion.approved',
      'promotion.done',
      'promotion.withdrawn',
      'placement.promoted',
      'placement.removed',
    ]) {
      expect(actions).toContain(action)
    }
    expect(items.find(({ action }) => action === 'drift.kept')).toMatchObject({
      actor: 'oskar',
      before: { version: '2.4.0' },
      after: { version: '2.4.0' },
    })
    expect(await verify()).toMatchObject({ checked: items.length })
    expect((await verify()).brokenAt).toBeUndefined()
  })

  it('is refused change and deletion by the database itself', async () => {
    for (const statement of [
      sql`UPDATE ledger SET actor = 'x' WHERE number = 1`,
      sql`DELETE FROM ledger WHERE number = 1`,
      sql`TRUNCATE ledger`,
    ]) {
      const error = await world.owner.execute(statement).then(
        () => undefined,
        (caught: Error) => caught,
      )
      expect(String((error?.cause as Error | undefined)?.message)).toMatch(/The ledger only grows/)
    }
  })

  it('names the first entry that somebody with the database’s own powers altered', async () => {
    await world.owner.execute(sql`ALTER TABLE ledger DISABLE TRIGGER ledger_keeps_rows`)
    await world.owner.execute(sql`UPDATE ledger SET actor = 'nobody' WHERE number = 4`)
    await world.owner.execute(sql`ALTER TABLE ledger ENABLE TRIGGER ledger_keeps_rows`)
    expect(await verify()).toMatchObject({ brokenAt: 4, why: 'Its words do not match its hash' })
  })
})
