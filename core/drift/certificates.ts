import { certificateFor, isValidAt, type HeldCertificate } from '../runtime/certificates'
import type { Difference } from './compare'

interface IssuedCertificate extends HeldCertificate {
  issuer: string
}

/** A gateway that speaks TLS, with its certificates. */
export interface Speaking {
  gateway: string
  certificates: readonly IssuedCertificate[]
}

const told = ({ issuer, ends }: IssuedCertificate) => `of ${issuer}, until ${ends.slice(0, 10)}`

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
    const shown = certificateFor(host, own.certificates, now)
    if (!shown)
      return {
        ...here,
        ...{ ledger: 'one for this host', gateway: 'none' },
        cause: `${own.gateway} has no certificate for ${host}, so that nobody can call it by HTTPS`,
      }
    if (!isValidAt(shown, now)) {
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
    const [ahead] = others.flatMap(({ gateway, certificates }) => {
      const renewed = certificateFor(host, certificates, now)
      const isAhead =
        renewed && isValidAt(renewed, now) && Date.parse(renewed.ends) > Date.parse(shown.ends)
      return isAhead ? [{ gateway, renewed }] : []
    })
    if (!ahead) return []
    return {
      ...here,
      ...{ ledger: `as ${ahead.gateway}: ${told(ahead.renewed)}`, gateway: told(shown) },
      cause: `The certificate for ${host} was renewed at ${ahead.gateway}, and not at ${own.gateway}`,
    }
  })
}
