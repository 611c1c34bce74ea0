import { randomBytes, scrypt, timingSafeEqual, type ScryptOptions } from 'node:crypto'
import { Failure } from './failure'

/** scrypt (RFC 7914) with 32 MB a hash. */
const cost: ScryptOptions = { N: 32_768, r: 8, p: 1, maxmem: 64 * 1024 * 1024 }
/** Hashes at once, and those that may wait: more would take the memory and the time of everybody else. */
const atOnce = 4
const mostWaiting = 40

let running = 0
const waiting: (() => void)[] = []

async function inTurn<T>(work: () => Promise<T>): Promise<T> {
  if (running >= atOnce) {
    if (waiting.length >= mostWaiting) {
      throw new Failure(
        429,
        'Too many tries',
        'Too many people sign in at once. Try again in a moment.',
        undefined,
        { 'Retry-After': '5' },
      )
    }
    await new Promise<void>((resolve) => waiting.push(resolve))
  }
  running++
  try {
    return await work()
  } finally {
    running--
    waiting.shift()?.()
  }
}

const derive = (password: string, salt: Buffer) =>
  inTurn(
    () =>
      new Promise<Buffer>((resolve, reject) =>
        scrypt(password.normalize('NFKC'), salt, 32, cost, (error, key) =>
          error ? reject(error) : resolve(key),
        ),
      ),
  )

/** A password as it is stored: salt and key in hexadecimal. */
export async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(16)
  return `scrypt$${salt.toString('hex')}$${(await derive(password, salt)).toString('hex')}`
}

/** Whether a password is the one that was stored; nothing fits where none was, after the same work. */
export async function passwordFits(password: string, stored: string): Promise<boolean> {
  const [, salt = '00', key = ''] = stored.split('$')
  const derived = await derive(password, Buffer.from(salt, 'hex'))
  return timingSafeEqual(derived, Buffer.from(key.padEnd(64, '0'), 'hex')) && key !== ''
}
