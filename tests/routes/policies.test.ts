import { eq } from 'drizzle-orm'
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest'
import type { PolicySet } from '../../core/runtime/policies'
import type { PlacementDetail } from '../../shared/api/placements'
import type { PolicyChangeItem, PolicyPreview, PolicyScopeItem } from '../../shared/api/policies'
import type { RolloutItem } from '../../shared/api/rollouts'
import { placementEtag, scopeEtag } from '../../shared/etags'
import {
  gateways,
  people,
  placements,
  policyScopes,
  rollouts,
  rolloutSteps,
} from '../../server/db/schema'
import type { Context } from '../../server/services/context'
import { changeScope } from '../../server/services/policies'
import { exchangeQuotas } from '../../server/services/quotas'
import { workRollout } from '../../server/services/rollout-work'
import { Killed, mortal } from '../support/mortal'
import { withRate } from '../support/policies'
import {
  adminHeaders,
  bringIn,
  contextOf,
  definition,
  makeWorld,
  type Visitor,
  type World,
} from '../support/world'

let world: World
let tomas: Visitor, oskar: Visitor, ruth: Visitor, imara: Visitor, wren: Visitor
const id = 'supply-interruptions-trial-1'
const later = 'supply-interruptions-rehearsal-1'

beforeAll(async () => {
  world = await makeWorld({
    gateways: { 'north-edge': 'edge', 'south-edge': 'edge', inner: 'inner' },
    meddled: true,
    connections: 1,
  })
  ;[tomas, oskar, ruth, imara, wren] = (await Promise.all(
    ['tomas', 'oskar', 'ruth', 'imara', 'wren'].map((name) => world.visitor(name)),
  )) as [Visitor, Visitor, Visitor, Visitor, Visitor]
  await bringIn(tomas, definition('supply-interruptions/2.4.0.yaml'))
  const { spec, group } = await tomas.api.getPlacementDraft({
    api: 'supply-interruptions',
    group: 'edge',
  })
  const routes = spec.routes.map((row) => ({ ...row, treatment: { kind: 'mock' as const } }))
  const placed = await tomas.call('POST', '/placements', {
    api: 'supply-interruptions',
    version: '2.4.0',
    group,
    spec: { ...spec, routes },
  })
  expect(placed.status).toBe(201)
})
afterAll(() => world.close())
afterEach(() => {
  for (const { meddler } of world.sites) meddler.decide = () => 'nothing'
})

const now = async (placement = id) =>
  (await tomas.call<PlacementDetail>('GET', `/placements/${placement}`)).body
const scopeOf = async (scope: string) =>
  (await wren.call<PolicyScopeItem>('GET', `/policy-scopes/${scope}`)).body
const say = async (scope: string, policies: unknown, binding: string[] = [], visitor = oskar) => {
  const state = await scopeOf(scope)
  return visitor.call<
    PolicyScopeItem & RolloutItem & { detail: string; faults: { field: string }[] }
  >('PUT', `/policy-scopes/${scope}`, { policies, binding }, { 'if-match': scopeEtag(state) })
}
const preview = async (
  scope: string,
  policies: PolicySet,
  binding: string[] = [],
  visitor = wren,
) =>
  (
    await visitor.call<PolicyPreview>('POST', `/policy-scopes/${scope}/preview`, {
      policies,
      binding,
    })
  ).body
const change = async (spec: PlacementDetail['spec']) => {
  const { generation } = await now()
  return tomas.call<
    PlacementDetail & { detail: string; faults: { field: string; detail: string }[] }
  >('PUT', `/placements/${id}`, spec, { 'if-match': placementEtag({ generation }) })
}
const running = async (n: number) =>
  (
    await fetch(`${world.sites[n]!.adminUrl}/configuration`, {
      headers: adminHeaders(world.sites[n]!.adminUrl),
    })
  ).text()
const rate = (requests: number, seconds = 60): PolicySet => ({
  rate: { requests, seconds, per: 'client' },
})

