import type { EstatePart } from '../../core/rules/estate'
import type { ApiFacts } from '../../core/rules/model'
import type { FormatName } from '../../core/contract/model'
import {
  levels,
  subjectKinds,
  type Fix,
  type Level,
  type Sample,
  type SubjectKind,
} from '../../core/rules/model'
import { findingStatuses, type Audience, type Lifecycle } from '../words'
import { PageQuery } from './catalog'
import { anything, choice, flag, many, moment, one, text, texts, whole, wholes } from './fields'

export class RuleBinding {
  @text({ says: 'The day it begins to bind.', example: '2027-03-01', optional: true })
  from?: string

  @choice(['versions', 'apis'], { says: 'Only what was begun since that day.', optional: true })
  onlyNew?: 'versions' | 'apis'

  @texts({ says: 'Only these teams.', example: ['Field'], optional: true })
  teams?: string[]

  @texts({ says: 'Only APIs for these audiences.', example: ['partner'], optional: true })
  audiences?: Audience[]

  @texts({ says: 'Only APIs in these parts of their life.', example: ['active'], optional: true })
  lifecycles?: Lifecycle[]
}

export class RuleItem {
  @text({ says: 'The rule’s name.', example: 'contact-email' })
  id!: string

  @text({ says: 'The group it stands in.', example: 'identity' })
  group!: string

  @choice(levels, { says: 'How strongly it asks.' })
  level!: Level

  @text({ says: 'The rule in a line.', example: 'Say what the API is for' })
  title!: string

  @choice(subjectKinds, { says: 'What it speaks about.' })
  about!: SubjectKind

  @texts({
    says: 'The formats it is for; every one where absent.',
    example: ['OpenAPI'],
    optional: true,
  })
  formats?: FormatName[]

  @text({
    says: 'Where it speaks at all, in CEL.',
    example: 'catalog.audience != "public"',
    max: 4000,
    optional: true,
  })
  where?: string

  @text({ says: 'What must hold, in CEL.', example: 'definition.description != ""', max: 4000 })
  expect!: string

  @text({ says: 'What the author reads.', example: 'Describe what the API is for', max: 1000 })
  message!: string

  @text({ says: 'Why it is asked.', example: 'People search and decide by it.', max: 2000 })
  reason!: string

  @text({ says: 'How to fix it.', example: 'Say it in a sentence.', max: 2000, optional: true })
  remedy?: string

  @text({
    says: 'Where to read more.',
    example: 'https://www.rfc-editor.org/rfc/rfc9457',
    max: 1000,
    optional: true,
  })
  link?: string

  @text({ says: 'The part of its subject it points at.', example: 'description', optional: true })
  part?: string

  @one(() => RuleBinding, { says: 'From when and for whom it binds.', optional: true })
  binds?: RuleBinding

  @anything({ says: 'Changes that fix a finding.', example: [] })
  fixes?: Fix[]

  @anything({ says: 'What keeps it and what breaks it.', example: { passes: [], breaks: [] } })
  samples!: { passes: Sample[]; breaks: Sample[] }

  @flag({ says: 'Whether a team may loosen it although it is a MUST.', optional: true })
  mayBeLoosened?: boolean

  @whole({ says: 'Open findings of it in newest revisions.', example: 3 })
  findings!: number

  @whole({ says: 'APIs that have such a finding.', example: 2 })
  apis!: number

  @whole({ says: 'Places it was asked of.', example: 210 })
  asked!: number

  @whole({ says: 'Places that break it, waived ones too.', example: 5 })
  broken!: number

  @wholes({
    says: 'Open findings of it at the end of each of the last weeks, the oldest first; none where it never had any.',
    example: [9, 9, 7, 4, 3, 3],
  })
  trend!: number[]
}

export class RuleGroupItem {
  @text({ says: 'Its name.', example: 'naming' })
  id!: string

  @text({ says: 'What it is called.', example: 'Naming' })
  title!: string

  @text({ says: 'What its rules are for.', example: 'One way of writing names.', optional: true })
  says?: string
}

