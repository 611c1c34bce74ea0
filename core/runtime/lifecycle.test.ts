import { describe, expect, it } from 'vitest'
import { compareRoutes } from '../drift/compare'
import { compilePlacement } from './compile'
import { lifecycleFields, type LifecycleFacts } from './lifecycle'
import { operationKey, type PlacementSpec } from './placement'
import { routesOf } from './read'
import { readResources, writeResources } from './resources'

const spec: PlacementSpec = {
  host: 'a.example',
  basePath: '/v1',
  prefix: { kind: 'strip' },
  backends: [{ name: 'main', url: 'http://b', timeoutMs: 100 }],
  routes: ['/hydrants', '/hydrants/{id}', '/old'].map((path) => ({
    method: 'GET',
    path,
    treatment: { kind: 'route', backend: 'main' },
  })),
  policies: { authentication: { kind: 'none', reason: 'x' } },
}
const documentation = 'https://wiki.brackenmere.example/plans/hydrants?a=1&b=2'

const routes = (lifecycle?: LifecycleFacts) => {
  const facts = { name: 'p', gateway: 'g', version: '1', revision: 1, keys: [], mocks: new Map() }
  const resources = compilePlacement(spec, { ...facts, ...(lifecycle && { lifecycle }) })
  return routesOf(readResources(writeResources(resources)))
}
const none = new Map<string, string>()
const old = new Map([[operationKey({ method: 'GET', path: '/old' }), '2026-06-01']])

describe('what callers are told of an end', () => {
  it.each<[string, LifecycleFacts, (string | undefined)[]]>([
    [
      'of a deprecated API, by every operation',
      { deprecated: '2026-10-01', sunset: '2027-03-31', documentation, operations: none },
      ['2026-10-01', '2026-10-01', '2026-10-01'],
    ],
    [
      'of one deprecated operation, by it alone',
      { operations: old },
      [undefined, undefined, '2026-06-01'],
    ],
    [
      'of both, the earlier day',
      { deprecated: '2026-10-01', operations: old },
      ['2026-10-01', '2026-10-01', '2026-06-01'],
    ],
    ['of no end, nothing', { documentation, operations: none }, [undefined, undefined, undefined]],
  ])('%s', (_, facts, days) => {
    expect(routes(facts).map(({ lifecycle }) => lifecycle?.deprecated)).toEqual(days)
  })

  it('is said in the fields that standards have for it', () => {
    expect(
      lifecycleFields({ deprecated: '2026-10-01', sunset: '2027-03-31', documentation }),
    ).toEqual([
      ...['Deprecation', '@1790812800'],
      ...['Sunset', 'Wed, 31 Mar 2027 00:00:00 GMT'],
      ...['Link', `<${documentation}>; rel="deprecation"; type="text/html"`],
      ...['Link', `<${documentation}>; rel="sunset"; type="text/html"`],
    ])
  })

  it('is a difference where a gateway says something else', () => {
    const facts = { deprecated: '2026-10-01', sunset: '2027-03-31', operations: none }
    expect(compareRoutes(routes(facts), routes())).toMatchObject([
      {
        where: 'every operation',
        what: 'deprecation',
        ledger: 'deprecated since 2026-10-01, served until 2027-03-31',
        gateway: 'nothing',
      },
    ])
  })

  it.each([
    ['no day', { deprecated: 'soon' }, /must be a day/],
    ['a day that is none', { sunset: '2027-02-30' }, /must be a day/],
    ['what would end a header', { documentation: 'https://a.example/>; rel="x' }, /http or https/],
  ])('refuses %s', (_, said, message) => {
    const [route, ...rest] = compilePlacement(spec, {
      ...{ name: 'p', gateway: 'g', version: '1', revision: 1, keys: [], mocks: new Map() },
      lifecycle: { deprecated: '2026-10-01', operations: none },
    })
    const written = rest.map((resource) =>
      resource.kind === 'Lifecycle'
        ? { ...resource, spec: { ...resource.spec, ...said } }
        : resource,
    )
    expect(() => routesOf([route!, ...written])).toThrow(message)
  })
})
