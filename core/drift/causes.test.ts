import { describe, expect, it } from 'vitest'
import { causeOf, type Circumstances } from './causes'
import type { Difference } from './compare'
import { effectsOf } from './ways'

const limit: Difference = {
  where: 'every operation',
  what: 'rate limit',
  ledger: '60 / minute',
  gateway: '600 / minute',
  cause: 'Somebody changed it on the gateway',
  operations: [],
}
const address = (ledger: string, gateway: string): Difference => ({
  ...limit,
  what: 'address',
  ledger,
  gateway,
})
const facts: Circumstances = {
  gateway: 'north-edge',
  at: '2026-11-20T10:01:00.000Z',
  before: { at: '2026-11-20T10:00:00.000Z', inStep: true },
  rollout: {
    id: 12,
    title: 'Place Levels 1.2.0 in Live',
    by: 'Oskar Lindley',
    endedAt: '2026-11-02T08:00:00.000Z',
    state: 'done',
    gateways: ['north-edge', 'south-edge'],
  },
  others: [{ gateway: 'south-edge', inStep: true }],
}
const texts = ({ evidence }: ReturnType<typeof causeOf>) => evidence.map(({ text }) => text)

describe('the likely cause of a difference', () => {
  it('is an edit past the ledger, between the two readings that tell it', () => {
    const cause = causeOf(limit, facts)
    expect(cause).toMatchObject({
      kind: 'edited',
      text: expect.stringMatching(/past the ledger/) as string,
    })
    expect(cause.evidence).toEqual([
      {
        at: facts.rollout!.endedAt,
        text: expect.stringContaining('Oskar Lindley') as string,
        rollout: 12,
      },
      { at: facts.before!.at, text: 'read, as approved' },
      { at: facts.at, text: 'read, with this difference' },
      { text: 'south-edge runs what was approved' },
    ])
  })

  it.each([
    ['http://levels.example', 'http://localhost:9999', /whichever machine north-edge itself/],
    ['http://levels.example', 'http://127.0.0.1:9', /their own computer/],
    ['http://levels.example', 'http://[::1]:9', /their own computer/],
    ['http://levels.example', 'http://192.168.4.7:9', /private network/],
  ])('is somebody’s machine: %s became %s', (ledger, gateway, says) => {
    expect(causeOf(address(ledger, gateway), facts)).toMatchObject({
      kind: 'machine',
      text: expect.stringMatching(says) as string,
    })
  })

  it('is no machine of somebody’s where private addresses were approved, or the address is public', () => {
    for (const [ledger, gateway] of [
      ['http://10.0.0.1', 'http://10.0.0.2'],
      ['http://levels.example', 'http://other.example'],
      ['http://localhost:1', 'http://localhost:2'],
    ] as const)
      expect(causeOf(address(ledger, gateway), facts).kind).toBe('edited')
  })

  it('is an old file where the gateway runs to the letter what it ran before', () => {
    const ranBefore = { from: '2026-10-01T00:00:00.000Z', until: '2026-11-02T08:00:00.000Z' }
    const cause = causeOf(limit, { ...facts, ranBefore })
    expect(cause.kind).toBe('old file')
    expect(texts(cause).slice(0, 3)).toEqual([
      'it ran exactly this',
      'it ran something else',
      'it ran exactly this again',
    ])
  })

  it('is an earlier placement, a gateway left out, or a rollout that went back', () => {
    const earlier = { version: '1.1.0', until: facts.rollout!.endedAt, rollout: 12 }
    expect(causeOf(limit, { ...facts, earlier })).toMatchObject({
      kind: 'earlier placement',
      evidence: [{ rollout: 12 }, {}],
    })
    const rollout = { ...facts.rollout!, gateways: ['south-edge'] }
    expect(causeOf(limit, { ...facts, rollout }).kind).toBe('not reached')
    const back = { ...facts.rollout!, state: 'rolled-back' as const, endedAt: facts.before!.at }
    expect(causeOf(limit, { ...facts, rollout: back }).kind).toBe('gone back')
  })

  it('is not made up where nobody read the gateway before', () => {
    const { before: _, ...first } = facts
    expect(causeOf(limit, { ...first, others: [] })).toMatchObject({ kind: 'never seen' })
  })

  it('says of the other gateways what is known, and that it is not', () => {
    const others = [{ gateway: 'south-edge', inStep: false }, { gateway: 'east-edge' }]
    expect(texts(causeOf(limit, { ...facts, others })).slice(-2)).toEqual([
      'south-edge differs too',
      'east-edge had not been read lately',
    ])
  })
})

describe('the ways out of a difference', () => {
  const route: Difference = {
    ...limit,
    what: 'route',
    ledger: 'withheld',
    gateway: 'served by main',
  }
  const touched = { calls: 214, clients: 1, unnamed: 13 }

  it('say whom putting back would stop', () => {
    expect(effectsOf(route, touched, true)).toMatchObject({
      'put-back':
        'It would stop 214 calls a day of 1 client and callers without a name: they would get a 404.',
      keep: expect.stringContaining('Nothing changes for who calls') as string,
    })
    expect(effectsOf(route, { calls: 0, clients: 0, unnamed: 0 }, true)['put-back']).toMatch(
      /nobody would notice/,
    )
    expect(effectsOf(limit, touched, true)['put-back']).toContain('are held to 60 / minute again')
    const gone = { ...route, ledger: 'served by main', gateway: 'not served' }
    expect(effectsOf(gone, touched, true)).toMatchObject({
      'put-back': expect.stringContaining('would be answered again') as string,
      keep: expect.stringContaining('go on to fail') as string,
    })
  })

  it('offer a revision instead of keeping what no definition has', () => {
    expect(Object.keys(effectsOf(route, touched, false))).toEqual(['put-back', 'accept', 'revise'])
  })
})
