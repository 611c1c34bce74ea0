import { rateOf, withRate } from '../support/policies'
import { placementEtag } from '../../shared/etags'
import { eq, isNull } from 'drizzle-orm'
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest'
import type { PlacementDetail, SpecBody } from '../../shared/api/placements'
import type { PromotionDetail } from '../../shared/api/promotions'
import type { RolloutItem } from '../../shared/api/rollouts'
import { ledger, placements, rollouts } from '../../server/db/schema'
import { verifyLedger } from '../../server/services/ledger'
import { checkGateway } from '../../server/services/gateways'
import {
  adminHeaders,
  bringIn,
  definition,
  makeWorld,
  type Site,
  type Visitor,
  type World,
} from '../support/world'
import { changeDying } from '../support/dying-change'

let world: World
let tomas: Visitor, oskar: Visitor, ruth: Visitor, imara: Visitor
const id = 'supply-interruptions-trial-1'

beforeAll(async () => {
  world = await makeWorld({
    gateways: { 'north-edge': 'edge', 'south-edge': 'edge', inner: 'inner' },
    meddled: true,
    // Whatever used two connections at once would wait for itself.
    connections: 1,
  })
  tomas = await world.visitor('tomas')
  oskar = await world.visitor('oskar')
  ruth = await world.visitor('ruth')
  imara = await world.visitor('imara')
  await bringIn(tomas, definition('supply-interruptions/2.4.0.yaml'))
})
afterAll(() => world.close())
afterEach(() => {
  for (const { meddler } of world.sites) {
    meddler.decide = () => 'nothing'
    meddler.delayMs = 0
    meddler.calls.length = 0
  }
})

const [north, south] = [() => world.sites[0]!, () => world.sites[1]!]
const running = async (site: Site) =>
  (
    await fetch(`${site.adminUrl}/configuration`, {
      headers: adminHeaders(site.adminUrl),
    })
  ).text()
const limitOf = async (site: Site) =>
  Number(/kind: RateLimitPolicy[\s\S]*?requests: (\d+)/.exec(await running(site))?.[1] ?? 0)
const now = async (placement = id) =>
  (await tomas.call<PlacementDetail>('GET', `/placements/${placement}`)).body
const newest = async () =>
  (await oskar.call<{ items: RolloutItem[] }>('GET', '/rollouts?limit=1')).body.items[0]!
const ended = async (rollout: number) => {
  for (;;) {
    const { body } = await oskar.call<RolloutItem>('GET', `/rollouts/${rollout}`)
    if (body.endedAt) return body
    await new Promise((resolve) => setTimeout(resolve, 50))
  }
}
const change = async (requests: number) => {
  const { spec, generation: generation } = await now()
  return tomas.call<Omit<PlacementDetail, 'id'> & RolloutItem & { detail: string }>(
    'PUT',
    `/placements/${id}`,
    withRate(spec, requests),
    { 'if-match': placementEtag({ generation }) },
  )
}

