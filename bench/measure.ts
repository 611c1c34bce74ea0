/** Every figure is a ratio of two things measured in this one run; absolute times depend on the machine. */
const rounds = 11

/** Rounds that are not counted: a server that has just started is not what people wait for. */
const warming = 3

const median = (values: number[]) => values.sort((a, b) => a - b)[Math.floor(values.length / 2)]!

/** Collects garbage where the process was started to allow it, so that one figure does not pay for another. */
const tidy = (globalThis as { gc?: () => void }).gc ?? (() => undefined)

function time(work: () => unknown): number {
  tidy()
  const started = performance.now()
  work()
  return performance.now() - started
}

/** The median time of some work in milliseconds. */
export function timed(work: () => unknown): number {
  for (let round = 0; round < warming; round++) work()
  return median(Array.from({ length: rounds }, () => time(work)))
}

export const lines: string[] = []

/**
 * Notes how long some work takes against another, and the most times it is meant to. The two take turns, since the speed
 * of a machine changes from one second to the next.
 */
export function report(
  what: string,
  work: () => unknown,
  against: string,
  other: () => unknown,
  most: number,
): void {
  for (let round = 0; round < warming; round++) {
    other()
    work()
  }
  const turns = Array.from({ length: rounds }, () => ({ base: time(other), ms: time(work) }))
  const times = median(turns.map(({ base, ms }) => ms / base))
  const base = median(turns.map((turn) => turn.base))
  const ms = median(turns.map((turn) => turn.ms))
  lines.push(
    `${what.padEnd(52)} ${ms.toFixed(0).padStart(7)} ms   ${times.toFixed(2).padStart(6)} × ${against} (${base.toFixed(0)} ms, at most ${most})`,
  )
}
