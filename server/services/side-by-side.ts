import { availableParallelism } from 'node:os'
import pMap from 'p-map'

const atOnce = 2 * availableParallelism()

/**
 * Works on items side by side, begun in their order: while half of those in work wait for the database, the others keep
 * every core busy. What one throws is thrown, and no further one is begun. What they come to stands in the order of the items.
 */
export const sideBySide = <T, R>(
  items: readonly T[],
  work: (item: T) => Promise<R>,
): Promise<R[]> => pMap(items, work, { concurrency: atOnce })