describe('a rollout over a group', () => {
  it('places a version on every gateway of the group, and on no other', async () => {
    const { body } = await tomas.call<{ spec: SpecBody; group: string }>(
      'GET',
      '/apis/supply-interruptions/placement-draft?group=edge',
    )
    const spec: SpecBody = {
      ...body.spec,
      routes: body.spec.routes.map((row) => ({
        ...row,
        treatment: { kind: 'route', backend: 'main' },
      })),
    }
    const made = await tomas.call<PlacementDetail>('POST', '/placements', {
      api: 'supply-interruptions',
      version: '2.4.0',
      group: 'edge',
      spec,
    })
    expect(made).toMatchObject({ status: 201, body: { id, mark: 'in-step' } })
    expect(await running(north())).toContain(id)
    expect(await running(south())).toBe(await running(north()))
    expect(await running(world.sites[2]!)).not.toContain(id)
    expect(await newest()).toMatchObject({
      state: 'done',
      by: 'Tomas Verrall',
      steps: [
        { gateway: 'north-edge', state: 'confirmed' },
        { gateway: 'south-edge', state: 'confirmed' },
      ],
    })
  })

  it('puts the first gateway back when the second refuses', async () => {
    const before = await running(north())
    south().meddler.decide = (method) => (method === 'PUT' ? 'refuse' : 'nothing')
    const answer = await change(77)
    expect(answer).toMatchObject({
      status: 422,
      body: { detail: expect.stringMatching(/does not want it.*runs on/) as string },
    })
    expect(await running(north())).toBe(before)
    expect(rateOf((await now()).spec)).not.toBe(77)
    expect(await newest()).toMatchObject({
      state: 'rolled-back',
      steps: [
        { gateway: 'north-edge', state: 'undone' },
        { gateway: 'south-edge', state: 'refused' },
      ],
    })
  })

  it('puts the first back when the second does not answer at all', async () => {
    const before = await running(north())
    south().meddler.decide = () => 'lose the request'
    expect(await change(78)).toMatchObject({
      status: 502,
      body: { detail: expect.stringMatching(/south-edge at/) as string },
    })
    expect(await running(north())).toBe(before)
    expect((await newest()).steps.map(({ state }) => state)).toEqual(['undone', 'refused'])
  })

  it('reads again where a reply was lost, and says neither that it worked nor that it did not', async () => {
    let lost = 0
    north().meddler.decide = (method) =>
      method === 'PUT' && lost++ === 0 ? 'lose the reply' : 'nothing'
    expect((await change(79)).status).toBe(200)
    expect(north().meddler.calls.filter(({ method }) => method === 'PUT')).toHaveLength(1)
    expect([await limitOf(north()), await limitOf(south())]).toEqual([79, 79])
  })

  it('is unknown while a gateway is silent after a write, and goes on once it speaks', async () => {
    let silent = false
    north().meddler.decide = (method) => {
      if (method === 'PUT' && !silent) {
        silent = true
        return 'lose the reply'
      }
      return silent ? 'lose the request' : 'nothing'
    }
    const pending = await change(80)
    expect(pending.status).toBe(202)
    expect(pending.body.steps[0]).toMatchObject({
      state: 'unknown',
      detail: expect.stringMatching(/nobody knows/) as string,
    })
    // What ran before is what is approved until the rollout has ended, and nobody changes it meanwhile.
    expect(rateOf((await now()).spec)).toBe(79)
    expect((await now()).rollout).toBe(pending.body.id)
    expect((await change(81)).body.detail).toMatch(/is carrying out another change there/)
    north().meddler.decide = () => 'nothing'
    expect(await ended(pending.body.id)).toMatchObject({ state: 'done' })
    expect([await limitOf(north()), await limitOf(south())]).toEqual([80, 80])
    expect(rateOf((await now()).spec)).toBe(80)
  })

  it('goes back when somebody says so, as soon as it is known what the gateway has', async () => {
    north().meddler.decide = (method) => (method === 'PUT' ? 'lose the reply' : 'nothing')
    let puts = 0
    north().meddler.decide = (method) => {
      if (method === 'PUT') puts++
      return puts > 0 ? 'lose the reply' : 'nothing'
    }
    const pending = await change(82)
    expect(pending.status).toBe(202)
    expect(await limitOf(north())).toBe(82)
    const wren = await world.visitor('wren')
    expect((await wren.call('POST', `/rollouts/${pending.body.id}/cancel`)).status).toBe(403)
    expect((await oskar.call('POST', `/rollouts/${pending.body.id}/cancel`)).status).toBe(200)
    north().meddler.decide = () => 'nothing'
    expect(await ended(pending.body.id)).toMatchObject({
      state: 'rolled-back',
      trouble: expect.stringMatching(/Oskar Lindley had it go back/) as string,
    })
    expect([await limitOf(north()), await limitOf(south())]).toEqual([80, 80])
  })

  it('issues many keys of one placement at once, each one for good', async () => {
    const names = Array.from({ length: 8 }, (_, n) => `Client ${n + 10}`)
    const made = await Promise.all(
      names.map((name) =>
        oskar.call<{ secret: string }>('POST', `/placements/${id}/keys`, { name }),
      ),
    )
    expect(made.map(({ status }) => status)).toEqual(names.map(() => 201))
    expect((await now()).keys).toEqual(names)
    for (const site of [north(), south()]) {
      for (const name of names) expect(await running(site)).toContain(`name: ${name}`)
    }
    const entries = await world.db.select().from(ledger)
    const issued = entries.filter(({ action }) => action === 'key.issued')
    expect(issued).toHaveLength(8)
    expect(JSON.stringify(issued)).not.toMatch(/[0-9a-f]{64}.*sha256|sha256/)
  })

  it('takes a key that no gateway took back again', async () => {
    south().meddler.decide = (method) => (method === 'PUT' ? 'refuse' : 'nothing')
    const refused = await oskar.call('POST', `/placements/${id}/keys`, { name: 'Nobody' })
    expect(refused.status).toBe(422)
    expect((await now()).keys).not.toContain('Nobody')
    expect(await running(north())).not.toContain('Nobody')
  })

  it('lets everything else answer while a gateway is slow', async () => {
    for (const { meddler } of world.sites) meddler.delayMs = 700
    const slow = change(83)
    const times: number[] = []
    for (let n = 0; n < 30; n++) {
      const begun = performance.now()
      await imara.call('PATCH', '/apis/supply-interruptions', { labels: [`round ${n}`] })
      await tomas.call('GET', '/placements')
      times.push(performance.now() - begun)
    }
    times.sort((a, b) => a - b)
    expect(times[Math.floor(times.length * 0.9)]).toBeLessThan(600)
    expect((await slow).status).toBe(200)
  })
})

