import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { compareRoutes } from '../../drift/compare'
import { isSame } from '../../text/values'
import { compilePlacement } from '../compile'
import { ConfigurationError } from '../config-values'
import { operationKey, type PlacementSpec, type RouteRow, type Treatment } from '../placement'
import type { PolicySet } from '../policies'
import { routesOf } from '../read'
import { writeResources } from '../resources'
import { isServed } from '../routes'
import { unenforceable } from './enforceable'
import { fromCluster } from './read'
import { serviceOf, serviceUrl } from './service'
import { toCluster } from './write'

const open: PolicySet = { authentication: { kind: 'none', reason: 'Inside the company' } }
const files = [{ name: 'plant', kind: 'files' as const, https: true }]

const placed = (routes: RouteRow[], more: Partial<PlacementSpec> = {}): PlacementSpec => ({
  host: 'inner.example',
  basePath: '/levels/v1',
  prefix: { kind: 'keep' },
  backends: [{ name: 'main', url: 'http://levels.water.svc:8080', timeoutMs: 4000 }],
  routes,
  policies: open,
  ...more,
})

const compiled = (spec: PlacementSpec) =>
  compilePlacement(spec, {
    name: 'levels-live-1',
    gateway: 'plant',
    version: '1.2.0',
    revision: 3,
    keys: [],
    mocks: new Map(),
  })

/** Routes as they are compared, without what a cluster is not told. */
const plain = (resources: ReturnType<typeof compiled>) =>
  routesOf(resources).map((route) => {
    const { authentication: _, ...policies } = route.policies
    return { ...route, policies }
  })

const word = fc.stringMatching(/^[a-z][a-z0-9]{0,5}$/)
const treatment = fc.oneof(
  fc.constant<Treatment>({ kind: 'route', backend: 'main' }),
  fc.constant<Treatment>({ kind: 'route', backend: 'archive' }),
  fc.constant<Treatment>({ kind: 'withheld', reason: 'Not for outside' }),
)
const rows = (segment: fc.Arbitrary<string>) =>
  fc
    .array(
      fc.record({
        method: fc.constantFrom('GET', 'POST'),
        path: fc
          .array(segment, { minLength: 1, maxLength: 3 })
          .map((parts) => `/${parts.join('/')}`),
        treatment,
      }),
      { minLength: 1, maxLength: 40 },
    )
    .map((list) => [...new Map(list.map((row) => [operationKey(row), row])).values()])

const policies: fc.Arbitrary<PolicySet> = fc.record(
  {
    transport: fc.record({ plain: fc.constantFrom('served', 'redirected', 'refused') }),
    timeout: fc.record({ milliseconds: fc.integer({ min: 50, max: 600_000 }) }),
    requestHeaders: fc.constant({ set: [{ name: 'X-Site', value: 'n' }], add: [], remove: [] }),
    responseHeaders: fc.constant({ set: [], add: [], remove: ['Server'] }),
    cors: fc.constant({
      origins: ['https://app.example'],
      headers: ['X-A'],
      expose: [],
      credentials: false,
      maxAgeSeconds: 60,
    }),
  },
  { requiredKeys: [] },
)

const specs = fc
  .oneof(
    fc.record({ routes: rows(word), prefix: fc.constantFrom('keep', 'strip', 'replace') }),
    fc.record({
      routes: rows(
        fc.oneof(
          word,
          word.map((name) => `{${name}}`),
        ),
      ),
      prefix: fc.constant('keep'),
    }),
  )
  .chain(({ routes, prefix }) =>
    policies.map((more) =>
      placed(routes, {
        prefix:
          prefix === 'replace' ? { kind: 'replace', with: '/in/side' } : { kind: prefix as 'keep' },
        policies: { ...open, ...more },
        backends: [
          {
            ...{ name: 'main', url: 'http://levels.water.svc:8080', weight: 3, timeoutMs: 4000 },
            others: [{ url: 'http://levels-next.water.svc:8080', weight: 1 }],
          },
          { name: 'archive', url: 'http://archive:80', timeoutMs: 2500 },
        ],
      }),
    ),
  )

