import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { configurations } from '../../../tests/support/policies'
import { canonical } from '../../text/canonical'
import { emptyValue, readValue, schemaOf, type Shape } from '../fields'
import { compilePlacement } from '../compile'
import { routesOf } from '../read'
import { readResources, writeResources } from '../resources'
import type { PlacementSpec } from '../placement'
import { configsOf, overruledBy, resolvePolicies, type Scope } from '../resolve'
import {
  isOff,
  kindOf,
  policyKinds,
  policyNames,
  readPolicySet,
  wordsOf,
  type PolicyName,
  type PolicySet,
} from '.'
import { readConfig } from './kind'
import { duration } from './words'

const anyName = fc.constantFrom(...policyNames)
const anyConfig = anyName.chain((name) =>
  configurations(name).map((config) => ({ name, config: config })),
)
const scope = (kind: Scope['kind'], policies: PolicySet, binding: PolicyName[] = []): Scope => ({
  kind,
  name: kind === 'organisation' ? '' : 'x',
  policies,
  binding,
})
const set = (name: PolicyName, config: object) => ({ [name]: config }) as PolicySet

const runningOf = (policies: PolicySet, own?: PolicySet) => {
  const spec: PlacementSpec = {
    host: 'a.example',
    basePath: '/v1',
    prefix: { kind: 'strip' },
    backends: [{ name: 'main', url: 'http://127.0.0.1:9', timeoutMs: 1000 }],
    routes: ['/a', '/b/{id}'].map((path, index) => ({
      method: 'GET',
      path,
      treatment: { kind: 'route', backend: 'main' },
      ...(index === 1 && own && { policies: own }),
    })),
    policies,
  }
  const facts = {
    name: 'p',
    gateway: 'edge',
    version: '1.0.0',
    revision: 1,
    keys: [],
    mocks: new Map(),
  }
  return routesOf(readResources(writeResources(compilePlacement(spec, facts))))
}

describe('every kind of policy', () => {
  it('runs on a gateway exactly as it is written, for all operations and for one', () => {
    fc.assert(
      fc.property(anyConfig, ({ name, config }) => {
        // Where routes are attached says it: see the tests of the gateway and of clusters.
        fc.pre(name !== 'transport')
        const everywhere = runningOf(set(name, config))
        for (const route of everywhere) expect(route.policies[name]).toEqual(config)
        const [other, one] = runningOf({}, set(name, config))
        expect(other!.policies[name]).toBeUndefined()
        expect(one!.policies[name]).toEqual(config)
        const [still, off] = runningOf(set(name, config), set(name, { off: 'not for this one' }))
        expect(still!.policies[name]).toEqual(config)
        expect(off!.policies[name]).toBeUndefined()
      }),
    )
  })

  it('reads back what it has read, says it in words, and is as strict as itself', () => {
    fc.assert(
      fc.property(anyConfig, ({ name, config }) => {
        const kind = kindOf(name)
        expect(readConfig(kind, config)).toEqual({ value: config })
        expect(wordsOf(name, config).text.length).toBeGreaterThan(3)
        expect(kind.loosens?.(config, config)).toBeUndefined()
      }),
    )
  })

  it('is described, with a default or an example for everything it has', () => {
    const check = (shape: Shape, at: string): void => {
      expect(shape.says, at).toMatch(/[.]$/)
      if (shape.kind === 'text') expect(shape.why(shape.example), at).toBeUndefined()
      if (shape.kind === 'list') check(shape.of, `${at}[]`)
      const objects =
        shape.kind === 'object' ? [shape] : shape.kind === 'variants' ? Object.values(shape.of) : []
      for (const { members } of objects)
        for (const [name, member] of Object.entries(members)) {
          check(member.shape, `${at}.${name}`)
          if (member.default === undefined) continue
          const read = readValue({ shape: member.shape, optional: false }, member.default)
          expect(read.misfits, `${at}.${name}`).toBeUndefined()
        }
    }
    for (const name of policyNames) {
      check(policyKinds[name].config.shape, name)
      expect(schemaOf(policyKinds[name].config.shape)).toHaveProperty('description')
      expect(emptyValue(policyKinds[name].config.shape)).toBeTypeOf('object')
    }
  })

  it('names the member at fault, and takes none that it does not know', () => {
    const said = {
      rate: { requests: 0, seconds: 60, per: 'moon', extra: 1 },
      cors: { origins: ['*'], credentials: true },
      sorcery: {},
      authentication: {
        kind: 'credentials',
        anyOf: [{ allOf: [{ kind: 'jwt', issuer: 'https://a.example', jwks: 'ftp://a' }] }],
      },
      quota: { off: ' ' },
      parameters: { map: [{ kind: 'drop', in: 'header', name: 'Host' }] },
      hours: { from: '25:00', zone: 'Mars/Olympus' },
    }
    const fields = readPolicySet(said).misfits?.map(({ field }) => field)
    expect(fields).toEqual([
      'rate.extra',
      'rate.requests',
      'rate.per',
      'cors.origins',
      'sorcery',
      'authentication.anyOf.0.allOf.0.jwks',
      'quota.off',
      'parameters.map.0',
      'hours.from',
      'hours.zone',
    ])
    expect(readPolicySet(JSON.parse('{"__proto__":{},"constructor":{}}')).misfits).toHaveLength(2)
  })
})

