import type { ContractFacts } from '../../core/contract/facts'
import { audiences, lifecycles, type Audience, type Lifecycle } from '../words'
import { anything, choice, flag, many, moment, one, text, texts, whole } from './fields'

/** A file of a revision. */
export class RevisionFile {
  @text({
    says: 'Its name, as it is from the main file.',
    example: 'schemas/notice.yaml',
    max: 2000,
  })
  name!: string

  @whole({ says: 'Size in bytes.', example: 48210 })
  bytes!: number

  @text({
    says: 'SHA-256 of its bytes.',
    example: '9f86d081884c7d659a2feaa0c55ad015a3bf4f1b2b0b822cd15d6c15b0f00a08',
  })
  sha256!: string
}

/** Which page of a list. */
export class PageQuery {
  @whole({ says: 'How many to return at most.', example: 100, min: 1, max: 1000, optional: true })
  limit?: number

  @text({ says: 'Where to go on, from the page before.', example: 'YXQgMTAw', optional: true })
  cursor?: string
}

export class FindingTotals {
  @whole({ says: 'Findings at MUST.', example: 0 })
  must!: number

  @whole({ says: 'Findings at SHOULD.', example: 2 })
  should!: number

  @whole({ says: 'Findings at MAY.', example: 5 })
  may!: number
}

/** A version in one stage: the newest placed there. */
export class StageCell {
  @text({ says: 'The stage.', example: 'Trial' })
  stage!: string

  @text({ says: 'The version placed there.', example: '2.4.0' })
  version!: string

  @choice(['in-step', 'differs', 'unseen'], { says: 'Whether the gateway runs what was approved.' })
  mark!: 'in-step' | 'differs' | 'unseen'

  @whole({ says: 'In how many places it differs.', example: 0 })
  differences!: number

  @flag({ says: 'Whether every served operation is a mock.' })
  mocked!: boolean

  @flag({ says: 'Whether any placement asks for no key although the API is not public.' })
  unprotected!: boolean

  @whole({ says: 'Other versions placed in the same stage.', example: 0 })
  others!: number
}

export class RegisterRow {
  @text({ says: 'The API’s name in addresses.', example: 'supply-interruptions' })
  api!: string

  @text({ says: 'The title.', example: 'Supply Interruptions' })
  title!: string

  @text({ says: 'The owning team.', example: 'Network Control' })
  team!: string

  @choice(audiences, { says: 'Whom it is for.' })
  audience!: Audience

  @choice(lifecycles, { says: 'Where it is in its life.' })
  lifecycle!: Lifecycle

  @text({ says: 'The format of the newest revision.', example: 'OpenAPI 3.1' })
  format!: string

  @text({ says: 'The version being written.', example: '2.5.0' })
  version!: string

  @whole({ says: 'The newest revision.', example: 14 })
  revision!: number

  @moment({ says: 'When the newest revision was saved.' })
  savedAt!: string

  @one(() => FindingTotals, { says: 'Findings in the newest revision.' })
  findings!: FindingTotals

  @many(() => StageCell, { says: 'Where versions live.' })
  cells!: StageCell[]

  @whole({ says: 'Promotions that wait.', example: 1 })
  waiting!: number

  @flag({ says: 'Whether the newest version is not placed anywhere yet.' })
  draft!: boolean

  @flag({ says: 'Whether only its team, governance and some people see it.' })
  confidential!: boolean
}

export class RegisterPage {
  @texts({ says: 'The stages, in order.', example: ['Trial', 'Rehearsal', 'Live'] })
  stages!: string[]

  @many(() => RegisterRow, { says: 'The APIs.' })
  items!: RegisterRow[]

  @text({ says: 'Where the next page begins.', example: '100', optional: true })
  nextCursor?: string
}

export class SoapOperation {
  @text({ says: 'The port type.', example: 'SamplingPort' })
  portType!: string

  @text({ says: 'The operation.', example: 'registerSample' })
  operation!: string

  @text({ says: 'The SOAPAction.', example: 'urn:lab:registerSample', max: 2000 })
  action!: string
}

export class OperationItem {
  @text({ says: 'The method.', example: 'GET' })
  method!: string

