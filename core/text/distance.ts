/** How many letters to change, add or leave out make one text of the other (Levenshtein). */
export function editDistance(from: string, to: string): number {
  let previous = Array.from({ length: to.length + 1 }, (_, i) => i)
  for (let row = 1; row <= from.length; row++) {
    const current = [row]
    for (let i = 1; i <= to.length; i++) {
      const changed = previous[i - 1]! + (from[row - 1] === to[i - 1] ? 0 : 1)
      current.push(Math.min(changed, previous[i]! + 1, current[i - 1]! + 1))
    }
    previous = current
  }
  return previous[to.length]!
}