describe('a process that dies', () => {
  const act = (requests: number, dies: { at: number; when: 'before' | 'after' }) =>
    changeDying(world, id, (spec) => withRate(spec, requests), dies, everythingIsKnown)

  /** No gateway runs a limit that is neither approved nor wanted by a rollout that has not ended. */
  const everythingIsKnown = async () => {
    const [row] = await world.db.select().from(placements).where(eq(placements.id, id))
    const open = await world.db.select().from(rollouts).where(isNull(rollouts.endedAt))
    const known = [
      rateOf(row!.spec),
      ...open.flatMap(({ change: wanted }) =>
        wanted.kind === 'place' ? wanted.wanted.map(({ spec }) => rateOf(spec)) : [],
      ),
    ]
    for (const site of [north(), south()]) expect(known).toContain(await limitOf(site))
  }

  /** Dies at every so many statements, before or after them. */
  const everyPoint = async (
    from: number,
    steps: { before: number; after: number },
    check: (requests: number, refused: boolean, generation: number) => Promise<void>,
  ) => {
    let points = 0
    for (const when of ['before', 'after'] as const) {
      // After a statement is before the next one, but for what the network does between them.
      for (let at = 0; ; at += steps[when]) {
        const requests = from + points++
        const { generation } = await now()
        const { died, refused } = await act(requests, { at, when })
        await everythingIsKnown()
        await check(requests, refused, generation)
        if (!died) break
      }
    }
    const open = await world.db.select().from(rollouts).where(isNull(rollouts.endedAt))
    expect(open).toEqual([])
    expect((await verifyLedger(world.db)).brokenAt).toBeUndefined()
    return points
  }

  it('between any two statements leaves a rollout that another one finishes, once', async () => {
    const points = await everyPoint(
      1000,
      { before: 6, after: 13 },
      async (requests, refused, generation) => {
        expect(refused).toBe(false)
        expect(await now()).toMatchObject({
          generation: generation + 1,
          mark: 'in-step',
          spec: { policies: { rate: { requests } } },
        })
        expect([await limitOf(north()), await limitOf(south())]).toEqual([requests, requests])
        const entries = await world.db
          .select()
          .from(ledger)
          .where(eq(ledger.action, 'placement.changed'))
        const mine = entries.filter(({ after }) =>
          JSON.stringify(after).includes(`"requests":${requests}}`),
        )
        expect(mine).toHaveLength(1)
      },
    )
    expect(points).toBeGreaterThan(14)
  }, 180_000)

  it('and one that goes back is put back by another one, wholly', async () => {
    const { spec } = await now()
    const approved = rateOf(spec)!
    south().meddler.decide = (method) => (method === 'PUT' ? 'refuse' : 'nothing')
    const points = await everyPoint(
      3000,
      { before: 7, after: 15 },
      async (_, refused, generation) => {
        expect(refused).toBe(true)
        expect(await now()).toMatchObject({
          generation,
          spec: { policies: { rate: { requests: approved } } },
        })
        expect([await limitOf(north()), await limitOf(south())]).toEqual([approved, approved])
      },
    )
    expect(points).toBeGreaterThan(14)
  }, 180_000)
})

