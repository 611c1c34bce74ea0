import type { RolloutItem } from '~~/shared/api/rollouts'

/** Whether what was asked for still goes on: then the answer is its rollout. */
export const isUnderWay = (answer: object | undefined): answer is RolloutItem =>
  answer !== undefined && 'steps' in answer && 'placements' in answer

const stateWords = {
  running: 'under way',
  'going-back': 'going back',
  done: 'done',
  'rolled-back': 'rolled back',
} as const

export const rolloutWord = (state: RolloutItem['state']) => stateWords[state]

type StepState = RolloutItem['steps'][number]['state']

const stepWords: Record<StepState, string> = {
  waiting: 'waits for its turn',
  writing: 'is being written',
  written: 'written, to be read again',
  unknown: 'unknown',
  confirmed: 'confirmed',
  refused: 'refused',
  undone: 'put back',
  untouched: 'left as it was',
}

export const stepWord = (state: StepState) => stepWords[state]

/** A step's state as a gate shows it. */
export const stepSign = (state: StepState) =>
  state === 'confirmed'
    ? { sign: '✓', look: 'passed' }
    : state === 'refused'
      ? { sign: '✕', look: 'failed' }
      : state === 'unknown'
        ? { sign: '?', look: 'failed' }
        : state === 'undone' || state === 'untouched'
          ? { sign: '↩', look: 'waiting' }
          : { sign: '…', look: 'waiting' }
