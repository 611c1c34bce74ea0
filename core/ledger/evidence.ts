import { planDigest, type PlanBasis } from '../pipeline/plan'
import { canonical } from '../text/canonical'
import { digestOf, type NamedDigest } from '../text/file-digest'
import { entryHash, sha256Hex, type Entry } from './chain'
import { entryLeaf, rootFromInclusion, type SignedHead } from './merkle'

/**
 * What was known when a request was carried out, as its gates were judged. The entry that begins its rollout holds the digest
 * of exactly this, so that nothing of it can be another one later.
 */
export interface ActEvidence {
  /** What the approvals were given to. */
  basis: PlanBasis
  definition: { revision: number; version: string; digest: string; files: readonly NamedDigest[] }
  findings: {
    must: number
    should: number
    may: number
    /** Those of the revision, the gravest first; so many at most. */
    listed: readonly { rule: string; level: string; status: string; message: string; at: string }[]
  }
  /** What changed since each of the versions that it took the place of. */
  comparisons: readonly {
    since: string
    breaking: number
    risky: number
    safe: number
    /** The gravest; so many at most. */
    listed: readonly { effect: string; operation: string; message: string }[]
  }[]
  approvals: readonly { by: string; at: string; note: string; plan: string }[]
  gates: readonly { id: string; title: string; state: string; text: string }[]
  /** What sources outside said last of the version; absent where none did. */
  outside?: readonly { source: string; passed: boolean; says: string; url: string; at: string }[]
  /** How the probes of its API went last where it came from; absent where it has none. */
  probes?: readonly {
    title: string
    placement: string
    gateway: string
    at: string
    passed: boolean
    says: string
  }[]
  /** What it changes at every address, as it was shown. */
  plan: readonly object[]
}

/** An entry of the ledger, and the hashes that show it is in the tree of a head. */
export interface ProvenEntry {
  entry: Entry
  proof: readonly string[]
}

/** What shows how something was done and on which grounds; it can be checked with the ledger's public key alone. */
export interface EvidencePackage {
  evidence: 1
  /** A request by its number, or a rollout that nobody had to be asked for. */
  of: { promotion: number } | { rollout: number }
  /** What was known at the act; absent where it was not carried out, or before that was kept. */
  act?: ActEvidence
  /** Every entry about it, in order. */
  entries: readonly ProvenEntry[]
  head: SignedHead
}

/** What stands in an entry for what was known at an act. */
export const evidenceDigest = (act: ActEvidence): string => sha256Hex(canonical(act))

/** One thing that was looked at in a package; `trouble` says why it does not hold. */
export interface Check {
  what: string
  trouble?: string
}

export type Said = Record<string, unknown>
const said = (value: unknown): Said =>
  typeof value === 'object' && value !== null && !Array.isArray(value) ? (value as Said) : {}

/** What an entry says of what it is about, before or after. */
export const saidIn = ({ before, after }: Pick<Entry, 'before' | 'after'>): Said => ({
  ...said(before),
  ...said(after),
})

/** The request that an entry is about. */
const requestIn = (entry: Pick<Entry, 'before' | 'after'>) => {
  const { promotion, request } = saidIn(entry)
  return promotion ?? request
}

/**
 * Holds a package against itself: the head's signature, every entry against the head, and what was known at the act against
 * the entries. It shows what is in it, and not that nothing else happened: that takes the whole ledger.
 *
 * @param isSigned whether a head was signed with the key that is trusted.
 */
export function checkEvidence(
  { of, act, entries, head }: EvidencePackage,
  isSigned: (head: SignedHead) => boolean,
): Check[] {
  const all = entries.map(({ entry }) => entry)
  const checks = [
    check(
      `The head of ${head.size} entries is signed`,
      isSigned(head) ? undefined : 'it was not signed with this key',
    ),
    check(`All ${entries.length} entries are in the ledger of that head`, forged(entries, head)),
    check('They are about nothing else', stranger(of, act, all)),
  ]
  if (!('promotion' in of)) return checks
  const asked = all.some(({ action }) => /^(?:promotion\.requested|request\.made)$/.test(action))
  checks.push(check('Somebody asked for it', asked ? undefined : 'no entry says so'))
  return act ? [...checks, ...actChecks(act, all)] : checks
}

function actChecks(act: ActEvidence, entries: readonly Entry[]): Check[] {
  const begun = saidIn(
    entries.filter(({ action }) => action === 'rollout.begun').at(-1) ?? { before: 0, after: 0 },
  )
  const { basis, definition, approvals } = act
  const plan = planDigest(basis)
  const approved = (by: string) =>
    entries.some(
      (entry) =>
        entry.action.endsWith('.approved') && entry.actor === by && saidIn(entry)['plan'] === plan,
    )
  const files = digestOf(definition.files)
  return [
    check(
      'What was known at the act is what the ledger has the digest of',
      begun['evidence'] === evidenceDigest(act) ? undefined : 'it has another digest',
    ),
    check(
      'What was carried out is the plan that was shown',
      begun['plan'] === plan ? undefined : 'the entry of the act names another plan',
    ),
    check(
      `The definition is revision ${definition.revision}`,
      definition.digest === basis.revision && files === basis.revision
        ? undefined
        : 'its files come to another digest than the plan has',
    ),
    ...approvals.map(({ by, plan: given }) =>
      check(
        `${by} approved of that plan`,
        given === plan && approved(by) ? undefined : 'no entry says so',
      ),
    ),
  ]
}

const check = (what: string, trouble: string | undefined): Check =>
  trouble === undefined ? { what } : { what, trouble }

const isDigest = (text: unknown) => typeof text === 'string' && /^[0-9a-f]{64}$/.test(text)

function forged(entries: readonly ProvenEntry[], head: SignedHead): string | undefined {
  for (const { entry, proof } of entries) {
    const { number, previous, hash } = entry
    if (hash !== entryHash(entry, previous)) return `entry ${number} does not match its hash`
    if (![previous, ...proof].every(isDigest)) return `entry ${number} has hashes that are none`
    const leaf = entryLeaf(entry, previous)
    if (rootFromInclusion(leaf, number - 1, head.size, [...proof]) !== head.root)
      return `entry ${number} is not`
  }
  return undefined
}

/** The first entry that is about something else. Rollouts belong to a request where the entry of their beginning says so. */
function stranger(
  of: EvidencePackage['of'],
  act: ActEvidence | undefined,
  entries: readonly Entry[],
): string | undefined {
  const rollouts = new Set(
    'rollout' in of
      ? [of.rollout]
      : entries
          .filter((entry) => requestIn(entry) === of.promotion)
          .map((entry) => saidIn(entry)['rollout']),
  )
  const belongs = (entry: Entry) => {
    const { rollout, sha256 } = saidIn(entry)
    return (
      ('promotion' in of && requestIn(entry) === of.promotion) ||
      (rollout !== undefined && rollouts.has(rollout)) ||
      // Who wrote the definition.
      (entry.action === 'revision.saved' && sha256 === act?.basis.revision)
    )
  }
  const other = entries.find((entry) => !belongs(entry))
  return other && `entry ${other.number} is about something else`
}
