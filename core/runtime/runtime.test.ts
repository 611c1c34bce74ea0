import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { adoptRunning, NotAdoptable } from '../drift/adopt'
import { compareRoutes } from '../drift/compare'
import { conditionsText, type Condition } from './conditions'
import { nearestText, routeStep } from './explain'
import { nearestRoute } from './nearest'
import {
  complaintsOf,
  operationKey,
  outsideAddress,
  type FurtherRoute,
  type PlacementFacts,
  type PlacementSpec,
  type Treatment,
} from './placement'
import { compilePlacement } from './compile'
import { ConfigurationError } from './config-values'
import { routesOf } from './read'
import { readResources, writeResources } from './resources'
import { conflicts, isServed, restorePath, rewritePath, Router, type Match } from './routes'
import type { PolicySet } from './policies'
import { configurations } from '../../tests/support/policies'
import {
  fromPattern,
  parseTemplate,
  pathValues,
  templateMatches,
  templateText,
  toPattern,
} from './template'

const word = fc.stringMatching(/^[a-z][a-z0-9-]{0,6}$/)
const path = fc
  .array(
    fc.oneof(
      word,
      word.map((name) => `{${name.replaceAll('-', '_')}}`),
    ),
    { minLength: 1, maxLength: 5 },
  )
  .map((parts) => `/${parts.join('/')}`)
const treatment: fc.Arbitrary<Treatment> = fc.oneof(
  fc.constant<Treatment>({ kind: 'route', backend: 'main' }),
  fc.constant<Treatment>({ kind: 'mock' }),
  fc.constant<Treatment>({ kind: 'withheld', reason: 'Not for outside' }),
)
const rows = fc
  .array(fc.record({ method: fc.constantFrom('GET', 'POST', 'DELETE'), path, treatment }), {
    minLength: 1,
    maxLength: 12,
  })
  .map((list) => [...new Map(list.map((row) => [operationKey(row), row])).values()])
const further: fc.Arbitrary<FurtherRoute[]> = fc
  .uniqueArray(
    fc.record(
      {
        name: word,
        method: fc.constantFrom('GET', 'PATCH'),
        path: fc.constantFrom('/', '/files', '/notes/all'),
        below: fc.constant(true),
        conditions: fc.uniqueArray(
          fc.record({
            in: fc.constantFrom('header', 'query'),
            name: fc.constantFrom('x-channel', 'layout'),
            value: fc.constantFrom('a', 'b: c'),
          }),
          { selector: (one) => `${one.in} ${one.name}`, minLength: 1, maxLength: 3 },
        ),
        treatment: fc.constantFrom<FurtherRoute['treatment']>(
          { kind: 'route', backend: 'main' },
          { kind: 'withheld', reason: 'x' },
        ),
      },
      { requiredKeys: ['name', 'path', 'treatment'] },
    ),
    { selector: ({ name }) => name, minLength: 1, maxLength: 4 },
  )
  // Two that ask the same are one route.
  .map((list) => [
    ...new Map(
      list.map((route) => {
        const { method, path, below, conditions = [] } = route
        return [`${method} ${path} ${below} ${conditionsText(conditions)}`, route]
      }),
    ).values(),
  ])
const spec: fc.Arbitrary<PlacementSpec> = fc.record(
  {
    host: fc.constantFrom('api.brackenmere.example', 'trial.api.brackenmere.example'),
    basePath: fc.constantFrom('/supply/v2', '/a', '/'),
    prefix: fc.oneof(
      fc.constant({ kind: 'keep' as const }),
      fc.constant({ kind: 'strip' as const }),
      word.map((name) => ({ kind: 'replace' as const, with: `/${name}` })),
    ),
    backends: fc.constant([{ name: 'main', url: 'http://127.0.0.1:9/x', timeoutMs: 4000 }]),
    routes: rows,
    furtherRoutes: further,
    policies: fc.record(
      {
        authentication: configurations('authentication'),
        rate: configurations('rate'),
        cors: configurations('cors'),
        requestHeaders: configurations('requestHeaders'),
        timeout: configurations('timeout'),
      },
      { requiredKeys: ['authentication'] },
    ),
  },
  { requiredKeys: ['host', 'basePath', 'prefix', 'backends', 'routes', 'policies'] },
)
const facts = (placement = 'supply-live-1'): PlacementFacts => ({
  name: placement,
  gateway: 'north-edge',
  version: '2.4.0',
  revision: 12,
  keys: [{ name: 'Alder Homes', sha256: 'a'.repeat(64) }],
  mocks: new Map(),
})
const routesFor = (value: PlacementSpec) =>
  routesOf(readResources(writeResources(compilePlacement(value, facts()))))
