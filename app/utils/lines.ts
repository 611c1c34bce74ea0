import { diffArrays } from 'diff'

/** Some lines of a text, the number of the first, and the line that it is about. */
export interface Piece {
  text: string
  from: number
  line: number
}

/** A line of two texts shown as one: in both, in the older alone, or in the newer alone. */
export interface ComparedLine {
  sign: ' ' | '-' | '+'
  text: string
}

/** Lines shown around the place. */
const around = 5

/**
 * Two pieces as one, line by line, around the line that they are about; undefined where they have nothing in common. What
 * one piece has beyond the ends of the other is no difference.
 */
export function comparedLines(before: Piece, after: Piece): ComparedLine[] | undefined {
  const parts = diffArrays(before.text.split('\n'), after.text.split('\n'))
  const isCommon = ({ added, removed }: (typeof parts)[number]) => !added && !removed
  if (!parts.some(isCommon)) return undefined
  const [first, last] = [parts.findIndex(isCommon), parts.findLastIndex(isCommon)]
  const lines: ComparedLine[] = []
  const places: number[] = []
  let [old, now] = [before.from, after.from]
  for (const [i, part] of parts.entries()) {
    const sign = part.added ? '+' : part.removed ? '-' : ' '
    for (const text of part.value) {
      const isAbout = (sign !== '+' && old === before.line) || (sign !== '-' && now === after.line)
      if (sign !== '+') old++
      if (sign !== '-') now++
      if (i < first || i > last) continue
      if (isAbout) places.push(lines.length)
      lines.push({ sign, text })
    }
  }
  if (places.length === 0) return lines
  return lines.slice(Math.max(0, places[0]! - around), places.at(-1)! + around + 3)
}

/** The lines of a piece around the one that it is about. */
export function linesAround({ text, from, line }: Piece): { text: string; isPlace: boolean }[] {
  const lines = text.split('\n').map((one, i) => ({ text: one, isPlace: from + i === line }))
  const at = line - from
  return lines.slice(Math.max(0, at - around), at + 2 * around)
}
