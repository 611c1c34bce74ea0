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
  return Math.max(p.length, q.length) < 60 && distance(p, q) * 3 <= Math.max(p.length, q.length)
}

/** Letters to change, add or leave out to make one text of the other (Levenshtein). */
function distance(a: string, b: string): number {
  let row = Array.from({ length: b.length + 1 }, (_, i) => i)
  for (let i = 1; i <= a.length; i++) {
    const next = [i]
    for (let j = 1; j <= b.length; j++)
      next.push(
        Math.min(row[j]! + 1, next[j - 1]! + 1, row[j - 1]! + Number(a[i - 1] !== b[j - 1])),
      )
    row = next
  }
  return row[b.length]!
}
