import { randomUUID } from 'node:crypto'
import {
  closeSync,
  fstatSync,
  fsyncSync,
  ftruncateSync,
  mkdirSync,
  openSync,
  readdirSync,
  readFileSync,
  readSync,
  rmSync,
  statSync,
  writeSync,
} from 'node:fs'
import { join } from 'node:path'
import type { TrafficEvent } from '../core/traffic/event'
import { writeDurably } from './durable'

export interface JournalBounds {
  /** A file is ended when it has so many bytes. */
  fileBytes: number
  /** Beyond so many bytes in all the oldest file goes, read or not. */
  bytes: number
}

/** Read at once, at most; in bytes. */
const readAtOnce = 2 * 1024 * 1024

/** Events that somebody who counts them has not taken yet. */
export interface Batch {
  /** Another one where the events began anew. */
  journal: string
  /** The number of the newest event. */
  last: number
  /** One event of JSON each. */
  lines: string[]
}

interface File {
  /** The number of its first event. */
  first: number
  path: string
}

/**
 * Events on disk, in order and numbered, until somebody who counts them has taken them. They are written at the end of
 * the turn of the event loop in which they came; a number that is missing was lost.
 */
export class Journal {
  readonly id: string
  private readonly files: File[]
  private handle: number
  private written: number
  private waiting: string[] = []
  private next: number
  private bytes: number
  /** Where the last reading ended, so that the next one need not look for it. */
  private place: { seq: number; path: string; offset: number } | undefined

  constructor(
    private readonly folder: string,
    private readonly bounds: JournalBounds,
  ) {
    mkdirSync(folder, { recursive: true, mode: 0o700 })
    this.files = readdirSync(folder)
      .flatMap((name) => {
        const first = /^(\d{15})\.jsonl$/.exec(name)?.[1]
        return first ? [{ first: Number(first), path: join(folder, name) }] : []
      })
      .sort((one, other) => one.first - other.first)
    this.id = this.identity()
    const newest = this.files.at(-1)
    this.next = newest ? mend(newest) : 1
    this.bytes = this.files.reduce((sum, { path }) => sum + statSync(path).size, 0)
    if (!newest) this.files.push(this.fileAt(this.next))
    this.handle = openSync(this.files.at(-1)!.path, 'a+', 0o600)
    this.written = fstatSync(this.handle).size
  }

  private identity(): string {
    const file = join(this.folder, 'journal')
    try {
      return readFileSync(file, 'utf8')
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'ENOENT') throw error
      // Events of another journal would be taken for its own.
      for (const { path } of this.files.splice(0)) rmSync(path)
      const id = randomUUID()
      writeDurably(file, id)
      return id
    }
  }

  private fileAt = (first: number): File => ({
    first,
    path: join(this.folder, `${String(first).padStart(15, '0')}.jsonl`),
  })

  /** Of everything on disk; in bytes. */
  get size(): number {
    return this.bytes
  }

  add(event: Omit<TrafficEvent, 'seq'>): void {
    if (this.waiting.length === 0) setImmediate(() => this.write())
    this.waiting.push(`${JSON.stringify({ seq: this.next++, ...event })}\n`)
  }

  /** Writes what has come since it was done last. What cannot be written is lost, which its number tells. */
  private write(): void {
    if (this.waiting.length === 0) return
    const first = this.next - this.waiting.length
    const bytes = Buffer.from(this.waiting.join(''))
    this.waiting = []
    try {
      if (this.written >= this.bounds.fileBytes) this.beginFile(first)
      writeSync(this.handle, bytes)
      this.written += bytes.length
      this.bytes += bytes.length
    } catch (error) {
      console.error(`events ${first} to ${this.next - 1} could not be kept:`, error)
      this.restore()
    }
    while (this.bytes > this.bounds.bytes && this.files.length > 1) this.drop()
  }

  private beginFile(first: number): void {
    const file = this.fileAt(first)
    const handle = openSync(file.path, 'a+', 0o600)
    closeSync(this.handle)
    this.handle = handle
    this.files.push(file)
    this.written = 0
  }

  /** Takes half a line away that stands at the end. */
  private restore(): void {
    try {
      ftruncateSync(this.handle, this.written)
    } catch (error) {
      console.error('the events cannot be written:', error)
    }
  }

  private drop(): void {
    const { path } = this.files.shift()!
    this.bytes -= statSync(path).size
    rmSync(path)
  }

  /**
   * The next events behind `seen`, and forgets those up to `counted`: whoever asks has counted them. What is given out is on
   * disk for good, so that no number is ever given twice.
   */
  take(counted: number, most: number, seen = counted): Batch {
    this.write()
    fsyncSync(this.handle)
    while (this.files.length > 1 && this.files[1]!.first <= counted + 1) this.drop()
    const lines: string[] = []
    for (const file of this.files) {
      if (lines.length === most) break
      if (!this.endsBefore(file, seen + 1)) this.readFrom(file, seen, most, lines)
      if (lines.length > 0) break
    }
    return { journal: this.id, last: this.next - 1, lines }
  }

  private endsBefore(file: File, seq: number): boolean {
    const following = this.files[this.files.indexOf(file) + 1]
    return following !== undefined && following.first <= seq
  }

  /** Reads lines after a number from a file, some at once. */
  private readFrom({ path }: File, after: number, most: number, into: string[]): void {
    const known = this.place?.seq === after && this.place.path === path
    let offset = known ? this.place!.offset : 0
    let seq = after
    const handle = openSync(path, 'r')
    try {
      const buffer = Buffer.allocUnsafe(readAtOnce)
      while (into.length === 0) {
        const read = readSync(handle, buffer, 0, readAtOnce, offset)
        const end = buffer.subarray(0, read).lastIndexOf(0x0a) + 1
        if (end === 0) return
        let from = 0
        while (from < end && into.length < most) {
          const to = buffer.indexOf(0x0a, from)
          const line = buffer.toString('utf8', from, to)
          from = to + 1
          const number = seqOf(line)
          if (number <= after) continue
          into.push(line)
          seq = number
        }
        offset += from
      }
    } finally {
      closeSync(handle)
    }
    this.place = { seq, path, offset }
  }

  close(): void {
    this.write()
    fsyncSync(this.handle)
    closeSync(this.handle)
  }
}

const seqOf = (line: string): number => Number(/^\{"seq":(\d+),/.exec(line)?.[1] ?? 0)

/** Takes half a line away from the end of a file, as a process that died leaves one; the number after its last. */
function mend({ path, first }: File): number {
  const text = readFileSync(path)
  const end = text.lastIndexOf(0x0a) + 1
  if (end < text.length) {
    const handle = openSync(path, 'r+')
    ftruncateSync(handle, end)
    fsyncSync(handle)
    closeSync(handle)
  }
  if (end === 0) return first
  const begin = text.lastIndexOf(0x0a, end - 2) + 1
  return seqOf(text.toString('utf8', begin, end)) + 1
}
