import type { Pointer } from '../text/pointer'
import { applySplices } from './change'
import { EditFault, follow, readTree } from './tree'

/**
 * A text with two items of a list in each other's place; how they are written, and everything else, stays byte for byte.
 * Throws {@link EditFault} where they are not there.
 */
export function swapItems(
  text: string,
  syntax: 'json' | 'yaml',
  list: Pointer,
  [one, other]: readonly [number, number],
): string {
  const { nodes, missing } = follow(readTree(text, syntax), list)
  const { items = [] } = missing.length === 0 ? nodes.at(-1)! : {}
  const [first, second] = [items[Math.min(one, other)], items[Math.max(one, other)]]
  if (!first || !second || one === other) throw new EditFault('There are no two such items')
  // Items over several lines end with the line end behind them.
  const written = [first, second].map(({ start, end }) => {
    const item = text.slice(start, end).trimEnd()
    return { from: start, to: start + item.length, text: item }
  })
  const swapped = applySplices(text, [
    { ...written[0]!, text: written[1]!.text },
    { ...written[1]!, text: written[0]!.text },
  ])
  // What one of them is named for the other to use has to come first.
  readTree(swapped, syntax)
  return swapped
}
