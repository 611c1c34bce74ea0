import { mkdirSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { Authority } from '../standins/authority'
import { domain, gatewayNames, hosts } from './world'

const day = 86_400_000

/** Days that are left of a certificate; of the others there is more than a year. */
const ending: Record<string, number> = { 'south-edge': 12 }

/**
 * Lets the company's own authority issue what gateways show by TLS, and one certificate for a client. Written where
 * gateways look: `authority.crt`, and a folder for each gateway.
 */
export async function issueCertificates(directory: string): Promise<{ authority: string }> {
  const authority = await Authority.make('Brackenmere Works')
  mkdirSync(directory, { recursive: true })
  for (const gateway of gatewayNames) {
    const folder = join(directory, `${gateway}.certificates`)
    mkdirSync(folder, { recursive: true, mode: 0o700 })
    const names = hosts.map(({ name }) => name)
    const ends = new Date(Date.now() + (ending[gateway] ?? 397) * day)
    const { certificate, key } = await authority.issue({ commonName: domain, names, ends })
    // The key first: a certificate without one is of no use to a gateway that looks in between.
    writeFileSync(join(folder, 'hosts.key'), key, { mode: 0o600 })
    writeFileSync(join(folder, 'hosts.crt'), certificate)
  }
  const client = await authority.issue({ commonName: 'cash-desks', for: 'client' })
  writeFileSync(join(directory, 'cash-desks.key'), client.key, { mode: 0o600 })
  writeFileSync(join(directory, 'cash-desks.crt'), client.certificate)
  writeFileSync(join(directory, 'authority.crt'), authority.certificate)
  return { authority: authority.certificate }
}
