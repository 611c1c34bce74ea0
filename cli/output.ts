import { once } from 'node:events'
import { createWriteStream } from 'node:fs'
import { finished } from 'node:stream/promises'

/** Where a command writes: a file, or the terminal. Takes pieces no faster than they are read. */
export async function writeAll(
  pieces: AsyncIterable<string>,
  file: string | undefined,
): Promise<void> {
  const to = file === undefined ? process.stdout : createWriteStream(file)
  for await (const piece of pieces) {
    if (piece !== '' && !to.write(piece)) await once(to, 'drain')
  }
  if (to === process.stdout) return
  to.end()
  await finished(to)
}
