import { mediaTypeOf, readParameters } from './media'

/** The root of a message with attachments, as far as it came. */
export type RootPart = { from: number; to: number; isWhole: boolean } | { refused: string }

const [cr, lf] = [13, 10]
const plainTransfer = /^(?:7bit|8bit|binary)$/i
const longestHead = 8 * 1024

/**
 * Where the root part of a `multipart/related` body stands (RFC 2387, section 3.2): the first one, at the very beginning.
 * `bytes` is the body as Latin-1. What some reader could take for another part is refused: something before the first
 * delimiter, a delimiter that is only nearly one, another part named as the start, or a root that is encoded.
 */
export function rootPart(
  bytes: string,
  parameters: ReadonlyMap<string, string>,
  isWhole: boolean,
): RootPart {
  const boundary = parameters.get('boundary')
  if (boundary === undefined || boundary === '' || boundary.length > 70)
    return { refused: 'The message does not say what stands between its parts' }
  const delimiter = `--${boundary}`
  const at = bytes.startsWith('\r\n') ? 2 : 0
  if (!bytes.startsWith(`${delimiter}\r\n`, at))
    return { refused: 'The message does not begin with its first part' }
  const headFrom = at + delimiter.length
  const headTo = bytes.indexOf('\r\n\r\n', headFrom)
  if (headTo === -1 || headTo - headFrom > longestHead)
    return { refused: 'The first part of the message has no end' }
  const why = whyNoRoot(bytes.slice(headFrom + 2, headTo + 2), parameters.get('start'))
  if (why !== undefined) return { refused: why }
  const from = headTo + 4
  const end = bytes.indexOf(delimiter, from)
  if (end === -1)
    return isWhole
      ? { refused: 'The first part of the message has no end' }
      : { from, to: bytes.length, isWhole: false }
  const after = bytes.slice(end + delimiter.length, end + delimiter.length + 2)
  const isDelimiter =
    bytes.charCodeAt(end - 2) === cr &&
    bytes.charCodeAt(end - 1) === lf &&
    (after === '\r\n' || after === '--')
  return isDelimiter
    ? { from, to: end - 2, isWhole: true }
    : { refused: 'What stands between the parts of the message is also in the first of them' }
}

/** Why a part with such a head is not read as the root. */
function whyNoRoot(head: string, start: string | undefined): string | undefined {
  const fields = new Map<string, string>()
  for (const line of head.split('\r\n').filter(Boolean)) {
    const [, name, value] = /^([!-9;-~]{1,100}):[ \t]*(.*)$/s.exec(line) ?? []
    if (name === undefined || fields.has(name.toLowerCase()) || /[\r\n]/.test(line))
      return 'The head of the first part cannot be understood in one way only'
    fields.set(name.toLowerCase(), value!.trim())
  }
  const transfer = fields.get('content-transfer-encoding')
  if (transfer !== undefined && !plainTransfer.test(transfer))
    return `The first part is encoded (${transfer.slice(0, 40)})`
  if (start !== undefined && fields.get('content-id') !== start)
    return 'Another part than the first is said to be the root'
  const type = fields.get('content-type')
  const charset = readParameters(type)?.get('charset')
  if (type !== undefined && (!readParameters(type) || (charset && !isPlainEncoding(charset))))
    return `The first part is ${mediaTypeOf(type).slice(0, 100)} in another encoding than UTF-8`
  return undefined
}

/** Encodings in which markup is the same bytes as in UTF-8: another one would let a backend read another message. */
const markupAsInUtf8 = /^(?:utf-?8|us-ascii|iso-8859-\d{1,2}|windows-125\d)$/i

export const isPlainEncoding = (name: string): boolean => markupAsInUtf8.test(name.trim())
