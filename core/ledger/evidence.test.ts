import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { planDigest, type PlanBasis } from '../pipeline/plan'
import { digestOf } from '../text/file-digest'
import { entryHash, genesis, type Entry } from './chain'
import { checkEvidence, evidenceDigest, type ActEvidence, type EvidencePackage } from './evidence'
import { entryLeaf, headText, inclusionProof, TreeBuilder, type SignedHead } from './merkle'

const files = [
  { name: 'main.yaml', sha256: 'a'.repeat(64) },
  { name: 'parts.yaml', sha256: 'b'.repeat(64) },
]
const basis: PlanBasis = {
  ...{ version: '2.4.0', revision: digestOf(files), from: { a: 1 }, there: {} },
  ...{
    gateways: { 'north-edge': 'd'.repeat(16) },
    pace: 'e'.repeat(16),
    writes: { 'edge https://a.example/v2': 'c'.repeat(64) },
  },
}
const plan = planDigest(basis)
const act: ActEvidence = {
  basis,
  definition: { revision: 4, version: '2.4.0', digest: digestOf(files), files },
  findings: {
    ...{ must: 0, should: 1, may: 0 },
    listed: [
      { rule: 'contact', level: 'SHOULD', status: 'open', message: 'No contact', at: '/info' },
    ],
  },
  comparisons: [{ since: '2.3.1', breaking: 0, risky: 0, safe: 1, listed: [] }],
  approvals: [{ by: 'ruth', at: '2026-11-20T10:00:00.000Z', note: 'Read', plan }],
  gates: [{ id: 'approval', title: 'One approval', state: 'passed', text: 'Approved by Ruth' }],
  plan: [{ group: 'edge', added: ['GET /subscriptions'] }],
}

type Said = Pick<Entry, 'actor' | 'action' | 'after'>
const story: Said[] = [
  { actor: 'ada', action: 'stages.changed', after: {} },
  { actor: 'tomas', action: 'revision.saved', after: { sha256: basis.revision } },
  { actor: 'tomas', action: 'promotion.requested', after: { promotion: 7, note: 'Soon' } },
  { actor: 'ruth', action: 'promotion.approved', after: { promotion: 7, plan } },
  {
    ...{ actor: 'oskar', action: 'rollout.begun' },
    after: { promotion: 7, rollout: 3, plan, evidence: evidenceDigest(act) },
  },
  { actor: 'oskar', action: 'placement.promoted', after: { rollout: 3 } },
  { actor: 'oskar', action: 'promotion.done', after: { promotion: 7, rollout: 3 } },
  { actor: 'oskar', action: 'rollout.done', after: { rollout: 3, steps: [] } },
]

/** A ledger of a story, and the package of all of it but its first entry. */
function told(lines: readonly Said[], known: ActEvidence | undefined = act): EvidencePackage {
  const tree = new TreeBuilder()
  const nodes = new Map<string, string>()
  let previous = genesis
  const entries = lines.map((line, n): Entry => {
    const body = {
      ...{ number: n + 1, at: '2026-11-20T10:00:00.000Z', subject: 'supply', before: null },
      ...line,
    }
    const entry = { ...body, previous, hash: entryHash(body, previous) }
    for (const { level, index, hash } of tree.add(entryLeaf(body, previous)))
      nodes.set(`${level} ${index}`, hash)
    previous = entry.hash
    return entry
  })
  const at = (level: number, index: number) => nodes.get(`${level} ${index}`)!
  const head = { size: entries.length, root: tree.root(), at: '2026-11-20T11:00:00.000Z' }
  return {
    ...{ evidence: 1, of: { promotion: 7 }, ...(known && { act: known }) },
    entries: entries.slice(1).map((entry) => ({
      entry,
      proof: inclusionProof(entry.number - 1, entries.length, at),
    })),
    head: { ...head, signature: `signed ${headText(head)}` },
  }
}

const isSigned = ({ signature, ...head }: SignedHead) => signature === `signed ${headText(head)}`
const troubles = (one: EvidencePackage) =>
  checkEvidence(one, isSigned).flatMap(({ what, trouble }) =>
    trouble ? [`${what}: ${trouble}`] : [],
  )

/** The places of all single values. */
function places(value: unknown, at: (string | number)[] = []): (string | number)[][] {
  if (typeof value !== 'object' || value === null) return [at]
  return Object.entries(value).flatMap(([name, part]) =>
    places(part, [...at, Array.isArray(value) ? Number(name) : name]),
  )
}

describe('evidence', () => {
  const whole = told(story)

  it('holds as it was written, with an approval or without', () => {
    expect(troubles(whole)).toEqual([])
    expect(checkEvidence(whole, isSigned).map(({ what }) => what)).toContain(
      'ruth approved of that plan',
    )
    const { act: _, ...bare } = whole
    expect(troubles(bare).join()).toMatch(/entry 2 is about something else/)
    expect(troubles({ ...bare, entries: bare.entries.slice(1) })).toEqual([])
  })

  it('does not hold with any one value of it changed', () => {
    const all = places(whole).filter(([first]) => first !== 'evidence')
    fc.assert(
      fc.property(fc.constantFrom(...all), (path) => {
        const other = structuredClone(whole) as unknown
        let part = other as Record<string | number, unknown>
        for (const name of path.slice(0, -1)) part = part[name] as typeof part
        const last = path.at(-1)!
        part[last] = typeof part[last] === 'number' ? part[last] + 1 : `${String(part[last])}!`
        expect(troubles(other as EvidencePackage), path.join('/')).not.toEqual([])
      }),
      { numRuns: 2 * all.length },
    )
  })

  it('does not hold with an entry of another ledger, or with one about something else', () => {
    const other = told(story.map((line) => ({ ...line, actor: 'wren' })))
    expect(troubles({ ...whole, entries: other.entries }).join()).toMatch(/entry 2 is not/)
    const foreign = told([
      ...story,
      { actor: 'ruth', action: 'promotion.approved', after: { promotion: 8, plan } },
    ])
    expect(troubles(foreign)).toEqual([
      'They are about nothing else: entry 9 is about something else',
    ])
  })

  it('does not hold where the ledger knows of no approval, no plan or no act', () => {
    const without = (action: string) => told(story.filter((line) => line.action !== action))
    expect(troubles(without('promotion.approved'))).toEqual([
      'ruth approved of that plan: no entry says so',
    ])
    expect(troubles(without('promotion.requested'))).toEqual([
      'Somebody asked for it: no entry says so',
    ])
    expect(troubles(without('rollout.begun')).length).toBeGreaterThan(1)
  })
})