describe('policies of a placement', () => {
  it('are refused where they cannot be read, by the member at fault', async () => {
    const { spec } = await now()
    const bad = await change({
      ...spec,
      policies: { ...spec.policies, rate: { requests: 0, seconds: 60, per: 'client' } },
    })
    expect(bad).toMatchObject({
      status: 422,
      body: { faults: [{ field: 'spec.policies.rate.requests' }] },
    })
    const [first, ...rest] = spec.routes
    const own = { ...first!, policies: { cors: { origins: ['*'], credentials: true } } as never }
    expect((await change({ ...spec, routes: [own, ...rest] })).body.faults[0]).toMatchObject({
      field: 'spec.routes.0.policies.cors.origins',
    })
    const { authentication: _, ...without } = spec.policies
    expect((await change({ ...spec, policies: without })).body.faults).toMatchObject([
      { field: 'policies.authentication' },
    ])
  })

  it('run on every gateway, for all operations and for one, with their defaults', async () => {
    const { spec } = await now()
    const [first, ...rest] = spec.routes
    const policies = {
      ...spec.policies,
      cors: { origins: ['https://app.brackenmere.example'] } as never,
    }
    const own = { ...first!, policies: { body: { bytes: 2000 } } as never }
    const changed = await change({ ...spec, policies, routes: [own, ...rest] })
    expect(changed.body).toMatchObject({
      mark: 'in-step',
      spec: {
        policies: { cors: { credentials: false, maxAgeSeconds: 600 } },
        routes: [{ policies: { body: { bytes: 2000, mediaTypes: [] } } }, ...rest.map(() => ({}))],
      },
    })
    for (const n of [0, 1]) {
      const text = await running(n)
      expect(text).toMatch(/type: CORS/)
      expect(text).toMatch(/kind: BodyPolicy[\s\S]*?sectionName/)
    }
    const back = await change(spec)
    expect(back.status).toBe(200)
  })
})

it('requests are held against the definition that the version stands for', async () => {
  const { spec } = await now()
  const policies: PolicySet = {
    ...spec.policies,
    authentication: { kind: 'none', reason: 'A test' },
    contract: { requests: 'refuse', responses: 'report' },
  }
  expect((await change({ ...spec, policies })).body).toMatchObject({ mark: 'in-step' })
  expect(await running(0)).toContain('kind: Definition')
  const send = async (path: string) =>
    (
      await oskar.call<{
        status: number
        verdict: string
        steps: { policy?: string; text: string }[]
      }>('POST', '/requests', {
        placement: id,
        method: 'GET',
        path: `${spec.basePath}${path}`,
      })
    ).body
  expect(await send('/interruptions?limit=99999')).toMatchObject({
    status: 400,
    verdict: expect.stringMatching(
      /breaks the definition: The query parameter limit is above/,
    ) as string,
  })
  const good = await send('/interruptions?limit=5')
  expect(good.status).toBe(200)
  expect(good.steps).toContainEqual(
    expect.objectContaining({ policy: 'contract', text: 'It is as the definition says' }),
  )
  expect((await change(spec)).status).toBe(200)
})

