import { describe, expect, it } from 'vitest'
import { toCluster } from '../runtime/cluster/write'
import { compilePlacement } from '../runtime/compile'
import { ConfigurationError } from '../runtime/config-values'
import type { PlacementSpec } from '../runtime/placement'
import { writeResources } from '../runtime/resources'
import { compareFiles } from './files'

const spec: PlacementSpec = {
  host: 'inner.example',
  basePath: '/levels/v1',
  prefix: { kind: 'keep' },
  backends: [
    { name: 'main', url: 'http://levels.water.svc:8080', timeoutMs: 4000 },
    { name: 'archive', url: 'http://archive.water.svc:8080', timeoutMs: 4000 },
  ],
  routes: [
    { method: 'GET', path: '/levels', treatment: { kind: 'route', backend: 'main' } },
    { method: 'GET', path: '/levels/{id}', treatment: { kind: 'route', backend: 'main' } },
    { method: 'POST', path: '/levels', treatment: { kind: 'withheld', reason: 'Inside only' } },
  ],
  policies: {
    authentication: { kind: 'none', reason: 'Open data' },
    rate: { requests: 60, seconds: 60, per: 'client' },
  },
}
const compiled = (changed: Partial<PlacementSpec> = {}, name = 'levels-live-1') =>
  compilePlacement(
    { ...spec, ...changed },
    { name, gateway: 'plant', version: '1.2.0', revision: 3, keys: [], mocks: new Map() },
  )
const own = (changed?: Partial<PlacementSpec>) => writeResources(compiled(changed))
const cluster = (changed: Partial<PlacementSpec> = {}) =>
  writeResources(toCluster(compiled({ ...changed, policies: { ...plain, ...changed.policies } })))
const plain: PlacementSpec['policies'] = { authentication: { kind: 'none', reason: 'Open data' } }
const slower: Partial<PlacementSpec> = {
  policies: { ...spec.policies, rate: { requests: 600, seconds: 60, per: 'client' } },
}
const elsewhere: Partial<PlacementSpec> = {
  routes: spec.routes.map((row) =>
    row.path === '/levels/{id}'
      ? { ...row, treatment: { kind: 'route' as const, backend: 'archive' } }
      : row,
  ),
}
const opened: Partial<PlacementSpec> = {
  routes: spec.routes.map((row) => ({ ...row, treatment: { kind: 'route', backend: 'main' } })),
}

describe('files compared for drift', () => {
  it.each([
    ['own and own', own(), own()],
    ['cluster and cluster', cluster(), cluster()],
    ['own and cluster', own({ policies: plain }), cluster()],
    ['cluster and own', cluster(), own({ policies: plain })],
  ])('that say the same differ in nothing: %s', (_, intent, running) => {
    expect(compareFiles(intent, running).differences).toEqual([])
  })

  it('tell what of a policy differs, once for all operations', () => {
    expect(compareFiles(own(), own(slower)).differences).toEqual([
      {
        where: 'levels-live-1, every operation',
        what: 'rate limit',
        intended: '60 / minute',
        running: '600 / minute',
        cause: 'Somebody changed it on the gateway',
      },
    ])
  })

  it.each([
    ['own', own(), own(elsewhere), own(opened)],
    ['cluster', cluster(), cluster(elsewhere), cluster(opened)],
  ])('tell routes that lead elsewhere, are missing or were added: %s', (_, intent, moved, more) => {
    const [one] = compareFiles(intent, moved).differences
    expect(one).toMatchObject({
      where: expect.stringContaining('GET /levels/v1/levels/{id}') as string,
      running: expect.stringContaining('archive') as string,
    })
    expect(compareFiles(intent, more).differences).toMatchObject([
      { what: 'route', intended: 'withheld', where: expect.stringContaining('POST') as string },
    ])
    expect(compareFiles(more, intent).differences).toMatchObject([
      { what: 'route', running: 'not served', where: expect.stringContaining('POST') as string },
    ])
  })

  it('tell a placement that is missing as a whole, and routes of nobody’s', () => {
    const both = [...compiled(), ...compiled({ basePath: '/flows/v1' }, 'flows-live-1')]
    const { differences } = compareFiles(writeResources(both), own())
    expect(differences).toMatchObject([
      {
        where: 'flows-live-1, every operation',
        what: 'placement',
        intended: '2 routes',
        running: 'not there',
      },
    ])
    expect(compareFiles(own(), writeResources(both)).differences).toHaveLength(2)
  })

  it('tell a placement that was moved as a whole, and what differs of it besides', () => {
    const there = { ...slower, host: 'outer.example', basePath: '/old/levels' }
    expect(compareFiles(own(), own(there)).differences).toMatchObject([
      {
        what: 'address of the placement',
        intended: 'inner.example/levels/v1',
        running: 'outer.example/old/levels',
      },
      { where: 'levels-live-1, every operation', what: 'rate limit' },
    ])
  })

  it('say what was not understood, and are refused where they are none', () => {
    const strange = `${cluster()}\n---\n{"apiVersion":"other.example/v1","kind":"Odd","metadata":{"name":"x"},"spec":{}}`
    expect(compareFiles(cluster(), strange).passedOver.join()).toContain('Odd')
    for (const text of ['a: [', 'just words', '{"kind":"List","items":[3]}'])
      expect(() => compareFiles(own(), text)).toThrow(ConfigurationError)
  })
})
