import { anything, choice, flag, many, moment, one, text, texts, whole } from './fields'
import { PageQuery } from './catalog'

export class GatewayItem {
  @text({ says: 'The gateway’s name.', example: 'north-edge' })
  name!: string

  @text({ says: 'What it serves.', example: 'Public and partner traffic' })
  serves!: string

  @text({ says: 'Where traffic goes in.', example: 'http://127.0.0.1:7411' })
  dataUrl!: string

  @moment({ says: 'When it was last read.', optional: true })
  seenAt?: string

  @text({ says: 'Why it could not be read; empty where it could.', example: '' })
  trouble!: string

  @whole({ says: 'Placements on it.', example: 6 })
  placements!: number

  @whole({ says: 'Placements on it that differ.', example: 1 })
  differing!: number

  @whole({ says: 'Routes it runs.', example: 84 })
  routes!: number

  @texts({ says: 'Routes nobody placed.', example: ['GET /old/ping'] })
  unclaimed!: string[]
}

export class TreatmentBody {
  @choice(['undecided', 'route', 'mock', 'withheld'], { says: 'What happens to the operation.' })
  kind!: 'undecided' | 'route' | 'mock' | 'withheld'

  @text({ says: 'The backend it is routed to.', example: 'main', optional: true })
  backend?: string

  @text({ says: 'Why it is withheld.', example: 'For the control room only', optional: true })
  reason?: string
}

export class RouteRowBody {
  @text({ says: 'The method.', example: 'GET' })
  method!: string

  @text({ says: 'The path in the definition.', example: '/notices/{noticeId}', max: 2000 })
  path!: string

  @one(() => TreatmentBody, { says: 'What happens to it here.' })
  treatment!: TreatmentBody
}

export class BackendBody {
  @text({
    says: 'The backend’s name.',
    example: 'main',
    min: 1,
    max: 40,
    pattern: /^[a-z0-9-]+$/,
    otherwise: 'Name a backend in lower case letters, digits and hyphens',
  })
  name!: string

