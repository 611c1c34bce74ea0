import { describe, expect, it } from 'vitest'
import { compareOperations } from '../compare/operations'
import { judgeChange, judgeGates, open, type GateFacts, type Replaced } from './gates'

const facts: GateFacts = {
  mustFindings: 0,
  placementFindings: [],
  fromStage: 'Trial',
  placed: [{ name: 'supply-trial-1', checked: true, differences: 0 }],
  replaced: [],
  requester: 'tomas',
  approvals: [{ by: 'ruth', name: 'Ruth Amadi' }],
}
const states = (change: Partial<GateFacts>) =>
  judgeGates({ ...facts, ...change }).map(({ state }) => state)

describe('gates', () => {
  it('stand open when nothing is at MUST, nothing drifts and somebody else approved', () => {
    expect(open(judgeGates(facts))).toBe(true)
  })

  it('are shut by each fault on its own', () => {
    expect(states({ mustFindings: 1 })).toEqual(['failed', 'passed', 'passed', 'passed'])
    expect(states({ placed: [] })).toEqual(['passed', 'failed', 'passed', 'passed'])
    expect(states({ placed: [{ name: 'x', checked: true, differences: 2 }] })).toEqual([
      'passed',
      'failed',
      'passed',
      'passed',
    ])
    expect(states({ placed: [{ name: 'x', checked: false, differences: 0 }] })).toEqual([
      'passed',
      'waiting',
      'passed',
      'passed',
    ])
    expect(states({ approvals: [] })).toEqual(['passed', 'passed', 'passed', 'waiting'])
  })

  it('are shut by a number that says too little, and wait until that is known', () => {
    const replaced = (compared: Replaced['compared']) => [{ version: '1.2.0', compared }]
    const gate = (compared: Replaced['compared']) =>
      judgeGates({ ...facts, replaced: replaced(compared) })[2]
    expect(gate({ state: 'done', fitting: { fits: '2.0.0', isEnough: false } })).toMatchObject({
      state: 'failed',
      text: 'What changed since 1.2.0 asks for 2.0.0; bring it in under that number',
    })
    expect(gate({ state: 'done', fitting: { fits: '1.3.0', isEnough: true } })).toMatchObject({
      state: 'passed',
      text: 'It says what changed since 1.2.0',
    })
    expect(gate({ state: 'done', fitting: undefined })).toMatchObject({ state: 'passed' })
    expect(gate({ state: 'going on' })).toMatchObject({ state: 'waiting' })
    expect(gate({ state: 'failed', trouble: 'It is too large.' })).toMatchObject({
      state: 'failed',
      text: 'It cannot be compared with 1.2.0: It is too large.',
    })
  })

  it('do not take the requester’s own approval', () => {
    expect(states({ approvals: [{ by: 'tomas', name: 'Tomas' }] })).toEqual([
      'passed',
      'passed',
      'passed',
      'waiting',
    ])
  })
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
  const review = { requester: 'tomas', approvals: [] }
  const override = { name: 'Imara Holt', reason: 'The backend burns down' }
  expect(judgeChange({ ...review, override })).toMatchObject([{ state: 'passed' }])
  const voided = 'what would be written has changed since'
  expect(judgeChange({ ...review, override: { ...override, voided } })).toMatchObject([
    { state: 'waiting', text: `The emergency act by Imara Holt is void: ${voided}` },
  ])
})
