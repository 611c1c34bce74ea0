import { driftWays, type WayOut } from '../../core/drift/ways'
import {
  driftAccounts,
  driftReactionNames,
  driftResolutions,
  driftStates,
  type DriftAccount,
  type DriftReaction,
  type DriftResolution,
  type DriftState,
} from '../words'
import { PageQuery } from './catalog'
import { choice, day, flag, many, moment, text, whole } from './fields'

export class DriftQuery extends PageQuery {
  @choice(driftStates, {
    says: 'Open, accepted until a day, or resolved; open where absent.',
    optional: true,
  })
  state?: DriftState

  @choice(driftAccounts, { says: 'Only what this account disagrees with.', optional: true })
  account?: DriftAccount

  @text({ says: 'Only of this API.', example: 'supply-interruptions', optional: true })
  api?: string

  @text({ says: 'Only of APIs of this team.', example: 'Metering', optional: true })
  team?: string

  @text({ says: 'Only in this stage.', example: 'Live', optional: true })
  stage?: string

  @text({ says: 'Only on this gateway.', example: 'north-edge', optional: true })
  gateway?: string

  @text({ says: 'Only at this placement.', example: 'supply-interruptions-live-1', optional: true })
  placement?: string

  @day({ says: 'Resolved only in the month of this day.', example: '2026-11-01', optional: true })
  month?: string
}

/** One thing that is otherwise than was approved. */
export class DriftItem {
  @whole({ says: 'Its number.', example: 12 })
  drift!: number

  @choice(driftAccounts, { says: 'What disagrees with the ledger.' })
  account!: DriftAccount

  @choice(driftStates, { says: 'Whether it counts.' })
  state!: DriftState

  @text({
    says: 'The API; absent where it is of nobody’s placement.',
    example: 'meter-readings',
    optional: true,
  })
  api?: string

  @text({ says: 'The title of the API.', example: 'Meter Readings', optional: true })
  title?: string

  @text({ says: 'The team that owns it.', example: 'Metering', optional: true })
  team?: string

  @text({ says: 'The placement; empty where it is of none.', example: 'meter-readings-live-1' })
  placement!: string

  @text({ says: 'The version that was placed there.', example: '3.9.0' })
  version!: string

  @text({ says: 'The stage.', example: 'Live' })
  stage!: string

  @text({ says: 'The gateway group.', example: 'edge' })
  group!: string

  @text({ says: 'The gateway; empty where it is not of one.', example: 'north-edge' })
  gateway!: string

  @text({ says: 'Which operation.', example: 'GET /supply/v2/areas', max: 3000 })
  where!: string

  @text({ says: 'What of it.', example: 'rate limit' })
  what!: string

  @text({ says: 'What was approved.', example: '60 / minute', max: 20_000 })
  ledger!: string

  @text({ says: 'What runs, or what requests show.', example: '600 / minute', max: 20_000 })
  runs!: string

  @text({
    says: 'How it probably came about.',
    example: 'The limit was changed by hand.',
    max: 4000,
  })
  cause!: string

  @moment({ says: 'When it was seen first.' })
  openedAt!: string

  @moment({ says: 'When its values changed last.' })
  changedAt!: string

  @moment({ says: 'When it was gone; absent where it is not.', optional: true })
  closedAt?: string

  @choice(driftResolutions, { says: 'How it ended; absent where it has not.', optional: true })
  resolution?: DriftResolution

  @text({ says: 'Who ended it by the ledger.', example: 'oskar', optional: true })
  closedBy?: string

  @whole({ says: 'The rollout that ended it.', example: 41, optional: true })
  rollout?: number

  @day({ says: 'The last day that it is accepted for.', example: '2026-12-24', optional: true })
  acceptedUntil?: string

  @text({ says: 'Who accepted it.', example: 'Wren Ashby', optional: true })
  acceptedBy?: string

  @text({ says: 'Why.', example: 'The flood desk needs it this week.', optional: true })
  acceptedWhy?: string

  @text({
    says: 'Why nothing is done about it by itself any more.',
    example: 'It came back three times.',
    optional: true,
  })
  halted?: string

  @whole({ says: 'Calls of it in the last 24 hours.', example: 214 })
  calls!: number

