import type { ActEvidence } from '../../core/ledger/evidence'
import { anything, many, one, texts, whole } from './fields'
import { LedgerEntry, SignedHeadItem } from './ledger'

export class EvidencedAct {
  @whole({ says: 'A request, by its number.', example: 7, optional: true })
  promotion?: number

  @whole({
    says: 'A rollout that nobody had to be asked for, by its number.',
    example: 31,
    optional: true,
  })
  rollout?: number
}

export class ProvenEntryItem {
  @one(() => LedgerEntry, { says: 'The entry.' })
  entry!: LedgerEntry

  @texts({
    says: 'The hashes that lead from it to the root of the head (RFC 6962, section 2.1.1).',
    example: [],
  })
  proof!: string[]
}

export class EvidenceItem {
  @whole({ says: 'The number of the format.', example: 1 })
  evidence!: 1

  @one(() => EvidencedAct, { says: 'What it is about.' })
  of!: { promotion: number } | { rollout: number }

  @anything({
    says: 'What was known when it was carried out: the plan, the files of the definition by their digests, findings, what changed, approvals and gates. The entry of the act has its digest.',
    example: null,
    optional: true,
  })
  act?: ActEvidence

  @many(() => ProvenEntryItem, { says: 'Every entry of the ledger about it, in order.' })
  entries!: ProvenEntryItem[]

  @one(() => SignedHeadItem, { says: 'The head that they are in.' })
  head!: SignedHeadItem
}