export class RulebookQuery extends PageQuery {
  @text({
    says: 'As it is for a team, with the team’s own rulebook.',
    example: 'Field',
    optional: true,
  })
  team?: string
}

export class Rulebook {
  @whole({ says: 'The edition in force.', example: 1 })
  edition!: number

  @text({ says: 'What it is called.', example: 'House rules of Brackenmere Water' })
  name!: string

  @text({ says: 'The organisation’s domain.', example: 'brackenmere.example' })
  domain!: string

  @texts({ says: 'Words of the organisation.', example: ['hydrant'], max: 5000 })
  words!: string[]

  @many(() => RuleGroupItem, { says: 'The groups, in order.' })
  groups!: RuleGroupItem[]

  @many(() => RuleItem, { says: 'The rules.' })
  items!: RuleItem[]

  @text({ says: 'Where the next page begins.', example: '1000', optional: true })
  nextCursor?: string
}

export class FindingItem {
  @text({ says: 'The rule; "valid" for what the format itself asks.', example: 'contact-email' })
  rule!: string

  @choice(levels, { says: 'How much it weighs here and now.' })
  level!: Level

  @choice(levels, { says: 'Its level once the rule binds.', optional: true })
  becomes?: Level

  @text({
    says: 'The day since which it binds, or from which it will.',
    example: '2027-03-01',
    optional: true,
  })
  since?: string

  @text({
    says: 'What is wrong.',
    example: 'Give a contact e-mail at brackenmere.example',
    max: 4000,
  })
  message!: string

  @text({
    says: 'What it is known by between revisions.',
    example: 'contact-email: definition',
    max: 8000,
  })
  key!: string

  @text({ says: 'JSON Pointer to the place.', example: '/info/contact/email', max: 4000 })
  at!: string

  @text({ says: 'The operation it is in; empty for none.', example: 'GET /notices', max: 4000 })
  operation!: string

  @text({ says: 'The file; empty for the main one.', example: '', max: 2000 })
  file!: string

  @whole({ says: 'The line, from 1.', example: 5 })
  line!: number

  @whole({ says: 'The column, from 1.', example: 3 })
  column!: number

  @text({ says: 'The API.', example: 'supply-interruptions' })
  api!: string

  @text({ says: 'The API’s title.', example: 'Supply Interruptions' })
  title!: string

  @text({ says: 'The owning team.', example: 'Network Control' })
  team!: string

  @whole({ says: 'The revision.', example: 14 })
  revision!: number

  @moment({ says: 'When it was first seen.' })
  firstSeen!: string

  @choice(findingStatuses, { says: 'Whether it counts: open, waived, or accepted by its team.' })
  status!: (typeof findingStatuses)[number]

  @whole({ says: 'The waiver that takes it out.', example: 3, optional: true })
  waiver?: number

  @text({ says: 'Who sees to it, by name in the register.', example: 'edwin', optional: true })
  person?: string

  @whole({ says: 'How many comments it has.', example: 0 })
  comments!: number
}

export class FindingQuery extends PageQuery {
  @text({ says: 'Only of this API.', example: 'supply-interruptions', optional: true })
  api?: string

  @whole({ says: 'Only of this revision; the newest where absent.', example: 14, optional: true })
  revision?: number

  @choice(levels, { says: 'Only at this level.', optional: true })
  level?: Level

  @text({ says: 'Only of this rule.', example: 'contact-email', optional: true })
  rule?: string

  @text({ says: 'Only of APIs of this team.', example: 'Metering', optional: true })
  team?: string

  @choice(findingStatuses, { says: 'Only open, waived or accepted ones.', optional: true })
  status?: (typeof findingStatuses)[number]

  @text({ says: 'Only those that this person sees to.', example: 'edwin', optional: true })
  person?: string

  @choice(['level', 'oldest'], { says: 'Which come first.', optional: true })
  first?: 'level' | 'oldest'
}

/** What is known of an API when its text is checked somewhere else, such as in a browser. */
export class SurroundingsItem {
  @anything({
    says: 'Team, audience, lifecycle, today, and its versions with stages.',
    example: {},
  })
  facts!: ApiFacts

