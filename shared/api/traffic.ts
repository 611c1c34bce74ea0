import { PageQuery } from './catalog'
import {
  trafficDimensions,
  trafficPeriods,
  trafficStandings,
  type TrafficDimension,
  type TrafficPeriod,
  type TrafficStanding,
} from '../words'
import { choice, flag, many, moment, one, text, whole, wholes } from './fields'

/** Which requests are looked at. */
export class CallsQuery extends PageQuery {
  @choice(trafficPeriods, { says: 'How far back; 24 hours where absent.', optional: true })
  period?: TrafficPeriod

  @text({ says: 'Only in this stage.', example: 'Live', optional: true })
  stage?: string

  @text({ says: 'Only at this placement.', example: 'supply-interruptions-live-1', optional: true })
  placement?: string

  @text({ says: 'Only of this gateway.', example: 'north-edge', optional: true })
  gateway?: string

  @text({
    says: 'Only of this operation.',
    example: 'GET /interruptions',
    max: 3000,
    optional: true,
  })
  operation?: string

  @text({
    says: 'Only of this client, by the name of its credential.',
    example: 'Flood Board',
    optional: true,
  })
  client?: string

  @text({
    says: 'Only those that ended so: answered with a status, or stopped at a step.',
    example: '429',
    pattern: /^(?:\d{3}|[a-z]{1,20})$/,
    otherwise: 'How a request ended is a status such as 429, or a step such as limit',
    optional: true,
  })
  ended?: string
}

export class TrafficQuery extends CallsQuery {
  @choice(trafficDimensions, {
    says: 'What requests are told apart by; the API where absent.',
    optional: true,
  })
  by?: TrafficDimension

  @text({
    says: 'Only of this API, or of one version of it: supply-interruptions@2.4.0.',
    example: 'supply-interruptions',
    optional: true,
  })
  api?: string

  @text({ says: 'Only of APIs of this team.', example: 'Metering', optional: true })
  team?: string
}

/** Times in milliseconds, to within 5 %; absent where nothing was called. */
export class TrafficSummary {
  @whole({ says: 'Requests that ended.', example: 412_880 })
  calls!: number

  @whole({ says: 'Those answered 400 to 499.', example: 320 })
  refused!: number

  @whole({ says: 'Those answered 500 or above.', example: 12 })
  failed!: number

  @whole({ says: 'Those whose messages broke the definition.', example: 3 })
  broken!: number

  @whole({ says: 'Bytes from clients, heads included.', example: 1_000_000, max: 1e15 })
  bytesIn!: number

  @whole({ says: 'Bytes to clients, heads included.', example: 8_000_000, max: 1e15 })
  bytesOut!: number

  @whole({ says: 'Half of all take no longer.', example: 22, optional: true })
  p50?: number

  @whole({ says: 'All but five in a hundred take no longer.', example: 130, optional: true })
  p95?: number

  @whole({ says: 'All but one in a hundred take no longer.', example: 410, optional: true })
  p99?: number

  @whole({
    says: 'All but five in a hundred wait no longer for the backend.',
    example: 120,
    optional: true,
  })
  upstreamP95?: number
}

export class TrafficPoint {
  @moment({ says: 'When the minute, hour or day begins.' })
  at!: string

  @whole({ says: 'Requests that ended in it.', example: 1200 })
  calls!: number

  @whole({ says: 'Those answered 400 to 499.', example: 3 })
  refused!: number

  @whole({ says: 'Those answered 500 or above.', example: 0 })
  failed!: number
}

/** Something that the ledger says was done meanwhile. */
export class TrafficAct {
  @moment({ says: 'When.' })
  at!: string

  @whole({ says: 'The entry.', example: 41 })
  entry!: number

  @text({ says: 'What was done.', example: 'placement.applied' })
  action!: string

  @text({ says: 'To what.', example: 'supply-interruptions-live-1', max: 3000 })
  subject!: string

  @text({ says: 'By whom.', example: 'oskar' })
  actor!: string
}

export class TrafficRow extends TrafficSummary {
  @text({
    says: 'What names it in a filter; empty for what has no name.',
    example: 'GET /areas',
    max: 3000,
  })
  key!: string

  @text({ says: 'The API it is of.', example: 'supply-interruptions', optional: true })
  api?: string

  @whole({
    says: 'How many clients called it; those without a name are one. Told by operation.',
    example: 31,
    optional: true,
  })
  clients?: number

  @wholes({ says: 'Requests in each part of the period, the oldest first.', example: [3, 4] })
  line!: number[]

  @choice(trafficStandings, {
    says: 'How it stands in the ledger: approved, withheld, not in the definition, or approved and never called. Absent where nobody asked by operation of one API.',
    optional: true,
  })
  standing?: TrafficStanding

  @flag({ says: 'Whether the definition calls it deprecated.', optional: true })
  deprecated?: boolean
}

export class TrafficPage {
  @moment({ says: 'Since when.' })
  from!: string

  @moment({ says: 'Until when.' })
  to!: string

  @choice(['minute', 'hour', 'day'], { says: 'How long a part of the period is.' })
  resolution!: 'minute' | 'hour' | 'day'

  @one(() => TrafficSummary, { says: 'Everything in the period.' })
  total!: TrafficSummary

  @one(() => TrafficSummary, {
    says: 'Everything in the period of the same length before it; absent where counting began in it.',
    optional: true,
  })
  before?: TrafficSummary

  @many(() => TrafficPoint, { says: 'The parts of the period, the oldest first.' })
  points!: TrafficPoint[]

  @many(() => TrafficAct, { says: 'What was done meanwhile to what is looked at; the last fifty.' })
  acts!: TrafficAct[]

  @whole({ says: 'Events that gateways lost before they were counted, ever.', example: 0 })
  lost!: number

  @moment({ says: 'When a gateway was read last; absent where none was.', optional: true })
  readAt?: string

  @many(() => TrafficRow, { says: 'What was called, the most called first.' })
  items!: TrafficRow[]

  @text({ says: 'Where the next page begins.', example: 'YXQgMTAw', optional: true })
  nextCursor?: string
}
