import { listed } from '../../text/counted'

const units: [number, string][] = [
  [86_400, 'day'],
  [3600, 'hour'],
  [60, 'minute'],
  [1, 'second'],
]

/** `60 s`, `5 minutes`: a length of time in the largest unit that has no remainder. */
export function duration(seconds: number): string {
  const exact = units.find(([length]) => seconds >= length && seconds % length === 0)
  const [length, unit] = exact ?? [1, 'second']
  const n = seconds / length
  return n === 1 ? `1 ${unit}` : `${n.toLocaleString('en')} ${unit}s`
}

/** `minute` for 60, `5 minutes` for 300: what stands behind “60 a”, “60 in”. */
export const windowName = (seconds: number): string => {
  const unit = units.find(([length]) => length === seconds)?.[1]
  return unit ?? duration(seconds)
}

/** `256 kB`, `1.5 MB`. */
export function bytes(n: number): string {
  if (n < 1000) return `${n} B`
  return n < 1_000_000 ? `${round(n / 1000)} kB` : `${round(n / 1_000_000)} MB`
}

const round = (n: number) => Math.round(n * 10) / 10

/** `a, b and 3 more`. */
export const someOf = (items: readonly string[], most = 3) =>
  items.length <= most
    ? listed(items)
    : `${items.slice(0, most).join(', ')} and ${items.length - most} more`
