import { beginOf, lengthOf, spanAfter, spanOf, type Resolution } from './spans'

/** A time that traffic is looked at, in parts of equal length; in milliseconds since 1970. */
export interface Period {
  /** The beginning of the first part. */
  from: number
  /** The end of the last part, which has not ended yet. */
  to: number
  resolution: Resolution
  /** Whether it ends now, so that nothing was counted after it. */
  isOpen?: boolean
}

const minutes = 60
const lengths = {
  '1h': { resolution: 'minute', parts: minutes },
  '24h': { resolution: 'hour', parts: 24 },
  '7d': { resolution: 'hour', parts: 7 * 24 },
  '30d': { resolution: 'day', parts: 30 },
  '90d': { resolution: 'day', parts: 90 },
} as const satisfies Record<string, { resolution: Resolution; parts: number }>

export type PeriodName = keyof typeof lengths

/** The period of a name that ends with the minute, hour or day that a moment is in. */
export const periodAt = (name: PeriodName, now: number): Period => ({
  ...lastParts(lengths[name].resolution, lengths[name].parts, now),
  isOpen: true,
})

/** The so many minutes, hours or days that end with the one that a moment is in. */
export function lastParts(resolution: Resolution, parts: number, now: number): Period {
  const to = beginOf(resolution, now) + lengthOf[resolution]
  return { from: to - parts * lengthOf[resolution], to, resolution }
}

/** The period of the same length before one, as far into it as the moment is into its own. */
export function periodBefore({ from, to, resolution }: Period): Period {
  return { from: from - (to - from), to: from, resolution }
}

/** When the parts of a period begin. */
export const partsOf = ({ from, to, resolution }: Period): number[] =>
  Array.from(
    { length: (to - from) / lengthOf[resolution] },
    (_, n) => from + n * lengthOf[resolution],
  )

/** The hours, days or months that the parts of a period are kept by: when each begins. */
export function spansOf({ from, to, resolution }: Period): number[] {
  const spans: number[] = []
  for (let span = spanOf(resolution, from); span < to; span = spanAfter(resolution, span))
    spans.push(span)
  return spans
}
