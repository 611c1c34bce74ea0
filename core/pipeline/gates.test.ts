import { describe, expect, it } from 'vitest'
import { compareOperations } from '../compare/operations'
import {
  gateNames,
  judgeChange,
  judgeGates,
  open,
  type GateFacts,
  type GateSet,
  type Replaced,
} from './gates'
import { usualGates } from './pipeline'

const monday = Date.UTC(2026, 10, 30, 10)
const hour = 3_600_000
const facts: GateFacts = {
  findings: { must: 0, should: 0 },
  placementFindings: [],
  affected: new Map(),
  probes: [],
  outside: [],
  digest: '',
  fromStage: 'Trial',
  placed: [{ name: 'supply-trial-1', checked: true, differences: 0, since: monday - 30 * hour }],
  replaced: [],
  requester: 'tomas',
  author: 'nadia',
  approvals: [{ by: 'ruth', name: 'Ruth Amadi', role: 'reviewer' }],
  hours: Array.from({ length: 168 }, () => ({ calls: 100, failed: 0 })),
  latency: new Map([[24, 180]]),
  promoted: [],
  now: monday,
  promotion: {
    ...{ api: 'meter-readings', team: 'Metering', audience: 'partner' },
    ...{ labels: ['agreed'], version: '4.0.0', to: 'Rehearsal' },
  },
}
const none = { breaking: 0, risky: 0, safe: 0 }
const states = (change: Partial<GateFacts>) =>
  judgeGates(usualGates, { ...facts, ...change }).map(({ state }) => state)
const one = (gates: GateSet, change: Partial<GateFacts> = {}) => {
  const [gate, ...others] = judgeGates(gates, { ...facts, ...change })
  expect(others).toEqual([])
  return gate!
}
const [placed] = facts.placed

describe('the usual gates', () => {
  it('stand open when nothing is at MUST, nothing drifts and somebody else approved', () => {
    expect(open(judgeGates(usualGates, facts))).toBe(true)
  })

  it.each([
    ['findings', { findings: { must: 1, should: 0 } }, 'failed'],
    ['drift', { placed: [] }, 'failed'],
    ['drift', { placed: [{ ...placed!, differences: 2 }] }, 'failed'],
    ['drift', { placed: [{ ...placed!, checked: false }] }, 'waiting'],
    ['approval', { approvals: [] }, 'waiting'],
    ['approval', { approvals: [{ by: 'tomas', name: 'Tomas', role: 'owner' }] }, 'waiting'],
  ] as const)('are shut by each fault on its own: %s', (id, change, state) => {
    const shut = judgeGates(usualGates, { ...facts, ...change }).filter(
      (gate) => gate.state !== 'passed',
    )
    expect(shut).toMatchObject([{ id, state }])
  })

  it('are shut by a number that says too little, and wait until that is known', () => {
    const gate = (compared: Replaced['compared']) =>
      one({ version: {} }, { replaced: [{ version: '1.2.0', compared }] })
    expect(
      gate({ state: 'done', fitting: { fits: '2.0.0', isEnough: false }, counts: none }),
    ).toMatchObject({
      state: 'failed',
      text: 'What changed since 1.2.0 asks for 2.0.0; bring it in under that number',
    })
    expect(
      gate({ state: 'done', fitting: { fits: '1.3.0', isEnough: true }, counts: none }),
    ).toMatchObject({
      state: 'passed',
      text: 'It says what changed since 1.2.0',
    })
    expect(gate({ state: 'done', fitting: undefined, counts: none })).toMatchObject({
      state: 'passed',
    })
    expect(gate({ state: 'going on' })).toMatchObject({ state: 'waiting' })
    expect(gate({ state: 'failed', trouble: 'It is too large.' })).toMatchObject({
      state: 'failed',
      text: 'It cannot be compared with 1.2.0: It is too large.',
    })
  })

  it('say for each fault what opens them', () => {
    expect(states({ findings: { must: 0, should: 9 } })).not.toContain('failed')
    expect(one({ findings: { level: 'SHOULD' } }, { findings: { must: 1, should: 2 } })).toEqual({
      id: 'findings',
      title: 'No finding at MUST or SHOULD',
      state: 'failed',
      text: '1 finding at MUST and 2 findings at SHOULD; fix them in a new version',
    })
  })
})