describe('scopes', () => {
  it('are the organisation, the stages and the gateway groups', async () => {
    const { items } = await wren.api.listPolicyScopes()
    expect(items.map(({ id: scope, placements: n, generation }) => [scope, n, generation])).toEqual(
      [
        ['organisation', 1, 0],
        ['stage:Trial', 1, 0],
        ['stage:Rehearsal', 0, 0],
        ['stage:Live', 0, 0],
        ['group:edge', 1, 0],
        ['group:inner', 0, 0],
      ],
    )
    expect((await wren.call('GET', '/policy-scopes/stage:Nowhere')).status).toBe(404)
  })

  it('show what a change does, and roll it out as one', async () => {
    const said = { caching: { visibility: 'no-store', maxAgeSeconds: 0 } } as const
    expect(await preview('stage:Trial', said)).toMatchObject({
      placements: [
        {
          placement: id,
          changes: [{ policy: 'caching', before: 'none', after: 'no caching', operations: [] }],
        },
      ],
      unchanged: 0,
      reviewed: false,
    })
    expect(await running(0)).not.toContain('CachePolicy')
    const done = await say('stage:Trial', said)
    expect(done).toMatchObject({ status: 200, body: { generation: 1, changedBy: 'Oskar Lindley' } })
    for (const n of [0, 1]) expect(await running(n)).toContain('kind: CachePolicy')
    expect(await now()).toMatchObject({ mark: 'in-step', generation: 5 })
    const stale = await oskar.call(
      'PUT',
      '/policy-scopes/stage:Trial',
      { policies: {}, binding: [] },
      { 'if-match': '"scope-0"' },
    )
    expect(stale.status).toBe(412)
    const [entry] = (await imara.api.listLedgerEntries({ action: 'policy.changed', limit: 1 }))
      .items
    expect(entry).toMatchObject({ subject: 'stage Trial', after: { policies: said } })
  })

  it('bind what is further in: what would loosen it is refused, and does not hold where it stood before', async () => {
    const { spec } = await now()
    expect((await change(withRate(spec, 100))).status).toBe(200)
    const effect = await preview('stage:Trial', rate(60), ['rate'])
    expect(effect.placements).toMatchObject([
      {
        changes: expect.arrayContaining([
          expect.objectContaining({
            policy: 'rate',
            before: '100 / minute (for each client; 429 with Retry-After)',
            after: '60 / minute (for each client; 429 with Retry-After)',
          }),
        ]) as unknown,
        overruled: [expect.stringMatching(/this placement does not hold: it takes 100 a minute/)],
      },
    ])
    expect((await say('stage:Trial', rate(60), ['rate'])).status).toBe(200)
    expect(await running(1)).toMatch(/kind: RateLimitPolicy[\s\S]*?requests: 60/)
    expect(await now()).toMatchObject({ mark: 'in-step', limit: '60 / minute' })
    const refused = await change(withRate(spec, 90))
    expect(refused).toMatchObject({ status: 422, body: { faults: [{ field: 'policies.rate' }] } })
    expect((await change(withRate(spec, 30))).body).toMatchObject({
      mark: 'in-step',
      limit: '30 / minute',
    })
    expect((await say('stage:Trial', rate(60), ['cors'])).body.faults).toMatchObject([
      { field: 'binding' },
    ])
  })

  it('do not leave a placement of which nobody says whom it serves', async () => {
    const { spec } = await now()
    const { authentication, ...others } = spec.policies
    expect((await say('stage:Trial', { ...rate(60), authentication }, ['rate'])).status).toBe(200)
    expect((await change({ ...spec, policies: others })).status).toBe(200)
    const refused = await say('stage:Trial', rate(60), ['rate'])
    expect(refused).toMatchObject({
      status: 409,
      body: { detail: expect.stringMatching(/which credential is asked for/) as string },
    })
    expect((await change(spec)).status).toBe(200)
    expect((await say('stage:Trial', rate(60), ['rate'])).status).toBe(200)
  })

  it('go back everywhere where one gateway refuses, and say nothing new then', async () => {
    const before = [await running(0), await running(1)]
    const { generation } = await scopeOf('group:edge')
    world.sites[1]!.meddler.decide = (method) => (method === 'PUT' ? 'refuse' : 'nothing')
    const refused = await say('group:edge', { errors: { shape: 'text' } })
    expect(refused.status).toBe(422)
    expect([await running(0), await running(1)]).toEqual(before)
    expect((await scopeOf('group:edge')).generation).toBe(generation)
    expect(await now()).toMatchObject({ mark: 'in-step' })
  })

  it('do not change while something is placed in them, nor the other way round', async () => {
    const wanted = {
      kind: 'stage' as const,
      name: 'Trial',
      generation: 3,
      policies: {},
      binding: [],
    }
    // Nobody knows whether its gateway took it, and the gateway does not say: it cannot end by itself.
    const { meddler, name: gateway } = world.sites[0]!
    meddler.decide = () => 'lose the request'
    const id = await world.db.transaction(async (tx) => {
      const at = new Date()
      const [row] = await tx
        .insert(rollouts)
        .values({
          byId: contextOf(world, 'oskar').actor.id,
          at,
          action: 'policy.changed',
          title: 'Change the policies of stage Trial',
          change: { kind: 'policies', wanted, placements: [] },
          state: 'running',
        })
        .returning()
      const step = { gateway, position: 0, state: 'unknown' as const, before: '', at }
      await tx.insert(rolloutSteps).values({ rolloutId: row!.id, ...step })
      return row!.id
    })
    const { spec } = await now()
    expect((await change(withRate(spec, 20))).body.detail).toMatch(/Rollout \d+ is under way/)
    expect((await say('organisation', { errors: { shape: 'text' } })).body.detail).toMatch(
      /under way/,
    )
    await world.db
      .update(rollouts)
      .set({ endedAt: new Date(), state: 'rolled-back' })
      .where(eq(rollouts.id, id))
    meddler.decide = () => 'nothing'
    expect((await change(withRate(spec, 20))).status).toBe(200)
  })
})

