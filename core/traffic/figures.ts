import { spansOf, type Period } from './periods'
import { lengthOf, noCounts, readParts, spanAfter, type Counts } from './spans'

/** Counts of the hours, days or months of a series, as they are kept. */
export interface KeptSpan {
  /** When it began, in milliseconds since 1970. */
  span: number
  status: number
  /** Its parts; of a span that is wholly in a period ({@link isWhole}), they may be all in one. */
  parts: Uint8Array
  /** The calls of each part of such a span, from the `first` that has any. */
  line?: readonly number[] | null
  first?: number | null
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

/** Whether all parts of a span are in a period. */
export const isWhole = ({ from, to, resolution }: Period, span: number): boolean =>
  span >= from && spanAfter(resolution, span) <= to

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
  for (const { span, status, parts, line, first } of kept) {
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
    if (line) {
      for (const [n, calls] of line.entries()) isIn(first! + n, calls)
      readParts(parts, () => total)
    } else readParts(parts, (part, calls) => (isIn(part, calls) ? total : undefined))
  }
  return { total, points }
}
