/** A place in a text. Lines and columns count from 1; columns count UTF-16 units. */
export interface Position {
  line: number
  column: number
}

/** Something in a text that stops it from being read (`error`) or that a reader should know (`warning`). */
export interface Problem extends Position {
  level: 'error' | 'warning'
  message: string
  file: string
}

/** What a reader finds wrong at an offset of a text. */
export interface TextFault {
  message: string
  offset: number
}

/** A problem of a value, before its pointer has been turned into a line and column. */
export interface PlacedProblem {
  level: Problem['level']
  message: string
  at: string
}

/** The line and column of an offset, counted once per call; use {@link lineIndex} for many. */
export function positionAt(text: string, offset: number): Position {
  return lineIndex(text)(offset)
}

/** Indexes the line starts of a text; the returned function turns an offset into a position. */
export function lineIndex(text: string): (offset: number) => Position {
  const starts = [0]
  for (let i = text.indexOf('\n'); i !== -1; i = text.indexOf('\n', i + 1)) starts.push(i + 1)
  return (offset) => {
    let low = 0
    let high = starts.length - 1
    while (low < high) {
      const middle = (low + high + 1) >> 1
      if (starts[middle]! <= offset) low = middle
      else high = middle - 1
    }
    return { line: low + 1, column: offset - starts[low]! + 1 }
  }
}