describe('beyond the first stage', () => {
  const everywhere = { log: { headers: [], address: 'dropped', query: 'dropped', percent: 100 } }

  beforeAll(async () => {
    // What promotion would do is tried elsewhere; this is a placement that stands in a later stage.
    const [row] = await world.db.select().from(placements).where(eq(placements.id, id))
    const spec = { ...row!.spec, host: 'rehearsal.api.brackenmere.example' }
    await world.db
      .insert(placements)
      .values({ ...row!, id: later, stage: 'Rehearsal', generation: 1, spec })
  })

  it('a change is asked for, approved by somebody else as it was read, and rolled out', async () => {
    expect((await say('organisation', everywhere)).body.detail).toMatch(/somebody else approves it/)
    const ask = (visitor: Visitor, note = 'No addresses are kept') =>
      visitor.call<PolicyChangeItem & { detail: string }>('POST', '/policy-changes', {
        scope: 'organisation',
        policies: everywhere,
        binding: ['log'],
        note,
      })
    const asked = await ask(imara)
    expect(asked).toMatchObject({
      status: 201,
      body: { state: 'waiting', requestedBy: 'Imara Holt' },
    })
    expect((await ask(oskar)).body.detail).toMatch(/waits already/)
    expect((await scopeOf('organisation')).waiting).toBe(asked.body.id)
    const address = `/policy-changes/${asked.body.id}`
    const read = async () =>
      (await ruth.call<PolicyPreview>('GET', `${address}/preview`)).body.digest
    const approve = (visitor: Visitor, digest: string) =>
      visitor.call<PolicyChangeItem & { detail: string }>('POST', `${address}/approval`, { digest })
    expect((await approve(imara, await read())).body.detail).toMatch(/You asked for this yourself/)
    // What was read is what is approved.
    const before = await read()
    const { spec } = await now()
    expect((await change(withRate(spec, 25))).status).toBe(200)
    expect((await approve(ruth, before)).status).toBe(412)
    expect((await approve(ruth, await read())).body).toMatchObject({
      state: 'done',
      approvedBy: 'Ruth Amadi',
    })
    for (const n of [0, 1]) expect((await running(n)).match(/kind: LogPolicy/g)).toHaveLength(2)
    expect(await scopeOf('organisation')).toMatchObject({ generation: 1, binding: ['log'] })
    expect((await approve(ruth, before)).body.detail).toMatch(/does not wait any more/)
    expect((await oskar.call('DELETE', address)).status).toBe(409)
  })

  it('is approved as what it comes to, whatever else has its effect or decides where it is carried out', async () => {
    const { body: asked } = await oskar.call<PolicyChangeItem>('POST', '/policy-changes', {
      ...{ scope: 'organisation', policies: { ...everywhere, errors: { shape: 'text' } } },
      ...{ binding: ['log'], note: '' },
    })
    const address = `/policy-changes/${asked.id}`
    const { digest } = (await ruth.call<PolicyPreview>('GET', `${address}/preview`)).body
    const refused = async () =>
      expect((await ruth.call('POST', `${address}/approval`, { digest })).status).toBe(412)
    const row = { kind: 'group' as const, name: 'edge', generation: 1, binding: [] }
    const [{ id: changedById }] = (await world.db
      .select({ id: people.id })
      .from(people)
      .limit(1)) as [{ id: number }]
    await world.db.insert(policyScopes).values({
      ...row,
      policies: { errors: { shape: 'problem' } },
      changedAt: new Date(),
      changedById,
    })
    await refused()
    await world.db.delete(policyScopes).where(eq(policyScopes.kind, 'group'))
    const [gateway] = await world.db.select().from(gateways).where(eq(gateways.name, 'south-edge'))
    await world.db
      .update(gateways)
      .set({ adminUrl: 'http://127.0.0.1:9' })
      .where(eq(gateways.name, 'south-edge'))
    await refused()
    await world.db
      .update(gateways)
      .set({ adminUrl: gateway!.adminUrl })
      .where(eq(gateways.name, 'south-edge'))
    expect((await ruth.call<PolicyPreview>('GET', `${address}/preview`)).body.digest).toBe(digest)
    expect((await oskar.call('DELETE', address)).status).toBe(200)
  })

  it('is asked for where it only takes the binding off, since that loosens what reaches beyond', async () => {
    const loose = await say('organisation', everywhere, [])
    expect(loose.status).toBe(409)
    expect((loose.body as { detail?: string }).detail).toMatch(/somebody else approves it/)
    expect(await scopeOf('organisation')).toMatchObject({ binding: ['log'] })
  })

  it('waits again where the rollout goes back', async () => {
    const { body: asked } = await oskar.call<PolicyChangeItem>('POST', '/policy-changes', {
      scope: 'organisation',
      policies: { ...everywhere, errors: { shape: 'text' } },
      binding: [],
      note: '',
    })
    world.sites[1]!.meddler.decide = (method) => (method === 'PUT' ? 'refuse' : 'nothing')
    const { digest } = (
      await ruth.call<PolicyPreview>('GET', `/policy-changes/${asked.id}/preview`)
    ).body
    expect(
      (await ruth.call('POST', `/policy-changes/${asked.id}/approval`, { digest })).status,
    ).toBe(422)
    const after = (await ruth.call<PolicyChangeItem>('GET', `/policy-changes/${asked.id}`)).body
    expect(after).toMatchObject({ state: 'waiting' })
    expect(after).not.toHaveProperty('approvedBy')
    expect((await oskar.call('DELETE', `/policy-changes/${asked.id}`)).body).toMatchObject({
      state: 'withdrawn',
    })
  })
})

