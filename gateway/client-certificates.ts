import { X509Certificate } from 'node:crypto'
import { TLSSocket } from 'node:tls'
import { certificateBase64 } from '../core/runtime/policies/checks'
import type { Passage } from './passage'

/** What a client showed of itself in the handshake, read once for each connection. */
const shown = new WeakMap<TLSSocket, X509Certificate | undefined>()

/** The certificate that a client has proven to have the key of; undefined where it showed none. */
export function clientCertificate({ request: { socket } }: Passage): X509Certificate | undefined {
  if (!(socket instanceof TLSSocket)) return undefined
  if (!shown.has(socket)) shown.set(socket, socket.getPeerX509Certificate())
  return shown.get(socket)
}

/** The certificate of an authority, as a policy has it. Throws where it is none. */
export const readAuthority = (written: string) =>
  new X509Certificate(Buffer.from(certificateBase64(written), 'base64'))

/** id-kp-clientAuth (RFC 5280, section 4.2.1.12). */
const clientAuth = '1.3.6.1.5.5.7.3.2'

/** Why a certificate is none of an authority's that holds now; undefined where it is one. */
export function whyNotIssuedBy(
  certificate: X509Certificate,
  authority: X509Certificate,
  now: number,
): string | undefined {
  if (!certificate.checkIssued(authority) || !certificate.verify(authority.publicKey))
    return 'was not issued by the authority that is trusted here'
  if (now < Date.parse(certificate.validFrom)) return `holds only from ${certificate.validFrom}`
  if (now >= Date.parse(certificate.validTo)) return `ended on ${certificate.validTo}`
  if (now >= Date.parse(authority.validTo))
    return `is of an authority that ended on ${authority.validTo}`
  if (certificate.ca) return 'is that of an authority, and not of a client'
  const uses = certificate.keyUsage
  return !uses || uses.includes(clientAuth) ? undefined : 'is not for clients'
}

/** The client that a certificate names; undefined where it does not say that. */
export function namedBy(
  certificate: X509Certificate,
  by: 'common-name' | 'dns' | 'uri',
): string | undefined {
  if (by === 'common-name') return /^CN=(.+)$/m.exec(certificate.subject)?.[1]
  const kind = by === 'dns' ? 'DNS' : 'URI'
  return certificate.subjectAltName
    ?.split(', ')
    .find((name) => name.startsWith(`${kind}:`))
    ?.slice(4)
}