describe('what a cluster with Gateway API is told', () => {
  it('reads back as the same routes, and a second time as the same resources', () => {
    fc.assert(
      fc.property(specs, (spec) => {
        expect(unenforceable(spec, [], files)).toEqual([])
        const resources = compiled(spec)
        const { resources: once, passedOver } = fromCluster(writeResources(toCluster(resources)))
        expect(passedOver).toEqual([])
        expect(compareRoutes(plain(resources), routesOf(once))).toEqual([])
        expect(routesOf(once).length).toBe(routesOf(resources).length)
        const twice = fromCluster(writeResources(toCluster(once))).resources
        expect(isSame(twice, once)).toBe(true)
      }),
      { numRuns: 150 },
    )
  })

  it('has no more rules in a route than Gateway API takes', () => {
    const routes = Array.from({ length: 40 }, (_, i): RouteRow => ({
      method: 'GET',
      path: `/p${i}`,
      treatment: { kind: 'route', backend: 'main' },
    }))
    const written = toCluster(compiled(placed(routes)))
    expect(written.map(({ spec }) => (spec['rules'] as unknown[]).length)).toEqual([16, 16, 8])
    expect(new Set(written.map(({ metadata }) => metadata.name)).size).toBe(3)
  })

  it('is nothing but Gateway API: services, rewrites, timeouts, redirects', () => {
    const row: RouteRow = {
      method: 'GET',
      path: '/sites',
      treatment: { kind: 'route', backend: 'main' },
    }
    const [route, redirect] = toCluster(
      compiled(
        placed([row], {
          prefix: { kind: 'strip' },
          policies: {
            ...open,
            transport: { plain: 'redirected' },
            timeout: { milliseconds: 9000 },
          },
        }),
      ),
    )
    expect(route!.spec).toMatchObject({
      parentRefs: [{ name: 'plant', sectionName: 'https' }],
      hostnames: ['inner.example'],
      rules: [
        {
          matches: [{ method: 'GET', path: { type: 'Exact', value: '/levels/v1/sites' } }],
          filters: [
            {
              type: 'URLRewrite',
              urlRewrite: { path: { type: 'ReplaceFullPath', replaceFullPath: '/sites' } },
            },
          ],
          backendRefs: [{ name: 'levels', namespace: 'water', port: 8080 }],
          timeouts: { request: '9s', backendRequest: '4s' },
        },
      ],
    })
    expect(redirect!.spec['rules']).toEqual([
      expect.objectContaining({
        filters: [
          { type: 'RequestRedirect', requestRedirect: { scheme: 'https', statusCode: 301 } },
        ],
      }),
    ])
  })

  it('refuses what would be left out, by name', () => {
    const row: RouteRow = {
      method: 'GET',
      path: '/sites/{id}',
      treatment: { kind: 'route', backend: 'main' },
    }
    const asks = (more: Partial<PlacementSpec>) =>
      unenforceable(placed([row], more), [], files).map(({ field, message }) => [field, message])
    const limited = { ...open, rate: { requests: 5, seconds: 1, per: 'client' as const } }
    expect(asks({ policies: limited })).toEqual([
      ['policies.rate', expect.stringMatching(/^Rate.* nothing that plant can enforce/)],
    ])
    expect(asks({ prefix: { kind: 'strip' } })).toEqual([
      ['prefix', expect.stringContaining('GET /sites/{id}')],
    ])
    expect(
      asks({ backends: [{ name: 'main', url: 'https://levels.example', timeoutMs: 1 }] }),
    ).toEqual([['backends', expect.stringContaining('https://levels.example is none')]])
    expect(asks({ routes: [{ ...row, treatment: { kind: 'mock' } }] })).toEqual([
      ['routes', expect.stringContaining('answers no mocks')],
    ])
    expect(asks({ routes: [{ ...row, policies: limited }] })[0]![0]).toBe('routes.0.policies.rate')
    const [reading] = unenforceable(placed([row]), [], [{ name: 'shore', kind: 'uploaded' }])
    expect(reading!.message).toMatch(/shore is only read/)
    // And nobody gets past that: what cannot be said is not written.
    expect(() => toCluster(compiled(placed([row], { policies: limited })))).toThrow(
      ConfigurationError,
    )
    expect(() => toCluster(compiled(placed([row], { prefix: { kind: 'strip' } })))).toThrow(
      /has parameters/,
    )
  })
})

