import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { alertKind, alertKinds, judge, quietLeft, type Watched } from './alerts'

const fine: Watched = {
  ...{ calls: 100, failed: 0, p95: 40, limited: [], usual: 90, ending: [], drift: 0 },
}
const rule = (kind: (typeof alertKinds)[number], threshold = alertKind[kind].usual) => ({
  ...{ kind, threshold, minutes: 15 },
})

describe('what an alert watches for', () => {
  it.each(alertKinds)('is silent where all is well: %s', (kind) => {
    expect(judge(rule(kind), fine)).toBeUndefined()
  })

  it.each([
    ['errors', { failed: 7 }, /^7 % of 100 requests failed in 15 minutes$/],
    ['latency', { p95: 1400.4 }, /took more than 1,400 ms/],
    ['silence', { calls: 0 }, /^Nothing was called in 15 minutes; a week before it were 90/],
    [
      'limits',
      { limited: [{ client: 'Van Tablet', calls: 12 }] },
      /^Van Tablet was told to wait 12/,
    ],
    ['limits', { limited: [{ client: '', calls: 12 }] }, /^A caller without a name/],
    ['sunset', { ending: [{ api: 'Hydrants', days: 3, calls: 9 }] }, /comes in 3 days, and 9/],
    ['sunset', { ending: [{ api: 'Hydrants', days: -2, calls: 9 }] }, /is past/],
    ['drift', { drift: 2 }, /^2 differences from what was approved stand for more than 15/],
  ] as const)('is told: %s', (kind, change, says) => {
    expect(judge(rule(kind), { ...fine, ...change } as Watched)).toMatch(says)
  })

  it('says nothing of shares of a few requests, or of ends that nobody calls', () => {
    expect(judge(rule('errors'), { ...fine, calls: 19, failed: 19 })).toBeUndefined()
    expect(judge(rule('latency'), { ...fine, calls: 3, p95: 9000 })).toBeUndefined()
    const ending = [{ api: 'Hydrants', days: 3, calls: 0 }]
    expect(judge(rule('sunset'), { ...fine, ending })).toBeUndefined()
    expect(judge(rule('silence'), { ...fine, calls: 0, usual: 9 })).toBeUndefined()
  })
})

describe('quiet hours', () => {
  const at = (clock: string) => new Date(`2026-11-20T${clock}:00Z`)
  const night = { from: '22:00', to: '06:30', timeZone: 'UTC' }

  it('go over midnight, and are those of where people are', () => {
    expect(quietLeft(night, at('21:59'))).toBe(0)
    expect(quietLeft(night, at('22:00'))).toBe(510)
    expect(quietLeft(night, at('06:29'))).toBe(1)
    expect(quietLeft(night, at('06:30'))).toBe(0)
    expect(quietLeft({ ...night, timeZone: 'Asia/Tokyo' }, at('14:00'))).toBe(450)
  })

  it('are over after the minutes that are left, and none where both are the same', () => {
    const time = fc
      .integer({ min: 0, max: 1439 })
      .map(
        (n) => `${String(Math.floor(n / 60)).padStart(2, '0')}:${String(n % 60).padStart(2, '0')}`,
      )
    fc.assert(
      fc.property(time, time, time, (from, to, now) => {
        const quiet = { from, to, timeZone: 'UTC' }
        const left = quietLeft(quiet, at(now))
        expect(quietLeft(quiet, new Date(at(now).getTime() + left * 60_000))).toBe(0)
        expect(quietLeft({ ...quiet, to: from }, at(now))).toBe(0)
      }),
    )
  })
})
