import { X509Certificate } from 'node:crypto'
import { existsSync, readdirSync, readFileSync, statSync } from 'node:fs'
import { join } from 'node:path'
import tls, { type SecureContext } from 'node:tls'
import { isForHost } from '../core/runtime/addresses'
import { certificateFor } from '../core/runtime/certificates'
import { errorText } from '../core/text/values'

/** What is told of a certificate: nothing of its key. */
export interface CertificateFacts {
  /** Of the file, without its ending. */
  file: string
  /** The host names it is for (RFC 5280, section 4.2.1.6); `*.water.example` is for one name below. */
  names: string[]
  issuer: string
  /** Moments in ISO 8601. */
  begins: string
  ends: string
}

interface Certificate extends CertificateFacts {
  context: SecureContext
}

/** Files are looked at again after so many milliseconds: whoever renews a certificate restarts nothing. */
const lookEvery = 2000

/**
 * The certificates of one gateway: `NAME.crt` and `NAME.key` in its folder, in PEM. Of those that are for a host, one that
 * holds goes before one that has ended, and the later end before the earlier.
 */
export class Certificates {
  private held: Certificate[] = []
  private read = ''
  private looked = 0
  /** What is wrong with files that were there and are not used. */
  troubles: string[] = []

  constructor(
    private readonly folder: string,
    private readonly now: () => number = Date.now,
  ) {}

  /** For the name that a client asks for in its handshake (RFC 6066, section 3). */
  for(name: string): SecureContext | undefined {
    return certificateFor(name.toLowerCase(), this.all(), this.now())?.context
  }

  /** Whether a connection that was made for one name may carry requests for another (RFC 9110, section 7.4). */
  serve(asked: string, host: string): boolean {
    return asked === host || this.all().some((one) => covers(one, asked) && covers(one, host))
  }

  facts(): CertificateFacts[] {
    return this.all().map(({ context: _, ...facts }) => facts)
  }

  private all(): Certificate[] {
    const now = performance.now()
    if (this.looked > 0 && now - this.looked < lookEvery) return this.held
    this.looked = now
    try {
      this.look()
    } catch (error) {
      // Files that come and go while they are looked at are looked at again; what is held goes on.
      this.read = ''
      this.troubles = [errorText(error)]
    }
    return this.held
  }

  private look(): void {
    const files = existsSync(this.folder)
      ? readdirSync(this.folder).filter((name) => /^[\w.-]+\.(?:crt|key)$/.test(name))
      : []
    const state = files.map((name) => `${name} ${statSync(join(this.folder, name)).mtimeMs}`).join()
    if (state === this.read) return
    this.read = state
    this.troubles = []
    this.held = files.filter((name) => name.endsWith('.crt')).flatMap((name) => this.load(name))
  }

  /** A file that cannot be used says why, and takes none of the others with it. */
  private load(name: string): Certificate[] {
    const file = name.slice(0, -4)
    try {
      const cert = readFileSync(join(this.folder, name))
      const key = readFileSync(join(this.folder, `${file}.key`))
      const read = new X509Certificate(cert)
      const names = [...(read.subjectAltName ?? '').matchAll(/DNS:([^,\s]+)/g)]
      return [
        {
          file,
          names: names.map(([, one]) => one!.toLowerCase()),
          issuer: /CN=(.+)/.exec(read.issuer)?.[1] ?? read.issuer.replaceAll('\n', ', '),
          begins: new Date(read.validFrom).toISOString(),
          ends: new Date(read.validTo).toISOString(),
          context: tls.createSecureContext({ cert, key, minVersion: 'TLSv1.2' }),
        },
      ]
    } catch (error) {
      this.troubles.push(`${file}: ${errorText(error)}`)
      return []
    }
  }
}

const covers = ({ names }: Pick<CertificateFacts, 'names'>, host: string) => isForHost(names, host)