describe('a freeze', () => {
  const freeze = {
    periods: [
      { from: '2026-12-18', until: '2027-01-04', why: 'Bills go out' },
      { from: '2026-11-29', until: '2026-11-30', why: 'Stock is taken' },
    ],
    timeZone: 'Europe/London',
  }
  it('shuts on its days, from the first minute of the first to the last of the last', () => {
    const at = (iso: string) => one({ freeze }, { now: Date.parse(iso) })
    expect(at('2026-11-28T23:59:59Z')).toMatchObject({
      ...{ state: 'passed', text: 'The next one begins on 2026-11-29: Stock is taken' },
    })
    expect(at('2026-11-29T00:00:00Z').state).toBe('waiting')
    expect(at('2026-11-30T23:59:59Z').text).toBe(
      'Stock is taken: frozen to the end of 2026-11-30, Europe/London',
    )
    expect(at('2026-12-01T00:00:00Z').text).toMatch(/2026-12-18/)
    expect(at('2027-06-01T00:00:00Z').text).toBe('None is ahead')
    const east = { ...freeze, timeZone: 'Pacific/Auckland' }
    expect(one({ freeze: east }, { now: Date.parse('2026-11-30T12:00:00Z') }).state).toBe('passed')
  })
})

describe('a quota', () => {
  it('has room again when the earliest of those that fill it is a day ago', () => {
    const quota = { promotions: 2 }
    const at = (...hours: number[]) =>
      one({ quota }, { promoted: hours.map((ago) => monday - ago * hour) })
    expect(at(3)).toMatchObject({ state: 'passed', text: '1 of 2 since this time yesterday' })
    expect(at(3, 5, 25).text).toMatch(/room again in 19 hours/)
    expect(at(3, 23.5)).toMatchObject({ state: 'waiting' })
    expect(at(3, 23.5).text).toMatch(/room again in 30 minutes/)
    expect(at(1, 2, 3).text).toMatch(/room again in 22 hours/)
    expect(at(24, 24.5).state).toBe('passed')
  })
})

describe('soaking', () => {
  it('asks for how long calls took, where that is configured', () => {
    const soak = { hours: 24, calls: 0, errorPercent: 2 }
    expect(one({ soak: { ...soak, latencyMs: 200 } })).toMatchObject({
      ...{ state: 'passed', text: '0 errors in 2,400 calls, 95 in 100 within 180 ms' },
    })
    expect(one({ soak: { ...soak, latencyMs: 179 } })).toMatchObject({ state: 'failed' })
    const none = { latency: new Map<number, number>() }
    expect(one({ soak: { ...soak, latencyMs: 1 } }, none).state).toBe('passed')
  })

  const soak = { hours: 24, calls: 100, errorPercent: 2 }
  const counted = (calls: number, failed: number) => ({
    hours: facts.hours.map((_, n) => (n === 167 ? { calls, failed } : { calls: 0, failed: 0 })),
  })

  it('waits until a version has stood there for so long', () => {
    const since = (hours: number) => ({ placed: [{ ...placed!, since: monday - hours * hour }] })
    expect(one({ soak }, since(24))).toMatchObject({ state: 'passed', title: '24 hours in Trial' })
    expect(one({ soak }, since(23.5))).toMatchObject({
      state: 'waiting',
      text: 'It was placed there as it is 23 hours ago; 1 hour are left',
    })
    expect(one({ soak }, { placed: [] }).state).toBe('failed')
  })

  it('looks at errors of that time alone, once there were calls enough to tell', () => {
    expect(one({ soak }, counted(100, 2)).state).toBe('passed')
    expect(one({ soak }, counted(100, 3)).state).toBe('failed')
    expect(one({ soak }, counted(99, 99)).state).toBe('waiting')
    const earlier = { hours: facts.hours.map((all, n) => (n < 144 ? { ...all, failed: 99 } : all)) }
    expect(one({ soak }, earlier).state).toBe('passed')
    expect(one({ soak: { ...soak, calls: 0 } }, counted(0, 0)).state).toBe('passed')
  })
})

