import { promisify } from 'node:util'
import { brotliCompress, constants, gzip } from 'node:zlib'
import { appendResponseHeader, getRequestHeader, setResponseHeader, type H3Event } from 'h3'

/** Below this many bytes, what is saved is less than the header that says so. */
const least = 1024

const ways = {
  br: (bytes: Buffer) =>
    promisify(brotliCompress)(bytes, { params: { [constants.BROTLI_PARAM_QUALITY]: 4 } }),
  gzip: promisify(gzip),
}

/** The best way of compressing that a client takes (RFC 9110, section 12.5.3), but for those it refuses with `q=0`. */
function wayFor(accepts: string): keyof typeof ways | undefined {
  const taken = accepts.split(',').flatMap((item) => {
    const [name = '', ...parameters] = item.split(';').map((part) => part.trim().toLowerCase())
    return parameters.some((parameter) => /^q=0(\.0*)?$/.test(parameter)) ? [] : [name]
  })
  return (['br', 'gzip'] as const).find((way) => taken.includes(way))
}

/**
 * A body as it travels. Only what is read is compressed: where something that was sent stands beside a secret, its
 * length would tell of it.
 */
export async function compressed(
  event: H3Event,
  body: string | Uint8Array,
): Promise<string | Uint8Array> {
  if (event.method !== 'GET') return body
  appendResponseHeader(event, 'Vary', 'Accept-Encoding')
  const bytes = Buffer.from(body as string)
  const way = wayFor(getRequestHeader(event, 'accept-encoding') ?? '')
  if (way === undefined || bytes.length < least) return body
  setResponseHeader(event, 'Content-Encoding', way)
  return ways[way](bytes)
}
