import { anything, day, flag, moment, text, texts, whole } from './fields'
import { PageQuery } from './catalog'

export class LedgerEntry {
  @whole({ says: 'The entry’s number.', example: 41 })
  number!: number

  @moment({ says: 'When.' })
  at!: string

  @text({ says: 'Who.', example: 'imara' })
  actor!: string

  @text({ says: 'Their name, where they are known.', example: 'Imara Holt', optional: true })
  actorName?: string

  @text({ says: 'What was done.', example: 'placement.applied' })
  action!: string

  @text({ says: 'To what.', example: 'supply-interruptions' })
  subject!: string

  @anything({ says: 'How it was.', example: null })
  before!: unknown

  @anything({ says: 'How it is.', example: { version: '2.4.0' } })
  after!: unknown

  @text({
    says: 'The hash of the entry before.',
    example: '0000000000000000000000000000000000000000000000000000000000000000',
  })
  previous!: string

  @text({
    says: 'The hash of this entry.',
    example: '9f86d081884c7d659a2feaa0c55ad015a3bf4f1b2b0b822cd15d6c15b0f00a08',
  })
  hash!: string
}

export class LedgerQuery extends PageQuery {
  @text({
    says: 'Only with this word in subject, action or actor.',
    example: 'supply',
    optional: true,
  })
  search?: string

  @text({
    says: 'Only about this API, its placements and requests.',
    example: 'supply-interruptions',
    optional: true,
  })
  api?: string

  @text({ says: 'Only actions that begin so.', example: 'placement', optional: true })
  action?: string

  @text({ says: 'Only by this person.', example: 'imara', optional: true })
  person?: string

  @day({ says: 'Only since this day.', example: '2026-11-01', optional: true })
  since?: string

  @day({ says: 'Only up to this day.', example: '2026-11-27', optional: true })
  until?: string
}

const exampleHash = '9f86d081884c7d659a2feaa0c55ad015a3bf4f1b2b0b822cd15d6c15b0f00a08'

export class ProofQuery {
  @whole({
    says: 'The size of the tree; that of the ledger as it stands where absent.',
    example: 212,
    min: 1,
    optional: true,
  })
  size?: number
}

/** Shows by hashes alone that an entry is in the tree (RFC 6962, section 2.1.1). */
export class InclusionProof {
  @whole({ says: 'The entry’s number.', example: 41 })
  number!: number

  @whole({ says: 'The size of the tree.', example: 212 })
  size!: number

  @text({ says: 'The hash of the entry’s leaf.', example: exampleHash })
  leaf!: string

  @text({ says: 'The root of the tree.', example: exampleHash })
  root!: string

  @texts({ says: 'The path from the leaf to the root.', example: [exampleHash] })
  proof!: string[]
}

export class ConsistencyQuery {
  @whole({ says: 'The earlier size.', example: 100, min: 0 })
  first!: number

  @whole({
    says: 'The later size; that of the ledger as it stands where absent.',
    example: 212,
    min: 0,
    optional: true,
  })
  second?: number
}

/** Shows by hashes alone that a later tree goes on from an earlier one (RFC 6962, section 2.1.2). */
export class ConsistencyProof {
  @whole({ says: 'The earlier size.', example: 100 })
  first!: number

  @whole({ says: 'The later size.', example: 212 })
  second!: number

  @text({ says: 'The root of the earlier tree.', example: exampleHash })
  firstRoot!: string

  @text({ says: 'The root of the later tree.', example: exampleHash })
  secondRoot!: string

  @texts({ says: 'What leads from one to the other.', example: [exampleHash] })
  proof!: string[]
}

export class SignedHeadItem {
  @whole({ says: 'How many entries it is over.', example: 212 })
  size!: number

  @text({ says: 'The root of their tree.', example: exampleHash })
  root!: string

  @text({ says: 'When it was signed.', example: '2026-11-27T09:00:00.000Z' })
  at!: string

  @text({ says: 'The Ed25519 signature, in base64.', example: 'c2lnbmF0dXJl' })
  signature!: string
}

export class Verification {
  @whole({ says: 'Entries whose hashes were computed again.', example: 212 })
  checked!: number

  @text({
    says: 'The hash of the last entry.',
    example: '9f86d081884c7d659a2feaa0c55ad015a3bf4f1b2b0b822cd15d6c15b0f00a08',
  })
  head!: string

  @text({ says: 'The root of the tree over all entries.', example: exampleHash })
  root!: string

  @whole({ says: 'Signed heads it was held against.', example: 31 })
  heads!: number

  @flag({
    says: 'Whether the role that the application connects as could alter entries.',
    example: false,
  })
  alterable!: boolean

  @text({ says: 'What the witness said.', example: '31 heads' })
  witness!: string

  @whole({
    says: 'The first broken entry; absent where the chain holds.',
    example: 17,
    optional: true,
  })
  brokenAt?: number

  @text({ says: 'Why it is broken.', example: 'Its words do not match its hash', optional: true })
  why?: string
}