  @text({ says: 'The path.', example: '/notices/{noticeId}' })
  path!: string

  @text({ says: 'The identifier.', example: 'getNotice', optional: true })
  id?: string

  @text({ says: 'The summary.', example: 'Read one notice', optional: true })
  summary?: string

  @texts({ says: 'The tags.', example: ['Notices'] })
  tags!: string[]

  @flag({ says: 'Whether it is going away.' })
  deprecated!: boolean

  @one(() => SoapOperation, {
    says: 'What a SOAP client calls; method and path then only name it here.',
    optional: true,
  })
  soap?: SoapOperation

  @text({ says: 'The file it is written in.', example: 'supply-interruptions.yaml', max: 2000 })
  file!: string

  @whole({ says: 'The line it is written at.', example: 120 })
  line!: number
}

export class NamedLine {
  @text({ says: 'The name.', example: 'Notice', max: 2000 })
  name!: string

  @text({ says: 'The file it is written in.', example: 'supply-interruptions.yaml', max: 2000 })
  file!: string

  @whole({ says: 'The line it is written at.', example: 640 })
  line!: number
}

export class RevisionItem {
  @whole({ says: 'The revision’s number within its API.', example: 14 })
  revision!: number

  @text({ says: 'The version the text names.', example: '2.5.0' })
  version!: string

  @text({ says: 'The format.', example: 'OpenAPI 3.1' })
  format!: string

  @moment({ says: 'When it was saved.' })
  savedAt!: string

  @text({ says: 'Who saved it.', example: 'Imara Holt' })
  savedBy!: string

  @whole({ says: 'Size in bytes.', example: 48210 })
  bytes!: number

  @text({
    says: 'SHA-256 of the text.',
    example: '9f86d081884c7d659a2feaa0c55ad015a3bf4f1b2b0b822cd15d6c15b0f00a08',
  })
  sha256!: string

  @one(() => FindingTotals, { says: 'Findings.' })
  findings!: FindingTotals
}

export class RevisionDetail extends RevisionItem {
  @text({ says: 'The file’s name.', example: 'supply-interruptions.yaml' })
  file!: string

  @choice(['yaml', 'json', 'xml'], { says: 'How the text is written.' })
  syntax!: 'yaml' | 'json' | 'xml'

  @many(() => RevisionFile, { says: 'All files, the main one first.' })
  files!: RevisionFile[]

  @many(() => OperationItem, { says: 'The operations.', max: 100_000 })
  operations!: OperationItem[]

  @many(() => NamedLine, { says: 'The named schemas.', max: 100_000 })
  schemas!: NamedLine[]

  @many(() => NamedLine, { says: 'The webhooks.', max: 100_000 })
  webhooks!: NamedLine[]
}

/** Something worth reading beside an API. */
export class ApiLink {
  @text({ says: 'What it is called.', example: 'Runbook', min: 1, max: 100 })
  title!: string

  @text({
    says: 'Where it is.',
    example: 'https://wiki.brackenmere.example/runbooks/supply',
    max: 2000,
    pattern: /^https?:\/\/\S+$/,
    otherwise: 'A link begins with http:// or https://',
  })
  url!: string

  @flag({
    says: 'Whether callers are told of it where the API, or an operation, is deprecated.',
    optional: true,
  })
  deprecation?: boolean
}

export class ApiDetail {
  @text({ says: 'The API’s name in addresses.', example: 'supply-interruptions' })
  api!: string

  @text({ says: 'The title.', example: 'Supply Interruptions' })
  title!: string

  @text({
    says: 'What it is for.',
    example: 'Planned and unplanned interruptions to supply.',
    max: 20_000,
  })
  description!: string

  @text({ says: 'The owning team.', example: 'Network Control' })
  team!: string

  @choice(audiences, { says: 'Whom it is for.' })
  audience!: Audience

  @choice(lifecycles, { says: 'Where it is in its life.' })
  lifecycle!: Lifecycle

  @text({ says: 'Where questions go.', example: 'network-control@brackenmere.example' })
  contact!: string

  @texts({
    says: 'Servers the text names.',
    example: ['https://api.brackenmere.example/supply/v2'],
  })
  servers!: string[]