describe('scopes', () => {
  it('let the innermost speak, unless something further out is binding', () => {
    fc.assert(
      fc.property(
        anyName.chain((name) =>
          fc.tuple(fc.constant(name), configurations(name), configurations(name)),
        ),
        ([name, outer, inner]) => {
          const [said, asked] = [set(name, outer), set(name, inner)]
          const kind = kindOf(name)
          const free = resolvePolicies([scope('organisation', said), scope('placement', asked)])
          expect(free[name]).toMatchObject({ from: { kind: 'placement' }, overruled: [] })
          expect(free[name]!.config).toEqual(kind.combine ? kind.combine(outer, inner) : inner)
          const bound = resolvePolicies([
            scope('organisation', said, [name]),
            scope('placement', asked),
          ])
          const holds = bound[name]!.config
          if (bound[name]!.overruled.length > 0) expect(holds).toEqual(outer)
          if (canonical(holds) !== canonical(outer))
            expect(kind.loosens?.(outer, holds)).toBeUndefined()
          const off = resolvePolicies([
            scope('organisation', said, [name]),
            scope('operation', set(name, { off: 'no' })),
          ])
          expect(off[name]!.config).toEqual(outer)
          expect(overruledBy(off)).toHaveLength(1)
        },
      ),
    )
  })

  it('are said in words where something does not hold', () => {
    const rate = (requests: number) => ({ rate: { requests, seconds: 60, per: 'client' as const } })
    const resolved = resolvePolicies([
      scope('organisation', rate(100)),
      { ...scope('stage', rate(60), ['rate']), name: 'Live' },
      scope('placement', rate(600)),
      scope('operation', rate(10)),
    ])
    expect(configsOf(resolved)).toEqual(rate(10))
    expect(resolved.rate).toMatchObject({
      from: { kind: 'operation' },
      boundBy: { kind: 'stage', name: 'Live' },
    })
    expect(overruledBy(resolved)).toEqual([
      {
        policy: 'rate',
        message:
          'Rate limit is binding for stage Live and cannot be loosened: it takes 600 a minute',
      },
    ])
  })

  it('add headers to one another, and the inner one decides about a name of both', () => {
    const headers = (set: [string, string][], remove: string[] = []) => ({
      requestHeaders: { set: set.map(([name, value]) => ({ name, value })), add: [], remove },
    })
    const resolved = resolvePolicies([
      scope(
        'organisation',
        headers([
          ['X-Zone', 'out'],
          ['X-Org', 'elm'],
        ]),
      ),
      scope('placement', headers([['x-zone', 'in']], ['X-Debug'])),
    ])
    expect(resolved.requestHeaders).toMatchObject({
      config: headers(
        [
          ['X-Org', 'elm'],
          ['x-zone', 'in'],
        ],
        ['X-Debug'],
      ).requestHeaders,
      also: [{ kind: 'organisation' }],
    })
  })

  it('do not let an inner scope switch credentials off, or take one of two that belong together', () => {
    const loosens = (outer: object, inner: object) =>
      kindOf('authentication').loosens!(outer, inner)
    const method = (name: string) => ({ kind: 'api-key', in: 'header', name })
    const asks = (...anyOf: string[][]) => ({
      kind: 'credentials',
      anyOf: anyOf.map((names) => ({ allOf: names.map(method) })),
    })
    expect(loosens(asks(['A', 'B']), asks(['A', 'B', 'C']))).toBeUndefined()
    expect(loosens(asks(['A'], ['B']), asks(['B']))).toBeUndefined()
    expect(loosens(asks(['A', 'B']), asks(['A']))).toBe('key in A is enough for it')
    expect(loosens(asks(['A']), asks(['A'], ['C']))).toBe('key in C is enough for it')
    expect(loosens(asks(['A']), { kind: 'none', reason: 'x' })).toBe('it asks for no credential')
  })
})

it('sets are told apart from what is off, and lengths of time read well', () => {
  expect(isOff({ off: 'x' })).toBe(true)
  expect([0, 1, 60, 90, 7200, 86_400].map(duration)).toEqual([
    '0 seconds',
    '1 second',
    '1 minute',
    '90 seconds',
    '2 hours',
    '1 day',
  ])
})