describe('a window', () => {
  const window = { days: ['Mon', 'Tue'] as ('Mon' | 'Tue')[], from: 9, until: 11, timeZone: 'UTC' }
  it.each([
    [monday, 'UTC', 'passed'],
    [monday + hour, 'UTC', 'waiting'],
    [monday - 2 * hour, 'UTC', 'waiting'],
    [monday + 48 * hour, 'UTC', 'waiting'],
    [monday - 2 * hour, 'Europe/Helsinki', 'passed'],
  ])('is open at its hours, where it is: %i in %s', (now, timeZone, state) => {
    expect(one({ window: { ...window, timeZone } }, { now }).state).toBe(state)
  })

  it('names its days', () => {
    const title = (days: typeof window.days | string[]) =>
      one({ window: { ...window, days: days as typeof window.days } }).title
    expect(title(['Mon', 'Tue', 'Wed'])).toBe('Mon to Wed, 9:00 to 11:00')
    expect(title(['Thu', 'Mon'])).toBe('Mon, Thu, 9:00 to 11:00')
  })
})

describe('approval', () => {
  const given = (by: string, role = 'reviewer', voided?: string) => ({
    ...{ by, name: by, role },
    ...(voided !== undefined && { voided }),
  })
  const approval = { number: 2, roles: [], authorsToo: false }

  it('takes so many, of others than who asked and who wrote it', () => {
    const of = (...approvals: GateFacts['approvals']) => one({ approval }, { approvals })
    expect(of(given('ruth'), given('imara'))).toMatchObject({
      state: 'passed',
      text: 'Approved by ruth and imara',
    })
    expect(of(given('ruth'))).toMatchObject({
      state: 'waiting',
      text: 'Approved by ruth; 1 of 2 approvals',
    })
    expect(of(given('ruth'), given('nadia')).state).toBe('waiting')
    expect(of(given('ruth'), given('tomas')).state).toBe('waiting')
    expect(of(given('ruth'), given('imara', 'governance', 'it changed')).state).toBe('waiting')
  })

  it('takes those of some roles', () => {
    const asked = { number: 1, roles: ['governance'] as 'governance'[], authorsToo: true }
    const of = (role: string) => one({ approval: asked }, { approvals: [given('imara', role)] })
    expect(of('governance').state).toBe('passed')
    expect(of('reviewer')).toMatchObject({
      state: 'waiting',
      text: 'Somebody (governance) who did not ask for it has to approve',
    })
  })
})

it('gates that are not named are not judged, and all that are named stand in one order', () => {
  expect(judgeGates({}, facts)).toEqual([])
  const all = {
    approval: { number: 1, roles: [], authorsToo: true },
    window: { days: ['Mon' as const], from: 0, until: 24, timeZone: 'UTC' },
    soak: { hours: 1, calls: 0, errorPercent: 1 },
    freeze: { periods: [], timeZone: 'UTC' },
    quota: { promotions: 1 },
    callers: { days: 30, noticeDays: 0 },
    probes: { hours: 24 },
    outside: { sources: ['load-tests'] },
    condition: { all: [{ cel: 'true', says: 'Always' }] },
    ...usualGates,
  }
  expect(judgeGates(all, facts).map(({ id }) => id)).toEqual(gateNames)
})