  @texts({ says: 'Tags.', example: ['Interruptions'] })
  tags!: string[]

  @one(() => RevisionItem, { says: 'The newest revision.' })
  latest!: RevisionItem

  @many(() => StageCell, { says: 'Where versions live.' })
  cells!: StageCell[]

  @texts({
    says: 'Versions that are placed somewhere or were, newest first.',
    example: ['2.4.0', '2.3.1'],
  })
  versions!: string[]

  @whole({ says: 'How many operations the newest revision has.', example: 19 })
  operations!: number

  @whole({ says: 'How many named schemas the newest revision has.', example: 11 })
  schemas!: number

  @text({ says: 'The person who answers for it.', example: 'tomas' })
  owner!: string

  @text({ says: 'Since when it is deprecated; empty where nobody knows.', example: '2026-10-01' })
  deprecatedOn!: string

  @text({ says: 'The day it stops being served, once it is deprecated.', example: '2027-03-31' })
  sunset!: string

  @texts({ says: 'Words the register adds to the definition’s tags.', example: ['regulated'] })
  labels!: string[]

  @many(() => ApiLink, { says: 'What is worth reading beside it.' })
  links!: ApiLink[]

  @text({
    says: 'Where its definition is read again from every ten minutes; empty where it is written here.',
    example: 'https://definitions.brackenmere.example/levels.yaml',
    max: 500,
  })
  sourceAddress!: string

  @moment({ says: 'When that was read last; absent where it was not.', optional: true })
  sourceReadAt?: string

  @text({ says: 'Why it could not be read; empty where it could.', example: '', max: 2000 })
  sourceTrouble!: string

  @anything({
    says: 'What can be counted in the newest revision.',
    example: { operations: 19, deprecated: 1 },
  })
  facts!: ContractFacts

  @whole({
    says: 'Errors and warnings of the newest revision against its specification.',
    example: 0,
  })
  diagnostics!: number

  @whole({ says: 'Fixes that somebody proposed and its owner has not decided on.', example: 0 })
  proposals!: number

  @whole({ says: 'Waivers for it that end within 30 days.', example: 0 })
  endingWaivers!: number

  @flag({ says: 'Whether only its team, governance and the people named see that it is there.' })
  confidential!: boolean

  @texts({ says: 'Who may see it besides, by name.', example: ['oskar'] })
  viewers!: string[]
}

export class ApiChange {
  @text({ says: 'The owning team.', example: 'Network Control', min: 1, optional: true })
  team?: string

  @choice(audiences, { says: 'Whom it is for.', optional: true })
  audience?: Audience

  @choice(lifecycles, { says: 'Where it is in its life.', optional: true })
  lifecycle?: Lifecycle

  @text({
    says: 'The person who answers for it; empty for nobody.',
    example: 'tomas',
    optional: true,
  })
  owner?: string

  @text({
    says: 'Since when it is deprecated; the day of the change where absent.',
    example: '2026-10-01',
    pattern: /^(\d{4}-\d{2}-\d{2})?$/,
    otherwise: 'A day is written 2026-10-01',
    optional: true,
  })
  deprecatedOn?: string

  @text({
    says: 'The day it stops being served; empty for none.',
    example: '2027-03-31',
    pattern: /^(\d{4}-\d{2}-\d{2})?$/,
    otherwise: 'A day is written 2027-03-31',
    optional: true,
  })
  sunset?: string

  @text({
    says: 'Where its definition is read again from; empty where it is written here.',
    example: 'https://definitions.brackenmere.example/levels.yaml',
    max: 500,
    pattern: /^(https?:\/\/[^\s/@]+(\/\S*)?)?$/,
    otherwise: 'An address begins with http:// or https://, and has no name or password in it',
    optional: true,
  })
  sourceAddress?: string

  @texts({
    says: 'Words the register adds to the definition’s tags.',
    example: ['regulated'],
    max: 30,
    optional: true,
  })
  labels?: string[]

  @many(() => ApiLink, { says: 'What is worth reading beside it.', max: 30, optional: true })
  links?: ApiLink[]

  @flag({
    says: 'Whether only its team, governance and the people named may see that it is there.',
    optional: true,
  })
  confidential?: boolean

