import { spansOf, type Period } from './periods'
import { lengthOf, noCounts, readParts, readWholes, spanAfter, type Counts } from './spans'

/** Counts of an hour, a day or a month as they are kept: of one series, or of several one after the other. */
export interface KeptSpan {
  /** When it began, in milliseconds since 1970. */
  span: number
  status: number
  /** All that was counted by part, but of the series that are here as `wholes`: of a span that is wholly in a period only. */
  parts: Uint8Array
  wholes?: Uint8Array
}

export interface Ended {
  calls: number
  /** Those that were answered with a status from 400 on, and from 500 on. */
  refused: number
  failed: number
}

export interface Figures {
  total: Counts & Ended
  /** Of each part of the period. */
  points: Ended[]
}

/** Whether all that was counted of a span is in a period. */
export const isWhole = ({ from, to, resolution, isOpen }: Period, span: number): boolean =>
  span >= from && (isOpen === true || spanAfter(resolution, span) <= to)

/** What was counted in a period, of all series together. */
export function figuresOf(period: Period, kept: Iterable<KeptSpan>): Figures {
  const { from, to, resolution } = period
  const total = { ...noCounts(), refused: 0, failed: 0 }
  const points = Array.from({ length: (to - from) / lengthOf[resolution] }, (): Ended => ({
    calls: 0,
    refused: 0,
    failed: 0,
  }))
  const known = new Set(spansOf(period))
  for (const { span, status, parts, wholes } of kept) {
    if (!known.has(span)) continue
    const offset = (span - from) / lengthOf[resolution]
    const how = status >= 500 ? 'failed' : status >= 400 ? 'refused' : undefined
    const isIn = (part: number, calls: number) => {
      const point = points[offset + part]
      if (!point) return false
      point.calls += calls
      if (!how) return true
      point[how] += calls
      total[how] += calls
      return true
    }
    readParts(parts, (part, calls) => (isIn(part, calls) ? total : undefined))
    if (wholes) readWholes(wholes, total, isIn)
  }
  return { total, points }
}