describe('what a cluster prints', () => {
  const printed = `
apiVersion: v1
kind: List
items:
  - apiVersion: gateway.networking.k8s.io/v1
    kind: Gateway
    metadata: { name: shore, namespace: edge, uid: 7, managedFields: [{ manager: x }] }
    spec:
      listeners:
        - { name: web, protocol: HTTP, port: 80, hostname: levels.example }
        - { name: secure, protocol: HTTPS, port: 443, hostname: levels.example }
    status: { addresses: [] }
  - apiVersion: gateway.networking.k8s.io/v1
    kind: HTTPRoute
    metadata:
      name: levels
      namespace: water
      resourceVersion: "88"
      labels: { app: levels }
      annotations: { cluster.example/last-applied: '{}' }
    spec:
      parentRefs: [{ group: gateway.networking.k8s.io, kind: Gateway, name: shore, namespace: edge, sectionName: secure }]
      rules:
        - backendRefs: [{ group: '', kind: Service, name: levels, port: 8080, weight: 1 }]
          matches: [{ path: { type: PathPrefix, value: /levels/ } }]
          filters:
            - { type: URLRewrite, urlRewrite: { path: { type: ReplacePrefixMatch, replacePrefixMatch: /v1 } } }
            - { type: RequestMirror, requestMirror: { backendRef: { name: shadow, port: 80 } } }
        - matches: [{ path: { type: RegularExpression, value: '/(a|b)+' } }]
          backendRefs: [{ name: odd, port: 80 }]
        - matches: [{ path: { type: Exact, value: /gone } }]
    status: { parents: [] }
---
{"apiVersion":"apps/v1","kind":"Deployment","metadata":{"name":"levels"},"spec":{}}
---
apiVersion: limits.vendor.example/v2
kind: Throttle
metadata: { name: t }
spec: { targetRefs: [{ kind: HTTPRoute, name: levels }], rate: 3 }
`

  it('is read with hosts and protocols of its listeners, defaults and services', () => {
    const { resources } = fromCluster(printed)
    const routes = routesOf(resources)
    expect(
      routes.map(({ host, listener, method, path, open: below }) => [
        host,
        listener,
        method,
        path,
        below,
      ]),
    ).toEqual([
      ['levels.example', 'https', '*', '/levels', true],
      ['levels.example', 'https', '*', '/gone', false],
    ])
    expect(routes[0]).toMatchObject({
      placement: '',
      target: { kind: 'backend', targets: [{ url: 'http://levels.water.svc:8080' }] },
      rewrite: { from: '/levels', prefix: { kind: 'replace', with: '/v1' } },
    })
    expect(isServed(routes[1]!)).toBe(false)
  })

  it('names what it does not understand', () => {
    expect(fromCluster(printed).passedOver).toEqual([
      'HTTPRoute water/levels, rule 1: the filter RequestMirror is not known',
      expect.stringMatching(/rule 2: a match by an expression/),
      'Throttle is attached to routes, and nothing is known of what it does',
      'Beside routes: 1 Deployment and 1 Throttle',
    ])
  })

  it('is refused where it is no such thing, and bounded where it is', () => {
    expect(() => fromCluster('a: [')).toThrow(/not readable/)
    expect(() => fromCluster('just words')).toThrow(/has no kind/)
    const deep = (n: number): object =>
      n === 0 ? { kind: 'Pod' } : { kind: 'List', items: [deep(n - 1)] }
    expect(() => fromCluster(JSON.stringify(deep(6)))).toThrow(/too deeply/)
    const bomb = `a: &a [x,x,x,x,x,x,x,x,x]\nb: &b [*a,*a,*a,*a,*a,*a,*a,*a,*a]\nkind: List\nitems: [*b,*b]`
    expect(() => fromCluster(bomb)).toThrow(ConfigurationError)
    const many = JSON.stringify({ kind: 'List', items: Array(20_001).fill({ kind: 'Pod' }) })
    expect(() => fromCluster(many)).toThrow(/more than 20000/)
  })

  it('keeps a route that could not run from hiding the others', () => {
    const route = (name: string, value: string) => `
apiVersion: gateway.networking.k8s.io/v1
kind: HTTPRoute
metadata: { name: ${name} }
spec:
  hostnames: [a.example]
  rules: [{ matches: [{ path: { type: Exact, value: "${value}" } }], backendRefs: [{ name: s, port: 80 }] }]
`
    const read = fromCluster([route('good', '/a'), route('bad', '/a/../b')].join('---'))
    expect(routesOf(read.resources).map(({ path }) => path)).toEqual(['/a'])
    expect(read.passedOver).toEqual([expect.stringContaining('HTTPRoute bad')])
  })
})

describe('addresses inside a cluster', () => {
  it('stand for services, and are written as they are read', () => {
    for (const url of ['http://levels.water.svc:8080', 'http://archive:80'])
      expect(serviceUrl(serviceOf(url)!)).toBe(url)
    expect(serviceOf('http://levels.water.svc.cluster.local:81')).toEqual({
      ...{ name: 'levels', namespace: 'water', port: 81 },
    })
    for (const url of [
      'https://levels.water.svc',
      'http://10.0.0.1:80',
      'http://a.example/path',
      'http://A',
    ])
      expect(serviceOf(url)).toBeUndefined()
  })
})
