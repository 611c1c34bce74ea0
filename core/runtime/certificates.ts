import { isForHost } from './addresses'

/** A certificate that lies at a gateway. Moments in ISO 8601. */
export interface HeldCertificate {
  names: readonly string[]
  begins: string
  ends: string
}

/** Whether a certificate holds at a moment, in milliseconds since 1970. */
export const isValidAt = ({ begins, ends }: HeldCertificate, now: number): boolean =>
  Date.parse(begins) <= now && now < Date.parse(ends)

/**
 * Which certificate is shown to those who ask for a host: one that holds goes before one that does not, and the later end before
 * the earlier. Undefined where none is for it.
 */
export function certificateFor<C extends HeldCertificate>(
  host: string,
  held: readonly C[],
  now: number,
): C | undefined {
  const fit = held.filter(({ names }) => isForHost(names, host))
  const valid = fit.filter((one) => isValidAt(one, now))
  return (valid.length > 0 ? valid : fit)
    .sort((one, other) => Date.parse(one.ends) - Date.parse(other.ends))
    .at(-1)
}
