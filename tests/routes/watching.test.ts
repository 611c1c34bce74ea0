import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { checkAllGateways } from '../../server/services/gateways'
import { adminHeaders, makeWorld, type World } from '../support/world'

let world: World
beforeAll(async () => {
  world = await makeWorld()
})
afterAll(() => world.close())

const get = (path: string, headers: Record<string, string> = {}) =>
  fetch(`${world.base}${path}`, { headers })
const text = async (path: string, headers?: Record<string, string>) =>
  (await get(path, headers)).text()

describe('whoever watches the installation', () => {
  it('hears that the process is there, and whether it can serve', async () => {
    expect(await (await get('/health')).json()).toEqual({ status: 'up' })
    const ready = await get('/ready')
    expect([ready.status, await ready.json()]).toEqual([200, { status: 'ready' }])
    await world.owner.execute('alter table settings rename to hidden')
    const lost = await get('/ready')
    await world.owner.execute('alter table hidden rename to settings')
    expect(lost.status).toBe(503)
    expect(await lost.json()).toMatchObject({ status: 'not ready' })
    expect((await get('/ready')).status).toBe(200)
  })

  it('reads figures of the product, by operation and from the store', async () => {
    const wren = await world.visitor('wren')
    await wren.api.listApis({})
    await wren.call('GET', '/apis/not-there')
    await checkAllGateways(world.services)
    const figures = await text('/metrics')
    expect(figures).toMatch(
      /elm_http_request_duration_seconds_count\{operation="listApis",status="2xx"\} [1-9]/,
    )
    expect(figures).toMatch(/_count\{operation="getApi",status="4xx"\} 1\n/)
    expect(figures).toMatch(/^elm_rollouts_unfinished 0$/m)
    expect(figures).toMatch(/^elm_gateway_reading_age_seconds\{gateway="north-edge"\} [\d.]+$/m)
    expect(figures).not.toMatch(/not-there/)
  })

  it('gets them on the machine itself, or with the token that was set', async () => {
    expect((await get('/metrics', { 'x-forwarded-for': '203.0.113.7' })).status).toBe(401)
    expect((await get('/guarded-metrics')).status).toBe(401)
    expect((await get('/guarded-metrics', { authorization: 'Bearer another' })).status).toBe(401)
    const given = { authorization: 'Bearer a-token', 'x-forwarded-for': '203.0.113.7' }
    expect((await get('/guarded-metrics', given)).status).toBe(200)
  })

  it('reads figures of a gateway with its secret, and of the simulated services', async () => {
    await fetch(`${world.dataUrl}/nothing-here`)
    await fetch(`${world.standins}/trial/supply/areas`)
    const admin = `${world.adminUrl}/metrics`
    expect((await fetch(admin)).status).toBe(401)
    expect((await fetch(admin, { headers: { authorization: 'Bearer wrong' } })).status).toBe(401)
    const asked = {
      headers: { authorization: `Bearer ${adminHeaders(world.adminUrl)['x-admin-secret']}` },
    }
    await expect
      .poll(async () => (await fetch(admin, asked)).text())
      .toMatch(/gateway_requests_total\{status="404",step="listen"\} 1\n/)
    expect(await (await fetch(`${world.standins}/metrics`)).text()).toMatch(
      /standin_replies_total\{service="\/trial\/supply",status="200"\} 1\n/,
    )
  })
})
