import {
  createCipheriv,
  createDecipheriv,
  createHash,
  hkdfSync,
  randomBytes,
  timingSafeEqual,
} from 'node:crypto'

const keyOf = (secret: string) => Buffer.from(hkdfSync('sha256', secret, '', 'elm sealing', 32))

const digest = (text: string) => createHash('sha256').update(text).digest()

/** Whether somebody gave the secret that is asked for, in a time that tells nothing of it. */
export const isSecret = (given: string, secret: string): boolean =>
  secret !== '' && timingSafeEqual(digest(given), digest(secret))

/** A text that only processes with the installation's secret can read: AES-256-GCM, in base64url. */
export function seal(secret: string, text: string): string {
  const nonce = randomBytes(12)
  const cipher = createCipheriv('aes-256-gcm', keyOf(secret), nonce)
  const sealed = Buffer.concat([cipher.update(text, 'utf8'), cipher.final()])
  return Buffer.concat([nonce, cipher.getAuthTag(), sealed]).toString('base64url')
}

/** The text again; throws where it was sealed with another secret, or changed. */
export function unseal(secret: string, sealed: string): string {
  const bytes = Buffer.from(sealed, 'base64url')
  const decipher = createDecipheriv('aes-256-gcm', keyOf(secret), bytes.subarray(0, 12))
  decipher.setAuthTag(bytes.subarray(12, 28))
  return Buffer.concat([decipher.update(bytes.subarray(28)), decipher.final()]).toString('utf8')
}
