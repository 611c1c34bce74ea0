import { audiences, type Audience } from '../words'
import { choice, flag, many, text, texts, whole } from './fields'

export class BatchQuery {
  @text({ says: 'What is sent, by name.', example: 'definitions.zip', max: 200, optional: true })
  file?: string
}

export class AddressBatch {
  @texts({
    says: 'Where the definitions are.',
    example: ['https://definitions.brackenmere.example/a.yaml'],
    max: 200,
  })
  urls!: string[]

  @flag({ says: 'Whether files on other hosts may be fetched too.', optional: true })
  agreed?: boolean
}

export class BatchAcceptance {
  @text({ says: 'The team that owns what is new.', example: 'Metering', min: 1 })
  team!: string

  @choice(audiences, { says: 'Whom what is new is for.' })
  audience!: Audience

  @texts({ says: 'Intakes to leave out.', example: [], max: 5000 })
  without!: string[]
}

export class BatchItem {
  @text({ says: 'The intake’s identifier.', example: '5c2f0a1e-6a58-4a0e-9d7d-1f2f4a3b5c6d' })
  id!: string

  @text({ says: 'The file or address.', example: 'metering/readings.yaml', max: 2000 })
  source!: string

  @choice(['waiting', 'reading', 'ready', 'unreadable', 'accepted'], { says: 'How far it is.' })
  state!: 'waiting' | 'reading' | 'ready' | 'unreadable' | 'accepted'

  @choice(['added', 'revised', 'unchanged', 'refused', 'part'], {
    says: 'What becomes of it: a new API, a new revision, nothing new, refused, or a part of another.',
    optional: true,
  })
  outcome?: 'added' | 'revised' | 'unchanged' | 'refused' | 'part'

  @text({ says: 'The title.', example: 'Meter Readings', optional: true })
  title?: string

  @text({ says: 'The version.', example: '4.0.0', optional: true })
  version?: string

  @text({ says: 'The format.', example: 'OpenAPI 3.1', optional: true })
  format?: string

  @whole({ says: 'How many operations it has.', example: 18, optional: true })
  operations?: number

  @whole({ says: 'How many files it has.', example: 1 })
  files!: number

  @whole({ says: 'How many errors it has.', example: 0 })
  errors!: number

  @whole({ says: 'How many warnings it has.', example: 2 })
  warnings!: number

  @text({
    says: 'The first problem, in words with its place.',
    example: 'readings.yaml:12:3 A comma is missing',
    max: 4000,
    optional: true,
  })
  problem?: string

  @text({
    says: 'The API it becomes or became a revision of.',
    example: 'meter-readings',
    optional: true,
  })
  api?: string

  @whole({ says: 'The revision it became.', example: 5, optional: true })
  revision?: number
}

/** What a list shows of a definition that is being brought in. */
export type IntakeShown = Pick<
  BatchItem,
  'title' | 'version' | 'format' | 'operations' | 'files' | 'errors' | 'warnings' | 'problem'
>

export class Batch {
  @text({ says: 'The batch’s identifier.', example: '5c2f0a1e-6a58-4a0e-9d7d-1f2f4a3b5c6d' })
  id!: string

  @text({ says: 'Where it comes from.', example: 'definitions.zip', max: 2000 })
  source!: string

  @choice(['waiting', 'unpacking', 'reading', 'ready', 'accepting', 'done', 'stopped', 'failed'], {
    says: 'How far it is.',
  })
  state!:
    'waiting' | 'unpacking' | 'reading' | 'ready' | 'accepting' | 'done' | 'stopped' | 'failed'

  @whole({ says: 'How many steps there are.', example: 40 })
  total!: number

  @whole({ says: 'How many are done.', example: 12 })
  done!: number

  @text({ says: 'What stopped it, where something did.', example: '', max: 4000 })
  trouble!: string

  @many(() => BatchItem, { says: 'What is in it.' })
  items!: BatchItem[]
}