const policiesAt = (requests: number): PolicySet => ({
  authentication: { kind: 'none', reason: 'open' },
  rate: { requests, seconds: 60, per: 'client' },
})
const concrete = (template: string) => template.replace(/\{[^}]*\}/g, 'x7')

describe('templates', () => {
  it('are read back as they were written', () => {
    fc.assert(
      fc.property(path, (text) => {
        expect(templateText(parseTemplate(text))).toBe(text)
      }),
    )
  })

  it('survive being written as a pattern, and match as the pattern does', () => {
    fc.assert(
      fc.property(path, path, (text, other) => {
        const pattern = toPattern(text)
        expect(fromPattern(pattern)).toBe(text)
        const candidate = concrete(other)
        expect(templateMatches(parseTemplate(text), candidate)).toBe(
          new RegExp(pattern.replaceAll('?P<', '?<').replace(/\?<\w+>/g, '')).test(candidate),
        )
      }),
    )
  })

  it('have values for a path exactly where they match it, which put in again are that path', () => {
    const segment = fc.array(fc.constantFrom('a', 'b', '-', '.', '%61', 'x'), {
      minLength: 1,
      maxLength: 6,
    })
    const written = fc
      .array(segment, { minLength: 1, maxLength: 3 })
      .map((all) => `/${all.map((one) => one.join('')).join('/')}`)
    fc.assert(
      fc.property(path, fc.oneof(written, path.map(concrete)), (text, asked) => {
        const template = parseTemplate(text)
        const values = pathValues(template, asked)
        expect(values !== undefined).toBe(templateMatches(template, asked))
        if (!values) return
        for (const { text: value } of values.values()) expect(value).not.toBe('')
        const again = text.replace(/\{([^{}]+)\}/g, (_, name: string) => values.get(name)!.written)
        expect(decodeURIComponent(again)).toBe(decodeURIComponent(asked))
      }),
    )
  })

  it('take a path in one pass, however often their text recurs in it', () => {
    const template = parseTemplate('/m/{a}-{b}-{c}-{d}-{e}x')
    // Anything but one pass over it would take until nobody waits any more.
    const length = 1_000_000
    const values = pathValues(template, `/m/${'-'.repeat(length)}%78${'-'.repeat(length)}x`)
    expect(values!.get('e')!.text).toHaveLength(2 * length - 7)
  })

  it('refuse patterns that are not templates', () => {
    for (const pattern of ['^/(a+)+$', '/a', '^/a.*$', '^/a[bc]$'])
      expect(fromPattern(pattern)).toBeUndefined()
  })
})

