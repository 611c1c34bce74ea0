/** Longer lines are cut around the place. */
const widest = 160
/** Lines shown before and after. */
const around = 2

/** The lines around a place of a text, each with its number; the place's own is marked. */
export function excerptAt(lines: string[], line: number, column: number): string {
  const from = Math.max(1, line - around)
  const to = Math.min(lines.length, line + around)
  const width = String(to).length
  const shown: string[] = []
  for (let number = from; number <= to; number++) {
    const text = lines[number - 1] ?? ''
    const start = column > widest && number === line ? column - widest / 2 : 0
    const cut = text.slice(start, start + widest)
    const whole = `${start > 0 ? '…' : ''}${cut}${start + widest < text.length ? '…' : ''}`
    shown.push(
      `${number === line ? '›' : ' '} ${String(number).padStart(width)} ${whole}`.trimEnd(),
    )
  }
  return shown.join('\n')
}