  @anything({ says: 'What the other APIs hold under the names that this one uses.', example: [] })
  estate!: EstatePart[]
}

export class FindingKey {
  @text({ says: 'The API.', example: 'supply-interruptions' })
  api!: string

  @text({ says: 'What the finding is known by.', example: 'contact-email: definition', max: 8000 })
  key!: string
}

export class FindingAct {
  @many(() => FindingKey, { says: 'The findings.', max: 1000 })
  findings!: FindingKey[]

  @text({
    says: 'Who sees to them from now on; empty for nobody.',
    example: 'edwin',
    optional: true,
  })
  person?: string

  @text({
    says: 'A comment on each.',
    example: 'Goes with version 2.6.',
    max: 4000,
    optional: true,
  })
  comment?: string

  @flag({ says: 'Whether the team accepts them as they are.', optional: true })
  accept?: boolean
}

export class ActResult {
  @whole({ says: 'How many findings it concerned.', example: 12 })
  findings!: number
}

export class CommentItem {
  @text({ says: 'Who said it.', example: 'Imara Holt' })
  by!: string

  @moment({ says: 'When.' })
  at!: string

  @text({ says: 'What was said.', example: 'Goes with version 2.6.', max: 4000 })
  text!: string
}

export class WaiverRequest {
  @text({ says: 'The rule.', example: 'list-paged' })
  rule!: string

  @text({
    says: 'The API; the whole estate where absent.',
    example: 'tanker-dispatch',
    optional: true,
  })
  api?: string

  @text({ says: 'One operation of it.', example: 'GET /tankers', max: 4000, optional: true })
  operation?: string

  @text({
    says: 'One finding.',
    example: 'list-paged: operation GET /tankers',
    max: 8000,
    optional: true,
  })
  key?: string

  @text({ says: 'Why.', example: 'There are never more than twelve tankers.', min: 10, max: 2000 })
  reason!: string

  @text({
    says: 'The last day it holds.',
    example: '2027-03-31',
    pattern: /^\d{4}-\d{2}-\d{2}$/,
    otherwise: 'Say a day, as 2027-03-31',
  })
  until!: string
}

export class WaiverDecision {
  @flag({ says: 'Whether it is approved.', example: true })
  approve!: boolean

  @text({
    says: 'Why, or on what terms.',
    example: 'Until the new dispatch.',
    max: 2000,
    optional: true,
  })
  note?: string
}

export const waiverStates = ['waiting', 'approved', 'refused', 'withdrawn', 'ended'] as const

export class WaiverItem {
  @whole({ says: 'Its number.', example: 3 })
  waiver!: number

  @text({ says: 'The rule.', example: 'list-paged' })
  rule!: string

  @text({ says: 'The API, where it is for one.', example: 'tanker-dispatch', optional: true })
  api?: string

  @text({ says: 'The API’s title.', example: 'Tanker Dispatch', optional: true })
  title?: string

  @text({
    says: 'The operation, where it is for one.',
    example: 'GET /tankers',
    max: 4000,
    optional: true,
  })
  operation?: string

  @text({
    says: 'The finding, where it is for one.',
    example: 'list-paged: operation GET /tankers',
    max: 8000,
    optional: true,
  })
  key?: string

  @text({ says: 'Why.', example: 'There are never more than twelve tankers.', max: 2000 })
  reason!: string

  @text({ says: 'The last day it holds.', example: '2027-03-31' })
  until!: string

  @whole({ says: 'Days until it ends; below 0 once it has.', example: 12, min: -100_000 })
  days!: number

  @choice(waiverStates, { says: 'Where it stands.' })
  state!: (typeof waiverStates)[number]

  @text({ says: 'Who asked.', example: 'Bryn Alder' })
  askedBy!: string

  @moment({ says: 'When.' })
  askedAt!: string

  @text({ says: 'Who decided.', example: 'Imara Holt', optional: true })
  decidedBy?: string

  @text({ says: 'What was said with the decision.', example: 'Until the new dispatch.', max: 2000 })
  note!: string

