import type { Difference } from './compare'

/** What became of differences from one reading to the next. */
export interface Followed<T> {
  /** Still there, with the values they had. */
  same: T[]
  /** Still there, with other values. */
  changed: { before: T; now: Difference }[]
  opened: Difference[]
  gone: T[]
}

type Matches = (one: Difference, other: Difference) => boolean

const isOfOne: Matches = (one, other) => one.what === other.what && one.where === other.where
const hasSameValues: Matches = (one, other) =>
  isOfOne(one, other) && one.ledger === other.ledger && one.gateway === other.gateway
const meets: Matches = (one, other) =>
  one.what === other.what && one.operations.some((name) => other.operations.includes(name))
/** What was done to some operations was done to all since, or the other way round. */
const grew: Matches = (one, other) => one.what === other.what && one.gateway === other.gateway

/**
 * Which of the differences that were found are those that were known already: the same thing at the same place, whatever
 * its values are now. Each is taken once, the closest match first.
 */
export function follow<T extends Difference>(
  known: readonly T[],
  found: readonly Difference[],
): Followed<T> {
  const before = new Set(known)
  const now = new Set(found)
  const same: T[] = []
  const changed: Followed<T>['changed'] = []
  for (const matches of [hasSameValues, isOfOne, meets, grew])
    for (const one of before) {
      const match = [...now].find((other) => matches(one, other))
      if (!match) continue
      before.delete(one)
      now.delete(match)
      if (matches === hasSameValues) same.push(one)
      else changed.push({ before: one, now: match })
    }
  return { same, changed, opened: [...now], gone: [...before] }
}
