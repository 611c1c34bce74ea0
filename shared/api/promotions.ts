import { choice, day, flag, many, moment, one, text, texts, whole } from './fields'
import { Diagnostic, PageQuery } from './catalog'
import { requestKinds, type RequestKind } from '../words'
import { DifferenceItem, SoapRoute, SpecBody } from './placements'

export class PromotionRequest {
  @text({ says: 'The API.', example: 'supply-interruptions', min: 1 })
  api!: string

  @text({ says: 'The version.', example: '2.4.0', min: 1 })
  version!: string

  @text({ says: 'The stage it stands in.', example: 'Rehearsal', min: 1 })
  from!: string

  @text({ says: 'What reviewers should know.', example: 'Adds subscriptions', max: 2000 })
  note!: string

  @day({ says: 'By when it is needed.', example: '2026-12-01', optional: true })
  neededBy?: string
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

  @choice(['asked', 'agreed', 'void'], {
    says: 'Whether somebody would have it pass this once, and a second person agreed.',
    optional: true,
  })
  waiver?: 'asked' | 'agreed' | 'void'
}

export class GateWaiverRequest {
  @text({ says: 'The gate.', example: 'soak', min: 1, max: 40 })
  gate!: string

  @text({
    says: 'Why it may pass this once.',
    example: 'The fault that it mends is in Live',
    min: 10,
    max: 1000,
  })
  reason!: string

  @text({ says: 'The plan that was read, by its digest.', example: '9f86d081884c7d65', max: 64 })
  digest!: string
}

export class ApprovalItem {
  @text({ says: 'Who approved.', example: 'Ruth Amadi' })
  by!: string

  @moment({ says: 'When.' })
  at!: string

  @text({ says: 'With which words.', example: 'Fine by security', max: 2000 })
  note!: string
}

/** What becomes of what stands somewhere. */
export class Becoming {
  @choice(['deprecated', 'retired', 'removed', 'served'], {
    says: 'Whether it is deprecated, retired, removed at once, or served on.',
  })
  as!: 'deprecated' | 'retired' | 'removed' | 'served'

  @day({ says: 'Until which day it is served.', example: '2027-03-31', optional: true })
  until?: string
}

export class PlacementPlan {
  @text({ says: 'The gateway group.', example: 'edge' })
  group!: string

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

  @one(() => SpecBody, {
    says: 'How it will be served; absent where it is removed.',
    optional: true,
  })
  spec?: SpecBody

  @one(() => Becoming, { says: 'What becomes of it, where it ends.', optional: true })
  becomes?: Becoming

  @many(() => SoapRoute, {
    says: 'What SOAP clients call the operations; absent where there are none.',
    max: 100_000,
    optional: true,
  })
  soap?: SoapRoute[]
}

/** Somebody went past the approval in an emergency. */
export class OverrideItem {
  @text({ says: 'Who.', example: 'Imara Holt' })
  name!: string

  @moment({ says: 'When.' })
  at!: string

  @text({ says: 'Why.', example: 'Partners flood the backend', max: 2000 })
  reason!: string
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

  @choice(requestKinds, { says: 'What is asked for.' })
  kind!: RequestKind

  @text({
    says: 'The placement that is to be changed.',
    example: 'supply-interruptions-live-1',
    optional: true,
  })
  placement?: string

  @choice(['waiting', 'under-way', 'done', 'withdrawn'], { says: 'What became of it.' })
  state!: 'waiting' | 'under-way' | 'done' | 'withdrawn'

  @one(() => OverrideItem, { says: 'Who went past the approval, and why.', optional: true })
  override?: OverrideItem

  @flag({
    says: 'Whether an emergency still waits for a second person to confirm it.',
    example: false,
    optional: true,
  })
  unconfirmed?: boolean

  @flag({
    says: 'Whether it is carried out by itself, as soon as every gate is open.',
    example: true,
    optional: true,
  })
  automatic?: boolean

  @whole({
    says: 'The release with which it is carried out; absent where it is alone.',
    example: 3,
    optional: true,
  })
  release?: number

  @text({
    says: 'Why it went back when it was carried out last; it is carried out by hand from then on.',
    example: '',
    max: 2000,
    optional: true,
  })
  wentBack?: string

  @text({ says: 'Who asked.', example: 'Imara Holt' })
  requestedBy!: string

  @moment({ says: 'When.' })
  requestedAt!: string

  @text({ says: 'What reviewers should know.', example: 'Adds subscriptions', max: 2000 })
  note!: string

  @day({
    says: 'By when it is needed; absent where nobody said so.',
    example: '2026-12-01',
    optional: true,
  })
  neededBy?: string

  @many(() => GateItem, { says: 'The gates.' })
  gates!: GateItem[]

  @many(() => ApprovalItem, { says: 'The approvals.' })
  approvals!: ApprovalItem[]
}

export class PromotionDetail extends PromotionItem {
  @many(() => PlacementPlan, { says: 'What changes in the next stage.' })
  plan!: PlacementPlan[]

