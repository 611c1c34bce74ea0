import { editDistance } from '../text/distance'

/** The words of a name: `meterId`, `meter_id` and `METER-ID` have the same. */
const wordsOf = (name: string): string[] =>
  name
    .replace(/([a-z\d])([A-Z])/g, '$1 $2')
    .toLowerCase()
    .split(/[^\p{L}\p{N}]+/u)
    .filter((word) => word !== '')

/** Whether two names are so alike that one may have become the other: half of their words, or nearly all letters. */
export function areAlike(a: string, b: string): boolean {
  const [left, right] = [wordsOf(a), wordsOf(b)]
  const common = left.filter((word) => right.includes(word)).length
  if (common > 0 && common * 2 >= Math.max(left.length, right.length)) return true
  const [p, q] = [left.join(''), right.join('')]
  return Math.max(p.length, q.length) < 60 && editDistance(p, q) * 3 <= Math.max(p.length, q.length)
}
