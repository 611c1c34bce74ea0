/** A place in a text. Lines and columns count from 1; columns count UTF-16 units. */
export interface Position {
  line: number
  column: number
}

/** Something in a text that stops it from being read (`error`) or that a reader should know (`warning`). */
export interface Diagnostic extends Position {
  severity: 'error' | 'warning'
  message: string
  file: string
}

/** What a reader finds wrong at an offset of a text. */
export interface TextFault {
  message: string
  offset: number
}

/** A diagnostic of a value, before its pointer has been turned into a line and column. */
export interface PlacedDiagnostic {
  severity: Diagnostic['severity']
  message: string
  at: string
}

/** The lines of a text, so that offsets become positions and back. */
export class Lines {
  private readonly starts: number[] = [0]

  constructor(text: string) {
    for (let i = text.indexOf('\n'); i !== -1; i = text.indexOf('\n', i + 1)) {
      this.starts.push(i + 1)
    }
  }

  /** The position of an offset. */
  at(offset: number): Position {
    const { starts } = this
    let low = 0
    let high = starts.length - 1
    while (low < high) {
      const middle = (low + high + 1) >> 1
      if (starts[middle]! <= offset) low = middle
      else high = middle - 1
    }
    return { line: low + 1, column: offset - starts[low]! + 1 }
  }

  /** The offset of a position. */
  offsetOf({ line, column }: Position): number {
    return (this.starts[line - 1] ?? 0) + column - 1
  }
}
