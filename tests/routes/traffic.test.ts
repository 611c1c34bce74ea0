import http from 'node:http'
import { rmSync } from 'node:fs'
import { eq } from 'drizzle-orm'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { grains } from '../../core/traffic/counts'
import { apis, eventCursors, operationCalls, traffic, trafficSeries } from '../../server/db/schema'
import { trafficPeriods } from '../../shared/words'
import { removeOld } from '../../server/services/retention'
import { countBatch, countEvents, countTraffic } from '../../server/services/traffic-intake'
import { rollUp } from '../../server/services/traffic-rolling'
import { listen } from '../support/gateway'
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
let tomas: Visitor, wren: Visitor
let placement: string
let host: string, basePath: string
const api = 'supply-interruptions'

beforeAll(async () => {
  world = await makeWorld({ gateways: { 'north-edge': 'edge', 'south-edge': 'edge' } })
  ;[tomas, wren] = (await Promise.all(['tomas', 'wren'].map((name) => world.visitor(name)))) as [
    Visitor,
    Visitor,
  ]
  await bringIn(tomas, definition('supply-interruptions/2.4.0.yaml'))
  const draft = await tomas.api.getPlacementDraft({ api })
  const routes = draft.spec.routes.map((row, index) => ({
    ...row,
    treatment:
      index === 1
        ? { kind: 'withheld' as const, reason: 'Not for now' }
        : { kind: 'route' as const, backend: 'main' },
  }))
  const policies = { authentication: { kind: 'none' as const, reason: 'Open while it is tried' } }
  const { rate: _, ...spec } = { ...draft.spec, routes, policies, rate: 0 }
  const placed = await tomas.api.createPlacement(
    {},
    { api, version: '2.4.0', group: draft.group, spec },
  )
  placement = String(placed.id)
  ;({ host, basePath } = await tomas.api.getPlacement({ placement }))
})
afterAll(() => world.close())

/** Calls a gateway as clients do, one connection for each, and waits until it has noted them. */
async function call(path: string, { site = 0, method = 'GET', times = 1 } = {}): Promise<void> {
  const { hostname, port } = new URL(world.sites[site]!.dataUrl)
  for (let n = 0; n < times; n++)
    await new Promise<void>((resolve, reject) => {
      const request = http.request(
        { host: hostname, port, path, method, headers: { host }, agent: false },
        (response) => {
          response.resume()
          response.on('close', () => resolve())
        },
      )
      request.on('error', reject)
      request.end()
    })
}
const count = () => countTraffic(world.services)
/** Counts until there are so many more. */
async function counted(act: () => Promise<void>, more: number) {
  const before = (await wren.api.getTraffic({})).total.calls
  await act()
  await expect
    .poll(async () => {
      await count()
      return (await wren.api.getTraffic({})).total.calls
    })
    .toBe(before + more)
}
const first = () => withoutParameters()[0]!
let routesOf: { method: string; path: string; withheld: boolean }[] = []
const withoutParameters = () =>
  routesOf.filter(
    ({ method, path, withheld }) => method === 'GET' && !path.includes('{') && !withheld,
  )

