import type { Condition } from '../../core/runtime/conditions'
import type {
  Backend,
  FurtherRoute,
  PlacementSpec,
  Prefix,
  RouteRow,
  Target,
  Treatment,
} from '../../core/runtime/placement'
import type { PolicySet } from '../../core/runtime/policies'
import { levels, subjectKinds, type Level, type SubjectKind } from '../../core/rules/model'
import { endings } from '../../core/pipeline/succession'
import { driftAccounts, type DriftAccount } from '../words'
import {
  choice,
  day,
  flag,
  many,
  moment,
  one,
  policies,
  text,
  texts,
  variant,
  whole,
} from './fields'
import { PageQuery, SoapOperation } from './catalog'
import { OuterScopeBody } from './policies'

class TreatmentKind {
  @choice(['undecided', 'route', 'mock', 'withheld'], { says: 'What happens to the operation.' })
  kind!: Treatment['kind']
}

export class UndecidedTreatment extends TreatmentKind {
  @choice(['undecided'], { says: 'Nobody has decided about it yet.' })
  declare kind: 'undecided'
}

export class RoutedTreatment extends TreatmentKind {
  @choice(['route'], { says: 'It is routed to a backend.' })
  declare kind: 'route'

  @text({ says: 'The backend it is routed to.', example: 'main', max: 40, optional: true })
  backend = ''
}

export class MockedTreatment extends TreatmentKind {
  @choice(['mock'], { says: 'The gateway answers with an example of the definition.' })
  declare kind: 'mock'
}

export class WithheldTreatment extends TreatmentKind {
  @choice(['withheld'], { says: 'It is not to be had here.' })
  declare kind: 'withheld'

  @text({ says: 'Why it is withheld.', example: 'For the control room only', optional: true })
  reason = ''
}

export class RouteRowBody implements RouteRow {
  @text({ says: 'The method.', example: 'GET' })
  method!: string

  @text({ says: 'The path in the definition.', example: '/notices/{noticeId}', max: 2000 })
  path!: string

  @variant(
    () => TreatmentKind,
    {
      by: 'kind',
      of: {
        route: RoutedTreatment,
        mock: MockedTreatment,
        withheld: WithheldTreatment,
        undecided: UndecidedTreatment,
      },
    },
    { says: 'What happens to it here.' },
  )
  treatment!: Treatment

  @policies({
    says: 'What holds for this operation alone.',
    example: { rate: { requests: 10, seconds: 60, per: 'client' } },
    optional: true,
  })
  policies?: PolicySet
}

export class ConditionBody implements Condition {
  @choice(['header', 'query'], { says: 'Where a request says it.' })
  in!: Condition['in']

  @text({ says: 'The header or query parameter.', example: 'X-Channel', min: 1, max: 100 })
  name!: string

  @text({ says: 'Its value, to the letter.', example: 'field', min: 1, max: 500 })
  value!: string
}

export class FurtherRouteBody implements FurtherRoute {
  @text({ says: 'Its name here.', example: 'field-crews', min: 1, max: 40 })
  name!: string

  @text({ says: 'The method; any where absent.', example: 'GET', max: 20, optional: true })
  method?: string

  @text({ says: 'The path below the base path.', example: '/interruptions', max: 2000 })
  path!: string

  @flag({ says: 'Whether everything below the path is taken too.', optional: true })
  below?: boolean

  @many(() => ConditionBody, {
    says: 'What a request has to say besides method and path.',
    max: 16,
    optional: true,
  })
  conditions?: ConditionBody[]

  @variant(
    () => TreatmentKind,
    { by: 'kind', of: { route: RoutedTreatment, withheld: WithheldTreatment } },
    { says: 'What happens to it here.' },
  )
  treatment!: FurtherRoute['treatment']
}

