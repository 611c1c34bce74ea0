import type { Gate } from './gates'

/** What two people let pass once: a gate as it stood, of the plan that stood then. */
export interface GateWaiver {
  gate: string
  /** How it stood, and what it said. */
  state: 'failed' | 'waiting'
  text: string
  by: string
  reason: string
  /** Who agreed; nobody has yet where it is absent. */
  second?: string
  /** Why it does not hold any more: it was given to another plan. */
  voided?: string
}

/** Whether a gate is one that can be waived: for an approval there is the emergency act. */
export const isWaivable = ({ id, state }: { id: string; state: Gate['state'] }): boolean =>
  state !== 'passed' && id !== 'approval' && id !== 'stage'

/** Gates with what was waived. One that failed is waived with that fault alone, and not with the next. */
export const withWaivers = (gates: readonly Gate[], waivers: readonly GateWaiver[]): Gate[] =>
  gates.map((gate) => {
    const waiver = waivers.find((one) => one.gate === gate.id)
    if (!waiver || !isWaivable(gate)) return gate
    const { by, second, reason } = waiver
    const why = whyOver(gate, waiver)
    if (why !== undefined)
      return { ...gate, waiver: 'void', text: `${gate.text}. The waiver by ${by} is void: ${why}` }
    return second === undefined
      ? {
          ...gate,
          waiver: 'asked',
          text: `${gate.text}. ${by} would waive it this once (${reason}); somebody else has to agree`,
        }
      : {
          ...gate,
          waiver: 'agreed',
          state: 'passed',
          text: `${gate.text}. Waived this once by ${by} and ${second}: ${reason}`,
        }
  })

function whyOver({ state, text }: Gate, waiver: GateWaiver): string | undefined {
  if (waiver.voided !== undefined) return waiver.voided
  // What it waits for may come nearer in the meantime.
  if (state === 'waiting') return waiver.state === 'waiting' ? undefined : 'it waits now'
  return waiver.state === 'failed' && waiver.text === text
    ? undefined
    : 'it is shut for something else now'
}
