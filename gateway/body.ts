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
  const chunks: Buffer[] = []
  let size = 0
  let held = 0
  return new Promise((resolve, reject) => {
    const { request } = passage
    const done = () => {
      request.off('data', take)
      request.off('end', end)
      request.off('error', reject)
      request.off('close', close)
    }
    passage.ends.push(() => {
      kept -= held
    })
    const take = (chunk: Buffer) => {
      size += chunk.length
      if (size <= most && kept + chunk.length > mostKept) {
        done()
        return reject(new NoRoom())
      }
      if (size <= most) {
        held += chunk.length
        kept += chunk.length
        return void chunks.push(chunk)
      }
      done()
      request.pause()
      resolve('too large')
    }
    const end = () => {
      done()
      passage.body = Buffer.concat(chunks)
      resolve(passage.body)
    }
    const close = () => {
      done()
      reject(new BrokenOff())
    }
    request.on('data', take)
    request.on('end', end)
    request.on('error', reject)
    request.on('close', close)
  })
}

/** Too many bodies are kept at once. */
export class NoRoom extends Error {}

/** The client went away in the middle of its request; there is nobody to answer. */
export class BrokenOff extends Error {}
