import { PageQuery } from './catalog'
import { choice, flag, moment, text, whole } from './fields'

/** Who may post results from outside: a build, a scanner, a load test. */
export class EvidenceSourceRequest {
  @text({ says: 'What it is called.', example: 'Load tests', min: 1, max: 80 })
  title!: string
}

export class EvidenceSourceItem extends EvidenceSourceRequest {
  @text({ says: 'What names it in pipelines and addresses.', example: 'load-tests' })
  source!: string

  @text({ says: 'Who set it.', example: 'Imara Holt' })
  setBy!: string

  @moment({ says: 'When.' })
  setAt!: string

  @whole({ says: 'How many results it has posted.', example: 12 })
  results!: number

  @moment({ says: 'When it posted last; absent where it never has.', optional: true })
  lastAt?: string
}

export class IssuedEvidenceSource extends EvidenceSourceItem {
  @text({
    says: 'What its messages are signed with (Standard Webhooks); shown this once.',
    example: 'whsec_…',
  })
  secret!: string
}

/** What a source says of a version. */
export class OutsideResultBody {
  @text({ says: 'The API.', example: 'meter-readings', min: 1, max: 200 })
  api!: string

  @text({ says: 'The version.', example: '4.0.0', min: 1, max: 200 })
  version!: string

  @choice(['passed', 'failed'], { says: 'What came of it.' })
  result!: 'passed' | 'failed'

  @text({ says: 'What was found, in a line.', example: '600 a minute for an hour', max: 500 })
  says!: string

  @text({
    says: 'Where more of it is seen; an http or https address.',
    example: 'https://builds.brackenmere.example/812',
    max: 500,
    pattern: /^(https?:\/\/[^\s/@]+(\/\S*)?)?$/,
    otherwise: 'An address begins with http:// or https://, and has no name or password in it',
    optional: true,
  })
  url?: string

  @text({
    says: 'The digest of the definition that it was found for, as a revision has it; it holds for that text alone.',
    example: '9f86d081884c7d659a2feaa0c55ad015a3bf4f1b2b0b822cd15d6c15b0f00a08',
    max: 64,
    optional: true,
  })
  digest?: string
}

export class OutsideResultItem extends OutsideResultBody {
  @whole({ says: 'Its number.', example: 12 })
  id!: number

  @text({ says: 'The source.', example: 'load-tests' })
  source!: string

  @text({ says: 'What the source is called.', example: 'Load tests' })
  title!: string

  @moment({ says: 'When it was posted.' })
  at!: string

  @flag({ says: 'Whether it is the last word of its source on that version.', example: true })
  isLast!: boolean
}

export class OutsideResultQuery extends PageQuery {
  @text({ says: 'Only of this API.', example: 'meter-readings', optional: true })
  api?: string

  @text({ says: 'Only of this source.', example: 'load-tests', optional: true })
  source?: string
}

export class OutsideResultTaken {
  @text({ says: 'What was taken.', example: 'Load tests says of Meter Readings 4.0.0: passed' })
  says!: string
}
