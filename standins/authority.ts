import 'reflect-metadata'
import * as x509 from '@peculiar/x509'
import { webcrypto } from 'node:crypto'

x509.cryptoProvider.set(webcrypto as Crypto)

const algorithm = { name: 'ECDSA', namedCurve: 'P-256', hash: 'SHA-256' }
const day = 86_400_000

/** A certificate and its key, in PEM. */
export interface Issued {
  certificate: string
  key: string
}

export interface Issuing {
  commonName: string
  /** DNS names; none where absent. */
  names?: string[]
  begins?: Date
  ends?: Date
  for?: 'server' | 'client' | 'authority'
}

/** A certificate authority, as an organisation has one of its own. */
export class Authority {
  private constructor(
    private readonly keys: CryptoKeyPair,
    private readonly own: x509.X509Certificate,
  ) {}

  static async make(commonName: string, days = 3650): Promise<Authority> {
    const keys = await makeKeys()
    const own = await x509.X509CertificateGenerator.createSelfSigned({
      serialNumber: serial(),
      name: nameOf(commonName),
      notBefore: new Date(Date.now() - day),
      notAfter: new Date(Date.now() + days * day),
      signingAlgorithm: algorithm,
      keys,
      extensions: [
        new x509.BasicConstraintsExtension(true, 0, true),
        new x509.KeyUsagesExtension(x509.KeyUsageFlags.keyCertSign, true),
      ],
    })
    return new Authority(keys, own)
  }

  /** In PEM. */
  get certificate(): string {
    return `${this.own.toString('pem')}\n`
  }

  async issue({
    commonName,
    names = [],
    begins,
    ends,
    for: use = 'server',
  }: Issuing): Promise<Issued> {
    const keys = await makeKeys()
    const { serverAuth, clientAuth } = x509.ExtendedKeyUsage
    const certificate = await x509.X509CertificateGenerator.create({
      serialNumber: serial(),
      subject: nameOf(commonName),
      issuer: this.own.subject,
      notBefore: begins ?? new Date(Date.now() - day),
      notAfter: ends ?? new Date(Date.now() + 397 * day),
      publicKey: keys.publicKey,
      signingKey: this.keys.privateKey,
      signingAlgorithm: algorithm,
      extensions: [
        new x509.BasicConstraintsExtension(use === 'authority', undefined, true),
        ...(use === 'authority'
          ? []
          : [new x509.ExtendedKeyUsageExtension([use === 'server' ? serverAuth : clientAuth])]),
        ...(names.length > 0
          ? [
              new x509.SubjectAlternativeNameExtension(
                names.map((value) => ({ type: 'dns' as const, value })),
              ),
            ]
          : []),
      ],
    })
    const pkcs8 = await webcrypto.subtle.exportKey('pkcs8', keys.privateKey)
    return {
      certificate: `${certificate.toString('pem')}\n`,
      key: `${x509.PemConverter.encode(pkcs8, 'PRIVATE KEY')}\n`,
    }
  }
}

const makeKeys = () => webcrypto.subtle.generateKey(algorithm, true, ['sign', 'verify'])

const serial = () => Buffer.from(webcrypto.getRandomValues(new Uint8Array(12))).toString('hex')

const nameOf = (commonName: string) => `CN=${commonName}`