  @texts({
    says: 'The people who may see it besides, by name, while it is confidential.',
    example: ['oskar'],
    max: 100,
    optional: true,
  })
  viewers?: string[]
}

export class IntakeQuery {
  @text({ says: 'The file’s name.', example: 'supply.yaml', max: 200, optional: true })
  file?: string
}

export class AddressIntake {
  @text({
    says: 'Where the definition is.',
    example: 'https://definitions.brackenmere.example/supply.yaml',
    min: 8,
    max: 2000,
  })
  url!: string

  @flag({ says: 'Whether files on other hosts may be fetched too.', optional: true })
  agreed?: boolean
}

export class Diagnostic {
  @choice(['error', 'warning'], { says: 'Whether it stops the text from being read.' })
  severity!: 'error' | 'warning'

  @text({ says: 'What is wrong.', example: 'A comma is missing', max: 2000 })
  message!: string

  @text({ says: 'The file.', example: 'supply.yaml' })
  file!: string

  @whole({ says: 'The line, from 1.', example: 12 })
  line!: number

  @whole({ says: 'The column, from 1.', example: 5 })
  column!: number

  @text({
    says: 'The lines around it; its own is marked.',
    example: '› 12 info: [',
    max: 2000,
    optional: true,
  })
  excerpt?: string
}

export class Twin {
  @text({ says: 'The API.', example: 'supply-interruptions' })
  api!: string

  @text({ says: 'Its title.', example: 'Supply Interruptions' })
  title!: string

  @choice(['content', 'version', 'title'], {
    says: 'What is the same: the whole text, title and version, or the title alone.',
  })
  same!: 'content' | 'version' | 'title'

  @whole({ says: 'The revision it is the same as.', example: 12 })
  revision!: number

  @flag({ says: 'Whether that version is placed, so that its text is fixed.' })
  fixed!: boolean
}

export class Intake {
  @text({ says: 'The intake’s identifier.', example: '5c2f0a1e-6a58-4a0e-9d7d-1f2f4a3b5c6d' })
  id!: string

  @choice(['waiting', 'reading', 'ready', 'unreadable', 'accepted'], { says: 'How far it is.' })
  state!: 'waiting' | 'reading' | 'ready' | 'unreadable' | 'accepted'

  @text({ says: 'The file’s name, or the address.', example: 'supply.yaml', max: 2000 })
  source!: string

  @whole({ says: 'Size in bytes.', example: 48210 })
  bytes!: number

  @many(() => Diagnostic, { says: 'What stands in the way, or deserves a look.' })
  diagnostics!: Diagnostic[]

  @anything({
    says: 'What the text says of itself: title, version, format, contact, servers, tags, counts.',
    example: { title: 'Supply Interruptions', version: '2.5.0', operations: 19 },
    optional: true,
  })
  summary?: IntakeSummary

  @many(() => Twin, { says: 'What the register has already.' })
  twins!: Twin[]

  @texts({ says: 'Its files, the main one first.', example: ['supply.yaml'], max: 5000 })
  files!: string[]

  @texts({
    says: 'Addresses on other hosts that it refers to and nobody has asked.',
    example: [],
    max: 5000,
  })
  remote!: string[]
}

export interface IntakeSummary {
  title: string
  version: string
  format: string
  description: string
  contact: string
  servers: string[]
  tags: string[]
  operations: number
  schemas: number
}

export class Acceptance {
  @text({
    says: 'The owning team; taken from the API where one is named.',
    example: 'Metering',
    min: 1,
    optional: true,
  })
  team?: string

  @choice(audiences, {
    says: 'Whom it is for; taken from the API where one is named.',
    optional: true,
  })
  audience?: Audience

  @text({
    says: 'The API it is a new revision of; absent for a new API.',
    example: 'supply-interruptions',
    optional: true,
  })
  api?: string
}

export class Saved {
  @text({ says: 'The API.', example: 'supply-interruptions' })
  api!: string

  @whole({ says: 'The revision that was saved.', example: 15 })
  revision!: number

  @text({ says: 'The version its text names.', example: '2.5.0' })
  version!: string

  @one(() => FindingTotals, { says: 'Findings in it.' })
  findings!: FindingTotals
}