describe('traffic', () => {
  beforeAll(async () => {
    const { spec } = await tomas.api.getPlacement({ placement })
    routesOf = spec.routes.map(({ method, path, treatment }) => ({
      method,
      path,
      withheld: treatment.kind === 'withheld',
    }))
  })

  it('is nothing where nothing was called', async () => {
    const page = await wren.api.getTraffic({ api })
    expect(page.total).toMatchObject({ calls: 0, refused: 0, failed: 0 })
    expect(page.total.p95).toBeUndefined()
    expect(page.points).toHaveLength(24)
    expect(page.before).toBeUndefined()
    expect(page.items).toEqual([])
  })

  it('counts what every gateway answered, by whatever it is told apart', async () => {
    const path = basePath + first().path
    await counted(async () => {
      await call(path, { times: 3 })
      await call(path, { site: 1, times: 2 })
    }, 5)
    const whole = await wren.api.getTraffic({})
    expect(whole.total.bytesOut).toBeGreaterThan(500)
    expect(whole.total.p50).toBeLessThanOrEqual(whole.total.p95!)
    expect(whole.total.p95).toBeLessThanOrEqual(whole.total.p99!)
    expect(whole.points.reduce((sum, { calls }) => sum + calls, 0)).toBe(5)
    expect(whole.items).toMatchObject([{ key: api, calls: 5 }])
    const by = async (dimension: 'gateway' | 'placement' | 'stage' | 'status' | 'client') =>
      (await wren.api.getTraffic({ by: dimension, api })).items.map(({ key, calls }) => [
        key,
        calls,
      ])
    expect(await by('gateway')).toEqual([
      ['north-edge', 3],
      ['south-edge', 2],
    ])
    expect(await by('placement')).toEqual([[placement, 5]])
    expect(await by('stage')).toEqual([['Trial', 5]])
    expect(await by('status')).toEqual([['200', 5]])
    expect(await by('client')).toEqual([['', 5]])
    for (const period of ['1h', '24h', '7d', '30d', '90d'] as const) {
      const page = await wren.api.getTraffic({
        period,
        api,
        by: 'operation',
        gateway: 'south-edge',
      })
      expect(page.total.calls).toBe(2)
      expect(page.items[0]!.line.reduce((sum, calls) => sum + calls, 0)).toBe(2)
    }
    const nobody = [{ team: 'Metering' }, { api: 'none' }, { stage: 'Live' }, { client: 'Nobody' }]
    for (const query of nobody) expect((await wren.api.getTraffic(query)).total.calls).toBe(0)
    expect((await wren.api.getTraffic({ team: 'Network Control' })).total.calls).toBe(5)
  })

  it('says of every operation how it stands in the ledger', async () => {
    const withheld = routesOf.find((row) => row.withheld)!
    await counted(async () => {
      await call(basePath + withheld.path.replaceAll(/\{\w+\}/g, '1'), { method: withheld.method })
      await call(`${basePath}/reports/4711/lines`)
      await call('/of/nobody')
    }, 3)
    const { items } = await wren.api.getTraffic({ api, by: 'operation' })
    const standing = (name: string) => items.find(({ key }) => key === name)?.standing
    expect(standing(`GET ${first().path}`)).toBe('approved')
    expect(standing(`${withheld.method} ${withheld.path}`)).toBe('withheld')
    expect(standing('GET /reports/*/lines')).toBe('unknown')
    const idle = items.filter((item) => item.standing === 'idle')
    expect(idle).toHaveLength(routesOf.filter((row) => !row.withheld).length - 1)
    expect(idle.every(({ calls }) => calls === 0)).toBe(true)
    const nobodys = (await wren.api.getTraffic({ by: 'placement' })).items.find(
      ({ key }) => key === '',
    )
    expect(nobodys).toMatchObject({ calls: 1, refused: 1 })
    const { items: steps } = await wren.api.getTraffic({ by: 'step' })
    expect(steps.find(({ key }) => key === 'match')).toMatchObject({ calls: 3, refused: 3 })
    expect((await wren.api.getTraffic({ ended: 'match' })).total.calls).toBe(3)
    const { items: statuses } = await wren.api.getTraffic({ by: 'status' })
    for (const { key, calls } of statuses)
      expect((await wren.api.getTraffic({ ended: key })).total.calls).toBe(calls)
  })

  it('names what was done meanwhile', async () => {
    const { acts } = await wren.api.getTraffic({ api })
    expect(acts.map(({ subject }) => subject)).toContain(placement)
  })

  it('is counted once by two workers, and by one that dies at any statement', async () => {
    const path = basePath + first().path
    await counted(async () => {
      await call(path, { times: 4 })
      await Promise.all([count(), count(), count()])
    }, 4)
    const { adminUrl, name } = world.sites[0]!
    const gateway = { name, adminUrl, group: 'edge' }
    let survived = false
    for (let at = 1; !survived; at++) {
      const { services, pool } = mortal(world.services, world.url, { at, when: 'after' })
      await counted(async () => {
        await call(path, { times: 2 })
        await countBatch(services, gateway).catch((error: unknown) => {
          if (!(error instanceof Killed) && !pool.dead) throw error
        })
        survived = !pool.dead
        if (survived) await pool.end()
      }, 2)
      expect(at).toBeLessThan(40)
    }
  })

  it('counts several batches at once where it has fallen behind, and none that was not asked for', async () => {
    const many = 10_000
    const asked: string[] = []
    const server = http.createServer((request, response) => {
      const { searchParams } = new URL(request.url!, 'http://gateway')
      asked.push(request.url!)
      const seen = Number(searchParams.get('seen') ?? 0)
      const events = Array.from({ length: seen < 2 * many ? many : 5 }, (_, n) => ({
        ...{
          seq: seen + n + 1,
          id: `behind-${seen + n}`,
          at: Date.now(),
          placement,
          version: '2.4.0',
        },
        ...{ operation: `GET ${first().path}`, client: 'Behind', status: 200, ms: 3 },
      }))
      response.end(JSON.stringify({ journal: 'behind', events }))
    })
    const port = await listen(server)
    const own = eq(eventCursors.gateway, 'south-edge')
    const [before] = await world.db.select().from(eventCursors).where(own)
    await world.db.delete(eventCursors).where(own)
    const gateway = { name: 'south-edge', group: 'edge', adminUrl: `http://127.0.0.1:${port}` }
    expect(await countBatch(world.services, gateway)).toBe(2 * many + 5)
    expect(asked).toEqual([
      '/events',
      `/events?journal=behind&seen=${many}`,
      `/events?journal=behind&seen=${2 * many}`,
    ])
    await rollUp(world.services)
    for (const period of ['1h', '30d'] as const) {
      const { total } = await wren.api.getTraffic({ api, client: 'Behind', period })
      expect(total.calls).toBe(2 * many + 5)
    }
    await world.db.update(eventCursors).set(before!).where(own)
    server.close()
  })

  it('goes on where it was when a gateway was away, and begins anew with a new journal', async () => {
    const path = basePath + first().path
    await world.sites[1]!.stop()
    await count()
    await world.sites[1]!.start()
    await counted(() => call(path, { site: 1, times: 2 }), 2)
    const [cursor] = await world.db
      .select()
      .from(eventCursors)
      .where(eq(eventCursors.gateway, 'south-edge'))
    await world.sites[1]!.stop()
    rmSync(`${world.directory}/south-edge.events`, { recursive: true })
    await world.sites[1]!.start()
    await counted(() => call(path, { site: 1, times: 1 }), 1)
    const [after] = await world.db
      .select()
      .from(eventCursors)
      .where(eq(eventCursors.gateway, 'south-edge'))
    expect(after!.journal).not.toBe(cursor!.journal)
    expect(after).toMatchObject({ seq: 1, lost: 0 })
  })

  it('is not made without end by paths that strangers make up', async () => {
    const { spec } = await tomas.api.getPlacement({ placement })
    expect(spec.routes.length).toBeGreaterThan(1)
    await counted(async () => {
      for (let n = 0; n < 70; n++)
        await call(`${basePath}/${'a'.repeat(1 + (n % 20))}/${'b'.repeat(1 + Math.floor(n / 20))}`)
    }, 70)
    const { items } = await wren.api.getTraffic({ api, by: 'operation', limit: 1000 })
    expect(items.find(({ key }) => key === 'others')?.calls).toBeGreaterThanOrEqual(20)
  })

  it('has what came late in its own hour and day, and no minute that would be removed at once', async () => {
    const at = Date.now() - 10 * 86_400_000
    const late = {
      ...{ seq: 1, id: 'late', at, placement, version: '2.4.0', host: '', client: 'Alder Homes' },
      address: '',
      ...{ operation: `GET ${first().path}`, status: 503, step: '' as const, policy: '', ms: 40 },
      ...{ bytesIn: 1, bytesOut: 2, requestType: '', responseType: '', query: [], members: [] },
      breaks: 'response' as const,
    }
    const site = { name: 'south-edge', group: 'edge' }
    const batch = { journal: 'of another time', events: [late, { ...late, seq: 4 }], upTo: 4 }
    expect(await countEvents(world.services, site, undefined, batch)).toBe(4)
    // Who asked before somebody else went on counts nothing.
    expect(await countEvents(world.services, site, undefined, batch)).toBe(0)
    await Promise.all([rollUp(world.services), rollUp(world.services)])
    const page = await wren.api.getTraffic({ api, client: 'Alder Homes', period: '30d' })
    expect(page.total).toMatchObject({ calls: 2, failed: 2, broken: 2 })
    expect(page.lost).toBe(2)
    // What was before is told once it was counted from its beginning.
    expect((await wren.api.getTraffic({ api, period: '30d' })).before).toBeUndefined()
    expect((await wren.api.getTraffic({ api, period: '24h' })).before).toMatchObject({ calls: 0 })
    expect((await wren.api.getTraffic({ client: 'Alder Homes', period: '24h' })).total.calls).toBe(
      0,
    )
    const minutes = await world.db
      .select()
      .from(traffic)
      .where(eq(traffic.span, new Date(at - (at % 3_600_000))))
    expect(minutes.filter(({ resolution }) => resolution === 'minute')).toEqual([])
    await world.db.delete(eventCursors).where(eq(eventCursors.gateway, 'south-edge'))
  })

  it('has its days when whoever counted it died before they were made', async () => {
    await count()
    const own = eq(eventCursors.gateway, 'south-edge')
    const kept = await world.db.select().from(eventCursors).where(own)
    await world.db.delete(eventCursors).where(own)
    const event = {
      ...{ seq: 1, id: 'died', at: Date.now(), placement, version: '2.4.0', host: '' },
      ...{ client: 'Orphan', address: '', operation: `GET ${first().path}`, status: 200 },
      ...{ step: '' as const, policy: '', ms: 4, bytesIn: 1, bytesOut: 2, requestType: '' },
      ...{ responseType: '', query: [], members: [], breaks: '' as const },
    }
    const site = { name: 'south-edge', group: 'edge' }
    const batch = { journal: 'died', events: [event], upTo: 1 }
    expect(await countEvents(world.services, site, undefined, batch)).toBe(1)
    await world.db.delete(eventCursors).where(own)
    if (kept.length > 0) await world.db.insert(eventCursors).values(kept)
    const days = async () => (await wren.api.getTraffic({ client: 'Orphan', period: '30d' })).total
    expect((await days()).calls).toBe(0)
    await world.sites[1]!.stop()
    await count()
    expect((await days()).calls).toBe(1)
    await world.sites[1]!.start()
  })

  it('of a confidential API is told to nobody else', async () => {
    await world.db.update(apis).set({ confidential: true }).where(eq(apis.slug, api))
    const { items } = await wren.api.getTraffic({ by: 'api' })
    expect(items.map(({ key }) => key)).not.toContain(api)
    expect((await wren.api.getTraffic({ api, by: 'operation' })).items).toEqual([])
    expect((await wren.api.getTraffic({ placement, by: 'client' })).items).toEqual([])
    const { calls } = (await tomas.api.getTraffic({ api })).total
    expect(calls).toBeGreaterThan(0)
    // Nor by a client's calls of everything, which governance is told from counts of their own.
    const ofClients = async (visitor: Visitor) => {
      const { items } = await visitor.api.getTraffic({ by: 'client' })
      return items.reduce((sum, row) => sum + row.calls, 0)
    }
    const imara = await world.visitor('imara')
    expect(await ofClients(wren)).toBe((await ofClients(imara)) - calls)
    const [client] = (await imara.api.getTraffic({ by: 'client', api })).items
    const filter = { client: client!.key, by: 'status' as const }
    expect((await wren.api.getTraffic(filter)).total.calls).toBe(
      (await imara.api.getTraffic(filter)).total.calls - client!.calls,
    )
  })

  it('is refused where it is asked for wrongly', async () => {
    expect((await wren.call('GET', '/traffic?period=2w')).status).toBe(422)
    expect((await wren.call('GET', '/traffic?by=colour')).status).toBe(422)
    expect((await wren.call('GET', '/traffic?ended=4711')).status).toBe(422)
  })

  it('counts in every grain and resolution the same', async () => {
    const rows = await world.db
      .select({ resolution: traffic.resolution, grain: trafficSeries.grain, calls: traffic.calls })
      .from(traffic)
      .innerJoin(trafficSeries, eq(trafficSeries.id, traffic.series))
    const sums = new Map<string, number>()
    for (const { resolution, grain, calls } of rows) {
      const key = `${resolution} ${grain}`
      sums.set(key, (sums.get(key) ?? 0) + calls)
    }
    expect(sums.size).toBe(15)
    const of = (resolution: string) => grains.map((grain) => sums.get(`${resolution} ${grain}`)!)
    expect(new Set([...of('hour'), ...of('day')]).size).toBe(1)
    // The two that came late have no minute.
    expect(new Set(of('minute'))).toEqual(new Set([of('day')[0]! - 2]))
    const kept = await world.db.select().from(operationCalls)
    for (const resolution of ['hour', 'day'] as const) {
      const calls = kept.filter((row) => row.resolution === resolution)
      expect(calls.reduce((sum, row) => sum + row.calls, 0)).toBe(of(resolution)[0])
    }
  })

  it('ranks operations of everything as it does those of the only API', async () => {
    await tomas.api.updateApi({ api }, { confidential: false })
    for (const period of trafficPeriods) {
      const query = { by: 'operation' as const, period }
      const ranked = (await wren.api.getTraffic(query)).items.filter((row) => row.api === api)
      const { items } = await wren.api.getTraffic({ ...query, api })
      expect(ranked.length).toBeGreaterThan(0)
      const told = (rows: typeof items) =>
        rows.filter(({ calls }) => calls > 0).map(({ key, calls }) => `${calls} ${key}`)
      expect(told(ranked).sort()).toEqual(told(items).sort())
      const sums = ranked.map(({ calls }) => calls)
      expect(sums).toEqual(sums.toSorted((one, other) => other - one))
    }
    await tomas.api.updateApi({ api }, { confidential: true })
  })

  describe('single requests', () => {
    const percent = (requestPercent: number) =>
      world.owner.execute(
        `update settings set retention = retention || '{"requestPercent":${requestPercent}}'`,
      )
    beforeAll(async () => {
      await tomas.api.updateApi({ api }, { confidential: false })
      // What the tests before have called without counting it.
      await count()
    })
    const list = (query: object = {}) => wren.api.listRequests({ api, ...query })

    it('are kept with what they came to, and found by what they are told apart by', async () => {
      await percent(100)
      const path = basePath + first().path
      await counted(() => call(`${path}?limit=4&secret=4711`, { times: 2 }), 2)
      const [one, two] = (await list({ operation: `GET ${first().path}` })).items
      expect(one).toMatchObject({
        ...{ api, placement, version: '2.4.0', stage: 'Trial', gateway: 'north-edge' },
        ...{ status: 200, step: '', query: ['limit', 'secret'], responseType: 'application/json' },
        address: '127.0.0.0/24',
      })
      expect(JSON.stringify(one)).not.toContain('4711')
      expect(one!.request).not.toBe(two!.request)
      expect((await list({ ended: '429' })).items.every(({ status }) => status === 429)).toBe(true)
      expect((await list({ version: '9.9.9' })).items).toEqual([])
      expect(
        (await list({ gateway: 'south-edge', operation: one!.operation })).items,
      ).not.toContainEqual(one)
    })

    it('are read one by one with their whole way, by those who may send requests', async () => {
      const [one] = (await list()).items
      const whole = await tomas.api.getRequest({ request: one!.request })
      expect(whole).toMatchObject({ request: one!.request, trouble: '', isLogged: false })
      expect(whole.steps.map(({ name }) => name)).toContain('match')
      const reader = await wren.api.getRequest({ request: one!.request })
      expect(reader).toMatchObject({
        steps: [],
        trouble: expect.stringMatching(/may send requests/) as string,
      })
      await world.sites[0]!.stop()
      expect(await tomas.api.getRequest({ request: one!.request })).toMatchObject({
        steps: [],
        trouble: expect.stringMatching(/refuses connections/) as string,
      })
      await world.sites[0]!.start()
      expect((await tomas.call('GET', '/requests/not-there')).status).toBe(404)
      expect((await tomas.call('GET', '/requests/..%2Fconfiguration')).status).toBe(404)
    })

    it('are kept where they failed, and a share of the others; the rest is in the log for a while', async () => {
      await percent(0)
      const path = basePath + first().path
      const before = (await list()).items.length
      await counted(() => call(path, { times: 3 }), 3)
      expect((await list()).items).toHaveLength(before)
      const gone = (await list({ ended: 'match' })).items.length
      await counted(() => call(`${basePath}/not-there`, { times: 2 }), 2)
      expect((await list({ ended: 'match' })).items).toHaveLength(gone + 2)
      const log = (await (
        await fetch(`${world.adminUrl}/log?limit=10`, {
          headers: adminHeaders(world.adminUrl),
        })
      ).json()) as { id: string; status: number }[]
      const served = log.findLast(({ status }) => status === 200)!
      expect(await tomas.api.getRequest({ request: served.id })).toMatchObject({
        ...{ isLogged: true, status: 200, placement },
      })
      expect((await wren.call('GET', `/requests/${served.id}`)).status).toBe(404)
    })

    it('go with their day, and what is asked for a long time ago has no room', async () => {
      const partitions = async () =>
        (
          await world.owner.execute<{ name: string }>(
            `select c.relname as name from pg_inherits i join pg_class c on c.oid = i.inhrelid where i.inhparent = 'requests'::regclass`,
          )
        ).rows.map(({ name }) => name)
      expect((await partitions()).length).toBeGreaterThan(0)
      await removeOld(world.services)
      const today = new Date().toISOString().slice(0, 10).replaceAll('-', '')
      expect(await partitions()).toContain(`requests_${today}`)
      await world.db.execute(`select drop_requests_before(current_date + 3)`)
      expect(await partitions()).toEqual([])
      await world.db.execute(`select keep_requests_of(current_date - 500)`)
      expect(await partitions()).toEqual([])
    })
  })

  it('are given out as comma-separated values, in which no name is a formula', async () => {
    const answer = await wren.call<string>('GET', `/traffic/export?by=operation&api=${api}`)
    expect(answer.headers.get('content-type')).toMatch(/^text\/csv/)
    const [names, ...rows] = answer.body.trim().split('\r\n')
    expect(names).toMatch(/^key,api,calls,refused/)
    expect(rows.length).toBeGreaterThan(3)
    expect(rows.some((row) => row.startsWith('GET /'))).toBe(true)
  })

  it('are told apart by version, and looked at for one of them', async () => {
    const { items } = await wren.api.getTraffic({ by: 'version' })
    expect(items).toContainEqual(expect.objectContaining({ key: '2.4.0', api }))
    const own = await wren.api.getTraffic({ api: `${api}@2.4.0` })
    expect(own.total.calls).toBeGreaterThan(0)
    expect((await wren.api.getTraffic({ api: `${api}@9.9.9` })).total.calls).toBe(0)
  })

  it('goes on past a batch of which nothing can be read', async () => {
    const site = { name: 'south-edge', group: 'edge' }
    const [cursor] = await world.db
      .select()
      .from(eventCursors)
      .where(eq(eventCursors.gateway, 'south-edge'))
    const upTo = cursor!.seq + 7
    const batch = { journal: cursor!.journal, events: [], upTo }
    expect(await countEvents(world.services, site, cursor, batch)).toBe(7)
    expect(await wren.api.getTraffic({})).toMatchObject({ lost: expect.any(Number) as number })
  })
})
