import { levels, type Level } from '../../core/rules/model'
import { reportFormats, type ReportFormat } from '../../core/report'
import { audiences, type Audience } from '../words'
import { FindingTotals } from './catalog'
import { choice, one, text, whole } from './fields'

export class CheckQuery {
  @text({
    says: 'What the text is called; in an archive, its main file.',
    example: 'openapi.yaml',
    max: 300,
    optional: true,
  })
  file?: string

  @text({
    says: 'The API it is the next text of, whose waivers then hold.',
    example: 'tanker-dispatch',
    optional: true,
  })
  api?: string

  @text({ says: 'The owning team of an API that is new.', example: 'Field', optional: true })
  team?: string

  @choice(audiences, { says: 'Whom a new API is for; partners otherwise.', optional: true })
  audience?: Audience
}

export class CheckItem {
  @text({ says: 'Its name.', example: '3f2504e0-4f89-41d3-9a0c-0305e82c3301' })
  check!: string

  @choice(['waiting', 'done', 'failed'], { says: 'Where it stands.' })
  state!: 'waiting' | 'done' | 'failed'

  @text({ says: 'What the text is called.', example: 'openapi.yaml' })
  file!: string

  @whole({ says: 'The edition it was checked against; 0 before that.', example: 2 })
  edition!: number

  @one(() => FindingTotals, { says: 'What counts.' })
  findings!: FindingTotals

  @whole({ says: 'Findings that are waived or accepted.', example: 0 })
  waived!: number

  @text({ says: 'Why it failed; empty otherwise.', example: '', max: 2000 })
  trouble!: string
}

export class ReportQuery {
  @choice(reportFormats, { says: 'How to write it; JSON otherwise.', optional: true })
  format?: ReportFormat

  @choice(levels, { says: 'The weakest level to name; MAY otherwise.', optional: true })
  level?: Level
}