describe('routes', () => {
  it('match every operation that is served, and rewrite there and back', () => {
    fc.assert(
      fc.property(spec, (value) => {
        const routes = routesFor(value)
        const router = new Router(routes)
        for (const route of routes.filter(isServed)) {
          const asked = concrete(route.path)
          const { host, conditions } = route
          const values = (one: Condition) =>
            conditions.filter((c) => c.in === one.in && c.name === one.name).map((c) => c.value)
          const method = route.method === '*' ? 'HEAD' : route.method
          const match = router.match({ host, method, path: asked, values })
          // Parameters of the request could spell a word that somebody withholds.
          if (match.kind !== 'withheld') expect(match.kind).toBe('route')
          expect(restorePath(route, rewritePath(route, asked))).toBe(asked)
        }
      }),
    )
  })

  it('of two versions of a placement are those that the caller gets, to the last request', () => {
    const asked = fc.record({
      method: fc.constantFrom('GET', 'POST', 'DELETE'),
      from: fc.constantFrom('now', 'then'),
      at: fc.nat(),
    })
    fc.assert(
      fc.property(
        spec,
        spec,
        fc.integer({ min: 1, max: 99 }),
        asked,
        (now, other, percent, ask) => {
          const then = { ...other, host: now.host }
          const next = {
            ...{ ...facts(), name: 'supply-live-1-next', version: '2.5.0' },
            portion: { of: 'supply-live-1', percent },
          }
          const both = [...compilePlacement(now, facts()), ...compilePlacement(then, next)]
          const split = new Router(routesOf(both))
          const alone = { now: new Router(routesFor(now)), then: new Router(routesFor(then)) }
          const routes = [...alone.now.routes, ...alone.then.routes]
          fc.pre(routes.length > 0)
          const path = concrete(routes[ask.at % routes.length]!.path)
          const request = { host: now.host, method: ask.method, path }
          const said = (match: Match) => [match.kind, 'route' in match ? match.route.name : '']
          const side = (at: number) => () => at
          expect(said(split.match({ ...request, side: side(percent) }))).toEqual(
            said(alone.now.match(request)),
          )
          expect(said(split.match({ ...request, side: side(percent - 1) }))).toEqual(
            said(alone.then.match(request)),
          )
        },
      ),
    )
  })

  it('of two versions send everybody on to TLS, whichever version they get there', () => {
    const one: PlacementSpec = {
      ...{ host: 'a.example', basePath: '/v2', prefix: { kind: 'strip' as const } },
      backends: [{ name: 'main', url: 'http://b', timeoutMs: 100 }],
      routes: [{ method: 'GET', path: '/x', treatment: { kind: 'route', backend: 'main' } }],
      policies: {
        authentication: { kind: 'none', reason: 'x' },
        transport: { plain: 'redirected' } as never,
      },
    }
    const next = {
      ...{ ...facts(), name: 'supply-live-1-next', version: '2.5.0' },
      portion: { of: 'supply-live-1', percent: 50 },
    }
    const both = [...compilePlacement(one, facts()), ...compilePlacement(one, next)]
    const router = new Router(routesOf(both))
    const at = (scheme: 'http' | 'https', side: number) => {
      const asked = { host: 'a.example', method: 'GET', path: '/v2/x', scheme, side: () => side }
      const match = router.match(asked)
      return 'route' in match ? `${match.route.target.kind} ${match.route.version}` : match.kind
    }
    for (const side of [10, 90]) expect(at('http', side)).toBe('redirect 2.4.0')
    expect([at('https', 10), at('https', 90)]).toEqual(['backend 2.5.0', 'backend 2.4.0'])
  })

  it('prefer literal text to parameters, whatever the order', () => {
    const value: PlacementSpec = {
      host: 'a.example',
      basePath: '/v2',
      prefix: { kind: 'strip' },
      backends: [{ name: 'main', url: 'http://b', timeoutMs: 100 }],
      routes: ['/interruptions/{id}', '/interruptions/export', '/{kind}/export'].map(
        (template) => ({
          method: 'GET',
          path: template,
          treatment: { kind: 'route', backend: 'main' },
        }),
      ),
      policies: { authentication: { kind: 'none', reason: 'x' } },
    }
    const match = new Router(routesFor(value)).match({
      host: 'A.example',
      method: 'GET',
      path: '/v2/interruptions/export',
    })
    expect(match).toMatchObject({ kind: 'route', route: { path: '/v2/interruptions/export' } })
    expect(rewritePath(routesFor(value)[0]!, '/v2/interruptions/7')).toBe('/interruptions/7')
    expect(outsideAddress(value, '/interruptions')).toBe('https://a.example/v2/interruptions')
  })

  it('say what is missing: host, method, or the nearest path', () => {
    const value: PlacementSpec = {
      host: 'a.example',
      basePath: '/supply/v2',
      prefix: { kind: 'strip' },
      backends: [{ name: 'main', url: 'http://b', timeoutMs: 100 }],
      routes: [
        { method: 'GET', path: '/notices/{id}', treatment: { kind: 'route', backend: 'main' } },
      ],
      policies: { authentication: { kind: 'none', reason: 'x' } },
    }
    const router = new Router(routesFor(value))
    const say = (host: string, method: string, asked: string) =>
      routeStep({ host, method, path: asked }, router.match({ host, method, path: asked })).at(-1)!
    expect(say('b.example', 'GET', '/')).toMatchObject({ name: 'listen', passed: false })
    expect(say('a.example', 'POST', '/supply/v2/notices/1').text).toMatch(
      /not for POST; it takes GET/,
    )
    const hint = (asked: string) => {
      const wanted = { host: 'a.example', method: 'GET', path: asked }
      return nearestText(wanted, nearestRoute(router.routes, wanted))
    }
    expect(hint('/notices/1')).toMatch(
      /nearest route is GET \/supply\/v2\/notices\/\{id\}; the base path is missing/,
    )
    expect(hint('/supply/v2/notises/1')).toMatch(/"notises" stands where "notices" is expected/)
  })

  it('of two placements conflict where they would answer the same', () => {
    const value = fc.sample(spec, 1)[0]!
    const mine = routesFor(value)
    expect(conflicts(mine, mine)).toHaveLength(mine.length)
    expect(conflicts(mine, routesFor({ ...value, host: 'other.example' }))).toEqual([])
  })
})

