/** Whom an API is for. */
export const audiences = ['private', 'partner', 'public'] as const
export type Audience = (typeof audiences)[number]

/** Where an API is in its life. */
export const lifecycles = ['writing', 'active', 'deprecated', 'retired'] as const
export type Lifecycle = (typeof lifecycles)[number]

/** Whether a finding counts, or why it does not. */
export const findingStatuses = ['open', 'waived', 'accepted'] as const
export type FindingStatus = (typeof findingStatuses)[number]

/** What a person may do, as one word. */
export const roles = [
  'governance',
  'owner',
  'operator',
  'reviewer',
  'reader',
  'administrator',
] as const
export type Role = (typeof roles)[number]

/** How a fix stands that somebody proposed to an API's owner. */
export const proposalStates = [
  'planning',
  'waiting',
  'accepted',
  'declined',
  'withdrawn',
  'nothing',
] as const
export type ProposalState = (typeof proposalStates)[number]

/** How far back traffic is looked at. */
export const trafficPeriods = ['1h', '24h', '7d', '30d', '90d'] as const
export type TrafficPeriod = (typeof trafficPeriods)[number]

/** What requests are told apart by. */
export const trafficDimensions = [
  'operation',
  'api',
  'placement',
  'stage',
  'client',
  'gateway',
  'status',
  'step',
] as const
export type TrafficDimension = (typeof trafficDimensions)[number]

/** How what was called stands in the ledger. */
export const trafficStandings = ['approved', 'withheld', 'unknown', 'idle'] as const
export type TrafficStanding = (typeof trafficStandings)[number]
