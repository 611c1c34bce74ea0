import { closeSync, fsyncSync, openSync, renameSync, writeFileSync } from 'node:fs'

/** Replaces a file whole or not at all, and so that it outlives a machine that stops. */
export function writeDurably(file: string, text: string): void {
  const half = `${file}.new`
  const written = openSync(half, 'w', 0o600)
  try {
    writeFileSync(written, text)
    fsyncSync(written)
  } finally {
    closeSync(written)
  }
  renameSync(half, file)
}
