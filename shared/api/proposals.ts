import { PageQuery } from './catalog'
import { proposalStates, type ProposalState } from '../words'
import { choice, flag, moment, text, whole } from './fields'

export class ProposalStart {
  @whole({ says: 'Which fix of the rule, from 0.', example: 0, max: 100 })
  fix!: number

  @text({
    says: 'What the owners should know.',
    example: 'Before the audit in March, please.',
    max: 2000,
    optional: true,
  })
  note?: string
}

export class ProposalCount {
  @whole({ says: 'How many APIs it is worked out for.', example: 7 })
  proposals!: number
}

export class ProposalQuery extends PageQuery {
  @text({ says: 'Only for this API.', example: 'tanker-dispatch', optional: true })
  api?: string

  @text({ says: 'Only of this rule.', example: 'list-paged', optional: true })
  rule?: string

  @text({ says: 'Only for APIs of this team.', example: 'Field', optional: true })
  team?: string

  @choice(proposalStates, { says: 'Only in this state.', optional: true })
  state?: ProposalState
}

export class ProposalItem {
  @whole({ says: 'Its number.', example: 12 })
  proposal!: number

  @text({ says: 'The API.', example: 'tanker-dispatch' })
  api!: string

  @text({ says: 'The API’s title.', example: 'Tanker Dispatch' })
  title!: string

  @text({ says: 'The owning team.', example: 'Field' })
  team!: string

  @text({ says: 'The rule that is broken.', example: 'operation-id-casing' })
  rule!: string

  @text({ says: 'What the fix does.', example: 'Write it in lower camel case' })
  does!: string

  @choice(proposalStates, { says: 'Where it stands.' })
  state!: ProposalState

  @whole({ says: 'Places it fixes.', example: 9 })
  places!: number

  @text({
    says: 'Why a place is left out, or why there is nothing to accept.',
    example: '',
    max: 4000,
  })
  trouble!: string

  @text({ says: 'What the owners should know.', example: '', max: 2000 })
  note!: string

  @text({ says: 'Who proposed it.', example: 'Imara Holt' })
  by!: string

  @moment({ says: 'When.' })
  at!: string

  @text({ says: 'Who decided.', example: 'Edwin Marsh', optional: true })
  decidedBy?: string

  @text({ says: 'What was said to it.', example: '', max: 2000 })
  answer!: string

  @whole({ says: 'The revision it became.', example: 15, optional: true })
  revision?: number
}

export class ProposedText {
  @text({ says: 'The file.', example: 'tanker-dispatch.yaml', max: 2000 })
  file!: string

  @text({ says: 'As it is in the newest revision.', example: 'openapi: 3.1.0\n', max: 20_000_000 })
  before!: string

  @text({ says: 'As it would be.', example: 'openapi: 3.1.0\n', max: 20_000_000 })
  after!: string
}

export class ProposalDecision {
  @flag({ says: 'Whether it becomes the next revision.', example: true })
  accept!: boolean

  @text({
    says: 'The version to name, where the one that is there is placed and its text fixed.',
    example: '2.5.1',
    max: 100,
    optional: true,
  })
  version?: string

  @text({ says: 'What to say to it.', example: 'Not before 3.0.', max: 2000, optional: true })
  note?: string
}

export class ProposalOutcome {
  @whole({
    says: 'The revision it became; absent where it was declined.',
    example: 15,
    optional: true,
  })
  revision?: number
}
