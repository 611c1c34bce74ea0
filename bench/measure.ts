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

/** Notes how long people wait for one of many answers: half of them, and 95 in 100, which is meant to be `most` ms. */
export function reportWaiting(what: string, times: number[], answers: string, most: number): void {
  times.sort((a, b) => a - b)
  const at = (share: number) => times[Math.floor(times.length * share)]!.toFixed(0)
  lines.push(
    `${what.padEnd(52)} ${at(0.5).padStart(7)} ms   half of ${times.length} ${answers}; ${at(0.95)} ms for 95 in 100 (at most ${most})`,
  )
}
