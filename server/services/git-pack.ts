import { inflateSync } from 'node:zlib'

/** Objects that carry a difference to another one (gitformat-pack, "Pack file entries"). */
const [offsetDelta, refDelta] = [6, 7]
const header = 12
const checksum = 20

/**
 * Why a pack from a stranger is not to be unpacked; undefined where its objects come to no more than so many bytes. What
 * each comes to is written before it, so that nothing is inflated beyond that.
 */
export function whyNotUnpacked(pack: Uint8Array, mostBytes: number): string | undefined {
  const bytes = Buffer.from(pack.buffer, pack.byteOffset, pack.byteLength)
  if (bytes.length < header + checksum || bytes.toString('latin1', 0, 4) !== 'PACK')
    return 'It sent no pack'
  const broken = 'It sent a pack that is broken'
  const objects = bytes.readUInt32BE(8)
  let [at, left] = [header, mostBytes]
  try {
    for (let n = 0; n < objects; n++) {
      const type = (bytes[at]! >> 4) & 7
      const size = sizeAt(bytes, at, 4)
      at = size.next
      if (type === refDelta) at += 20
      if (type === offsetDelta) at = sizeAt(bytes, at, 7).next
      left -= size.value
      if (left < 0) return tooLarge(mostBytes)
      const { buffer, engine } = inflateSync(bytes.subarray(at, -checksum), {
        ...{ info: true, maxOutputLength: Math.max(1, size.value) },
      }) as unknown as { buffer: Buffer; engine: { bytesWritten: number } }
      if (buffer.length !== size.value) return broken
      at += engine.bytesWritten
      if (type === offsetDelta || type === refDelta) {
        left -= sizeAt(buffer, sizeAt(buffer, 0, 7).next, 7).value
        if (left < 0) return tooLarge(mostBytes)
      }
    }
  } catch {
    return broken
  }
  return at === bytes.length - checksum ? undefined : broken
}

const tooLarge = (most: number) =>
  `Its files come to more than ${most / 1024 / 1024} MB, without those of earlier commits`

/** A number in seven bits of each byte, the lowest first; of the first byte so many bits are its own. */
function sizeAt(bytes: Buffer, start: number, firstBits: number): { value: number; next: number } {
  let [at, shift] = [start, firstBits]
  let byte = bytes.readUInt8(at++)
  let value = byte & ((1 << firstBits) - 1)
  while (byte & 0x80) {
    byte = bytes.readUInt8(at++)
    value += (byte & 0x7f) * 2 ** shift
    shift += 7
    if (shift > 49) throw new RangeError('too long')
  }
  return { value, next: at }
}
