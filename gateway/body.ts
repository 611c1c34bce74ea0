import type { Passage } from './passage'

/** What all bodies that are kept at once may come to; in bytes. */
const mostKept = 256 * 1024 * 1024
let kept = 0

/**
 * The whole body of a request, kept with its passage until that is over; or that it is larger than is looked at. Throws
 * {@link NoRoom} where too much is kept already.
 */
export async function readBody(passage: Passage, most: number): Promise<Buffer | 'too large'> {
  if (passage.body) return passage.body.length > most ? 'too large' : passage.body
  const read = await collect(passage, most)
  if (!read.isWhole) return 'too large'
  passage.body = read.bytes
  return read.bytes
}

/** How a body begins: all of it, or so many bytes and more, which whoever reads it next gets again. */
export async function readStart(
  passage: Passage,
  most: number,
): Promise<{ bytes: Buffer; isWhole: boolean }> {
  if (passage.body) return { bytes: passage.body, isWhole: true }
  const read = await collect(passage, most)
  if (read.isWhole) passage.body = read.bytes
  else passage.request.unshift(read.bytes)
  return read
}

/** Reads until the end of a body, or until there is more of it than this. */
function collect(passage: Passage, most: number): Promise<{ bytes: Buffer; isWhole: boolean }> {
  const chunks: Buffer[] = []
  let size = 0
  return new Promise((resolve, reject) => {
    const { request } = passage
    let held = 0
    const done = () => {
      request.off('data', take)
      request.off('end', end)
      request.off('error', close)
      request.off('close', close)
    }
    passage.ends.push(() => {
      kept -= held
    })
    const take = (chunk: Buffer) => {
      if (kept + chunk.length > mostKept) {
        done()
        return reject(new NoRoom())
      }
      size += chunk.length
      held += chunk.length
      kept += chunk.length
      chunks.push(chunk)
      if (size <= most) return
      done()
      request.pause()
      resolve({ bytes: Buffer.concat(chunks), isWhole: false })
    }
    const end = () => {
      done()
      resolve({ bytes: Buffer.concat(chunks), isWhole: true })
    }
    const close = () => {
      done()
      reject(new BrokenOff())
    }
    request.on('data', take)
    request.on('end', end)
    request.on('error', close)
    request.on('close', close)
    request.resume()
  })
}

/** Too many bodies are kept at once. */
export class NoRoom extends Error {}

/** The client went away in the middle of its request; there is nobody to answer. */
export class BrokenOff extends Error {}
