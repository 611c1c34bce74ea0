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

/** What is asked for beyond the first stage. */
/** How versions that are carried out together stand. */
export const releaseStates = ['waiting', 'under-way', 'done'] as const
export type ReleaseState = (typeof releaseStates)[number]

export const requestKinds = [
  'promotion',
  'change',
  'removal',
  'put-back',
  'keep',
  'ending',
] as const
export type RequestKind = (typeof requestKinds)[number]

/** How a client was told: by mail from here, or otherwise by whoever says so. */
export const announcementWays = ['mail', 'other'] as const
export type AnnouncementWay = (typeof announcementWays)[number]

/** The client that probes are, wherever they are sent. */
export const probeClient = 'Probes of Elm Ledger'

/** Why a probe was sent. */
export const probeCauses = ['hand', 'schedule', 'rollout'] as const
export type ProbeCause = (typeof probeCauses)[number]

/** How far back traffic is looked at. */
export const trafficPeriods = ['1h', '24h', '7d', '30d', '90d'] as const
export type TrafficPeriod = (typeof trafficPeriods)[number]

/** What requests are told apart by. */
export const trafficDimensions = [
  'operation',
  'api',
  'version',
  'placement',
  'stage',
  'client',
  'gateway',
  'status',
  'step',
] as const
export type TrafficDimension = (typeof trafficDimensions)[number]

/** What an account of the ledger disagrees with: what gateways run, or what requests show. */
export const driftAccounts = ['gateway', 'behaviour', 'callers', 'source'] as const
export type DriftAccount = (typeof driftAccounts)[number]

/** How drift ended. */
export const driftResolutions = [
  'put-back',
  'kept',
  'replaced',
  'removed',
  'by-hand',
  'gone',
] as const
export type DriftResolution = (typeof driftResolutions)[number]

/** Whether drift counts, or why it does not. */
export const driftStates = ['open', 'accepted', 'resolved'] as const
export type DriftState = (typeof driftStates)[number]

/** What happens about drift by itself. */
export const driftReactionNames = ['report', 'ask', 'put-back'] as const
export type DriftReaction = (typeof driftReactionNames)[number]

/** What is told, and how. */
export const noticeEvents = ['began', 'ended', 'test', 'waiting', 'announced'] as const
export type NoticeEvent = (typeof noticeEvents)[number]
export const noticeChannels = ['mail', 'webhook'] as const
export type NoticeChannel = (typeof noticeChannels)[number]

/** How what was called stands in the ledger. */
export const trafficStandings = ['approved', 'withheld', 'unknown', 'idle'] as const
export type TrafficStanding = (typeof trafficStandings)[number]

/** Why a job of a repository began: a push that its host told of, one that was found, or somebody. */
export const jobCauses = ['push', 'found', 'hand'] as const
export type JobCause = (typeof jobCauses)[number]

export const jobStates = ['waiting', 'running', 'done', 'failed', 'cancelled'] as const
export type JobState = (typeof jobStates)[number]

/** What a line of a log is: something that was done, the command that does the same by hand, or how it ended. */
export const jobLineKinds = ['step', 'command', 'good', 'bad'] as const
export type JobLineKind = (typeof jobLineKinds)[number]

/** What became of a definition of a commit. */
export const jobOutcomes = ['saved', 'same', 'failed'] as const
export type JobOutcomeState = (typeof jobOutcomes)[number]

/** What waits for a person, by what is to be done. */
export const taskKinds = [
  'approval',
  'gate-waiver',
  'emergency',
  'ready',
  'release',
  'waiver',
  'waiver-ending',
  'ending',
  'drift',
  'probe',
  'fix',
  'finding',
  'unplaced',
  'job',
] as const
export type TaskKind = (typeof taskKinds)[number]

/** When somebody is told of what waits for them. */
export const taskTimes = ['at-once', 'daily'] as const
export type TaskTime = (typeof taskTimes)[number]

/** So many days before its end a waiver is announced, so that there is time to fix or to ask again. */
export const endingDays = 30

/** How the host of a repository signs what it tells. */
export const webhookKinds = ['standard', 'hmac-sha256', 'token'] as const
export type WebhookKind = (typeof webhookKinds)[number]
