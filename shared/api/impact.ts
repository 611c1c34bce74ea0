import { levels, type Level } from '../../core/rules/model'
import { PageQuery } from './catalog'
import { choice, flag, many, text, texts, whole } from './fields'

const kinds = ['fails', 'passes', 'weighs'] as const

export class ImpactStart {
  @text({
    says: 'The text to be measured; the draft where absent.',
    example: 'rulebook: 1\n',
    max: 2_000_000,
    optional: true,
  })
  text?: string
}

export class ImpactRule {
  @text({ says: 'The rule.', example: 'list-paged' })
  rule!: string

  @whole({ says: 'Places in newest revisions that would newly fail.', example: 12 })
  fails!: number

  @whole({ says: 'Places in newest revisions that would newly pass.', example: 0 })
  passes!: number

  @whole({ says: 'Places in newest revisions whose level would change.', example: 7 })
  weighs!: number

  @whole({ says: 'Places in live revisions that would fail or weigh otherwise.', example: 5 })
  live!: number

  @whole({ says: 'APIs it concerns.', example: 4 })
  apis!: number

  @texts({ says: 'Teams it concerns.', example: ['Field'] })
  teams!: string[]
}

export class ImpactItem {
  @text({ says: 'Its name.', example: '3f2504e0-4f89-41d3-9a0c-0305e82c3301' })
  impact!: string

  @text({ says: 'The rulebook.', example: 'house' })
  rulebook!: string

  @choice(['waiting', 'running', 'done', 'stopped', 'failed'], { says: 'Where it stands.' })
  state!: 'waiting' | 'running' | 'done' | 'stopped' | 'failed'

  @whole({ says: 'Revisions to look at, and APIs whose placements are.', example: 21 })
  total!: number

  @whole({ says: 'How many of these were looked at.', example: 8 })
  done!: number

  @whole({ says: 'Judgements that were known already.', example: 40 })
  reused!: number

  @text({ says: 'What stopped it, where something did.', example: '', max: 2000 })
  trouble!: string

  @many(() => ImpactRule, { says: 'What would change, rule by rule.' })
  rules!: ImpactRule[]
}

export class ImpactPlace {
  @text({ says: 'The rule.', example: 'list-paged' })
  rule!: string

  @text({ says: 'The API.', example: 'tanker-dispatch' })
  api!: string

  @text({ says: 'The API’s title.', example: 'Tanker Dispatch' })
  title!: string

  @text({ says: 'The owning team.', example: 'Field' })
  team!: string

  @whole({ says: 'The revision.', example: 3 })
  revision!: number

  @flag({ says: 'Whether it runs in the last stage.' })
  live!: boolean

  @flag({ says: 'Whether it is the newest.' })
  newest!: boolean

  @choice(kinds, { says: 'Whether it would newly fail, newly pass, or weigh otherwise.' })
  kind!: (typeof kinds)[number]

  @choice(levels, { says: 'The level it would have, or had.' })
  level!: Level

  @text({
    says: 'What would be said.',
    example: 'GET /tankers returns a list without a limit',
    max: 4000,
  })
  message!: string

  @text({ says: 'The file; empty for the main one.', example: '', max: 2000 })
  file!: string

  @whole({ says: 'The line, from 1; 0 for what is found at a placement.', example: 40 })
  line!: number

  @text({
    says: 'The placement it is found at; empty where it is in the definition.',
    example: '',
  })
  placement!: string
}

export class ImpactQuery extends PageQuery {
  @text({ says: 'Only of this rule.', example: 'list-paged', optional: true })
  rule?: string

  @choice(kinds, { says: 'Only of this kind.', optional: true })
  kind?: (typeof kinds)[number]

  @text({ says: 'Only of this team.', example: 'Field', optional: true })
  team?: string
}
