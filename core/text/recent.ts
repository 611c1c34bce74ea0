/** The number of a string's characters so far, and one more; strings of the same characters have the same. */
export const hashed = (hash: number, code: number): number => (hash * 31 + code) | 0

/** Strings kept of late, found by their characters without being cut out of the text they stand in. */
export class RecentStrings {
  private readonly slots: string[]

  /** `size` is a power of two: so many are kept at most, and of two that meet the later one. */
  constructor(size: number) {
    this.slots = Array<string>(size).fill('')
  }

  private slotOf(hash: number): number {
    return (hash ^ (hash >>> 12)) & (this.slots.length - 1)
  }

  /** The string between two offsets, if it is among those kept; with the hash of its characters. */
  find(text: string, start: number, end: number, hash: number): string | undefined {
    const found = this.slots[this.slotOf(hash)]!
    return found.length === end - start && text.startsWith(found, start) ? found : undefined
  }

  keep(written: string, hash: number): void {
    this.slots[this.slotOf(hash)] = written
  }
}