describe('resources', () => {
  it('refuse what is not a configuration, naming the resource', () => {
    const good = writeResources(compilePlacement(fc.sample(spec, 1)[0]!, facts()))
    const bad: [string, RegExp][] = [
      ['a: [', /not readable YAML/],
      ['just text', /must be an object/],
      [
        'apiVersion: v1\nkind: Whatever\nmetadata: { name: x }\nspec: {}',
        /does not know the kind Whatever/,
      ],
      [`${good}---\n${good}`, /stands twice/],
      [
        'apiVersion: v1\nkind: KeyPolicy\nmetadata: { name: k }\nspec: { header: X, keys: [], targetRef: { name: none } }',
        /does not exist/,
      ],
      [
        'apiVersion: v1\nkind: HTTPRoute\nmetadata: { name: r }\nspec: { hostnames: [a], rules: [{ backendRefs: [{ kind: Mock, name: m }], matches: [{ path: { type: RegularExpression, value: "^/(a+)+$" } }] }] }\n---\napiVersion: v1\nkind: Mock\nmetadata: { name: m }\nspec: { status: 200 }',
        /path template/,
      ],
    ]
    for (const [text, message] of bad) {
      expect(() => routesOf(readResources(text))).toThrow(ConfigurationError)
      expect(() => routesOf(readResources(text))).toThrow(message)
    }
  })
})

