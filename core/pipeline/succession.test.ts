import { describe, expect, it } from 'vitest'
import { carryingText, readPipeline } from './pipeline'
import { endingFault, endingOn, isDue, succeededBy } from './succession'

const standing = (id: string, version: string, more: object = {}) => ({
  ...{ id, version, stage: 'Live', group: 'edge', ending: null },
  ...more,
})

describe('what a version succeeds', () => {
  const entered = { version: '4.0.0', stage: 'Live', groups: ['edge'] }
  const over = { as: 'deprecated' as const, since: '2026-11-01', until: '2027-01-01' }
  it.each([
    ['an earlier version beside it', standing('a', '3.9.2'), true],
    ['one whose numbers are none', standing('a', 'spring'), false],
    ['a later version', standing('a', '5.0.0'), false],
    ['the same version', standing('a', '4.0.0'), false],
    ['one in another stage', standing('a', '3.9.2', { stage: 'Trial' }), false],
    ['one on other gateways', standing('a', '3.9.2', { group: 'inner' }), false],
    ['one that ends already', standing('a', '3.9.2', { ending: over }), false],
    ['one whose address it takes', standing('taken', '3.9.2'), false],
  ])('%s: %j', (_what, one, is) => {
    expect(succeededBy(entered, [one], [{ id: 'taken' }])).toHaveLength(is ? 1 : 0)
  })

  it('ends so many days later, over leap days and years', () => {
    const retired = { becomes: 'retired', days: 90 } as const
    expect(endingOn(retired, '2027-12-01')).toEqual({
      ...{ as: 'retired', since: '2027-12-01', until: '2028-02-29' },
    })
    expect(endingOn({ ...retired, becomes: 'removed' }, '2027-12-01')).toBeUndefined()
  })

  it('is due on its day where it is retired, and never where it is deprecated', () => {
    const ending = { as: 'retired', since: '2026-11-01', until: '2027-01-01' } as const
    expect(isDue(ending, '2026-12-31')).toBe(false)
    expect(isDue(ending, '2027-01-01')).toBe(true)
    expect(isDue(over, '2030-01-01')).toBe(false)
    expect(endingFault({ ...ending, until: '2026-11-01' })).toMatch(/after today/)
    expect(endingFault({ ...ending, until: '2026-02-31' })).toMatch(/no day/)
  })
})

it('a stage says how versions are carried into it, and what becomes of those before', () => {
  const text = `pipeline: 1
stages:
  - name: Trial
  - name: Live
    carryOut: { when: open, watch: { minutes: 10 }, probes: true }
    predecessor: { becomes: retired, days: 180 }
`
  const { pipeline } = readPipeline({ file: 'a.yaml', text }, ['Trial', 'Live'])
  expect(pipeline!.stages.map(carryingText)).toEqual([
    [],
    [
      'by itself, as soon as every gate is open',
      'each gateway watched for 10 minutes',
      'probes sent through each gateway',
      'earlier versions retired, and served for 180 days',
    ],
  ])
})