  @whole({ says: 'Clients that made them; those without a name are one.', example: 2 })
  clients!: number
}

/** A fact that speaks for a cause. */
export class DriftEvidence {
  @moment({ says: 'When it was.', optional: true })
  at?: string

  @text({ says: 'What was the case.', example: 'read, as approved', max: 2000 })
  text!: string

  @whole({ says: 'The rollout that tells it.', example: 41, optional: true })
  rollout?: number
}

/** Calls of one client. */
export class DriftCaller {
  @text({ says: 'The client; empty for those without a name.', example: 'Flood Board' })
  client!: string

  @whole({ says: 'Its calls in the last 24 hours.', example: 201 })
  calls!: number
}

/** One way to end it, and what that does to who calls. */
export class DriftWay {
  @choice(driftWays, { says: 'The way.' })
  way!: WayOut

  @text({ says: 'What it would do.', example: 'It would stop 201 calls a day.', max: 4000 })
  effect!: string
}

/** Something that became of it. */
export class DriftEvent {
  @moment({ says: 'When.' })
  at!: string

  @whole({ says: 'The entry of the ledger.', example: 81 })
  entry!: number

  @text({ says: 'What was done.', example: 'drift.opened' })
  action!: string

  @text({ says: 'By whom.', example: 'oskar' })
  actor!: string
}

export class DriftDetail extends DriftItem {
  @many(() => DriftEvidence, { says: 'What speaks for the cause, the oldest first.' })
  evidence!: DriftEvidence[]

  @many(() => DriftCaller, { says: 'Who calls it, those who call most first; ten at most.' })
  callers!: DriftCaller[]

  @many(() => DriftWay, { says: 'The ways out; none where it has ended.' })
  ways!: DriftWay[]

  @many(() => DriftEvent, { says: 'What became of it, by the ledger.' })
  events!: DriftEvent[]
}

export class DriftAcceptance {
  @day({ says: 'The last day that it is accepted for.', example: '2026-12-24' })
  until!: string

  @text({ says: 'Why.', example: 'The flood desk needs it this week.', min: 3, max: 500 })
  reason!: string
}

export class DriftMonthQuery {
  @day({
    says: 'A day of the month; this month where absent.',
    example: '2026-11-01',
    optional: true,
  })
  month?: string
}

/** How one sort of drift ended in a month. */
export class DriftEnding {
  @choice(driftResolutions, { says: 'How.' })
  resolution!: DriftResolution

  @whole({ says: 'How often.', example: 4 })
  count!: number
}

export class DriftMonth {
  @day({ says: 'The first day of the month.', example: '2026-11-01' })
  month!: string

  @whole({ says: 'Open now.', example: 3 })
  open!: number

  @whole({ says: 'Accepted until a day, now.', example: 1 })
  accepted!: number

  @whole({ says: 'Seen first in the month.', example: 9 })
  opened!: number

  @whole({ says: 'Ended in the month.', example: 6 })
  resolved!: number

  @whole({
    says: 'Half of those that ended stood no longer; in minutes.',
    example: 95,
    optional: true,
  })
  medianMinutes?: number

  @whole({ says: 'The longest that one of them stood; in minutes.', example: 4000, optional: true })
  longestMinutes?: number

  @many(() => DriftEnding, { says: 'How they ended.' })
  endings!: DriftEnding[]
}

export class ReactionChange {
  @choice(driftReactionNames, { says: 'What happens by itself.' })
  reaction!: DriftReaction

  @whole({ says: 'How many minutes a difference stands before.', example: 10, max: 10_080 })
  minutes!: number
}

export class ReactionItem extends ReactionChange {
  @text({ says: 'The gateway group.', example: 'edge' })
  group!: string

  @text({ says: 'The stage.', example: 'Live' })
  stage!: string

  @text({
    says: 'Who set it, and in whose name it is done.',
    example: 'Wren Ashby',
    optional: true,
  })
  setBy?: string

  @moment({ says: 'When it was set.', optional: true })
  setAt?: string

  @flag({ says: 'Whether whoever set it may still do that; nothing happens otherwise.' })
  holds!: boolean
}
