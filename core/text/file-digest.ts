import { sha256Hex } from '../ledger/chain'

/** A file by its name and the SHA-256 of its bytes, in hexadecimal. */
export interface NamedDigest {
  name: string
  sha256: string
}

/** What a whole definition is known by: its one file's hash, or a hash over all names and hashes; the main one is the first. */
export function digestOf(files: readonly NamedDigest[]): string {
  const [main, ...others] = files
  if (others.length === 0) return main!.sha256
  const named = others.map(({ name, sha256 }) => [name, sha256]).sort()
  return sha256Hex(JSON.stringify([main!.sha256, ...named]))
}
