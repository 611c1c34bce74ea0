import { describe, expect, it } from 'vitest'
import type { PlacementSpec } from '../runtime/placement'
import { behaviourOf, callingOf, spreadOf, type ObservedCalls } from './observed'

const spec: PlacementSpec = {
  host: 'inner.example',
  basePath: '/levels/v1',
  prefix: { kind: 'keep' },
  backends: [{ name: 'main', url: 'http://levels.example', timeoutMs: 4000 }],
  routes: [
    { method: 'GET', path: '/levels', treatment: { kind: 'route', backend: 'main' } },
    { method: 'GET', path: '/levels/{id}', treatment: { kind: 'mock' } },
    { method: 'POST', path: '/levels', treatment: { kind: 'withheld', reason: 'Inside only' } },
  ],
  policies: {},
}
const expected = {
  spec,
  responses: new Map([
    [
      'GET /levels',
      [
        { status: '200', types: ['application/json', 'image/*'] },
        { status: '4XX', types: [] },
      ],
    ],
  ]),
}
const calls = (over: Partial<ObservedCalls> = {}): ObservedCalls => ({
  operation: 'GET /levels',
  status: 200,
  step: '',
  calls: 100,
  broken: 0,
  ...over,
})
const unknown = () => false
const whats = (told: ReturnType<typeof behaviourOf>) =>
  told.map(({ difference: { where, what } }) => `${where}: ${what}`)

describe('responses held against the definition', () => {
  it.each([
    [200, ['200'], true],
    [201, ['200'], false],
    [404, ['4XX'], true],
    [404, ['4xx'], true],
    [504, ['4XX'], false],
    [504, ['default'], true],
  ])('of %i are described by %j: %s', (status, described, is) => {
    const responses = new Map([
      ['GET /levels', described.map((one) => ({ status: one, types: [] }))],
    ])
    const told = behaviourOf(
      { spec, responses },
      [calls({ status }), calls({ status: 200 })],
      [],
      unknown,
    )
    const whole = whats(told).includes(`GET /levels: response ${status}`)
    expect(whole).toBe(!is)
  })

  it('are silent where everything is as described', () => {
    const fine = [calls(), calls({ status: 404, calls: 9 })]
    expect(behaviourOf(expected, fine, [], unknown)).toEqual([])
  })

  it('tell statuses that nobody described, once there are more than a slip', () => {
    const told = (n: number, isKnown = unknown) =>
      whats(behaviourOf(expected, [calls(), calls({ status: 302, calls: n })], [], isKnown))
    expect(told(5)).toEqual(['GET /levels: response 302'])
    expect(told(4)).toEqual([])
    expect(told(1, () => true)).toEqual(['GET /levels: response 302'])
  })

  it.each([
    [200, 'text/html; charset=utf-8', true],
    [200, 'Application/JSON; charset=utf-8', false],
    [200, 'image/png', false],
    // Nothing is said of these.
    [404, 'text/html', false],
    [302, 'text/html', false],
  ])('of %i as %s are told: %s', (status, type, is) => {
    const types = [{ operation: 'GET /levels', status, type, calls: 6 }]
    const told = behaviourOf(expected, [calls()], types, unknown)
    expect(whats(told)).toEqual(is ? ['GET /levels: media type of 200'] : [])
    if (is)
      expect(told[0]!.difference).toMatchObject({
        ledger: 'application/json and image/*',
        gateway: 'text/html',
      })
    expect(behaviourOf(expected, [calls()], [{ ...types[0]!, calls: 4 }], unknown)).toEqual([])
  })

  it('tell an operation that its backend does not have, and nothing else of it', () => {
    const [told, ...others] = behaviourOf(
      expected,
      [calls({ status: 404, calls: 70 }), calls({ status: 501, calls: 30 })],
      [],
      unknown,
    )
    expect(told).toMatchObject({
      difference: { what: 'backend', ledger: 'served by main', operations: ['GET /levels'] },
      cause: { kind: 'observed', evidence: [{ text: '100 responses of 100 in 24 hours' }] },
    })
    expect(told!.difference.gateway).toMatch(/404, 501$/)
    expect(others).toEqual([])
    const half = [calls({ status: 404, calls: 50 }), calls({ calls: 50 })]
    expect(behaviourOf(expected, half, [], unknown)).toEqual([])
  })

  it('tell messages that break the definition, but nothing of mocks or of what was stopped', () => {
    expect(whats(behaviourOf(expected, [calls({ broken: 7 })], [], unknown))).toEqual([
      'GET /levels: messages',
    ])
    const others = [
      calls({ operation: 'GET /levels/{id}', status: 302 }),
      calls({ status: 429, step: 'limit' }),
    ]
    expect(behaviourOf(expected, others, [], unknown)).toEqual([])
  })
})

