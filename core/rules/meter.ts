import type { World } from './facts/fact'

/** Which expression of a rule something is wrong with. */
export type ConditionPart = 'where' | 'expect' | 'message' | 'part'

/** An expression that cannot be read, names what is not there, or does not answer what it is asked. */
export class ConditionError extends Error {
  constructor(
    /** What is wrong, without where. */
    readonly says: string,
    /** Where in the expression, from 0. */
    readonly offset?: number,
    readonly part?: ConditionPart,
  ) {
    const at = offset === undefined ? '' : ` (at character ${offset + 1})`
    super(`${part === undefined ? '' : `${part}: `}${says}${at}`)
  }
}

/** What the evaluation of one rule has at hand: the work that is left for it in one definition, and its surroundings. */
export interface Meter {
  /** Tells it from others, so that what is remembered for it is not taken for theirs. */
  readonly id: number
  left: number
  world?: World
  /** How often lists hold their items, once that has been counted. */
  readonly counts: Map<readonly unknown[], Map<unknown, number>>
}

/** A rule that takes more steps than this in one definition is at fault itself. */
export const mostSteps = 5_000_000

let meters = 0

export const newMeter = (world?: World): Meter => ({
  id: ++meters,
  left: mostSteps,
  counts: new Map(),
  ...(world && { world }),
})

/** Takes steps from what a rule has left. Throws {@link ConditionError} where nothing is. */
export function spend(meter: Meter, steps: number): void {
  meter.left -= steps
  if (meter.left < 0) throw new ConditionError('It takes more work than one rule is given')
}
