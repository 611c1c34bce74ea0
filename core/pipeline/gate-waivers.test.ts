import { describe, expect, it } from 'vitest'
import type { Gate } from './gates'
import { withWaivers, type GateWaiver } from './gate-waivers'

const failed: Gate = { id: 'findings', title: 'No finding', state: 'failed', text: '1 finding' }
const waiver: GateWaiver = {
  ...{ gate: 'findings', state: 'failed', text: '1 finding', by: 'Imara Holt' },
  ...{ reason: 'Mended on Monday', second: 'Ruth Amadi' },
}
const one = (gate: Gate, ...waivers: GateWaiver[]) => withWaivers([gate], waivers)[0]!

describe('a gate that is waived', () => {
  it('is open once a second person agreed, and says by whom and why', () => {
    expect(one(failed, waiver)).toMatchObject({
      ...{ state: 'passed', waiver: 'agreed' },
      text: '1 finding. Waived this once by Imara Holt and Ruth Amadi: Mended on Monday',
    })
    const { second: _, ...alone } = waiver
    expect(one(failed, alone)).toMatchObject({ state: 'failed', waiver: 'asked' })
  })

  it('is shut again where it is of another plan, or shut for something else', () => {
    const voided = { ...waiver, voided: 'the placement it starts from has changed since' }
    expect(one(failed, voided)).toMatchObject({ state: 'failed', waiver: 'void' })
    expect(one({ ...failed, text: '2 findings' }, waiver).state).toBe('failed')
    expect(one({ ...failed, state: 'waiting' }, waiver).state).toBe('waiting')
  })

  it('that waits is open while it waits, and not once it fails', () => {
    const waiting: GateWaiver = { ...waiver, gate: 'soak', state: 'waiting', text: '9 hours left' }
    const soak: Gate = { id: 'soak', title: 'Soaks', state: 'waiting', text: '8 hours left' }
    expect(one(soak, waiting).state).toBe('passed')
    expect(one({ ...soak, state: 'failed' }, waiting).state).toBe('failed')
  })

  it('is left alone where it is open, or for somebody to approve', () => {
    const open: Gate = { ...failed, state: 'passed' }
    expect(one(open, waiver)).toBe(open)
    const approval: Gate = { ...failed, id: 'approval' }
    expect(one(approval, { ...waiver, gate: 'approval' })).toBe(approval)
  })
})
