/** Bytes that are written one after the other. */
export class ByteWriter {
  private bytes = new Uint8Array(256)
  /** How many there are. */
  length = 0

  /** Appends a whole number from 0 to 2^53 − 1: seven bits to a byte, the lowest first, all but the last byte marked. */
  varint(value: number): void {
    // No number takes more than eight bytes.
    if (this.length + 8 > this.bytes.length) this.grow()
    let rest = value
    while (rest > 127) {
      this.bytes[this.length++] = (rest % 128) + 128
      rest = Math.floor(rest / 128)
    }
    this.bytes[this.length++] = rest
  }

  /** Appends what another has written. */
  append(bytes: Uint8Array): void {
    while (this.length + bytes.length > this.bytes.length) this.grow()
    this.bytes.set(bytes, this.length)
    this.length += bytes.length
  }

  private grow(): void {
    const more = new Uint8Array(2 * this.bytes.length)
    more.set(this.bytes)
    this.bytes = more
  }

  /** What was written so far. */
  written(): Uint8Array {
    return this.bytes.subarray(0, this.length)
  }
}

/** Reads what a {@link ByteWriter} wrote, one number after the other. */
export class VarintReader {
  at = 0

  constructor(private readonly bytes: Uint8Array) {}

  get isAtEnd(): boolean {
    return this.at >= this.bytes.length
  }

  /** The next number; 0 where the bytes end within it. */
  read(): number {
    const byte = this.bytes[this.at]!
    // Most are small.
    if (byte < 128) {
      this.at++
      return byte
    }
    return this.readLong()
  }

  /** Goes past so many numbers; no further than the bytes go. */
  skip(numbers: number): void {
    const { bytes } = this
    let at = this.at
    for (let left = numbers; left > 0 && at < bytes.length; at++) if (bytes[at]! < 128) left--
    this.at = at
  }

  private readLong(): number {
    let value = 0
    for (let weight = 1; ; weight *= 128) {
      const byte = this.bytes[this.at++] ?? 0
      if (byte < 128) return value + byte * weight
      value += (byte - 128) * weight
    }
  }
}