describe('operations of two versions', () => {
  it('are the same whatever their parameters are called', () => {
    const before = [
      { method: 'GET', path: '/a/{id}' },
      { method: 'POST', path: '/a' },
    ]
    const after = [
      { method: 'GET', path: '/a/{key}' },
      { method: 'DELETE', path: '/a/{key}' },
    ]
    expect(compareOperations(before, after)).toEqual({
      added: ['DELETE /a/{key}'],
      removed: ['POST /a'],
      kept: 1,
    })
    expect(compareOperations(before, before)).toEqual({ added: [], removed: [], kept: 2 })
  })
})

it('an emergency act opens the gate for the plan it was done for, and for no other', () => {
  const review = { requester: 'tomas', author: 'nadia', approvals: [] }
  const override = { name: 'Imara Holt', reason: 'The backend burns down' }
  expect(judgeChange({}, { ...review, override })).toMatchObject([{ state: 'passed' }])
  const voided = 'what would be written has changed since'
  expect(judgeChange({}, { ...review, override: { ...override, voided } })).toMatchObject([
    { state: 'waiting', text: `The emergency act by Imara Holt is void: ${voided}` },
  ])
  // Nothing changes beyond the first stage without somebody else, even where no gate stands before it.
  expect(judgeChange({}, review)).toMatchObject([{ id: 'approval', state: 'waiting' }])
})

describe('a condition', () => {
  const condition = (cel: string) => ({ condition: { all: [{ cel, says: 'As agreed' }] } })
  const since = (breaking: number): Partial<GateFacts> => ({
    replaced: [
      {
        version: '3.9.2',
        compared: { state: 'done', fitting: undefined, counts: { ...none, breaking } },
      },
    ],
  })

  it.each([
    ['breaking == 0', 0, 'passed'],
    ['breaking == 0', 2, 'failed'],
    ['breaking == 0 || "agreed" in labels', 2, 'passed'],
    ['team == "Metering" && audience != "public"', 0, 'passed'],
    ['replaces.exists(v, v.startsWith("3."))', 0, 'passed'],
    ['requester == "tomas" && from == "Trial" && to == "Rehearsal"', 0, 'passed'],
    ['api == "meter-readings" && version.startsWith("3")', 0, 'failed'],
  ])('%s, with %i breaking changes, has %s', (cel, breaking, state) => {
    expect(one(condition(cel), since(breaking))).toMatchObject({ title: 'As agreed', state })
  })

  it('waits for a comparison, and fails with one that fails or cannot be answered', () => {
    const compared = (state: Replaced['compared']) =>
      one(condition('breaking == 0'), { replaced: [{ version: '3.9.2', compared: state }] })
    expect(compared({ state: 'going on' })).toMatchObject({ state: 'waiting' })
    expect(compared({ state: 'failed', trouble: 'cut off' })).toMatchObject({ state: 'failed' })
    expect(one(condition('labels[7] == "x"'))).toMatchObject({
      ...{ state: 'failed', text: /There is no item 7/ as unknown as string },
    })
  })
})

describe('callers of what breaks', () => {
  const day = 86_400_000
  const now = 100 * day
  const of = (days: number, noticeDays = 0, told?: number) => {
    const caller = { client: 'Alder Homes', calls: 3, operations: ['GET /readings'] }
    const affected = new Map([[30, [{ ...caller, ...(told !== undefined && { told }) }]]])
    const [gate] = judgeGates({ callers: { days, noticeDays } }, { ...facts, affected, now })
    return gate!
  }

  it('are those of so many days as the gate asks about, whatever others ask', () => {
    expect(of(30)).toMatchObject({
      state: 'failed',
      text: 'Alder Homes (3 calls) calls what breaks and was not told',
    })
    expect(of(7)).toMatchObject({
      state: 'passed',
      text: 'Nobody called what breaks in the last 7 days',
    })
  })

  it('were told so many days before, to the day', () => {
    expect(of(30, 7, now - 7 * day)).toMatchObject({ state: 'passed' })
    expect(of(30, 7, now - 7 * day + 1)).toMatchObject({
      state: 'waiting',
      text: /1 day of notice/,
    })
  })
})
