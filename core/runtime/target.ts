/** A request target in origin form (RFC 9112, section 3.2.1), fit to be matched and sent on as it came. */
export interface RequestTarget {
  /** As it came, byte for byte. */
  path: string
  /** With its question mark; empty where there is none. */
  query: string
}

/** What RFC 3986 allows in a path or a query, with whole percent-encodings only. */
const allowed =
  /^\/(?:[\w\-.~!$&'()*+,;=:@/]|%[\dA-Fa-f]{2})*(?:\?(?:[\w\-.~!$&'()*+,;=:@/?[\]|^`{}"<>]|%[\dA-Fa-f]{2})*)?$/

/** What some server behind the gateway could take for another path: encoded separators, dots and control characters. */
const encodedTrick = /%(?:2[ef]|5c|[01][\da-f]|7f|25(?:2[ef]|5c|25))/i

/** A dot segment, bare or before path parameters. */
const dotSegment = /(?:^|\/)\.{1,2}(?:;[^/]*)?(?:\/|$)/

/**
 * Reads a request target, or says why it is refused. A target that a backend could understand otherwise than the
 * gateway does is refused before anything is matched, since what is matched is what is sent.
 */
export function readTarget(written: string): RequestTarget | { refused: string } {
  if (!written.startsWith('/')) return { refused: 'The request target does not begin with a slash' }
  if (!allowed.test(written))
    return { refused: 'The request target has a character that an address may not have' }
  const question = written.indexOf('?')
  const path = question === -1 ? written : written.slice(0, question)
  const query = question === -1 ? '' : written.slice(question)
  if (dotSegment.test(path)) return { refused: 'The path has a dot segment' }
  if (path.includes('//')) return { refused: 'The path has an empty segment' }
  if (encodedTrick.test(path))
    return { refused: 'The path has an encoded slash, backslash, dot or control character' }
  if (path.includes('%') && decoded(path) === undefined)
    return { refused: 'The path is not UTF-8 once it is decoded' }
  return { path, query }
}

function decoded(text: string): string | undefined {
  try {
    return decodeURIComponent(text)
  } catch {
    return undefined
  }
}

/** A segment as it is compared: `%65xport` is `export` to whoever decodes it. What cannot be decoded stays. */
export const plainSegment = (segment: string): string =>
  segment.includes('%') ? (decoded(segment) ?? segment) : segment
