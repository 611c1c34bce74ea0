import { createPublicKey, verify, type KeyObject } from 'node:crypto'
import { createReadStream, readFileSync, statSync } from 'node:fs'
import { createInterface } from 'node:readline'
import type { Command } from 'commander'
import { ChainVerifier, type Entry, type Withheld } from '../core/ledger/chain'
import { checkEvidence, type Check, type EvidencePackage } from '../core/ledger/evidence'
import { HeadChecker } from '../core/ledger/heads'
import { entryLeaf, headText, type SignedHead } from '../core/ledger/merkle'
import { WrongUse } from './files'
import { errorText } from '../core/text/values'

interface Verdict {
  entries: number
  /** How many of them are there by their hashes alone. */
  withheld: number
  heads: number
  trouble: string | undefined
}

/** Reads a public or private key in PEM; of a private one its public half is used. */
function keyFrom(file: string): KeyObject {
  try {
    const key = createPublicKey(readFileSync(file))
    if (key.asymmetricKeyType === 'ed25519') return key
  } catch (error) {
    throw new WrongUse(`${file} is not a key that can be read: ${errorText(error)}`)
  }
  throw new WrongUse(`${file} is not an Ed25519 key.`)
}

interface Line {
  entry?: Entry
  withheld?: Withheld
  head?: SignedHead
}

const isDigest = (text: unknown) => typeof text === 'string' && /^[0-9a-f]{64}$/.test(text)

async function linesOf(
  file: string,
): Promise<{ entries: (Entry | Withheld)[]; heads: SignedHead[] }> {
  const entries: (Entry | Withheld)[] = []
  const heads: SignedHead[] = []
  let number = 0
  const lines = createInterface({ input: createReadStream(file), crlfDelay: Infinity })
  for await (const text of lines) {
    number++
    if (text.trim() === '') continue
    let line: Line
    try {
      line = JSON.parse(text) as Line
    } catch {
      throw new WrongUse(`${file}:${number} is not JSON; an export has one value in each line.`)
    }
    if (line.withheld && ![line.withheld.hash, line.withheld.leaf].every(isDigest))
      throw new WrongUse(`${file}:${number} withholds an entry without its hashes.`)
    const entry = line.entry ?? line.withheld
    if (entry) entries.push(entry)
    else if (line.head) heads.push(line.head)
    else throw new WrongUse(`${file}:${number} is neither an entry nor a head.`)
  }
  return { entries, heads }
}

/** Checks an export with the key alone: every hash, every signature, and every head against the entries. */
export async function verifyExport(file: string, keyFile: string): Promise<Verdict> {
  const key = keyFrom(keyFile)
  const { entries, heads } = await linesOf(file)
  const isSigned = signedWith(key)
  const forged = heads.find((head) => !isSigned(head))
  const withheld = entries.filter((entry) => 'leaf' in entry).length
  const counts = { entries: entries.length, withheld, heads: heads.length }
  if (forged)
    return { ...counts, trouble: `The head of ${forged.size} entries was not signed with this key` }
  if (heads.length === 0)
    return { ...counts, trouble: 'There is no signed head, so nothing shows where the ledger ends' }
  const chain = new ChainVerifier()
  const tree = new HeadChecker(heads)
  for (const entry of entries) {
    if ('leaf' in entry) {
      chain.addWithheld(entry)
      tree.add(entry.leaf)
    } else {
      chain.add(entry)
      tree.add(entryLeaf(entry, entry.previous))
    }
  }
  const wrong = chain.firstBreak ?? tree.broken()
  return { ...counts, trouble: wrong && `Entry ${wrong.number}: ${wrong.why}` }
}

/** A package of evidence, where a file is one; anything else is an export. */
function packageIn(file: string): EvidencePackage | undefined {
  const most = 64 * 1024 * 1024
  if (statSync(file).size > most) return undefined
  try {
    const value = JSON.parse(readFileSync(file, 'utf8')) as Partial<EvidencePackage>
    if (value.evidence !== 1) return undefined
    if (Array.isArray(value.entries) && value.head && value.of) return value as EvidencePackage
  } catch {
    return undefined
  }
  throw new WrongUse(`${file} is a package of evidence that lacks its entries or its head.`)
}

/** Whether heads were signed with a key. */
const signedWith =
  (key: KeyObject) =>
  ({ signature, ...head }: SignedHead) =>
    verify(null, Buffer.from(headText(head)), key, Buffer.from(signature, 'base64'))

/** Checks a package of evidence with the key alone, and says what of it holds. */
function tellPackage(evidence: EvidencePackage, keyFile: string): void {
  const isSigned = signedWith(keyFrom(keyFile))
  let checks: Check[]
  try {
    checks = checkEvidence(evidence, isSigned)
  } catch (error) {
    throw new WrongUse(`The package is not as it was written: ${errorText(error)}.`)
  }
  for (const { entry } of evidence.entries)
    console.log(`${entry.at}  ${entry.actor}  ${entry.action}  ${entry.subject}`)
  for (const { what, trouble } of checks)
    if (trouble === undefined) console.log(`= ${what}.`)
    else console.error(`\u2260 ${what}: ${trouble}.`)
  const wrong = checks.filter(({ trouble }) => trouble !== undefined).length
  if (wrong === 0) console.log('The evidence holds.')
  else console.error(`The evidence does not hold in ${wrong} of ${checks.length} points.`)
  process.exitCode = wrong === 0 ? 0 : 1
}

export function addVerify(program: Command): void {
  program
    .command('verify')
    .description(
      'Check an export of the ledger, or the evidence of one act, with the public key alone, without any server',
    )
    .argument('<file>', 'what /ledger/export gave, or /promotions/{promotion}/evidence')
    .requiredOption('--key <file>', 'the Ed25519 key in PEM')
    .addHelpText('after', '\nExit status: 0 it holds, 1 it does not, 2 wrong use.')
    .action(async (file: string, { key }: { key: string }) => {
      const evidence = packageIn(file)
      if (evidence) return tellPackage(evidence, key)
      const { entries, withheld, heads, trouble } = await verifyExport(file, key)
      if (trouble) console.error(`The ledger does not hold. ${trouble}.`)
      else {
        const by = withheld === 0 ? '' : ` (${withheld} by their hashes alone)`
        console.log(`The ledger holds: ${entries} entries${by}, ${heads} signed heads.`)
      }
      process.exitCode = trouble ? 1 : 0
    })
}
