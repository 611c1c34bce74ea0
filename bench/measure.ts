/** Every figure is a ratio of two things measured in this one run; absolute times depend on the machine. */
const rounds = 7

/** Rounds that are not counted: a server that has just started is not what people wait for. */
const warming = 3

const median = (values: number[]) => values.sort((a, b) => a - b)[Math.floor(values.length / 2)]!

/** Collects garbage where the process was started to allow it, so that one figure does not pay for another. */
const tidy = (globalThis as { gc?: () => void }).gc ?? (() => undefined)

/** The median time of some work in milliseconds. */
export function timed(work: () => unknown): number {
  for (let round = 0; round < warming; round++) work()
  return median(
    Array.from({ length: rounds }, () => {
      tidy()
      const started = performance.now()
      work()
      return performance.now() - started
    }),
  )
}

export const lines: string[] = []

/** Notes a figure against what it is measured by, and the most it is meant to be. */
export function report(
  what: string,
  ms: number,
  against: string,
  base: number,
  most?: number,
): void {
  const bound = most === undefined ? '' : `, at most ${most}`
  lines.push(
    `${what.padEnd(52)} ${ms.toFixed(0).padStart(7)} ms   ${(ms / base).toFixed(2).padStart(6)} × ${against} (${base.toFixed(0)} ms${bound})`,
  )
}