export class TargetBody implements Target {
  @text({
    says: 'Its address, without a slash at the end.',
    example: 'http://127.0.0.1:7501/supply',
    max: 500,
    pattern: /^https?:\/\/[^\s/]+(\/[^\s?#]*)?$/,
    otherwise: 'A target’s address begins with http:// or https:// and has no query',
  })
  url!: string

  @whole({
    says: 'Its share of requests beside other targets; 1 where absent.',
    example: 3,
    min: 1,
    max: 1_000_000,
    optional: true,
  })
  weight?: number

  @text({
    says: 'The one gateway that uses it, in the place of those for all.',
    example: 'south-edge',
    min: 1,
    max: 60,
    optional: true,
  })
  gateway?: string
}

export class BackendBody extends TargetBody implements Backend {
  @text({
    says: 'The backend’s name.',
    example: 'main',
    min: 1,
    max: 40,
    pattern: /^[a-z0-9-]+$/,
    otherwise: 'Name a backend in lower case letters, digits and hyphens',
  })
  name!: string

  @whole({
    says: 'How long to wait for it, in milliseconds.',
    example: 5000,
    min: 50,
    max: 120_000,
  })
  timeoutMs!: number

  @many(() => TargetBody, { says: 'Further targets of it.', max: 20, optional: true })
  others?: TargetBody[]
}

class PrefixKind {
  @choice(['keep', 'strip', 'replace'], { says: 'What becomes of the base path.' })
  kind!: Prefix['kind']
}

export class KeptPrefix extends PrefixKind {
  @choice(['keep'], { says: 'The backend gets it too.' })
  declare kind: 'keep'
}

export class StrippedPrefix extends PrefixKind {
  @choice(['strip'], { says: 'The backend gets the path without it.' })
  declare kind: 'strip'
}

export class ReplacedPrefix extends PrefixKind {
  @choice(['replace'], { says: 'The backend gets another path in its place.' })
  declare kind: 'replace'

  @text({ says: 'What stands in its place.', example: '/v2', max: 300, optional: true })
  with = ''
}

export class SpecBody implements PlacementSpec {
  @text({ says: 'The host outside.', example: 'trial.api.brackenmere.example', min: 1, max: 253 })
  host!: string

  @text({ says: 'The base path outside.', example: '/supply/v2', min: 1, max: 300 })
  basePath!: string

  @texts({
    says: 'Further base paths at which the same is served.',
    example: ['/supply/latest'],
    max: 10,
    longest: 300,
    optional: true,
  })
  otherBasePaths?: string[]

  @variant(
    () => PrefixKind,
    { by: 'kind', of: { strip: StrippedPrefix, keep: KeptPrefix, replace: ReplacedPrefix } },
    { says: 'What becomes of the base path.' },
  )
  prefix!: Prefix

  @many(() => BackendBody, { says: 'The upstream services.', max: 20 })
  backends!: BackendBody[]

  @many(() => RouteRowBody, {
    says: 'The route table: every operation of the version.',
    max: 100_000,
  })
  routes!: RouteRowBody[]

  @many(() => FurtherRouteBody, {
    says: 'Routes beside those of the operations; for /, everything below and any method, what unknown paths get.',
    max: 200,
    optional: true,
  })
  furtherRoutes?: FurtherRouteBody[]

  @choice(['rest'], {
    says: 'Serves operations of SOAP as JSON over HTTP; by SOAP itself where absent.',
    optional: true,
  })
  face?: 'rest'

  @policies({
    says: 'What holds for every request here, by kind of policy.',
    example: {
      authentication: {
        kind: 'credentials',
        anyOf: [{ allOf: [{ kind: 'api-key', in: 'header', name: 'X-Api-Key' }] }],
      },
    },
  })
  policies!: PolicySet
}

export class PlacementRequest {
  @text({ says: 'The API.', example: 'supply-interruptions', min: 1 })
  api!: string

  @text({ says: 'The version.', example: '2.5.0', min: 1 })
  version!: string

  @text({ says: 'The gateway group.', example: 'edge', min: 1 })
  group!: string

  @one(() => SpecBody, { says: 'How it should be served.' })
  spec!: SpecBody
}

export class PlacementCheck extends PlacementRequest {
  @text({ says: 'The stage; the first where absent.', example: 'Live', optional: true })
  stage?: string
}

/** One thing at a placement that breaks a rule about what runs. */
export class PlacementFinding {
  @text({ says: 'The rule.', example: 'public-limited' })
  rule!: string

  @text({ says: 'What the rule is called.', example: 'What anybody may call has a limit' })
  title!: string

  @choice(levels, { says: 'How much it weighs here and now.' })
  level!: Level

  @choice(levels, { says: 'What it weighs once the rule binds.', optional: true })
  becomes?: Level

  @text({ says: 'The day from which the rule binds.', example: '2027-03-01', optional: true })
  since?: string

  @text({ says: 'What is wrong.', example: 'Nothing limits requests to GET /areas', max: 20_000 })
  message!: string

  @choice(subjectKinds, { says: 'What it is about.' })
  about!: SubjectKind

  @text({
    says: 'Which of them: an operation, a policy, a backend, a gateway; empty for the placement.',
    example: 'GET /areas',
    max: 3000,
  })
  subject!: string

  @text({
    says: 'What names it in a waiver.',
    example: 'public-limited: Live edge placement',
    max: 4000,
  })
  key!: string

  @whole({ says: 'The waiver that excuses it.', example: 12, optional: true })
  waiver?: number

  @text({ says: 'The last day of that waiver.', example: '2027-06-30', optional: true })
  until?: string
}

/** A finding in the list of all placements. */
export class PlacementFindingItem extends PlacementFinding {
  @text({ says: 'The API.', example: 'supply-interruptions' })
  api!: string

  @text({ says: 'What the API is called.', example: 'Supply Interruptions' })
  apiTitle!: string

  @text({ says: 'The team of the API.', example: 'Network' })
  team!: string

  @text({ says: 'Where it was found.', example: 'supply-interruptions-live-2' })
  placement!: string

  @text({ says: 'The version that stands there.', example: '2.4.1' })
  version!: string

  @text({ says: 'The stage it stands in.', example: 'Live' })
  stage!: string

  @text({ says: 'The gateway group it stands at.', example: 'edge' })
  group!: string
}

export class PlacementFindingQuery extends PageQuery {
  @text({ says: 'Only of this API.', example: 'supply-interruptions', optional: true })
  api?: string

  @text({ says: 'Only of APIs of this team.', example: 'Metering', optional: true })
  team?: string

  @text({ says: 'Only in this stage.', example: 'Live', optional: true })
  stage?: string

  @text({ says: 'Only at this gateway group.', example: 'edge', optional: true })
  group?: string

  @choice(levels, { says: 'Only at this level.', optional: true })
  level?: Level

  @text({ says: 'Only of this rule.', example: 'public-limited', optional: true })
  rule?: string

  @choice(['open', 'waived'], { says: 'Only open or waived ones.', optional: true })
  status?: 'open' | 'waived'
}

export class PlacementFindingPage {
  @whole({ says: 'How many placements there are with these filters.', example: 45 })
  placements!: number

  @whole({ says: 'Open ones at MUST, whatever the level and state asked for.', example: 3 })
  must!: number

  @whole({ says: 'Open ones at SHOULD.', example: 12 })
  should!: number

  @whole({ says: 'Open ones at MAY.', example: 4 })
  may!: number

  @many(() => PlacementFindingItem, { says: 'The gravest first.' })
  items!: PlacementFindingItem[]

  @text({ says: 'Where the next page begins.', example: 'YXQgMTAw', optional: true })
  nextCursor?: string
}

export class PlacementFindings {
  @many(() => PlacementFinding, { says: 'The gravest first.', max: 100_000 })
  items!: PlacementFinding[]
}

export class DraftQuery {
  @text({ says: 'The version; the newest where absent.', example: '2.5.0', optional: true })
  version?: string

  @text({ says: 'The stage; the first where absent.', example: 'Trial', optional: true })
  stage?: string

  @text({
    says: 'The gateway group; proposed by audience where absent.',
    example: 'edge',
    optional: true,
  })
  group?: string
}

export class PlacementDraft {
  @text({ says: 'The version.', example: '2.5.0' })
  version!: string

  @whole({ says: 'The revision it stands for.', example: 14 })
  revision!: number

  @text({ says: 'The stage.', example: 'Trial' })
  stage!: string

  @text({ says: 'The gateway group proposed.', example: 'edge' })
  group!: string

  @one(() => SpecBody, { says: 'A proposal; operations nobody decided about are undecided.' })
  spec!: SpecBody

  @many(() => OuterScopeBody, { says: 'The scopes around it, outermost first.' })
  outer!: OuterScopeBody[]
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

  @text({ says: 'The gateway it is on.', example: 'north-edge', optional: true })
  on?: string

  @whole({ says: 'The drift that it is told by.', example: 12, optional: true })
  drift?: number

  @choice(driftAccounts, { says: 'What disagrees with the ledger.', optional: true })
  account?: DriftAccount

  @moment({ says: 'Since when.', optional: true })
  since?: string
}

export class TreatmentTally {
  @whole({ says: 'Routed to a backend.', example: 9 })
  route!: number

  @whole({ says: 'Answered with an example.', example: 1 })
  mock!: number

  @whole({ says: 'Withheld for a reason.', example: 2 })
  withheld!: number

  @whole({ says: 'Not decided yet.', example: 0 })
  undecided!: number
}

/** How a placement is to end. */
export class EndingRequest {
  @choice(endings, {
    says: 'Deprecated: callers are told. Retired: there are no new keys besides, and it is taken off on its last day.',
  })
  as!: 'deprecated' | 'retired'

  @day({ says: 'Until which day it is served.', example: '2027-03-31' })
  until!: string
}

/** How a placement ends, as callers are told. */
export class AnnouncedEnding extends EndingRequest {
  @day({ says: 'Since when callers are told.', example: '2026-10-02' })
  since!: string
}

export class PlacementItem {
  @text({ says: 'The placement’s identifier.', example: 'supply-interruptions-trial-1' })
  id!: string

  @whole({ says: 'Counts its approved states; quoted in If-Match.', example: 3 })
  generation!: number

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

  @text({ says: 'The gateway group it runs on.', example: 'edge' })
  group!: string

  @text({ says: 'The host outside.', example: 'trial.api.brackenmere.example' })
  host!: string

  @text({ says: 'The base path outside.', example: '/supply/v2' })
  basePath!: string

  @one(() => TreatmentTally, { says: 'How many operations are served in which way.' })
  routes!: TreatmentTally

  @text({ says: 'Which credential is asked for, from all scopes.', example: 'key in X-Api-Key' })
  credential!: string

  @flag({ says: 'Whether keys that are issued here are of use.', example: true })
  takesKeys!: boolean

  @text({
    says: 'How many requests are taken, from all scopes; absent where any number is.',
    example: '60 / minute',
    optional: true,
  })
  limit?: string

  @whole({ says: 'The rollout that is changing it.', example: 41, optional: true })
  rollout?: number

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

  @one(() => AnnouncedEnding, { says: 'How it ends, where that is announced.', optional: true })
  ending?: AnnouncedEnding
}

/** An operation of the route table that SOAP clients call by another name. */
export class SoapRoute extends SoapOperation {
  @text({ says: 'The method it has here.', example: 'POST' })
  method!: string

  @text({ says: 'The path it has here.', example: '/registerSample', max: 2000 })
  path!: string
}

export class PlacementDetail extends PlacementItem {
  @one(() => SpecBody, { says: 'How it should be served.' })
  spec!: SpecBody

  @many(() => SoapRoute, { says: 'What SOAP clients call the operations.', max: 100_000 })
  soap!: SoapRoute[]

  @many(() => OuterScopeBody, { says: 'The scopes around it, outermost first.' })
  outer!: OuterScopeBody[]

  @texts({
    says: 'Where credentials are not what the definition speaks of.',
    example: ['The definition speaks of a token, which is not taken here'],
  })
  disagreements!: string[]
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

  @text({
    says: 'Where they are told, as a mail address.',
    example: 'api@alder-homes.example',
    max: 200,
    optional: true,
  })
  contact?: string
}

export class IssuedKey {
  @text({ says: 'Whom the key is for.', example: 'Alder Homes' })
  name!: string

  @text({ says: 'The key; it is shown this once.', example: 'elm_2YQ8bVZ1p6mT4nRk' })
  secret!: string

  @whole({
    says: 'The rollout that is still bringing it to the gateways; it works once that is done.',
    example: 41,
    optional: true,
  })
  rollout?: number
}

export class ChangeRequest {
  @choice(['change', 'removal', 'put-back', 'keep', 'ending'], { says: 'What is asked for.' })
  kind!: 'change' | 'removal' | 'put-back' | 'keep' | 'ending'

  @one(() => EndingRequest, {
    says: 'How it ends, for an end; it is served on where that is absent.',
    optional: true,
  })
  ending?: EndingRequest

  @one(() => SpecBody, { says: 'How it should be served, for a change.', optional: true })
  spec?: SpecBody

  @text({ says: 'What reviewers should know.', example: 'Partners need more', max: 2000 })
  note!: string
}

export class HandEdit {
  @choice(['limit', 'route', 'backend'], { says: 'What to change as if by hand.' })
  kind!: 'limit' | 'route' | 'backend'
}

/** The way back to an earlier state of a placement. */
export class Rollback {
  @whole({ says: 'The entry of the ledger that says how it stood.', example: 214 })
  entry!: number

  @text({ says: 'Why.', example: 'Readings are refused since', min: 3, max: 200 })
  reason!: string
}
