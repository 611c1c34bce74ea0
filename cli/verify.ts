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
  /** Whether a head that was had elsewhere shows that nothing is missing at the end. */
  isAnchored: boolean
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

/** The members of what stands in an export: with others it would say something that nobody checks. */
const members: Record<keyof Line, readonly string[]> = {
  entry: [...['number', 'at', 'actor', 'action', 'subject', 'before', 'after', 'previous', 'hash']],
  withheld: ['number', 'hash', 'leaf'],
  head: ['size', 'root', 'at', 'signature'],
}

const membersOf = (value: unknown): string[] =>
  typeof value === 'object' && value !== null ? Object.keys(value) : []

/** The value of a line, which is written in the one way that an export writes it: nothing in it stands twice. */
function valueIn(where: string, text: string): Line {
  let line: unknown
  try {
    line = JSON.parse(text)
  } catch {
    throw new WrongUse(`${where} is not JSON; an export has one value in each line.`)
  }
  if (JSON.stringify(line) !== text)
    throw new WrongUse(`${where} is not as an export is written: a member stands twice, or moved.`)
  const [kind, ...more] = membersOf(line)
  if (kind === undefined || more.length > 0 || !Object.hasOwn(members, kind))
    throw new WrongUse(`${where} is neither an entry nor a head.`)
  const known = members[kind as keyof Line]
  const odd = oddIn((line as Record<string, unknown>)[kind], known)
  if (odd !== undefined) throw new WrongUse(`${where} has a member that is not known: ${odd}.`)
  return line as Line
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
    const line = valueIn(`${file}:${number}`, text)
    if (line.withheld && ![line.withheld.hash, line.withheld.leaf].every(isDigest))
      throw new WrongUse(`${file}:${number} withholds an entry without its hashes.`)
    const entry = line.entry ?? line.withheld
    if (entry) entries.push(entry)
    else if (line.head) heads.push(line.head)
  }
  return { entries, heads }
}

/** Heads that were kept elsewhere: in a file, one in each line, bare or as an export has them. */
export function headsIn(file: string): SignedHead[] {
  const heads: SignedHead[] = []
  let number = 0
  for (const text of readFileSync(file, 'utf8').split('\n')) {
    number++
    if (text.trim() === '') continue
    const bare = text.startsWith('{"size"') ? `{"head":${text.trim()}}` : text.trim()
    const { head } = valueIn(`${file}:${number}`, bare)
    if (!head) throw new WrongUse(`${file}:${number} is no head.`)
    heads.push(head)
  }
  if (heads.length === 0) throw new WrongUse(`${file} has no head in it.`)
  return heads
}

/** The last head that a witness was sent. */
export async function headOfWitness(address: string): Promise<SignedHead[]> {
  const url = `${address.replace(/\/$/, '')}/heads/latest`
  let head: unknown
  try {
    const response = await fetch(url, { signal: AbortSignal.timeout(10_000), redirect: 'error' })
    head = response.ok ? await response.json() : undefined
  } catch (error) {
    throw new WrongUse(`The witness at ${url} does not answer: ${errorText(error)}.`)
  }
  const { size, root, at, signature } = (head ?? {}) as Partial<SignedHead>
  if (typeof size !== 'number' || size < 1 || !root || !at || !signature)
    throw new WrongUse(`The witness at ${url} has no head of a ledger.`)
  return [{ size, root, at, signature }]
}

/**
 * Checks an export with the key alone: every hash, every signature, and every head against the entries. Only a head that was
 * had elsewhere (`anchors`) shows that nothing was cut off together with the heads of the export.
 */
export async function verifyExport(
  file: string,
  keyFile: string,
  anchors: readonly SignedHead[] = [],
): Promise<Verdict> {
  const key = keyFrom(keyFile)
  const found = await linesOf(file)
  const { entries } = found
  const heads = [...found.heads, ...anchors]
  const isSigned = signedWith(key)
  const forged = heads.find((head) => !isSigned(head))
  const withheld = entries.filter((entry) => 'leaf' in entry).length
  const counts = {
    ...{ entries: entries.length, withheld, heads: found.heads.length },
    isAnchored: anchors.length > 0,
  }
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

const oddIn = (value: unknown, known: readonly string[]) =>
  membersOf(value).find((name) => !known.includes(name))

/** A package of evidence, where a file is one; anything else is an export. */
function packageIn(file: string): EvidencePackage | undefined {
  const most = 64 * 1024 * 1024
  if (statSync(file).size > most) return undefined
  const text = readFileSync(file, 'utf8').trim()
  let value: Partial<EvidencePackage>
  try {
    value = JSON.parse(text) as Partial<EvidencePackage>
  } catch {
    return undefined
  }
  if (value?.evidence !== 1) return undefined
  if (!Array.isArray(value.entries) || !value.head || !value.of)
    throw new WrongUse(`${file} is a package of evidence that lacks its entries or its head.`)
  if (![0, 2].some((indent) => JSON.stringify(value, null, indent) === text))
    throw new WrongUse(`${file} is not as a package is written: a member stands twice, or moved.`)
  const odd =
    oddIn(value, ['evidence', 'of', 'act', 'entries', 'head']) ??
    oddIn(value.head, members.head) ??
    (value as EvidencePackage).entries
      .map((one) => oddIn(one, ['entry', 'proof']) ?? oddIn(one.entry, members.entry))
      .find(Boolean)
  if (odd !== undefined) throw new WrongUse(`${file} has a member that is not known: ${odd}.`)
  return value as EvidencePackage
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

interface VerifyOptions {
  key: string
  head?: string
  witness?: string
}

export function addVerify(program: Command): void {
  program
    .command('verify')
    .description(
      'Check an export of the ledger, or the evidence of one act, with the public key alone, without any server',
    )
    .argument('<file>', 'what /ledger/export gave, or /promotions/{promotion}/evidence')
    .requiredOption('--key <file>', 'the Ed25519 key in PEM')
    .option('--head <file>', 'signed heads that were kept elsewhere: what came after them is there')
    .option('--witness <url>', 'where the heads were sent: the last one is asked for')
    .addHelpText('after', '\nExit status: 0 it holds, 1 it does not, 2 wrong use.')
    .action(async (file: string, { key, head, witness }: VerifyOptions) => {
      const evidence = packageIn(file)
      if (evidence) return tellPackage(evidence, key)
      const anchors = [
        ...(head === undefined ? [] : headsIn(head)),
        ...(witness === undefined ? [] : await headOfWitness(witness)),
      ]
      const { entries, withheld, heads, trouble, isAnchored } = await verifyExport(
        file,
        key,
        anchors,
      )
      if (trouble) console.error(`The ledger does not hold. ${trouble}.`)
      else {
        const by = withheld === 0 ? '' : ` (${withheld} by their hashes alone)`
        console.log(`The ledger holds: ${entries} entries${by}, ${heads} signed heads.`)
        if (!isAnchored)
          console.log(
            'Whether entries are missing after the last of these heads is not known: give --head or --witness.',
          )
      }
      process.exitCode = trouble ? 1 : 0
    })
}