describe('calls held against the placement', () => {
  const quiet = { limited: [], spread: [], strayed: [] }
  const stopped = (operation: string, n: number) =>
    calls({ operation, status: 404, step: 'match', calls: n })

  it('tell withheld operations that are called, with the reason', () => {
    const [told] = callingOf(expected, [stopped('POST /levels', 20)], quiet, unknown)
    expect(told!.difference).toMatchObject({
      where: 'POST /levels',
      ledger: 'withheld: Inside only',
      gateway: 'called, and refused',
    })
    expect(callingOf(expected, [stopped('POST /levels', 4)], quiet, unknown)).toEqual([])
  })

  it('tell what nobody described, but not every path that somebody makes up', () => {
    const probes = Array.from({ length: 300 }, (_, n) => stopped(`GET /x-${n}`, 10 + n))
    const told = callingOf(expected, [...probes, stopped('others', 9999)], quiet, unknown)
    expect(told).toHaveLength(10)
    expect(told[0]!.difference).toMatchObject({
      where: 'GET /x-299',
      ledger: 'not in the definition',
    })
  })

  it('tell calls after the end, and clients that meet their limit every day', () => {
    const limited = [{ client: 'Van Tablet', days: 5 }]
    const told = callingOf(
      { ...expected, endedOn: '2026-01-31' },
      [calls()],
      { ...quiet, limited },
      unknown,
    )
    expect(told.map(({ difference: { what, gateway } }) => `${what}: ${gateway}`)).toEqual([
      'sunset: still called',
      'limit of Van Tablet: met every day',
    ])
    expect(callingOf({ ...expected, endedOn: '2026-01-31' }, [], quiet, unknown)).toEqual([])
  })

  it('tell a credential that was given elsewhere, whatever it was given for', () => {
    const strayed = ['Levels 1.0.0 in Trial', 'Gauges 2.0.0 in Live'].map((given) => ({
      ...{ client: 'Van Tablet', given, calls: 3 },
    }))
    const told = callingOf(expected, [], { ...quiet, strayed }, unknown)
    expect(told.map(({ difference }) => difference)).toMatchObject([
      {
        what: 'credential of Van Tablet for elsewhere',
        ledger: 'given for Gauges 2.0.0 in Live and Levels 1.0.0 in Trial',
        gateway: 'tried here, and refused',
      },
    ])
    // Less may be somebody's slip, unless it was told before.
    const few = { ...quiet, strayed: strayed.slice(1) }
    expect(callingOf(expected, [], few, unknown)).toEqual([])
    expect(callingOf(expected, [], few, () => true)).toHaveLength(1)
  })

  describe('from an address', () => {
    const day = 86_400_000
    const use = (address: string, since: number, recent = 9, client = 'Tarn Institute') => ({
      ...{ client, address, since: since * day, recent },
    })
    const home = use('10.1.4.0/24', 0)

    it('tell a credential that is used from where it never was', () => {
      const spread = spreadOf([home, use('10.1.5.0/24', 1), use('203.0.113.0/24', 11)])
      expect(spread).toEqual([
        {
          client: 'Tarn Institute',
          from: ['10.1.4.0/24', '10.1.5.0/24'],
          also: ['203.0.113.0/24'],
        },
      ])
      const [told] = callingOf(expected, [], { ...quiet, spread }, unknown)
      expect(told!.difference).toMatchObject({
        what: 'credential of Tarn Institute',
        ledger: 'used from 10.1.4.0/24 and 10.1.5.0/24',
        gateway: 'used from 203.0.113.0/24 too',
      })
    })

    it('are silent about slips, those who move about, and those without a name', () => {
      expect(spreadOf([home, use('203.0.113.0/24', 11, 2)])).toEqual([])
      const many = [1, 2, 3, 4].map((n) => use(`10.${n}.0.0/24`, 0))
      expect(spreadOf([...many, use('203.0.113.0/24', 11)])).toEqual([])
      expect(spreadOf([use('a', 0, 9, ''), use('b', 11, 9, '')])).toEqual([])
      expect(spreadOf([home])).toEqual([])
    })
  })
})
