/** How a rollout stands. It ends `done` or `rolled-back`, never between. */
export const rolloutStates = ['running', 'going-back', 'done', 'rolled-back'] as const
export type RolloutState = (typeof rolloutStates)[number]

/**
 * What is known of one gateway's part: `writing` was noted before anything was sent, so that whoever finds it after a
 * death reads the gateway first; `unknown` is a write or a read without a reply.
 */
export const stepStates = [
  'waiting',
  'writing',
  'written',
  'unknown',
  'confirmed',
  'refused',
  'undone',
  'untouched',
] as const
export type StepState = (typeof stepStates)[number]

export interface Step {
  gateway: string
  state: StepState
  /** In a hundred callers, so many get what is new; 100 where nothing is split. */
  share: number
}

/** What is to be done next for a rollout. */
export type NextAct =
  | { act: 'write'; gateway: string }
  /** Have more callers get what is new. */
  | { act: 'grow'; gateway: string }
  | { act: 'undo'; gateway: string }
  | { act: 'finish' }
  | { act: 'give-up' }

/** The share after one: the next larger of those that are asked for, and all in the end. */
export const shareAfter = (shares: readonly number[], share: number): number =>
  [...shares].sort((one, other) => one - other).find((next) => next > share) ?? 100

/** Nothing of the change can be on a gateway in these states. */
const clear: StepState[] = ['waiting', 'refused', 'undone', 'untouched']

/**
 * Decides from what is known alone, so that a process that died is replaced by any other: forward in order, one gateway
 * after the other; back in the other order, for those that may have the change.
 */
export function nextAct(state: 'running' | 'going-back', steps: Step[]): NextAct {
  if (state === 'running') {
    const next = steps.find((step) => step.state !== 'confirmed' || step.share < 100)
    if (!next) return { act: 'finish' }
    return { act: next.state === 'confirmed' ? 'grow' : 'write', gateway: next.gateway }
  }
  const next = steps.findLast((step) => !clear.includes(step.state))
  return next ? { act: 'undo', gateway: next.gateway } : { act: 'give-up' }
}
