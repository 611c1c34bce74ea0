import type { StageCell } from '~~/shared/api/catalog'

/** One bar of the register: a version across the stages it lives in without a gap. `from` and `to` are stage indexes. */
export interface Run {
  version: string
  from: number
  to: number
  mark: StageCell['mark']
  differences: number
  mocked: boolean
  unprotected: boolean
  others: number
}

/** Joins cells of the same version and the same mark in neighbouring stages into runs; `null` where nothing is placed. */
export function runsOf(stages: string[], cells: StageCell[]): (Run | { empty: number })[] {
  const byStage = new Map(cells.map((cell) => [cell.stage, cell]))
  const runs: (Run | { empty: number })[] = []
  stages.forEach((stage, index) => {
    const cell = byStage.get(stage)
    const last = runs.at(-1)
    if (!cell) runs.push({ empty: index })
    else if (
      last &&
      'version' in last &&
      last.version === cell.version &&
      last.mark === cell.mark &&
      last.mocked === cell.mocked
    ) {
      last.to = index
      last.differences += cell.differences
      // A version that stands beside it in several stages is one.
      last.others = Math.max(last.others, cell.others)
      last.unprotected ||= cell.unprotected
    } else {
      const { version, mark, differences, mocked, unprotected, others } = cell
      runs.push({ version, from: index, to: index, mark, differences, mocked, unprotected, others })
    }
  })
  return runs
}