describe('drift', () => {
  it('of equals is empty', () => {
    fc.assert(
      fc.property(spec, (value) => {
        expect(compareRoutes(routesFor(value), routesFor(value))).toEqual([])
      }),
    )
  })

  it('is gone once what runs is adopted', () => {
    fc.assert(
      fc.property(spec, spec, (approved, other) => {
        const byHand: PlacementSpec = {
          ...other,
          host: approved.host,
          basePath: approved.basePath,
          furtherRoutes: approved.furtherRoutes ?? [],
          routes: approved.routes.map((row, i) => ({
            ...row,
            treatment: other.routes[i % other.routes.length]!.treatment,
          })),
        }
        const running = routesFor(byHand)
        if (running.length === 0) return
        const adopted = adoptRunning(approved, running, 'north-edge')
        expect(compareRoutes(routesFor(adopted), running)).toEqual([])
        expect(complaintsOf(adopted)).toEqual([])
      }),
    )
  })

  it('of SOAP is adopted by the names of its operations, without the document that it answers', () => {
    const value: PlacementSpec = {
      ...fc.sample(spec, 1)[0]!,
      policies: policiesAt(60),
      furtherRoutes: [],
      routes: ['/register', '/discard'].map((path) => ({
        method: 'POST',
        path,
        treatment: { kind: 'route', backend: 'main' },
      })),
    }
    const soap = new Map(
      value.routes.map((row) => [
        operationKey(row),
        [{ version: '1.1' as const, element: `{urn:lab}${row.path.slice(1)}` }],
      ]),
    )
    const compiled = (of: PlacementSpec) =>
      routesOf(compilePlacement(of, { ...facts(), soap, wsdl: (at) => `<wsdl at="${at}"/>` }))
    const running = compiled({ ...value, policies: policiesAt(600) })
    const adopted = adoptRunning(value, running, 'north-edge')
    expect(compareRoutes(compiled(adopted), running)).toEqual([])
    const document = running.find(({ name }) => name === 'wsdl')!
    const stranger = { ...document, placement: '', path: '/elsewhere' }
    expect(() => adoptRunning(value, [...running, stranger], 'north-edge')).toThrow(NotAdoptable)
  })

  it('says a change of all routes once, and of one where it is', () => {
    const value = {
      ...fc.sample(spec, 1)[0]!,
      policies: policiesAt(60),
      routes: [
        { method: 'GET', path: '/a', treatment: { kind: 'route' as const, backend: 'main' } },
        { method: 'GET', path: '/b', treatment: { kind: 'route' as const, backend: 'main' } },
      ],
    }
    const raised = routesFor({ ...value, policies: policiesAt(600) })
    expect(compareRoutes(routesFor(value), raised)).toMatchObject([
      {
        where: 'every operation',
        what: 'rate limit',
        ledger: '60 / minute',
        gateway: '600 / minute',
      },
    ])
    const moved = routesFor(value).map((route, i) =>
      i === 1 && route.target.kind === 'backend'
        ? {
            ...route,
            target: { ...route.target, targets: [{ url: 'http://localhost:1', weight: 1 }] },
          }
        : route,
    )
    expect(compareRoutes(routesFor(value), moved)).toMatchObject([
      { what: 'address', gateway: 'http://localhost:1' },
    ])
    expect(compareRoutes(routesFor(value), routesFor(value).slice(1))).toMatchObject([
      { what: 'route', gateway: 'not served' },
    ])
  })

  it('cannot be adopted where the definition has no such operation', () => {
    const value = {
      ...fc.sample(spec, 1)[0]!,
      routes: [
        { method: 'GET', path: '/a', treatment: { kind: 'route' as const, backend: 'main' } },
      ],
    }
    const [route] = routesFor(value)
    expect(() =>
      adoptRunning(value, [{ ...route!, path: '/somewhere/else' }], 'north-edge'),
    ).toThrow(NotAdoptable)
  })
})

describe('a placement', () => {
  it('is stopped by undecided operations, missing reasons and unknown backends', () => {
    const value: PlacementSpec = {
      host: 'https://a.example',
      basePath: 'a/',
      prefix: { kind: 'replace', with: 'x' },
      backends: [],
      routes: [
        { method: 'GET', path: '/a', treatment: { kind: 'undecided' } },
        { method: 'GET', path: '/b', treatment: { kind: 'withheld', reason: ' ' } },
        { method: 'GET', path: '/c', treatment: { kind: 'route', backend: 'none' } },
      ],
      policies: {},
    }
    expect(complaintsOf(value).map(({ field }) => field)).toEqual([
      'host',
      'basePath',
      'prefix',
      'routes',
      'routes',
      'routes',
      'policies.authentication',
    ])
  })
})