  @whole({ says: 'Findings it takes out now.', example: 2 })
  findings!: number

  @flag({ says: 'Whether the caller may decide on it.', example: false })
  yours!: boolean
}

export class WaiverQuery extends PageQuery {
  @choice(waiverStates, { says: 'Only in this state.', optional: true })
  state?: (typeof waiverStates)[number]

  @text({ says: 'Only of this API.', example: 'tanker-dispatch', optional: true })
  api?: string

  @text({ says: 'Only of this rule.', example: 'list-paged', optional: true })
  rule?: string
}

export class EstateApi {
  @text({ says: 'The API.', example: 'tanker-dispatch' })
  api!: string

  @text({ says: 'Its title.', example: 'Tanker Dispatch' })
  title!: string

  @text({ says: 'The owning team.', example: 'Field' })
  team!: string

  @anything({ says: 'Open findings by rule.', example: { 'list-paged': 4 } })
  open!: Record<string, number>
}

export class EstateDay {
  @text({ says: 'The day.', example: '2026-11-20' })
  day!: string

  @text({ says: 'The team.', example: 'Field' })
  team!: string

  @whole({ says: 'Open findings at MUST at its end.', example: 4 })
  must!: number

  @whole({ says: 'At SHOULD.', example: 30 })
  should!: number

  @whole({ says: 'At MAY.', example: 80 })
  may!: number

  @whole({ says: 'Waived and accepted ones.', example: 2 })
  aside!: number
}

export class EstateFindings {
  @many(() => EstateApi, { says: 'Every API.' })
  apis!: EstateApi[]

  @many(() => EstateDay, { says: 'How it went, by day and team.', max: 50_000 })
  days!: EstateDay[]
}

export class RulebookDraft {
  @text({ says: 'Its name in addresses.', example: 'house' })
  rulebook!: string

  @text({ says: 'What it is called.', example: 'House rules of Brackenmere Water' })
  title!: string

  @text({
    says: 'The team it is for; the organisation’s has none.',
    example: 'Field',
    optional: true,
  })
  team?: string

  @text({ says: 'The text.', example: 'rulebook: 1\n', max: 2_000_000 })
  text!: string

  @moment({ says: 'When it was saved.' })
  savedAt!: string

  @text({ says: 'Who saved it.', example: 'Imara Holt' })
  savedBy!: string

  @flag({ says: 'Whether its page may be read by everybody.', example: false })
  shown!: boolean

  @whole({ says: 'Its newest edition; 0 where there is none.', example: 2 })
  edition!: number

  @texts({
    says: 'What it changes against that edition, in words.',
    example: ['list-paged becomes MUST'],
    max: 5000,
  })
  changes!: string[]
}

export class RulebookText {
  @text({ says: 'The text.', example: 'rulebook: 1\n', max: 2_000_000 })
  text!: string
}

export class RulebookSettings {
  @flag({ says: 'Whether its page may be read by everybody.', example: true })
  shown!: boolean
}

export class NewRulebook {
  @text({ says: 'The team it is for.', example: 'Field', min: 1 })
  team!: string
}

export class Publication {
  @text({
    says: 'What changes and why, for those it concerns.',
    example: 'Pages for every list',
    min: 5,
    max: 2000,
  })
  note!: string
}

export class EditionItem {
  @whole({ says: 'Its number.', example: 2 })
  edition!: number

  @text({ says: 'The rulebook.', example: 'house' })
  rulebook!: string

  @text({ says: 'What it is called.', example: 'House rules of Brackenmere Water' })
  title!: string

  @text({ says: 'What was said with it.', example: 'Pages for every list', max: 2000 })
  note!: string

  @moment({ says: 'When it was published.' })
  publishedAt!: string

  @text({ says: 'Who published it.', example: 'Imara Holt' })
  publishedBy!: string

  @whole({ says: 'How many rules it has.', example: 78 })
  rules!: number

  @texts({
    says: 'What it changed against the one before, in words.',
    example: ['list-paged becomes MUST'],
    max: 5000,
  })
  changes!: string[]
}