  @text({
    says: 'Its address, without a slash at the end.',
    example: 'http://127.0.0.1:7501/supply',
    max: 500,
    pattern: /^https?:\/\/[^\s/]+(\/[^\s?#]*)?$/,
    otherwise: 'A backend’s address begins with http:// or https:// and has no query',
  })
  url!: string

  @whole({
    says: 'How long to wait for it, in milliseconds.',
    example: 5000,
    min: 50,
    max: 120_000,
  })
  timeoutMs!: number
}

export class PrefixBody {
  @choice(['keep', 'strip', 'replace'], { says: 'What becomes of the base path on the way in.' })
  kind!: 'keep' | 'strip' | 'replace'

  @text({ says: 'What stands in its place.', example: '/v2', optional: true })
  with?: string
}

export class KeyBody {
  @flag({ says: 'Whether a key is asked for.', example: true })
  required!: boolean

  @text({
    says: 'The header that carries it.',
    example: 'X-Api-Key',
    max: 60,
    pattern: /^[A-Za-z][A-Za-z0-9-]*$/,
    otherwise: 'A header’s name has letters, digits and hyphens',
    optional: true,
  })
  header?: string

  @text({ says: 'Why none is asked for.', example: 'Open data', optional: true })
  reason?: string
}

export class LimitBody {
  @whole({ says: 'How many requests.', example: 60, min: 1, max: 1_000_000 })
  requests!: number

  @whole({ says: 'In how many seconds.', example: 60, min: 1, max: 86_400 })
  seconds!: number
}

export class SpecBody {
  @text({ says: 'The host outside.', example: 'trial.api.brackenmere.example', min: 1, max: 253 })
  host!: string

  @text({ says: 'The base path outside.', example: '/supply/v2', min: 1, max: 300 })
  basePath!: string

  @one(() => PrefixBody, { says: 'What becomes of the base path.' })
  prefix!: PrefixBody

  @many(() => BackendBody, { says: 'The upstream services.', max: 20 })
  backends!: BackendBody[]

  @many(() => RouteRowBody, {
    says: 'The route table: every operation of the version.',
    max: 100_000,
  })
  routes!: RouteRowBody[]

  @one(() => KeyBody, { says: 'Whether a key is asked for.' })
  key!: KeyBody

  @one(() => LimitBody, { says: 'How many requests are taken.', optional: true })
  limit?: LimitBody
}

export class PlacementRequest {
  @text({ says: 'The API.', example: 'supply-interruptions', min: 1 })
  api!: string

  @text({ says: 'The version.', example: '2.5.0', min: 1 })
  version!: string

  @text({ says: 'The gateway.', example: 'north-edge', min: 1 })
  gateway!: string

  @one(() => SpecBody, { says: 'How it should be served.' })
  spec!: SpecBody
}

export class DraftQuery {
  @text({ says: 'The version; the newest where absent.', example: '2.5.0', optional: true })
  version?: string

  @text({ says: 'The stage; the first where absent.', example: 'Trial', optional: true })
  stage?: string

  @text({
    says: 'The gateway; proposed by audience where absent.',
    example: 'north-edge',
    optional: true,
  })
  gateway?: string
}

export class PlacementDraft {
  @text({ says: 'The version.', example: '2.5.0' })
  version!: string

  @whole({ says: 'The revision it stands for.', example: 14 })
  revision!: number

  @text({ says: 'The stage.', example: 'Trial' })
  stage!: string

  @text({ says: 'The gateway proposed.', example: 'north-edge' })
  gateway!: string

  @one(() => SpecBody, { says: 'A proposal; operations nobody decided about are undecided.' })
  spec!: SpecBody
}

export class DifferenceItem {
  @text({
    says: 'Which operation, outside.',
    example: 'GET /supply/v2/interruptions/{id}',
    max: 2000,
  })
  where!: string

  @text({ says: 'Which setting.', example: 'rate limit' })
  what!: string

  @text({ says: 'What was approved.', example: '60 / minute', max: 20_000 })
  ledger!: string

  @text({ says: 'What the gateway runs.', example: '600 / minute', max: 20_000 })
  gateway!: string

  @text({ says: 'How it probably came about.', example: 'Somebody changed it on the gateway' })
  cause!: string
}

export class PlacementItem {
  @text({ says: 'The placement’s identifier.', example: 'supply-interruptions-trial-1' })
  id!: string

  @whole({ says: 'Counts its approved states; quoted in If-Match.', example: 3 })
  edition!: number

  @text({ says: 'The API.', example: 'supply-interruptions' })
  api!: string

  @text({ says: 'The API’s title.', example: 'Supply Interruptions' })
  title!: string

  @text({ says: 'The owning team.', example: 'Network Control' })
  team!: string

  @text({ says: 'The version.', example: '2.4.0' })
  version!: string

  @whole({ says: 'The revision.', example: 12 })
  revision!: number

  @text({ says: 'The stage.', example: 'Trial' })
  stage!: string

  @text({ says: 'The gateway.', example: 'north-edge' })
  gateway!: string

  @one(() => SpecBody, { says: 'How it should be served.' })
  spec!: SpecBody

  @choice(['in-step', 'differs', 'unseen'], { says: 'Whether the gateway runs it.' })
  mark!: 'in-step' | 'differs' | 'unseen'

  @moment({ says: 'When the gateway was last read.', optional: true })
  checkedAt?: string

  @many(() => DifferenceItem, { says: 'What differs.' })
  differences!: DifferenceItem[]

  @moment({ says: 'When it was last applied.' })
  appliedAt!: string

  @text({ says: 'Who applied it.', example: 'Oskar Lindqvist' })
  appliedBy!: string

  @texts({ says: 'Names of keys that work here.', example: ['Alder Homes'] })
  keys!: string[]
}

export class PlacementQuery extends PageQuery {
  @text({ says: 'Only of this API.', example: 'supply-interruptions', optional: true })
  api?: string

  @text({ says: 'Only in this stage.', example: 'Live', optional: true })
  stage?: string

  @choice(['in-step', 'differs', 'unseen'], { says: 'Only with this mark.', optional: true })
  mark?: 'in-step' | 'differs' | 'unseen'
}

export class KeyRequest {
  @text({ says: 'Whom the key is for.', example: 'Alder Homes', min: 2, max: 80 })
  name!: string
}

export class IssuedKey {
  @text({ says: 'Whom the key is for.', example: 'Alder Homes' })
  name!: string

  @text({ says: 'The key; it is shown this once.', example: 'elm_2YQ8bVZ1p6mT4nRk' })
  secret!: string
}

export class HandEdit {
  @choice(['limit', 'route', 'backend'], { says: 'What to change as if by hand.' })
  kind!: 'limit' | 'route' | 'backend'
}

export class DeskRequest {
  @text({ says: 'The placement to send through.', example: 'supply-interruptions-trial-1', min: 1 })
  placement!: string

  @text({
    says: 'The method.',
    example: 'GET',
    pattern: /^[A-Z]{3,7}$/,
    otherwise: 'A method is a word in capitals',
  })
  method!: string

  @text({
    says: 'The outside path with its query.',
    example: '/supply/v2/areas?limit=5',
    max: 4000,
    pattern: /^\/[^\s#]*$/,
    otherwise: 'The path begins with a slash and has no spaces',
  })
  path!: string

  @text({
    says: 'The host, where it is not the placement’s.',
    example: 'trial.api.brackenmere.example',
    max: 253,
    pattern: /^[A-Za-z0-9.-]+$/,
    otherwise: 'A host has letters, digits, dots and hyphens',
    optional: true,
  })
  host?: string

  @text({
    says: 'The key to send.',
    example: 'elm_2YQ8bVZ1p6mT4nRk',
    max: 200,
    pattern: /^[\x21-\x7e]*$/,
    otherwise: 'A key has no spaces or special characters',
    optional: true,
  })
  key?: string

  @text({
    says: 'The media type of the body.',
    example: 'application/json',
    max: 100,
    pattern: /^[\w.+-]+\/[\w.+-]+$/,
    otherwise: 'A media type looks like application/json',
    optional: true,
  })
  mediaType?: string

  @text({ says: 'The body.', example: '{}', max: 1_000_000, optional: true })
  body?: string
}

export class HeaderLine {
  @text({ says: 'The name.', example: 'content-type' })
  name!: string

  @text({ says: 'The value.', example: 'application/json', max: 8000 })
  value!: string
}

export class StepItem {
  @text({ says: 'Which step.', example: 'route' })
  name!: string

  @flag({ says: 'Whether the request got past it.', example: true })
  passed!: boolean

  @text({ says: 'What happened, in words.', example: 'GET /supply/v2/areas matched', max: 4000 })
  text!: string
}

export class DeskAnswer {
  @whole({ says: 'The status code.', example: 200 })
  status!: number

  @many(() => HeaderLine, { says: 'The headers.' })
  headers!: HeaderLine[]

  @text({ says: 'The body, up to a megabyte.', example: '{"items":[]}', max: 1_100_000 })
  body!: string

  @flag({ says: 'Whether the body was cut.' })
  cut!: boolean

  @whole({ says: 'The time it took, in milliseconds.', example: 12 })
  ms!: number

  @many(() => StepItem, { says: 'The request’s way through the gateway.' })
  steps!: StepItem[]

  @text({ says: 'What the answer means, in words.', example: 'The backend answered.', max: 4000 })
  verdict!: string
}

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

export class LedgerEntry {
  @whole({ says: 'The entry’s number.', example: 41 })
  number!: number

  @moment({ says: 'When.' })
  at!: string

  @text({ says: 'Who.', example: 'imara' })
  actor!: string

  @text({ says: 'What was done.', example: 'placement.applied' })
  action!: string

  @text({ says: 'To what.', example: 'supply-interruptions' })
  subject!: string

  @anything({ says: 'How it was.', example: null })
  before!: unknown

  @anything({ says: 'How it is.', example: { version: '2.4.0' } })
  after!: unknown

  @text({
    says: 'The hash of the entry before.',
    example: '0000000000000000000000000000000000000000000000000000000000000000',
  })
  previous!: string

  @text({
    says: 'The hash of this entry.',
    example: '9f86d081884c7d659a2feaa0c55ad015a3bf4f1b2b0b822cd15d6c15b0f00a08',
  })
  hash!: string
}

export class LedgerQuery extends PageQuery {
  @text({
    says: 'Only with this word in subject, action or actor.',
    example: 'supply',
    optional: true,
  })
  search?: string
}

export class Verification {
  @whole({ says: 'Entries whose hashes were computed again.', example: 212 })
  checked!: number

  @text({
    says: 'The hash of the last entry.',
    example: '9f86d081884c7d659a2feaa0c55ad015a3bf4f1b2b0b822cd15d6c15b0f00a08',
  })
  head!: string

  @whole({
    says: 'The first broken entry; absent where the chain holds.',
    example: 17,
    optional: true,
  })
  brokenAt?: number

  @text({ says: 'Why it is broken.', example: 'Its words do not match its hash', optional: true })
  why?: string
}

export class Shell {
  @text({ says: 'The organisation.', example: 'Brackenmere Water' })
  organisation!: string

  @anything({
    says: 'Numbers for the tabs.',
    example: { apis: 7, findings: 12, drift: 1, promotions: 1, rules: 22, gateways: 3 },
  })
  counts!: Record<string, number>

  @texts({ says: 'The stages, in order.', example: ['Trial', 'Rehearsal', 'Live'] })
  stages!: string[]

  @texts({ says: 'The teams.', example: ['Metering'] })
  teams!: string[]

  @text({
    says: 'In a demo, an address to bring a definition in from.',
    example: 'http://127.0.0.1:4312/definitions/leak-sensors.yaml',
    optional: true,
  })
  tryAddress?: string

  @flag({ says: 'Whether this is a demo, with its hand-edit button.' })
  demo!: boolean
}
