import { choice, many, moment, one, text, texts, whole } from './fields'
import { PageQuery } from './catalog'
import { DifferenceItem, SpecBody } from './placements'

export class PromotionRequest {
  @text({ says: 'The API.', example: 'supply-interruptions', min: 1 })
  api!: string

  @text({ says: 'The version.', example: '2.4.0', min: 1 })
  version!: string

  @text({ says: 'The stage it stands in.', example: 'Rehearsal', min: 1 })
  from!: string

  @text({ says: 'What reviewers should know.', example: 'Adds subscriptions', max: 2000 })
  note!: string
}

export class GateItem {
  @text({ says: 'The gate.', example: 'findings' })
  id!: string

  @text({ says: 'The gate in a line.', example: 'No finding at MUST' })
  title!: string

  @choice(['passed', 'failed', 'waiting'], { says: 'How it stands.' })
  state!: 'passed' | 'failed' | 'waiting'

  @text({ says: 'Why.', example: 'The revision keeps every rule at MUST', max: 2000 })
  text!: string
}

export class ApprovalItem {
  @text({ says: 'Who approved.', example: 'Ruth Amadi' })
  by!: string

  @moment({ says: 'When.' })
  at!: string

  @text({ says: 'With which words.', example: 'Fine by security', max: 2000 })
  note!: string
}

export class PlacementPlan {
  @text({ says: 'The gateway.', example: 'north-edge' })
  gateway!: string

  @text({ says: 'The outside address.', example: 'https://api.brackenmere.example/supply/v2' })
  address!: string

  @text({ says: 'The version that stands there now; empty where none does.', example: '2.3.1' })
  replaces!: string

  @texts({ says: 'Operations that become served.', example: ['GET /subscriptions'], max: 100_000 })
  added!: string[]

  @texts({ says: 'Operations no longer served.', example: [], max: 100_000 })
  removed!: string[]

  @many(() => DifferenceItem, {
    says: 'Settings that change; “ledger” is now, “gateway” is afterwards.',
  })
  changes!: DifferenceItem[]

  @one(() => SpecBody, { says: 'How it will be served.' })
  spec!: SpecBody
}

export class PromotionItem {
  @whole({ says: 'The promotion’s number.', example: 7 })
  id!: number

  @text({ says: 'The API.', example: 'supply-interruptions' })
  api!: string

  @text({ says: 'The API’s title.', example: 'Supply Interruptions' })
  title!: string

  @text({ says: 'The owning team.', example: 'Network Control' })
  team!: string

  @text({ says: 'The version.', example: '2.4.0' })
  version!: string

  @text({ says: 'From which stage.', example: 'Rehearsal' })
  from!: string

  @text({ says: 'Into which stage.', example: 'Live' })
  to!: string

  @choice(['waiting', 'done', 'withdrawn'], { says: 'What became of it.' })
  state!: 'waiting' | 'done' | 'withdrawn'

  @text({ says: 'Who asked.', example: 'Imara Holt' })
  requestedBy!: string

  @moment({ says: 'When.' })
  requestedAt!: string

  @text({ says: 'What reviewers should know.', example: 'Adds subscriptions', max: 2000 })
  note!: string

  @many(() => GateItem, { says: 'The gates.' })
  gates!: GateItem[]

  @many(() => ApprovalItem, { says: 'The approvals.' })
  approvals!: ApprovalItem[]
}

export class PromotionDetail extends PromotionItem {
  @many(() => PlacementPlan, { says: 'What changes in the next stage.' })
  plan!: PlacementPlan[]
}

export class PromotionQuery extends PageQuery {
  @choice(['waiting', 'done', 'withdrawn'], { says: 'Only in this state.', optional: true })
  state?: 'waiting' | 'done' | 'withdrawn'

  @text({ says: 'Only of this API.', example: 'supply-interruptions', optional: true })
  api?: string
}

export class Approval {
  @text({ says: 'With which words.', example: 'Fine by security', max: 2000 })
  note!: string
}
