import { probeCauses, type ProbeCause } from '../words'
import { Diagnostic, PageQuery } from './catalog'
import { choice, flag, many, moment, text, texts, whole } from './fields'

export class ProbeCheckItem {
  @text({ says: 'What was asked of the answer.', example: '$statusCode == 200', max: 500 })
  says!: string

  @flag({ says: 'Whether it was so.', example: true })
  passed!: boolean
}

/** What came of one request of a probe. */
export class ProbeStepItem {
  @text({ says: 'The step.', example: 'list-meters' })
  step!: string

  @text({ says: 'The operation.', example: 'GET /meters' })
  operation!: string

  @flag({ says: 'Whether all of it was as it was asked for.', example: true })
  passed!: boolean

  @whole({ says: 'The status; absent where no answer came.', example: 200, optional: true })
  status?: number

  @whole({ says: 'How long it took, in milliseconds.', example: 12 })
  ms!: number

  @many(() => ProbeCheckItem, { says: 'What was asked of it.' })
  checks!: ProbeCheckItem[]

  @texts({ says: 'How the answer breaks the definition.', example: [], longest: 2000 })
  contract!: string[]

  @text({ says: 'Why there is no answer; empty where there is one.', example: '', max: 2000 })
  trouble!: string
}

export class ProbeRunItem {
  @whole({ says: 'Its number.', example: 41 })
  run!: number

  @text({ says: 'What it was sent to.', example: 'meter-readings-trial-2' })
  placement!: string

  @text({ says: 'The version that stood there.', example: '4.0.0' })
  version!: string

  @text({ says: 'The stage.', example: 'Trial' })
  stage!: string

  @text({ says: 'The gateway.', example: 'north-edge' })
  gateway!: string

  @moment({ says: 'When.' })
  at!: string

  @whole({ says: 'How long it took, in milliseconds.', example: 120 })
  ms!: number

  @choice(probeCauses, { says: 'Why it was sent.' })
  cause!: ProbeCause

  @text({ says: 'Who had it sent.', example: 'Nadia Corrie', optional: true })
  by?: string

  @flag({ says: 'Whether it passed.', example: true })
  passed!: boolean

  @text({ says: 'What came of it, in a line.', example: '3 steps passed', max: 4000 })
  says!: string

  @many(() => ProbeStepItem, { says: 'Its steps, as far as they were sent.' })
  steps!: ProbeStepItem[]
}

export class ProbeBody {
  @text({ says: 'What it is called.', example: 'What can be read', min: 1, max: 100 })
  title!: string

  @text({
    says: 'The Arazzo description, version 1.0: YAML or JSON.',
    example: 'arazzo: 1.0.1\n',
    min: 1,
    max: 200_000,
  })
  text!: string

  @whole({
    says: 'How often it is sent by itself, in minutes; 0 for never.',
    example: 15,
    min: 0,
    max: 10_080,
  })
  every!: number

  @texts({ says: 'In which stages it is.', example: ['Rehearsal', 'Live'], max: 20 })
  stages!: string[]
}

export class ProbeItem extends ProbeBody {
  @whole({ says: 'Its number.', example: 3 })
  probe!: number

  @text({ says: 'The API.', example: 'meter-readings' })
  api!: string

  @whole({ says: 'Counts its texts.', example: 2 })
  edition!: number

  @whole({ says: 'How many requests it has.', example: 6 })
  steps!: number

  @text({ says: 'Who set it.', example: 'Nadia Corrie' })
  setBy!: string

  @moment({ says: 'When.' })
  setAt!: string

  @many(() => Diagnostic, {
    says: 'What in it does not fit the newest revision of the definition.',
  })
  problems!: Diagnostic[]

  @many(() => ProbeRunItem, { says: 'How it went last, at each placement on each gateway.' })
  last!: ProbeRunItem[]
}

/** A probe made of a definition. */
export class ProbeDraft {
  @text({ says: 'The Arazzo description.', example: 'arazzo: 1.0.1\n', max: 2_000_000 })
  text!: string

  @texts({
    says: 'Operations that are left out, and why.',
    example: ['GET /meters/{meterId}: meterId has no example'],
    max: 10_000,
    longest: 2000,
  })
  left!: string[]
}

export class ProbeRunRequest {
  @text({ says: 'The placement.', example: 'meter-readings-trial-2', min: 1 })
  placement!: string
}

export class ProbeRunQuery extends PageQuery {
  @text({ says: 'Only at this placement.', example: 'meter-readings-trial-2', optional: true })
  placement?: string
}
