import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { isSame } from '../text/values'
import { configurations } from '../../tests/support/policies'
import { policyImpact } from './impact'
import { complaintsOf, targetsOf, type PlacementSpec } from './placement'
import { policyNames, type PolicySet } from './policies'
import { apiKeyIn } from './policies/authenticate'
import { compilePlacement } from './compile'
import { routesOf } from './read'
import type { Scope } from './resolve'
import { Router } from './routes'
import {
  disagreements,
  proposedAuthentication,
  scopesByOperation,
  type DefinedSecurity,
} from './security'
import { stepNames } from './steps'
import { wayOf } from './way'

const spec = (policies: PolicySet = {}, own: PolicySet = {}): PlacementSpec => ({
  host: 'api.brackenmere.example',
  basePath: '/supply/v2',
  otherBasePaths: ['/supply/latest'],
  prefix: { kind: 'strip' },
  backends: [
    {
      name: 'main',
      url: 'http://10.0.0.1:80',
      weight: 3,
      timeoutMs: 5000,
      others: [{ url: 'http://10.0.0.2:80' }, { url: 'http://10.1.0.1:80', gateway: 'south-edge' }],
    },
  ],
  routes: [
    { method: 'GET', path: '/areas', treatment: { kind: 'route', backend: 'main' } },
    { method: 'POST', path: '/notices', treatment: { kind: 'mock' }, policies: own },
    { method: 'GET', path: '/export', treatment: { kind: 'withheld', reason: 'Not for outside' } },
  ],
  policies: { authentication: apiKeyIn('X-Api-Key'), ...policies },
})
const stage = (policies: PolicySet, binding: Scope['binding'] = []): Scope => ({
  kind: 'stage',
  name: 'Live',
  policies,
  binding,
})
const rate = (requests: number): PolicySet => ({ rate: { requests, seconds: 60, per: 'client' } })
const facts = (member?: string) => ({
  name: 'p',
  gateway: 'edge',
  ...(member !== undefined && { member }),
  version: '1.0.0',
  revision: 1,
  keys: [],
  mocks: new Map(),
})

describe('the way', () => {
  it('goes through the steps in order, and says of each where it comes from', () => {
    const items = wayOf(spec(rate(60)), [
      stage({ caching: { visibility: 'no-store', maxAgeSeconds: 0 } }),
    ])
    const order = items.map(({ step }) => stepNames.indexOf(step))
    expect(order).toEqual([...order].sort((a, b) => a - b))
    expect(items.map(({ title, text, from }) => [title, text, from?.kind])).toEqual([
      ['Address', 'https://api.brackenmere.example/supply/v2', undefined],
      ['Route table', '1 of 3 operations are routed, 1 mocked, 1 withheld', undefined],
      ['Authentication', 'key in X-Api-Key', 'placement'],
      ['Rate limit', '60 / minute', 'placement'],
      ['Backend', 'main: 3 targets, 5 s', undefined],
      ['Caching', 'no caching', 'stage'],
    ])
  })

  it('of one operation has what holds for it alone', () => {
    const value = spec(rate(60), { ...rate(5), authentication: { off: 'Everybody may tell' } })
    const items = wayOf(value, [], value.routes[1])
    expect(items.map(({ title, text }) => [title, text])).toEqual([
      ['Address', 'https://api.brackenmere.example/supply/v2'],
      ['Route', 'POST /supply/v2/notices or /supply/latest/notices'],
      ['Rate limit', '5 / minute'],
      ['Backend', 'answered from the definition’s example'],
    ])
  })

  it('is served at every base path, with the targets of the gateway', () => {
    const routes = routesOf(compilePlacement(spec(), facts('north-edge')))
    const router = new Router(routes)
    for (const base of ['/supply/v2', '/supply/latest'])
      expect(
        router.match({ host: 'api.brackenmere.example', method: 'GET', path: `${base}/areas` })
          .kind,
      ).toBe('route')
    expect(routes[0]!.target).toMatchObject({
      targets: [
        { url: 'http://10.0.0.1:80', weight: 3 },
        { url: 'http://10.0.0.2:80', weight: 1 },
      ],
    })
    expect(targetsOf(spec().backends[0]!, 'south-edge').map(({ url }) => url)).toEqual([
      'http://10.1.0.1:80',
    ])
  })

  it('is complained about where it cannot be gone', () => {
    const complaints = (value: PlacementSpec, outer: Scope[] = []) =>
      complaintsOf(value, [], outer).map(({ field }) => field)
    expect(complaints(spec())).toEqual([])
    expect(complaints({ ...spec(), otherBasePaths: ['/supply/v2/areas', 'x'] })).toEqual([
      'otherBasePaths.1',
      'otherBasePaths',
    ])
    expect(complaints(spec(rate(90)), [stage(rate(60), ['rate'])])).toEqual(['policies.rate'])
    expect(complaints(spec({}, rate(90)), [stage(rate(60), ['rate'])])).toEqual([
      'routes.1.policies.rate',
    ])
    expect(complaints(spec({}, { rewrite: { path: '/x/{id}' } }))).toEqual([
      'routes.1.policies.rewrite',
    ])
    expect(complaints(spec({ rewrite: { path: '/x' } }))).toEqual(['policies.rewrite'])
  })
})