it('what was said of a stage goes with it', async () => {
  const ada = await world.visitor('ada')
  const { items } = await ada.api.listStages()
  const spare = { name: 'Spare', schemes: [], backendHosts: [], networks: [] }
  const set = (stages: object[]) => ada.call('PUT', '/stages', { stages })
  expect((await set([...items, spare])).status).toBeLessThan(300)
  expect((await say('stage:Spare', { errors: { shape: 'text' } })).status).toBe(200)
  expect((await set(items)).status).toBeLessThan(300)
  expect((await set([...items, spare])).status).toBeLessThan(300)
  expect(await scopeOf('stage:Spare')).toMatchObject({ generation: 0, policies: {} })
  expect((await set(items)).status).toBeLessThan(300)
})

it('quotas hold over the gateways of a group, but for what they serve between two exchanges', async () => {
  const { spec } = await now()
  const policies: PolicySet = {
    ...spec.policies,
    authentication: { kind: 'none', reason: 'A test' },
    quota: { requests: 6, in: 'month', per: 'placement' },
  }
  expect((await change({ ...spec, policies })).status).toBe(200)
  const path = `${spec.basePath}${spec.routes.find(({ method, path: p }) => method === 'GET' && !p.includes('{'))!.path}`
  const send = async (gateway: string) =>
    (
      await oskar.call<{ status: number }>('POST', '/requests', {
        placement: id,
        gateway,
        method: 'GET',
        path,
      })
    ).body.status
  const sent = async (gateway: string, times: number) => {
    const statuses: number[] = []
    for (let n = 0; n < times; n++) statuses.push(await send(gateway))
    return statuses.filter((status) => status !== 429).length
  }
  expect([await sent('north-edge', 4), await sent('south-edge', 1)]).toEqual([4, 1])
  await exchangeQuotas(world.services)
  expect([await sent('south-edge', 5), await sent('north-edge', 5)]).toEqual([1, 1])
  // One that does not answer keeps the others from nothing.
  world.sites[0]!.meddler.decide = () => 'lose the request'
  await exchangeQuotas(world.services)
  expect(await sent('south-edge', 1)).toBe(0)
})

it('a process that dies in the middle leaves a rollout that another one finishes, once', async () => {
  await world.db.delete(placements).where(eq(placements.id, later))
  let died = true
  let points = 0
  for (let at = 0; died; at += 5, points++) {
    const scope = await scopeOf('group:edge')
    const milliseconds = 1000 + at
    const context: Context = contextOf(world, 'oskar')
    const { services, pool } = mortal(world.services, world.url, { at, when: 'before' })
    context.queue = {
      ...context.queue,
      rollOut: async (rollout) => {
        await workRollout(services, rollout).catch((error: unknown) => {
          if (!(error instanceof Killed) && !pool.dead) throw error
        })
        died = pool.dead
        for (let tries = 0; (await workRollout(world.services, rollout)) === 'waits'; tries++)
          if (tries > 20) throw new Error(`rollout ${rollout} does not end`)
      },
    }
    const body = { policies: { timeout: { milliseconds } }, binding: [] }
    await changeScope(context, 'group:edge', body, scopeEtag(scope))
    void pool.end().catch(() => undefined)
    expect(await scopeOf('group:edge')).toMatchObject({
      generation: scope.generation + 1,
      policies: { timeout: { milliseconds } },
    })
    for (const n of [0, 1])
      expect(await running(n)).toContain(`request: 1s${at === 0 ? '' : `${at}ms`}`)
    expect(await now()).toMatchObject({ mark: 'in-step' })
  }
  expect(points).toBeGreaterThan(3)
  const entries = (await imara.api.listLedgerEntries({ action: 'policy.changed', limit: 500 }))
    .items
  expect(entries.filter(({ subject }) => subject === 'gateway group edge')).toHaveLength(points)
}, 120_000)
