import { Gunzip, Unzip, UnzipInflate } from 'fflate'
import { parseTar } from 'nanotar'
import { limits, tooLargeSays } from '../text/limits'
import { archiveLimits } from './limits'

export interface ArchiveEntry {
  name: string
  bytes: Uint8Array
}

/** Why an archive, or one file in it, is not taken. */
export class ArchiveFault extends Error {}

/** The kind of an archive by its first bytes, or undefined for any other file. */
export function archiveKind(bytes: Uint8Array): 'zip' | 'gzip' | 'tar' | undefined {
  if (bytes[0] === 0x50 && bytes[1] === 0x4b && (bytes[2] === 3 || bytes[2] === 5)) return 'zip'
  if (bytes[0] === 0x1f && bytes[1] === 0x8b) return 'gzip'
  const magic = new TextDecoder('latin1').decode(bytes.subarray(257, 262))
  return magic === 'ustar' ? 'tar' : undefined
}

/** What an archive holds: its files in its order, and those that are not taken, with the reason. */
export interface ArchiveContent {
  entries: ArchiveEntry[]
  leftOut: { name: string; why: string }[]
}

/** A name as it may stand in a folder: no way up, no root, no drive; undefined for what is not to be taken. */
export function safeName(name: string): string | undefined {
  const parts = name
    .replaceAll('\\', '/')
    .split('/')
    .filter((part) => part !== '' && part !== '.')
  const isUnsafe =
    name.startsWith('/') || /^[a-z]:/i.test(name) || name.includes('\0') || parts.includes('..')
  if (isUnsafe)
    throw new ArchiveFault(
      `The archive holds "${name.slice(0, 80)}", a name that leads out of its folder`,
    )
  if (parts.length === 0 || parts.some((part) => part.startsWith('.') || part === '__MACOSX'))
    return undefined
  return parts.join('/')
}

class Bounds {
  private entries = 0
  private bytes = 0

  constructor(private readonly packed: number) {}

  entry(): void {
    if (++this.entries > archiveLimits.entries) {
      throw new ArchiveFault(`The archive holds more than ${archiveLimits.entries} files`)
    }
  }

  grow(by: number): void {
    this.bytes += by
    if (this.bytes > archiveLimits.bytes) {
      throw new ArchiveFault(
        `The archive unpacks to more than ${archiveLimits.bytes / 1024 / 1024} MB`,
      )
    }
    if (this.bytes > archiveLimits.ratioFrom && this.bytes > this.packed * archiveLimits.ratio) {
      throw new ArchiveFault(
        `The archive unpacks to more than ${archiveLimits.ratio} times its size`,
      )
    }
  }
}

/** Files that are taken, and those that are left out by themselves: one of them is no reason to refuse the others. */
class Content implements ArchiveContent {
  readonly entries: ArchiveEntry[] = []
  readonly leftOut: ArchiveContent['leftOut'] = []

  add(name: string, size: number, bytes: () => Uint8Array): void {
    const safe = safeName(name)
    if (safe === undefined) return
    if (size > limits.bytes) {
      this.leftOut.push({ name: safe, why: tooLargeSays(size) })
    } else if (safe.includes('#')) {
      this.leftOut.push({ name: safe, why: 'Its name holds a #, which no reference can name' })
    } else this.entries.push({ name: safe, bytes: bytes() })
  }
}

/**
 * Reads a ZIP, TAR or gzipped TAR archive within {@link archiveLimits}. Folders, links and hidden files are not spoken
 * of. Throws an {@link ArchiveFault} for what is damaged, too large as a whole, or leads out of its folder.
 */
export function readArchive(bytes: Uint8Array): ArchiveContent {
  const kind = archiveKind(bytes)
  const bounds = new Bounds(bytes.byteLength)
  if (kind === 'zip') return readZip(bytes, bounds)
  if (kind === 'tar') return readTar(bytes, bounds)
  if (kind === 'gzip') return readTar(gunzip(bytes, bounds), bounds)
  throw new ArchiveFault('This is neither a ZIP nor a TAR archive')
}

const chunkSize = 1 << 16

function readZip(bytes: Uint8Array, bounds: Bounds): ArchiveContent {
  const content = new Content()
  let fault: unknown
  const unzip = new Unzip((file) => {
    const isFolder = file.name.endsWith('/')
    bounds.entry()
    let chunks: Uint8Array[] = []
    let size = 0
    file.ondata = (error, chunk, final) => {
      if (error) {
        // The library hands back what is thrown here.
        fault ??=
          error instanceof ArchiveFault
            ? error
            : new ArchiveFault(`"${file.name}" in the archive cannot be unpacked`)
        return
      }
      size += chunk.length
      bounds.grow(chunk.length)
      if (size > limits.bytes) chunks = []
      else chunks.push(chunk)
      if (final && !isFolder) content.add(file.name, size, () => joined(chunks, size))
    }
    file.start()
  })
  unzip.register(UnzipInflate)
  try {
    for (let at = 0; at < bytes.length; at += chunkSize) {
      unzip.push(bytes.subarray(at, at + chunkSize), at + chunkSize >= bytes.length)
      if (fault) break
    }
  } catch (error) {
    fault = error instanceof ArchiveFault ? error : new ArchiveFault('The ZIP archive is damaged')
  }
  if (fault) throw fault as Error
  return content
}

function gunzip(bytes: Uint8Array, bounds: Bounds): Uint8Array {
  const chunks: Uint8Array[] = []
  let size = 0
  const stream = new Gunzip((chunk) => {
    size += chunk.length
    bounds.grow(chunk.length)
    chunks.push(chunk)
  })
  try {
    for (let at = 0; at < bytes.length; at += chunkSize) {
      stream.push(bytes.subarray(at, at + chunkSize), at + chunkSize >= bytes.length)
    }
  } catch (error) {
    throw error instanceof ArchiveFault ? error : new ArchiveFault('The gzip archive is damaged')
  }
  return joined(chunks, size)
}

function readTar(bytes: Uint8Array, bounds: Bounds): ArchiveContent {
  let files
  try {
    files = parseTar(bytes)
  } catch {
    throw new ArchiveFault('The TAR archive is damaged')
  }
  const content = new Content()
  for (const { name, data = new Uint8Array(), type } of files) {
    bounds.entry()
    if (type === 'file') content.add(name, data.byteLength, () => data)
  }
  return content
}

function joined(chunks: Uint8Array[], size: number): Uint8Array {
  if (chunks.length === 1) return chunks[0]!
  const whole = new Uint8Array(size)
  let at = 0
  for (const chunk of chunks) {
    whole.set(chunk, at)
    at += chunk.length
  }
  return whole
}
