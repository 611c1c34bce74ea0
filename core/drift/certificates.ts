import { isForHost } from '../runtime/addresses'
import type { Difference } from './compare'

/** A certificate that lies at a gateway. Moments in ISO 8601. */
export interface HeldCertificate {
  names: readonly string[]
  issuer: string
  begins: string
  ends: string
}

/** A gateway that speaks TLS, with its certificates. */
export interface Speaking {
  gateway: string
  certificates: readonly HeldCertificate[]
}

/** Of those for a host the one that is shown: one that is valid before one that is not, and the later end before the earlier. */
function shownFor(host: string, { certificates }: Speaking, now: number) {
  const isValid = ({ begins, ends }: HeldCertificate) =>
    Date.parse(begins) <= now && now < Date.parse(ends)
  return certificates
    .filter(({ names }) => isForHost(names, host))
    .map((certificate) => ({ ...certificate, isValid: isValid(certificate) }))
    .sort(
      (one, other) =>
        Number(other.isValid) - Number(one.isValid) ||
        Date.parse(other.ends) - Date.parse(one.ends),
    )
    .at(0)
}

const told = ({ issuer, ends }: HeldCertificate) => `of ${issuer}, until ${ends.slice(0, 10)}`

/**
 * Hosts that a gateway has no valid certificate for, and those where it shows another one than the rest of its group: then the
 * gateway differs whose certificate ends earlier.
 */
export function compareCertificates(
  hosts: Iterable<string>,
  own: Speaking,
  others: readonly Speaking[],
  now: number,
): Difference[] {
  return [...new Set(hosts)].sort().flatMap((host) => {
    const here = { where: host, what: 'certificate', operations: [] }
    const shown = shownFor(host, own, now)
    if (!shown)
      return {
        ...here,
        ...{ ledger: 'one for this host', gateway: 'none' },
        cause: `${own.gateway} has no certificate for ${host}, so that nobody can call it by HTTPS`,
      }
    if (!shown.isValid) {
      const isOver = Date.parse(shown.ends) <= now
      const when = isOver
        ? `ended on ${shown.ends.slice(0, 10)}`
        : `begins on ${shown.begins.slice(0, 10)}`
      return {
        ...here,
        ...{ ledger: 'one that is valid', gateway: when },
        cause: `The certificate for ${host} at ${own.gateway} ${when}, and no other one is there`,
      }
    }
    const ahead = others
      .map((other) => ({ gateway: other.gateway, shown: shownFor(host, other, now) }))
      .find(
        (other) => other.shown?.isValid && Date.parse(other.shown.ends) > Date.parse(shown.ends),
      )
    if (!ahead) return []
    return {
      ...here,
      ...{ ledger: `as ${ahead.gateway}: ${told(ahead.shown!)}`, gateway: told(shown) },
      cause: `The certificate for ${host} was renewed at ${ahead.gateway}, and not at ${own.gateway}`,
    }
  })
}