describe('beyond the first stage', () => {
  let asked: PromotionDetail
  const live = 'supply-interruptions-rehearsal-1'
  const read = async (request: number) =>
    (await tomas.call<PromotionDetail>('GET', `/promotions/${request}`)).body.digest!
  const approve = async (visitor: Visitor, request: number, digest?: string) =>
    visitor.call<PromotionDetail & { detail: string }>('POST', `/promotions/${request}/approvals`, {
      note: 'Read',
      digest: digest ?? (await read(request)),
    })
  const carryOut = (request: number) =>
    oskar.call<PromotionDetail & { detail: string }>('POST', `/promotions/${request}/promote`)
  const gate = ({ gates }: PromotionDetail) => gates.find(({ id: name }) => name === 'approval')!
  const ask = (kind: string, more: object = {}, generation = 1) =>
    tomas.call<PromotionDetail & { detail: string }>(
      'POST',
      `/placements/${live}/requests`,
      { kind, note: 'Please', ...more },
      { 'if-match': placementEtag({ generation }) },
    )

  it('an approval is given to a plan, and void once anything of it changes', async () => {
    asked = (
      await tomas.call<PromotionDetail>('POST', '/promotions', {
        api: 'supply-interruptions',
        version: '2.4.0',
        from: 'Trial',
        note: '',
      })
    ).body
    expect(gate((await approve(ruth, asked.id)).body).state).toBe('passed')
    expect((await approve(ruth, asked.id)).body.detail).toMatch(/approved this already/)
    const before = await read(asked.id)
    // What was approved is swapped for something else before it is carried out.
    await change(5000)
    const { body } = await tomas.call<PromotionDetail>('GET', `/promotions/${asked.id}`)
    expect(gate(body)).toMatchObject({
      state: 'waiting',
      text: 'The approval by Ruth Amadi is void: the placement it starts from has changed since',
    })
    expect((await carryOut(asked.id)).body.detail).toMatch(/is void/)
    // Who read the plan before it was swapped does not approve what it has become.
    expect((await approve(ruth, asked.id, before)).status).toBe(412)
    expect((await approve(ruth, asked.id)).status).toBe(201)
    expect((await carryOut(asked.id)).body).toMatchObject({ state: 'done' })
    expect(await now(live)).toMatchObject({ stage: 'Rehearsal', generation: 1, mark: 'in-step' })
  })

  it('nothing changes directly, for nobody', async () => {
    const { spec } = await now(live)
    for (const visitor of [tomas, oskar, imara]) {
      const put = await visitor.call<{ detail: string }>('PUT', `/placements/${live}`, spec, {
        'if-match': placementEtag({ generation: 1 }),
      })
      expect(put).toMatchObject({
        status: 409,
        body: { detail: expect.stringMatching(/Rehearsal is changed by review only/) as string },
      })
      expect((await visitor.call('DELETE', `/placements/${live}`)).status).toBe(409)
    }
    for (const act of ['put-back', 'keep'])
      expect((await oskar.call('POST', `/placements/${live}/${act}`)).status).toBe(409)
  })

  it('a change is asked for with its plan, approved by somebody else, and carried out', async () => {
    const { spec } = await now(live)
    const wanted = withRate(spec, 90)
    const request = await ask('change', { spec: wanted })
    expect(request).toMatchObject({
      status: 201,
      body: { kind: 'change', placement: live, plan: [{ changes: [{ what: 'rate limit' }] }] },
    })
    expect((await ask('removal')).body.detail).toMatch(/is waiting already/)
    expect((await approve(tomas, request.body.id)).status).toBe(403)
    expect((await carryOut(request.body.id)).status).toBe(409)
    await approve(ruth, request.body.id)
    expect((await carryOut(request.body.id)).body.state).toBe('done')
    expect((await carryOut(request.body.id)).status).toBe(409)
    expect(await now(live)).toMatchObject({
      generation: 2,
      spec: { policies: { rate: { requests: 90 } } },
    })
  })

  it('governance goes past an approval in an emergency, which a second person confirms', async () => {
    const request = await ask('removal', {}, 2)
    const override = async (visitor: Visitor, reason: string) =>
      visitor.call<PromotionDetail>('POST', `/promotions/${request.body.id}/override`, {
        reason,
        digest: await read(request.body.id),
      })
    expect((await override(oskar, 'The backend burns down')).status).toBe(403)
    expect((await override(imara, 'now')).status).toBe(422)
    expect((await override(imara, 'The backend burns down')).body.gates[0]!.text).toMatch(
      /Imara Holt went past it in an emergency: The backend burns down/,
    )
    expect((await carryOut(request.body.id)).body).toMatchObject({
      state: 'done',
      unconfirmed: true,
    })
    expect((await tomas.call('GET', `/placements/${live}`)).status).toBe(404)
    expect(await running(south())).not.toContain(live)
    const confirm = (visitor: Visitor) =>
      visitor.call<PromotionDetail>('POST', `/promotions/${request.body.id}/confirm`)
    expect((await confirm(imara)).status).toBe(409)
    expect((await confirm(ruth)).body).toMatchObject({ unconfirmed: false })
    expect((await confirm(ruth)).status).toBe(409)
  })
})

describe('readings side by side', () => {
  const troubleOf = async (name: string) =>
    (
      await oskar.call<{ items: { name: string; trouble: string }[] }>('GET', '/gateways')
    ).body.items.find((gateway) => gateway.name === name)!.trouble

  it('one that began earlier and ends later does not take back what is known since', async () => {
    const begun = new Date(Date.now() - 1000)
    north().meddler.decide = () => 'lose the request'
    expect((await oskar.call('POST', '/gateways/north-edge/read')).status).toBe(502)
    const trouble = await troubleOf('north-edge')
    expect(trouble).not.toBe('')
    north().meddler.decide = () => 'nothing'
    await checkGateway({ ...world.services, now: () => begun }, 'north-edge')
    expect(await troubleOf('north-edge')).toBe(trouble)
    await checkGateway(world.services, 'north-edge')
    expect(await troubleOf('north-edge')).toBe('')
  })
})
