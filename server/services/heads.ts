import {
  createPrivateKey,
  createPublicKey,
  generateKeyPairSync,
  sign,
  verify,
  type KeyObject,
} from 'node:crypto'
import {
  appendFileSync,
  chmodSync,
  existsSync,
  mkdirSync,
  readFileSync,
  writeFileSync,
} from 'node:fs'
import { dirname } from 'node:path'
import { request } from 'undici'
import { headText, isConsistent, type SignedHead, type TreeHead } from '../../core/ledger/merkle'
import type { Database } from '../db/database'
import { proveConsistency, treeHead } from './ledger'
import { errorText } from '../../core/text/values'

/** Where the ledger's heads are signed and kept, outside of the database. */
export interface HeadStore {
  /** The Ed25519 key's file; made where there is none, readable for its owner only. */
  keyFile: string
  /** One signed head in each line. */
  headsFile: string
  /** Who keeps them as well; nobody where it is empty. */
  witness: string
}

function keyOf({ keyFile }: HeadStore): KeyObject {
  if (!existsSync(keyFile)) {
    const { privateKey } = generateKeyPairSync('ed25519')
    mkdirSync(dirname(keyFile), { recursive: true })
    writeFileSync(keyFile, privateKey.export({ type: 'pkcs8', format: 'pem' }), {
      mode: 0o600,
      flag: 'wx',
    })
  }
  chmodSync(keyFile, 0o600)
  return createPrivateKey(readFileSync(keyFile))
}

/** The public key, in PEM, that heads are checked with. */
export const publicKey = (store: HeadStore): string =>
  createPublicKey(keyOf(store)).export({ type: 'spki', format: 'pem' }).toString()

export const signHead = (key: KeyObject, head: TreeHead): SignedHead => ({
  ...head,
  signature: sign(null, Buffer.from(headText(head)), key).toString('base64'),
})

export const isSigned = (key: KeyObject, { signature, ...head }: SignedHead): boolean =>
  verify(null, Buffer.from(headText(head)), key, Buffer.from(signature, 'base64'))

/** The heads that were signed here, newest first, each read when it is asked for; any other line is left out. */
function* newestFirst(store: HeadStore): Generator<SignedHead, undefined> {
  if (!existsSync(store.headsFile)) return
  const key = createPublicKey(keyOf(store))
  const lines = readFileSync(store.headsFile, 'utf8').split('\n')
  for (const line of lines.reverse()) {
    const head = headIn(line)
    if (head && isSigned(key, head)) yield head
  }
}

/** A line as a head; one that a process died over while writing it is none. */
function headIn(line: string): SignedHead | undefined {
  try {
    return JSON.parse(line) as SignedHead
  } catch {
    return undefined
  }
}

/** The heads that were signed here, oldest first. */
export const readHeads = (store: HeadStore): SignedHead[] => [...newestFirst(store)].reverse()

/**
 * Signs the ledger as it stands, where it has grown: but only what goes on from the head signed before, so that nobody
 * gets a signature for another history.
 */
export async function signNow(
  db: Database,
  store: HeadStore,
  now: Date,
): Promise<SignedHead | undefined> {
  const last = newestFirst(store).next().value
  const head = await treeHead(db, now)
  if (head.size === 0 || head.size === last?.size) return last
  if (last) {
    if (head.size < last.size) throw new Error(`The ledger has lost entries after ${head.size}`)
    const { proof } = await proveConsistency(db, { first: last.size, second: head.size })
    if (!isConsistent(last, head, proof))
      throw new Error(`The ledger does not go on from the head of ${last.size} entries`)
  }
  const signed = signHead(keyOf(store), head)
  // On a line of its own, also after one that was not written to its end.
  appendFileSync(store.headsFile, `\n${JSON.stringify(signed)}\n`, { mode: 0o600 })
  return signed
}

const timeouts = { headersTimeout: 5000, bodyTimeout: 5000 }

/** Sends the witness what it does not have yet; what cannot be sent now is sent with the next one. */
export async function tellWitness(store: HeadStore): Promise<void> {
  if (store.witness === '') return
  const answer = await request(`${store.witness}/heads/latest`, timeouts)
  const { size: most } = (await answer.body.json()) as Pick<SignedHead, 'size'>
  const missing: SignedHead[] = []
  for (const head of newestFirst(store)) {
    if (head.size <= most) break
    missing.unshift(head)
  }
  for (const head of missing) {
    const sent = await request(`${store.witness}/heads`, {
      method: 'POST',
      body: JSON.stringify(head),
      headers: { 'content-type': 'application/json' },
      ...timeouts,
    })
    await sent.body.dump()
    if (sent.statusCode >= 300) throw new Error(`The witness answered ${sent.statusCode}`)
  }
}

/** What the witness was sent, or why it cannot be asked. */
export async function askWitness(
  store: HeadStore,
): Promise<{ heads: SignedHead[] } | { trouble: string } | undefined> {
  if (store.witness === '') return undefined
  try {
    const answer = await request(`${store.witness}/heads`, timeouts)
    if (answer.statusCode !== 200) return { trouble: `it answered ${answer.statusCode}` }
    const key = createPublicKey(keyOf(store))
    const heads = (await answer.body.json()) as SignedHead[]
    return { heads: heads.filter((head) => isSigned(key, head)) }
  } catch (error) {
    return { trouble: `it does not answer (${errorText(error)})` }
  }
}
