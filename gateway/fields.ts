/** Query parameters and cookies as they are written: pieces that are looked at by name, and kept byte for byte. */

const decoded = (text: string): string | undefined => {
  try {
    return decodeURIComponent(text.replaceAll('+', ' '))
  } catch {
    return undefined
  }
}

export interface Piece {
  /** As it came: `area=north`. */
  raw: string
  name: string
  value: string
}

const pieceOf = (raw: string, read: (text: string) => string): Piece => {
  const at = raw.indexOf('=')
  return at === -1
    ? { raw, name: read(raw), value: '' }
    : { raw, name: read(raw.slice(0, at)), value: read(raw.slice(at + 1)) }
}

/** The parameters of a query with its question mark, in order. */
export const readQuery = (query: string): Piece[] =>
  query.length < 2
    ? []
    : query
        .slice(1)
        .split('&')
        .map((raw) => pieceOf(raw, (text) => decoded(text) ?? text))

export const writeQuery = (pieces: readonly Piece[]) =>
  pieces.length === 0 ? '' : `?${pieces.map(({ raw }) => raw).join('&')}`

export const queryPiece = (name: string, value: string): Piece => ({
  raw: `${encodeURIComponent(name)}=${encodeURIComponent(value)}`,
  name,
  value,
})

/** The cookies of a request (RFC 6265, section 4.2.1), in order. */
export const readCookies = (header: string | undefined): Piece[] =>
  header === undefined || header === ''
    ? []
    : header.split(';').map((raw) => pieceOf(raw.trim(), (text) => text.trim()))

export const writeCookies = (pieces: readonly Piece[]) => pieces.map(({ raw }) => raw).join('; ')

export const cookiePiece = (name: string, value: string): Piece => ({
  raw: `${name}=${encodeURIComponent(value)}`,
  name,
  value,
})

/** The one value of a name; undefined where there is none, or more than one. */
export function only(pieces: readonly Piece[], name: string): string | undefined {
  const found = pieces.filter((piece) => piece.name === name)
  return found.length === 1 ? found[0]!.value : undefined
}
