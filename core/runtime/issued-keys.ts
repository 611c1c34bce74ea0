/** What keys that the ledger issues look like: three letters and 24 random bytes as base64url (RFC 4648). */
const issued = /^elm_[\w-]{32}$/

/** A key of this many random bytes. */
export const issuedKey = (random: Uint8Array): string =>
  `elm_${Buffer.from(random).toString('base64url')}`

/**
 * What is told of a key that a gateway refused: the beginning of its digest, by which the ledger finds one that it has issued for
 * another place. Of what looks like anybody's password nothing is told.
 */
export const toldOf = (key: string, sha256: string): string =>
  issued.test(key) ? sha256.slice(0, 16) : ''
