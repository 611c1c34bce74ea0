import type { ComparisonChange } from '~~/shared/api/comparisons'

/** A change, or all other words of an operation in one. */
export type ChangeRow =
  { operation: string; change: ComparisonChange } | { operation: string; folded: number }

/** Other words that nobody's program notices. */
const isWords = ({ effect, direction, kind }: ComparisonChange) =>
  effect === 'safe' && direction === 'none' && kind === 'changed'

/** Folds the other words of each operation into one row, where there are several. */
export function foldedRows(
  changes: readonly ComparisonChange[],
  isOpen: (operation: string) => boolean,
): ChangeRow[] {
  const rows: ChangeRow[] = []
  for (const [i, change] of changes.entries()) {
    const { operation } = change
    if (!isWords(change) || isOpen(operation)) {
      rows.push({ operation, change })
      continue
    }
    const last = rows.at(-1)
    if (last && 'folded' in last && last.operation === operation) last.folded++
    else {
      const next = changes[i + 1]
      const isAlone = !next || next.operation !== operation || !isWords(next)
      rows.push(isAlone ? { operation, change } : { operation, folded: 1 })
    }
  }
  return rows
}
