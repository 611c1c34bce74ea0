import { promisify } from 'node:util'
import { brotliCompress, constants, gzip, type BrotliOptions } from 'node:zlib'
import { appendResponseHeader, getRequestHeader, setResponseHeader, type H3Event } from 'h3'

/** Below this many bytes, what is saved is less than the header that says so. */
const least = 1024

const brotli = promisify<Uint8Array, BrotliOptions, Buffer>(brotliCompress)

const ways = {
  br: (bytes: Uint8Array) => brotli(bytes, { params: { [constants.BROTLI_PARAM_QUALITY]: 4 } }),
  gzip: promisify<Uint8Array, Buffer>(gzip),
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
  const way = wayFor(getRequestHeader(event, 'accept-encoding') ?? '')
  if (way === undefined) return body
  const bytes = typeof body === 'string' ? Buffer.from(body) : body
  if (bytes.length < least) return body
  setResponseHeader(event, 'Content-Encoding', way)
  return ways[way](bytes)
}