describe('what a change of a scope does', () => {
  it('is nothing where nothing changes, and what is compiled tells the same', () => {
    const anyScope = fc
      .constantFrom(...policyNames)
      .chain((name) => configurations(name).map((config) => stage({ [name]: config })))
      // That plain requests are served too is what gateways do anyway.
      .filter(({ policies: { transport } }) => !isSame(transport, { plain: 'served' }))
    const policiesOf = (outer: Scope[]) =>
      routesOf(compilePlacement(spec(rate(60)), { ...facts(), outer })).map(
        ({ policies, listener }) => [policies, listener],
      )
    fc.assert(
      fc.property(anyScope, anyScope, (before, after) => {
        expect(policyImpact(spec(rate(60)), [before], [before]).changes).toEqual([])
        const { changes } = policyImpact(spec(rate(60)), [before], [after])
        if (changes.length === 0) expect(policiesOf([after])).toEqual(policiesOf([before]))
        else expect(policiesOf([after])).not.toEqual(policiesOf([before]))
      }),
    )
  })

  it('is told for the placement, for operations that have their own, and for what is overruled', () => {
    const value = spec(rate(60), rate(600))
    expect(policyImpact(value, [], [stage(rate(100), ['rate'])])).toEqual({
      changes: [
        {
          policy: 'rate',
          title: 'Rate limit',
          before: '600 / minute (for each client; 429 with Retry-After)',
          after: '60 / minute (for each client; 429 with Retry-After)',
          operations: ['POST /notices'],
        },
      ],
      overruled: [
        'Rate limit of operation POST /notices does not hold: it takes 600 a minute, and stage Live is binding',
      ],
      faults: [],
    })
    const keyless = { ...value, policies: {} }
    const outer = stage({ authentication: apiKeyIn('X-Api-Key') })
    expect(policyImpact(keyless, [outer], []).faults).toHaveLength(1)
  })
})

describe('the security of a definition', () => {
  const security = (
    schemes: DefinedSecurity['schemes'],
    ...needs: (Record<string, string[]>[] | undefined)[]
  ) => ({
    schemes,
    operations: needs.map((need, n) => ({
      method: 'GET',
      path: `/${n}`,
      ...(need && { security: need }),
    })),
  })
  const key = { name: 'key', type: 'apiKey', in: 'query', parameterName: 'apikey' }
  const token = {
    name: 'sso',
    type: 'openIdConnect',
    openIdConnectUrl: 'https://idp.brackenmere.example/.well-known/openid-configuration',
  }

  it('becomes a proposal as far as it can be filled in', () => {
    expect(proposedAuthentication(security([key], [{ key: [] }], [{ key: [] }]))).toEqual({
      kind: 'credentials',
      anyOf: [{ allOf: [{ kind: 'api-key', in: 'query', name: 'apikey' }] }],
    })
    expect(
      proposedAuthentication(security([key, token], [{ key: [], sso: ['read'] }, { key: [] }])),
    ).toMatchObject({
      anyOf: [
        {
          allOf: [
            { kind: 'api-key' },
            { kind: 'jwt', issuer: 'https://idp.brackenmere.example', jwks: '' },
          ],
        },
        { allOf: [{ kind: 'api-key' }] },
      ],
    })
    expect(
      proposedAuthentication(security([{ name: 'tls', type: 'mutualTLS' }], [{ tls: [] }])),
    ).toEqual({
      kind: 'credentials',
      anyOf: [
        {
          allOf: [
            { kind: 'client-certificate', authority: '', client: 'common-name', clients: [] },
          ],
        },
      ],
    })
    expect(
      proposedAuthentication(security([{ name: 'own', type: 'x-own' }], [{ own: [] }])),
    ).toBeUndefined()
    expect(proposedAuthentication(security([key], undefined))).toBeUndefined()
  })

  it('is held beside what is asked for, in words', () => {
    const defined = security([key], [{ key: [] }], undefined)
    expect(disagreements(defined, proposedAuthentication(defined))).toEqual([
      'One operation asks for nothing in the definition, and for a credential here',
    ])
    expect(disagreements(defined, apiKeyIn('X-Api-Key'))).toEqual([
      'The definition speaks of key in query apikey, which is not taken here',
      'The definition does not speak of key in X-Api-Key',
      'One operation asks for nothing in the definition, and for a credential here',
    ])
    expect(disagreements(defined, { kind: 'none', reason: 'x' })).toEqual([
      'The definition asks for key in query apikey; no credential is asked for here',
    ])
    expect(disagreements(security([], undefined), undefined)).toEqual([])
  })

  it('names scopes by operation', () => {
    const defined = security(
      [token],
      [{ sso: ['a', 'b'] }, { sso: ['c'] }],
      [{ sso: [] }],
      undefined,
    )
    expect([...scopesByOperation(defined)]).toEqual([['GET /0', [['a', 'b'], ['c']]]])
  })
})
