import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { goingOn, together, type Going, type Pace, type Watched } from './carrying-out'
import { nextAct, shareAfter, type Step } from './rollout'

const noon = Date.parse('2026-11-30T12:00:00Z')
const watch = { minutes: 10, errorPercent: 2, latencyMs: 500 }
const on = (more: Partial<Watched> = {}): Watched => ({
  ...{ gateway: 'north-edge', share: 100, since: noon, calls: 100, failed: 0, p95: 80 },
  ...more,
})
const after = (minutes: number, watched: Watched | undefined, pace: Pace = { watch }) =>
  goingOn(pace, { watched, writes: true, now: noon + minutes * 60_000 })

describe('a rollout on its way', () => {
  it('goes on at once where nothing holds it, and to its first gateway', () => {
    expect(after(0, on(), {})).toEqual({ go: 'on' })
    expect(after(0, undefined)).toEqual({ go: 'on' })
  })

  it('watches a gateway before the next, and says for how long', () => {
    expect(after(3, on())).toEqual({
      go: 'wait',
      says: 'north-edge: 0 errors in 100 calls; watched for 7 more minutes',
    })
    expect(after(9.5, on({ calls: 1 }))).toMatchObject({
      says: /1 call; watched for 1 more minute$/,
    })
    expect(after(10, on())).toEqual({ go: 'on' })
  })

  it('goes back for errors or latency past their bounds, and not for as many as may be', () => {
    expect(after(1, on({ failed: 2 }))).toMatchObject({ go: 'wait' })
    expect(after(1, on({ failed: 3 }))).toEqual({
      go: 'back',
      says: 'north-edge: 3 errors in 100 calls; at most 2 % may fail',
    })
    expect(after(1, on({ p95: 501 }))).toMatchObject({
      go: 'back',
      says: /95 in 100 within 501 ms/,
    })
    expect(after(60, on({ failed: 100 }))).toMatchObject({ go: 'back' })
    expect(after(1, on({ calls: 0, failed: 0 }))).toMatchObject({ go: 'wait' })
  })

  it('waits for its window before each gateway, but ends outside of it', () => {
    const window = { days: ['Mon' as const], from: 9, until: 16, timeZone: 'UTC' }
    expect(after(0, on(), { window })).toEqual({ go: 'on' })
    expect(after(5 * 60, on(), { window })).toEqual({
      go: 'wait',
      says: 'The window is shut; it opens Mon at 9:00, UTC',
    })
    const late = { watched: on(), writes: false, now: noon + 5 * 3_600_000 }
    expect(goingOn({ window }, late)).toEqual({ go: 'on' })
    const periods = [{ from: '2026-11-30', until: '2026-12-02', why: 'Bills go out' }]
    expect(after(0, undefined, { freeze: { periods, timeZone: 'UTC' } })).toMatchObject({
      go: 'wait',
      says: /Bills go out: frozen/,
    })
  })

  it('never goes on past a bound, and never waits once its time is over', () => {
    const counts = fc.record({
      calls: fc.nat(1000),
      share: fc.double({ min: 0, max: 1, noNaN: true }),
    })
    fc.assert(
      fc.property(counts, fc.nat(30), fc.nat(100), ({ calls, share }, minutes, errorPercent) => {
        const failed = Math.floor(calls * share)
        const { go } = after(minutes, on({ calls, failed }), {
          watch: { minutes: 10, errorPercent },
        })
        const isPast = failed * 100 > errorPercent * calls
        expect(go).toBe(isPast ? 'back' : minutes < 10 ? 'wait' : 'on')
      }),
    )
  })
})

describe('what is carried out together', () => {
  it('goes back where one of it does, and on where all of it does', () => {
    const [on, wait, back]: Going[] = [
      { go: 'on' },
      { go: 'wait', says: 'watched' },
      { go: 'back', says: 'errors' },
    ]
    expect(together([])).toEqual(on)
    expect(together([on!, wait!])).toBe(wait)
    expect(together([wait!, on!, back!])).toBe(back)
  })
})

describe('shares of callers', () => {
  it('grow one after the other at a gateway, before the next has any', () => {
    expect(after(3, on({ share: 10 }))).toMatchObject({ says: /^north-edge at 10 %: 0 errors/ })
    const steps = (first: Partial<Step>, second: Partial<Step>): Step[] => [
      { gateway: 'north', state: 'confirmed', share: 100, ...first },
      { gateway: 'south', state: 'waiting', share: 10, ...second },
    ]
    const act = (first: Partial<Step>, second: Partial<Step> = {}) =>
      nextAct('running', steps(first, second))
    expect(act({ state: 'waiting', share: 10 })).toEqual({ act: 'write', gateway: 'north' })
    expect(act({ share: 10 })).toEqual({ act: 'grow', gateway: 'north' })
    expect(act({})).toEqual({ act: 'write', gateway: 'south' })
    expect(act({}, { state: 'confirmed', share: 50 })).toEqual({ act: 'grow', gateway: 'south' })
    expect(act({}, { state: 'confirmed', share: 100 })).toEqual({ act: 'finish' })
    // What a part of the callers got goes back like all of it.
    expect(nextAct('going-back', steps({ share: 10 }, {}))).toEqual({
      act: 'undo',
      gateway: 'north',
    })
  })

  it('come to all of them, whatever they are', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 1, max: 99 }), { maxLength: 10 }), (shares) => {
        const seen: number[] = []
        for (let share = shareAfter(shares, 0); ; share = shareAfter(shares, share)) {
          seen.push(share)
          if (share === 100) break
        }
        expect(seen).toEqual([...new Set(shares)].sort((a, b) => a - b).concat(100))
      }),
    )
  })
})
