import { anything, moment, text, whole } from './fields'
import { PageQuery } from './catalog'

export class LedgerEntry {
  @whole({ says: 'The entry’s number.', example: 41 })
  number!: number

  @moment({ says: 'When.' })
  at!: string

  @text({ says: 'Who.', example: 'imara' })
  actor!: string

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
}

export class Verification {
  @whole({ says: 'Entries whose hashes were computed again.', example: 212 })
  checked!: number

  @text({
    says: 'The hash of the last entry.',
    example: '9f86d081884c7d659a2feaa0c55ad015a3bf4f1b2b0b822cd15d6c15b0f00a08',
  })
  head!: string

  @whole({
    says: 'The first broken entry; absent where the chain holds.',
    example: 17,
    optional: true,
  })
  brokenAt?: number

  @text({ says: 'Why it is broken.', example: 'Its words do not match its hash', optional: true })
  why?: string
}
