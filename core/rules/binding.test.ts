import { describe, expect, it } from 'vitest'
import { weightOf } from './binding'
import { circumstancesOf, type Circumstances, type Rule } from './model'

const here = (facts: Partial<Circumstances>) =>
  circumstancesOf({ today: '2026-11-25', audience: 'partner', team: 'Field', ...facts })
const weigh = (binds: Rule['binds'], facts: Partial<Circumstances> = {}) =>
  weightOf({ level: 'MUST', ...(binds && { binds }) }, here(facts))

describe('how much a rule weighs', () => {
  it('is as it says where nothing binds it', () => {
    expect(weigh(undefined)).toEqual({ level: 'MUST' })
    expect(weigh({})).toEqual({ level: 'MUST' })
  })

  it('is advice until its day, which is told, and counts from that day on', () => {
    expect(weigh({ from: '2026-12-01' })).toEqual({
      level: 'MAY',
      becomes: 'MUST',
      since: '2026-12-01',
    })
    expect(weigh({ from: '2026-11-25' })).toEqual({ level: 'MUST', since: '2026-11-25' })
  })

  it.each<[Rule['binds'], Partial<Circumstances>]>([
    [{ teams: ['Field'] }, { team: 'Customer' }],
    [{ audiences: ['public'] }, { audience: 'partner' }],
    [{ lifecycles: ['active'] }, { lifecycle: 'deprecated' }],
    [
      { teams: ['Field'], audiences: ['public'] },
      { team: 'Field', audience: 'partner' },
    ],
  ])('is advice for those it does not name: %j of %j', (binds, facts) => {
    expect(weigh(binds, facts)).toEqual({ level: 'MAY' })
  })

  it('is as it says for those it names', () => {
    expect(weigh({ teams: ['Field'], audiences: ['partner', 'public'] })).toEqual({ level: 'MUST' })
  })

  it('leaves what was there before alone, where only the new is bound', () => {
    const binds = { from: '2026-06-01', onlyNew: 'versions' as const }
    expect(weigh(binds, { versionSince: '2026-05-31' })).toEqual({ level: 'MAY' })
    expect(weigh(binds, { versionSince: '2026-06-01' })).toMatchObject({ level: 'MUST' })
    const apis = { ...binds, onlyNew: 'apis' as const }
    expect(weigh(apis, { apiSince: '2020-01-01', versionSince: '2026-11-01' })).toEqual({
      level: 'MAY',
    })
  })
})