  @text({
    says: 'What the plan is known by while it waits; an approval names it.',
    example: '9f86d081884c7d65',
    optional: true,
  })
  digest?: string
}

export class PipelineStage {
  @text({ says: 'The stage.', example: 'Live' })
  name!: string

  @texts({ says: 'What stands before it, each in a line.', example: ['No finding at MUST'] })
  gates!: string[]

  @texts({
    says: 'How it is carried out, and what becomes of earlier versions, each in a line.',
    example: ['watched for 10 minutes'],
  })
  then!: string[]
}

export class PipelineItem {
  @text({ says: 'What names it.', example: 'private' })
  pipeline!: string

  @text({ says: 'What it is called.', example: 'Private APIs' })
  title!: string

  @texts({
    says: 'The audiences it is for; all where there is none.',
    example: ['private'],
  })
  audiences!: string[]

  @texts({ says: 'The teams it is for; all where there is none.', example: [] })
  teams!: string[]

  @texts({ says: 'Labels of which its APIs have one; any where there is none.', example: [] })
  labels!: string[]

  @many(() => PipelineStage, { says: 'Its stages, in order.' })
  stages!: PipelineStage[]

  @texts({ says: 'APIs whose versions take it.', example: ['meter-readings'] })
  apis!: string[]

  @whole({ says: 'The edition in force; 0 for the usual one, which nobody wrote.', example: 3 })
  edition!: number

  @moment({ says: 'When that was published.', optional: true })
  publishedAt?: string

  @text({ says: 'Who published it.', example: 'Imara Holt', optional: true })
  publishedBy?: string
}

export class PipelineEdition {
  @whole({ says: 'Its number.', example: 2 })
  edition!: number

  @text({ says: 'What changed and why.', example: 'Two approvals before Live', max: 2000 })
  note!: string

  @moment({ says: 'When it was published.' })
  publishedAt!: string

  @text({ says: 'Who published it.', example: 'Imara Holt' })
  publishedBy!: string
}

export class PipelineDetail extends PipelineItem {
  @text({ says: 'Its text.', example: 'pipeline: 1', max: 100_000 })
  text!: string

  @many(() => PipelineEdition, { says: 'Its editions, the newest first.' })
  editions!: PipelineEdition[]
}

export class PipelineChange {
  @text({ says: 'What it is called.', example: 'Private APIs', min: 1, max: 100 })
  title!: string

  @text({ says: 'Its text, as YAML or JSON.', example: 'pipeline: 1', min: 1, max: 100_000 })
  text!: string

  @text({
    says: 'What changes and why, for those it concerns.',
    example: 'Two approvals before Live',
    min: 5,
    max: 2000,
  })
  note!: string
}

export class PipelineDraft {
  @text({
    says: 'The pipeline it would be the next edition of; a new one where it is left out.',
    example: 'private',
    optional: true,
  })
  pipeline?: string

  @text({ says: 'Its text, as YAML or JSON.', example: 'pipeline: 1', max: 100_000 })
  text!: string
}

export class PipelineEffect {
  @whole({ says: 'The promotion.', example: 7 })
  promotion!: number

  @text({ says: 'What it promotes.', example: 'Supply Interruptions 2.4.0 into Live' })
  title!: string

  @many(() => GateItem, { says: 'Its gates now.' })
  now!: GateItem[]

  @many(() => GateItem, { says: 'Its gates with the text in force.' })
  then!: GateItem[]
}

export class PipelineImpact {
  @many(() => Diagnostic, { says: 'What is wrong with the text; it cannot be published with any.' })
  diagnostics!: Diagnostic[]

  @texts({ says: 'APIs that would come to it.', example: ['meter-readings'] })
  coming!: string[]

  @texts({ says: 'APIs that would leave it.', example: [] })
  leaving!: string[]

  @many(() => PipelineEffect, { says: 'Waiting promotions whose gates would stand otherwise.' })
  promotions!: PipelineEffect[]
}

export class PromotionQuery extends PageQuery {
  @choice(['waiting', 'under-way', 'done', 'withdrawn'], {
    says: 'Only in this state.',
    optional: true,
  })
  state?: 'waiting' | 'under-way' | 'done' | 'withdrawn'

  @text({
    says: 'Only of this placement.',
    example: 'supply-interruptions-live-1',
    optional: true,
  })
  placement?: string

  @text({ says: 'Only of this API.', example: 'supply-interruptions', optional: true })
  api?: string

  @whole({ says: 'Only of this release.', example: 3, optional: true })
  release?: number
}

/** Says which plan somebody has read. */
export class PlanRead {
  @text({
    says: 'The digest of the plan that was read. Where the plan is another one by now, nothing is done.',
    example: '9f86d081884c7d65',
  })
  digest!: string
}

export class Approval extends PlanRead {
  @text({ says: 'With which words.', example: 'Fine by security', max: 2000 })
  note!: string
}

export class Override extends PlanRead {
  @text({
    says: 'Why it cannot wait for an approval.',
    example: 'Partners flood the backend',
    min: 10,
    max: 2000,
  })
  reason!: string
}
