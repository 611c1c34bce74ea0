import { createHash } from 'node:crypto'
import { request } from 'undici'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { adoptRunning } from '../core/drift/adopt'
import { compareRoutes } from '../core/drift/compare'
import { compilePlacement } from '../core/runtime/compile'
import { complaintsOf, type PlacementSpec } from '../core/runtime/placement'
import type { PolicySet } from '../core/runtime/policies'
import { routesOf } from '../core/runtime/read'
import { placed, recorder, testGateway, type TestGateway } from '../tests/support/gateway'

let gateway: TestGateway
let main: Awaited<ReturnType<typeof recorder>>
let next: Awaited<ReturnType<typeof recorder>>
const names = Array.from({ length: 60 }, (_, n) => `client-${n}`)
const sha256 = (text: string) => createHash('sha256').update(text).digest('hex')

beforeAll(async () => {
  main = await recorder()
  next = await recorder()
  gateway = await testGateway()
})
afterAll(() => Promise.all([gateway.close(), main.close(), next.close()]))

const open: PolicySet = { authentication: { kind: 'none', reason: 'a test' } }
const withKeys: PolicySet = {
  authentication: {
    kind: 'credentials',
    anyOf: [{ allOf: [{ kind: 'api-key', in: 'header', name: 'X-Key' }] }],
  },
}
type Share = NonNullable<Exclude<PolicySet['share'], { off: string }>>

function specFor(share: Partial<Share>, policies = open): PlacementSpec {
  const spec = placed(main.url, ['GET /things'], {
    policies: { ...policies, share: { backend: 'next', percent: 0, clients: [], ...share } },
  })
  return { ...spec, backends: [...spec.backends, { name: 'next', url: next.url, timeoutMs: 1000 }] }
}
const serve = (share: Partial<Share>, policies = open) =>
  gateway.place(specFor(share, policies), {
    keys: names.map((name) => ({ name, sha256: sha256(name) })),
  })
async function side(headers: Record<string, string> = {}) {
  main.seen.length = next.seen.length = 0
  const answer = await request(`http://127.0.0.1:${gateway.dataPort}/v1/things`, {
    headers: { host: 'a.example', ...headers },
  })
  await answer.body.dump()
  return main.seen.length === 1 ? 'main' : next.seen.length === 1 ? 'next' : answer.statusCode
}

describe('a share of the traffic', () => {
  it('goes elsewhere by what a header says, to the letter', async () => {
    await serve({ header: { name: 'X-Preview', value: 'on' } })
    expect(await side({ 'x-preview': 'on' })).toBe('next')
    expect(await side({ 'x-preview': 'ON' })).toBe('main')
    expect(await side()).toBe('main')
  })

  it('goes elsewhere by client, whoever else says so', async () => {
    await serve({ clients: ['client-3'] }, withKeys)
    expect(await side({ 'x-key': 'client-3' })).toBe('next')
    expect(await side({ 'x-key': 'client-4' })).toBe('main')
    expect(await side({ 'x-key': 'stranger' })).toBe(401)
  })

  it('is about as large as it says, and a client stays at its side', async () => {
    await serve({ percent: 50 }, withKeys)
    const first = []
    for (const name of names) first.push(await side({ 'x-key': name }))
    const second = []
    for (const name of names) second.push(await side({ 'x-key': name }))
    expect(second).toEqual(first)
    const there = first.filter((one) => one === 'next').length
    expect(there).toBeGreaterThan(15)
    expect(there).toBeLessThan(45)
  })

  it('is nothing at 0 % and everything at 100 %', async () => {
    await serve({ percent: 100 })
    for (let n = 0; n < 20; n++) expect(await side()).toBe('next')
    await serve({ percent: 0 })
    for (let n = 0; n < 20; n++) expect(await side()).toBe('main')
  })

  it('needs a backend of the placement', () => {
    expect(complaintsOf(specFor({}))).toEqual([])
    expect(complaintsOf(specFor({ backend: 'other' }))).toMatchObject([
      { field: 'policies.share', message: expect.stringMatching(/not a backend here/) as string },
    ])
  })

  it('sent somewhere else by hand is a difference, and can be kept', () => {
    const facts = { name: 'p', gateway: 'g', version: '1', revision: 1, keys: [], mocks: new Map() }
    const routes = (spec: PlacementSpec) => routesOf(compilePlacement(spec, facts))
    const approved = specFor({ percent: 10 })
    const moved = {
      ...approved,
      backends: approved.backends.map((backend) =>
        backend.name === 'next' ? { ...backend, url: 'http://127.0.0.1:9' } : backend,
      ),
    }
    expect(compareRoutes(routes(approved), routes(moved))).toMatchObject([
      { what: 'address of the share', ledger: next.url, gateway: 'http://127.0.0.1:9' },
    ])
    const kept = adoptRunning(approved, routes(moved), 'g')
    expect(compareRoutes(routes(kept), routes(moved))).toEqual([])
  })
})
