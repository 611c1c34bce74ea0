import { getTableName, sql } from 'drizzle-orm'
import {
  bigint,
  boolean,
  check,
  customType,
  date,
  foreignKey,
  index,
  integer,
  json,
  jsonb,
  pgTable,
  primaryKey,
  real,
  serial,
  text,
  timestamp,
  uniqueIndex,
  type AnyPgColumn,
  uuid,
} from 'drizzle-orm/pg-core'
import {
  changeKinds,
  effects,
  type ChangeKind,
  type Direction,
  type Effect,
  type Witness,
} from '../../core/compare/model'
import type { Placed } from '../../core/compare/report'
import type { FittingVersion } from '../../core/compare/version'
import type { SearchKind } from '../../core/contract/search'
import type { DefinitionSummary, LevelCounts } from '../../core/definition'
import type { Cause } from '../../core/drift/causes'
import type { Pace } from '../../core/pipeline/carrying-out'
import type { Pipeline } from '../../core/pipeline/pipeline'
import type { Ending } from '../../core/pipeline/succession'
import type { StepResult } from '../../core/probes/run'
import type { PlanBasis } from '../../core/pipeline/plan'
import {
  rolloutStates,
  stepStates,
  type RolloutState,
  type StepState,
} from '../../core/pipeline/rollout'
import type { TrafficEvent } from '../../core/traffic/event'
import { alertKinds, type AlertKind, type QuietHours } from '../../core/traffic/alerts'
import { grains, type Grain } from '../../core/traffic/counts'
import { resolutions, type Resolution } from '../../core/traffic/spans'
import type { RefRule } from '../../core/pipeline/refs'
import type { JobOutcome, RepositoryDefinition } from '../../shared/api/repositories'
import type { CertificateFacts } from '../../shared/api/gateways'
import { gatewayKindNames, type GatewayKindName } from '../../core/runtime/gateway-kinds'
import type { AllowedBackends } from '../../core/runtime/backend-address'
import type { Backend, PlacementSpec } from '../../core/runtime/placement'
import type { PolicyName, PolicySet } from '../../core/runtime/policies'
import type { Reach, RuleFault } from '../../core/rules/engine'
import type { ApiAction } from '../../core/ledger/actions'
import type { ActEvidence } from '../../core/ledger/evidence'
import type { EstatePart } from '../../core/rules/estate'
import { levels, type Fix, type Level } from '../../core/rules/model'
import type { Report } from '../../core/report/model'
import type { Rulebook } from '../../core/rules/rulebook'
import type { Diagnostic } from '../../core/text/diagnostic'
import type { KeptSignOn, Retention } from '../../shared/api/settings'
import type { GateItem, PlacementPlan } from '../../shared/api/promotions'
import type { ProblemTitle } from '../../shared/api/problem-types'
import type { IntakeShown } from '../../shared/api/batches'
import type { ApiLink } from '../../shared/api/catalog'
import type { TokenScope } from '../../shared/api/tokens'
import {
  audiences,
  driftAccounts,
  driftReactionNames,
  driftResolutions,
  announcementWays,
  probeCauses,
  lifecycles,
  releaseStates,
  requestKinds,
  findingStatuses,
  jobCauses,
  jobLineKinds,
  jobStates,
  noticeChannels,
  noticeEvents,
  proposalStates,
  roles,
  taskTimes,
  type Audience,
  type DriftAccount,
  type DriftReaction,
  type DriftResolution,
  type FindingStatus,
  type JobCause,
  type JobLineKind,
  type JobState,
  type AnnouncementWay,
  type ProbeCause,
  type Lifecycle,
  type RequestKind,
  type NoticeChannel,
  type NoticeEvent,
  type ProposalState,
  type Role,
  type TaskKind,
  type TaskTime,
  webhookKinds,
} from '../../shared/words'

export const waiverStates = ['waiting', 'approved', 'refused', 'withdrawn'] as const
export type WaiverState = (typeof waiverStates)[number]
const impactStates = ['waiting', 'running', 'done', 'stopped', 'failed'] as const
const checkStates = ['waiting', 'done', 'failed'] as const
const comparisonStates = ['waiting', 'running', 'done', 'failed'] as const
/** A key works once its rollout is done; one that is being withdrawn is on no gateway any more. */
const keyStates = ['issuing', 'active', 'withdrawing'] as const
const promotionStates = ['waiting', 'under-way', 'done', 'withdrawn'] as const
const batchStates = [
  'waiting',
  'unpacking',
  'reading',
  'ready',
  'accepting',
  'done',
  'stopped',
  'failed',
] as const
const intakeStates = ['waiting', 'reading', 'ready', 'unreadable', 'accepted'] as const
const intakeOutcomes = ['added', 'revised', 'unchanged', 'refused', 'part'] as const

/** One finding of a rule, as it is kept to be compared. */
export interface JudgedPlace {
  key: string
  level: Level
  message: string
  file: string
  line: number
}

/** A file of a definition, kept by its hash. */
export interface StoredFile {
  name: string
  sha256: string
  bytes: number
}

/** A placement as it should be: what its row becomes once the gateways have confirmed it. */
export interface WantedPlacement {
  id: string
  /** The state it follows on; 0 where there is none yet. */
  generation: number
  apiId: number
  version: string
  revisionId: number
  stage: string
  group: string
  spec: PlacementSpec
  /** Absent in what was written down before there were any. */
  ending?: Ending | null
}

/** Scopes around placements, which hold for many of them at once. */
export const outerScopes = ['organisation', 'stage', 'group'] as const
export type OuterScope = (typeof outerScopes)[number]

/** What a scope says from now on, and the state it follows on; 0 where it said nothing yet. */
export interface WantedPolicies {
  kind: OuterScope
  name: string
  generation: number
  policies: PolicySet
  binding: PolicyName[]
}

/** What a rollout brings about. */
export type RolloutChange =
  | {
      kind: 'policies'
      wanted: WantedPolicies
      placements: string[]
      /** The request it carries out, where it had to be approved. */
      change?: number
      promotion?: undefined
    }
  | {
      kind: 'place'
      wanted: WantedPlacement[]
      /** Earlier versions beside it: those that get an end, and those that are taken off with it. */
      ending?: WantedPlacement[]
      gone?: string[]
      promotion?: { id: number; evidence: Evidence }
      /** Versions that are promoted together, all of them or none. */
      release?: { id: number; parts: ReleasePart[] }
    }
  | {
      kind: 'remove'
      placement: string
      generation: number
      promotion?: { id: number; evidence: Evidence }
    }
  /** A route of a gateway that belongs to no placement, by what it is called, and the drift that shows it. */
  | { kind: 'take-off'; gateway: string; route: string; drift: number; promotion?: undefined }
  /** As it is approved, with the keys there are: put back, or a key that comes or goes. */
  | {
      kind: 'apply'
      placement: string
      key?: string
      /** Whether nobody asked for it: drift that is put back by itself. */
      byItself?: true
      promotion?: { id: number; evidence: Evidence }
    }

/** One version of a release: whose it is, its request, and what it keeps to on its way. */
export interface ReleasePart {
  api: number
  promotion: { id: number; evidence: Evidence }
  /** Its placements, and those that end or go with it. */
  placements: string[]
  pace: Pace
}

/** What was known when a request was carried out; of earlier ones the gates and the plan alone. */
export type Evidence = Partial<ActEvidence> & { gates: GateItem[]; plan: PlacementPlan[] }

/** Why a rollout goes back, as it is told to whoever asked for it. */
export interface RolloutTrouble {
  status: 409 | 422 | 502
  title: ProblemTitle
  detail: string
}

const tsvector = customType<{ data: string }>({ dataType: () => 'tsvector' })
const bytea = customType<{ data: Buffer }>({ dataType: () => 'bytea' })
const moment = (name: string) => timestamp(name, { withTimezone: true, mode: 'date' })
/** A day without a time: `2027-03-31`. */
const day = (name: string) => date(name, { mode: 'string' })
const person = (name: string) => integer(name).references(() => people.id)
const team = (name: string) => integer(name).references(() => teams.id)
const stage = (name: string) => text(name).references(() => stages.name, { onUpdate: 'cascade' })

const listed = (values: readonly string[]) =>
  sql.raw(`(${values.map((value) => `'${value.replaceAll("'", "''")}'`).join(', ')})`)
/** Only these values; `null` passes where the column may have it. */
const oneOf = (column: AnyPgColumn, values: readonly string[]) =>
  check(`${getTableName(column.table)}_${column.name}`, sql`${column} in ${listed(values)}`)
const allOf = (column: AnyPgColumn, values: readonly string[]) =>
  check(
    `${getTableName(column.table)}_${column.name}`,
    sql`${column} <@ array[${sql.raw(values.map((value) => `'${value}'`).join(', '))}]`,
  )
const atLeast = (column: AnyPgColumn, least: number) =>
  check(`${getTableName(column.table)}_${column.name}`, sql`${column} >= ${sql.raw(String(least))}`)
/** A revision by its API and number. */
const ofRevision = (apiId: AnyPgColumn, number: AnyPgColumn) =>
  foreignKey({
    name: `${getTableName(apiId.table)}_revision`,
    columns: [apiId, number],
    foreignColumns: [revisions.apiId, revisions.number],
  })

/** Who owns APIs and answers for them. */
export const teams = pgTable('teams', {
  id: serial().primaryKey(),
  name: text().notNull().unique(),
  position: integer().notNull(),
})

export const people = pgTable(
  'people',
  {
    id: serial().primaryKey(),
    name: text().notNull().unique(),
    displayName: text('display_name').notNull(),
    role: text().$type<Role>().notNull(),
    /** The team an owner speaks for. */
    teamId: team('team_id'),
    /** Empty for somebody who has not set a password, or signs in elsewhere. */
    passwordHash: text('password_hash').notNull(),
    /** Who they are for the issuer of single sign-on: `issuer subject`. */
    subject: text().unique(),
    /** Whether the next sign-on with their name makes the account theirs. */
    expectsSignOn: boolean('expects_sign_on').notNull().default(false),
    /** Since when they may not sign in any more. */
    endedAt: moment('ended_at'),
    /** Of the link by which they set a password; it works once, until then. */
    invitationSha256: text('invitation_sha256'),
    invitedUntil: moment('invited_until'),
  },
  (table) => [oneOf(table.role, roles)],
)

/** Wrong passwords, counted by name and by address before anything is hashed. */
export const signInAttempts = pgTable(
  'sign_in_attempts',
  {
    id: bigint({ mode: 'number' }).generatedAlwaysAsIdentity().primaryKey(),
    name: text().notNull(),
    address: text().notNull(),
    at: moment('at').notNull(),
  },
  (table) => [index().on(table.name, table.at), index().on(table.address, table.at)],
)

export const sessions = pgTable('sessions', {
  id: uuid().primaryKey(),
  personId: person('person_id').notNull(),
  expiresAt: moment('expires_at').notNull(),
  startedAt: moment('started_at').notNull().defaultNow(),
  /** Where it was begun: the address, and what the browser calls itself. */
  address: text().notNull().default(''),
  agent: text().notNull().default(''),
})

/** What became of requests that may be sent again, by the keys that their senders gave them. */
export const requestKeys = pgTable(
  'request_keys',
  {
    personId: person('person_id').notNull(),
    key: text().notNull(),
    /** Of the whole request: a key stands for one alone. */
    sha256: text().notNull(),
    tries: integer().notNull(),
    /** When the last try began; long ago where it has failed. */
    triedAt: moment('tried_at').notNull(),
    /** Set in the transaction that does what is asked for. */
    done: boolean().notNull(),
    /** Sealed; null where there is none, or it was too large to be kept. */
    response: text(),
  },
  (table) => [primaryKey({ columns: [table.personId, table.key] }), index().on(table.triedAt)],
)

/** What a person made for programs to act with; of the token itself only a digest is kept. */
export const tokens = pgTable('tokens', {
  id: serial().primaryKey(),
  personId: person('person_id').notNull(),
  name: text().notNull(),
  /** How it begins, to tell it from others. */
  begins: text().notNull(),
  sha256: text().notNull().unique(),
  scopes: text().array().$type<TokenScope[]>().notNull(),
  /** The last day it works: `2027-03-31`. */
  until: day('until').notNull(),
  madeAt: moment('made_at').notNull(),
  usedAt: moment('used_at'),
})

/** Every text ever brought in, once, byte for byte. */
export const blobs = pgTable('blobs', {
  sha256: text().primaryKey(),
  bytes: bytea().notNull(),
})

export const apis = pgTable(
  'apis',
  {
    id: serial().primaryKey(),
    slug: text().notNull().unique(),
    title: text().notNull(),
    teamId: team('team_id').notNull(),
    audience: text().$type<Audience>().notNull(),
    lifecycle: text().$type<Lifecycle>().notNull(),
    /** The number of its newest revision. */
    latestNumber: integer('latest_number').notNull(),
    /** The person who answers for it. */
    ownerId: person('owner_id'),
    /** Since when it is deprecated; unknown where that is older than this was kept. */
    deprecatedOn: day('deprecated_on'),
    /** The day it stops being served, once it is deprecated. */
    sunset: day('sunset'),
    /** Words the register adds to those of the definition. */
    labels: text().array().notNull().default([]),
    links: jsonb().$type<ApiLink[]>().notNull().default([]),
    /** Where its definition is read again from; empty where it is written here. */
    sourceAddress: text('source_address').notNull().default(''),
    /** When that was read last, and why it could not be. */
    sourceReadAt: moment('source_read_at'),
    sourceTrouble: text('source_trouble').notNull().default(''),
    /** What its newest revision adds to the estate, for rules that compare APIs. Derived; can be rebuilt. */
    estate: jsonb().$type<Omit<EstatePart, 'api'>>(),
    /** Seen by its team, by governance and by {@link apiViewers} only: the database leaves it out for others. */
    confidential: boolean().notNull().default(false),
  },
  (table) => [
    oneOf(table.audience, audiences),
    oneOf(table.lifecycle, lifecycles),
    atLeast(table.latestNumber, 0),
  ],
)

/** Who may see a confidential API besides its team and governance. */
export const apiViewers = pgTable(
  'api_viewers',
  {
    apiId: integer('api_id')
      .notNull()
      .references(() => apis.id),
    personId: person('person_id').notNull(),
  },
  (table) => [primaryKey({ columns: [table.apiId, table.personId] })],
)

/**
 * The names in {@link apis}' estates, each with the shape it has there, so that a check can ask for those of its own
 * definition. A trigger keeps them.
 */
export const estateNames = pgTable(
  'estate_names',
  {
    apiId: integer('api_id')
      .notNull()
      .references(() => apis.id),
    kind: text().$type<'basePath' | 'schema'>().notNull(),
    name: text().notNull(),
    /** Empty for a base path. */
    shape: text().notNull(),
  },
  (table) => [
    oneOf(table.kind, ['basePath', 'schema']),
    index('estate_names_by_name').on(table.kind, table.name),
    index('estate_names_by_api').on(table.apiId),
  ],
)

export const revisions = pgTable(
  'revisions',
  {
    id: serial().primaryKey(),
    apiId: integer('api_id')
      .notNull()
      .references(() => apis.id),
    number: integer().notNull(),
    version: text().notNull(),
    /** The main file's name; all files are in {@link revisionFiles}. */
    file: text().notNull(),
    sha256: text()
      .notNull()
      .references(() => blobs.sha256),
    /** What the whole is known by: the main file's hash, or one over the names and hashes of all files. */
    digest: text().notNull(),
    format: text().notNull(),
    tags: text().array().notNull().default([]),
    bytes: integer().notNull(),
    /** Derived from the text; can be rebuilt. */
    summary: jsonb().$type<DefinitionSummary>().notNull(),
    /** Open findings; those that somebody waived or accepted count apart. */
    counts: jsonb().$type<LevelCounts>().notNull(),
    waived: integer().notNull().default(0),
    accepted: integer().notNull().default(0),
    /** How far each rule reached, and which could not be applied. */
    reach: jsonb().$type<Reach[]>().notNull().default([]),
    faults: jsonb().$type<RuleFault[]>().notNull().default([]),
    edition: integer().notNull(),
    /** The day of the check, since rules begin to bind on a day; null where it has to be checked again. */
    checkedOn: day('checked_on'),
    /** What other APIs held under its names when it was checked; null where that is not known. */
    estateDigest: text('estate_digest'),
    savedAt: moment('saved_at').notNull(),
    savedById: person('saved_by_id').notNull(),
  },
  (table) => [
    atLeast(table.number, 1),
    atLeast(table.bytes, 0),
    uniqueIndex().on(table.apiId, table.number),
    index().on(table.digest),
  ],
)

/** The files of a revision by the names they have from the main one, which is the first. */
export const revisionFiles = pgTable(
  'revision_files',
  {
    revisionId: integer('revision_id')
      .notNull()
      .references(() => revisions.id),
    position: integer().notNull(),
    name: text().notNull(),
    sha256: text()
      .notNull()
      .references(() => blobs.sha256),
    bytes: integer().notNull(),
  },
  (table) => [
    atLeast(table.position, 0),
    atLeast(table.bytes, 0),
    primaryKey({ columns: [table.revisionId, table.position] }),
  ],
)

/** Operations, webhooks and named schemas of a revision as the contract has them. Derived; can be rebuilt. */
export const parts = pgTable(
  'parts',
  {
    revisionId: integer('revision_id')
      .notNull()
      .references(() => revisions.id),
    kind: text().$type<'operation' | 'webhook' | 'schema'>().notNull(),
    position: integer().notNull(),
    name: text().notNull(),
    /** Text, not binary: the author's order of properties matters. */
    detail: json().$type<unknown>().notNull(),
  },
  (table) => [
    oneOf(table.kind, ['operation', 'webhook', 'schema']),
    primaryKey({ columns: [table.revisionId, table.kind, table.position] }),
    index().on(table.revisionId, table.kind, table.name),
  ],
)

/** What can be found in the newest revision of every API. Derived; can be rebuilt. */
export const searchEntries = pgTable(
  'search_entries',
  {
    id: bigint({ mode: 'number' }).generatedAlwaysAsIdentity().primaryKey(),
    apiId: integer('api_id')
      .notNull()
      .references(() => apis.id),
    kind: text().$type<SearchKind>().notNull(),
    name: text().notNull(),
    text: text().notNull(),
    file: text().notNull(),
    line: integer().notNull(),
    /** The words of its name, and those of its text; names are taken apart. */
    named: text().notNull(),
    words: text().notNull(),
    vector: tsvector()
      .notNull()
      .generatedAlwaysAs(
        sql`setweight(to_tsvector('simple', named), 'A') || setweight(to_tsvector('simple', words), 'D')`,
      ),
  },
  (table) => [
    index().on(table.apiId),
    index().using('gin', table.vector),
    index('search_entries_about')
      .using('gin', table.vector)
      .where(sql`kind = 'api'`),
  ],
)

/** Every word that occurs, to correct a mistyped one by. */
export const searchWords = pgTable('search_words', { word: text().primaryKey() }, (table) => [
  index('search_words_near').using('gin', sql`${table.word} gin_trgm_ops`),
  index('search_words_begin').using('spgist', table.word),
])

export const findings = pgTable(
  'findings',
  {
    id: bigint({ mode: 'number' }).generatedAlwaysAsIdentity().primaryKey(),
    revisionId: integer('revision_id')
      .notNull()
      .references(() => revisions.id),
    rule: text().notNull(),
    level: text().$type<Level>().notNull(),
    message: text().notNull(),
    at: text().notNull(),
    /** The file it is in; empty for the main one. */
    file: text().notNull().default(''),
    line: integer().notNull(),
    column: integer().notNull(),
    endLine: integer('end_line').notNull().default(0),
    endColumn: integer('end_column').notNull().default(0),
    /** What it is known by between revisions; unique within one. */
    key: text().notNull().default(''),
    /** The operation it is in; empty where it is in none. */
    operation: text().notNull().default(''),
    /** The level it will have once its rule binds, and the day since which it binds or will. */
    becomes: text().$type<Level>(),
    since: day('since'),
    firstSeen: moment('first_seen').notNull().defaultNow(),
    status: text().$type<FindingStatus>().notNull().default('open'),
    waiverId: integer('waiver_id').references((): AnyPgColumn => waivers.id),
  },
  (table) => [
    oneOf(table.level, levels),
    oneOf(table.becomes, levels),
    oneOf(table.status, findingStatuses),
    index().on(table.revisionId, table.level, table.line),
    index().on(table.rule, table.revisionId),
    index().on(table.firstSeen),
    // Few are waived or accepted, and those are asked for by themselves.
    index()
      .on(table.waiverId)
      .where(sql`waiver_id is not null`),
    index('findings_set_aside')
      .on(table.revisionId, table.rule)
      .where(sql`status <> 'open'`),
  ],
)

/** Approved exceptions, and those that were asked for. */
export const waivers = pgTable(
  'waivers',
  {
    id: serial().primaryKey(),
    rule: text().notNull(),
    /** Every API where absent. */
    apiId: integer('api_id').references(() => apis.id),
    /** One operation of it, or one finding. */
    operation: text(),
    key: text(),
    reason: text().notNull(),
    /** The last day it holds: `2027-03-31`. */
    until: day('until').notNull(),
    state: text().$type<WaiverState>().notNull(),
    askedById: person('asked_by_id').notNull(),
    askedAt: moment('asked_at').notNull(),
    decidedById: person('decided_by_id'),
    decidedAt: moment('decided_at'),
    /** What the approver said. */
    note: text().notNull().default(''),
  },
  (table) => [oneOf(table.state, waiverStates), index().on(table.apiId), index().on(table.rule)],
)

/** Findings that a team accepted as they were on a day; what is fixed leaves, and nothing comes in later. */
export const baselines = pgTable(
  'baselines',
  {
    apiId: integer('api_id')
      .notNull()
      .references(() => apis.id),
    key: text().notNull(),
    rule: text().notNull(),
    acceptedAt: moment('accepted_at').notNull(),
    acceptedById: person('accepted_by_id').notNull(),
  },
  (table) => [primaryKey({ columns: [table.apiId, table.key] })],
)

/** Who sees to a finding. */
export const assignments = pgTable(
  'assignments',
  {
    apiId: integer('api_id')
      .notNull()
      .references(() => apis.id),
    key: text().notNull(),
    assigneeId: person('assignee_id').notNull(),
  },
  (table) => [primaryKey({ columns: [table.apiId, table.key] })],
)

export const comments = pgTable(
  'comments',
  {
    id: serial().primaryKey(),
    apiId: integer('api_id')
      .notNull()
      .references(() => apis.id),
    key: text().notNull(),
    byId: person('by_id').notNull(),
    at: moment('at').notNull(),
    text: text().notNull(),
  },
  (table) => [index().on(table.apiId, table.key)],
)

/** Findings of an API at a moment: after a revision was saved, an edition published, a waiver given or ended. */
export const tallies = pgTable(
  'tallies',
  {
    id: serial().primaryKey(),
    at: moment('at').notNull(),
    apiId: integer('api_id')
      .notNull()
      .references(() => apis.id),
    revisionNumber: integer('revision_number').notNull(),
    edition: integer().notNull(),
    must: integer().notNull(),
    should: integer().notNull(),
    may: integer().notNull(),
    waived: integer().notNull(),
    accepted: integer().notNull(),
    /** Open findings by rule. */
    rules: jsonb().$type<Record<string, number>>().notNull().default({}),
  },
  (table) => [ofRevision(table.apiId, table.revisionNumber), index().on(table.apiId, table.id)],
)

/** Versions that have left writing: each stands for one revision from then on. */
export const versions = pgTable(
  'versions',
  {
    apiId: integer('api_id')
      .notNull()
      .references(() => apis.id),
    version: text().notNull(),
    revisionId: integer('revision_id')
      .notNull()
      .references(() => revisions.id),
  },
  (table) => [primaryKey({ columns: [table.apiId, table.version] })],
)

/** Rulebooks as they are being written: the organisation's, and those of teams that extend it. */
export const rulebooks = pgTable('rulebooks', {
  slug: text().primaryKey(),
  title: text().notNull(),
  /** The team it is for; the organisation's has none. */
  teamId: team('team_id'),
  text: text().notNull(),
  saves: integer().notNull(),
  savedAt: moment('saved_at').notNull(),
  savedById: person('saved_by_id').notNull(),
  /** Whether its published page may be read by everybody. */
  shown: boolean().notNull().default(false),
})

/** Published states of rulebooks, numbered through. */
export const editions = pgTable('editions', {
  number: integer().primaryKey(),
  rulebook: text()
    .notNull()
    .references(() => rulebooks.slug),
  text: text().notNull(),
  content: jsonb().$type<Rulebook>().notNull(),
  note: text().notNull(),
  publishedAt: moment('published_at').notNull(),
  publishedById: person('published_by_id').notNull(),
})

/** What a rule finds in a revision under what is known of it, so that the same question is not worked out twice. */
export const judgements = pgTable(
  'judgements',
  {
    revisionId: integer('revision_id')
      .notNull()
      .references(() => revisions.id),
    digest: text().notNull(),
    places: jsonb().$type<JudgedPlace[]>().notNull(),
  },
  (table) => [primaryKey({ columns: [table.revisionId, table.digest] })],
)

/** Runs of an unpublished rulebook over the estate. */
export const impacts = pgTable(
  'impacts',
  {
    id: uuid().primaryKey(),
    rulebook: text()
      .notNull()
      .references(() => rulebooks.slug),
    text: text().notNull(),
    byId: person('by_id').notNull(),
    at: moment('at').notNull(),
    state: text({ enum: impactStates }).notNull(),
    total: integer().notNull().default(0),
    done: integer().notNull().default(0),
    /** Judgements that were known already. */
    reused: integer().notNull().default(0),
    trouble: text().notNull().default(''),
  },
  (table) => [oneOf(table.state, impactStates)],
)

/** One place where an unpublished rulebook finds something else than the one in force. */
export const impactPlaces = pgTable(
  'impact_places',
  {
    id: bigint({ mode: 'number' }).generatedAlwaysAsIdentity().primaryKey(),
    impactId: uuid('impact_id')
      .notNull()
      .references(() => impacts.id, { onDelete: 'cascade' }),
    rule: text().notNull(),
    apiId: integer('api_id')
      .notNull()
      .references(() => apis.id),
    revisionNumber: integer('revision_number').notNull(),
    /** Whether that revision runs in the last stage; the newest may be the same. */
    live: boolean().notNull(),
    newest: boolean().notNull(),
    kind: text().$type<'fails' | 'passes' | 'weighs'>().notNull(),
    level: text().$type<Level>().notNull(),
    message: text().notNull(),
    file: text().notNull(),
    line: integer().notNull(),
    /** The placement it is found at; empty where it is in the definition. */
    placement: text().notNull().default(''),
  },
  (table) => [
    oneOf(table.kind, ['fails', 'passes', 'weighs']),
    oneOf(table.level, levels),
    ofRevision(table.apiId, table.revisionNumber),
    index().on(table.impactId, table.rule),
  ],
)

/** Texts that somebody had checked without keeping them in the register. Forgotten after a day. */
export const checks = pgTable(
  'checks',
  {
    id: uuid().primaryKey(),
    byId: person('by_id').notNull(),
    at: moment('at').notNull(),
    state: text({ enum: checkStates }).notNull(),
    file: text().notNull(),
    apiId: integer('api_id').references(() => apis.id),
    /** Whose rules it is checked against; the organisation's alone where absent. */
    teamId: team('team_id'),
    audience: text().$type<Audience>().notNull(),
    /** The text or archive, until it is checked. */
    bytes: bytea(),
    edition: integer().notNull().default(0),
    report: json().$type<Report>(),
    trouble: text().notNull().default(''),
  },
  (table) => [
    oneOf(table.state, checkStates),
    oneOf(table.audience, audiences),
    index().on(table.at),
  ],
)

/** What changed between two definitions, kept by the digests of both and by the way they are compared. */
export const comparisonResults = pgTable(
  'comparison_results',
  {
    id: serial().primaryKey(),
    beforeDigest: text('before_digest').notNull(),
    afterDigest: text('after_digest').notNull(),
    method: integer().notNull(),
    /** When it was last asked for. */
    at: moment('at').notNull(),
    beforeFiles: jsonb('before_files').$type<StoredFile[]>().notNull(),
    afterFiles: jsonb('after_files').$type<StoredFile[]>().notNull(),
    state: text({ enum: comparisonStates }).notNull(),
    total: integer().notNull().default(0),
    done: integer().notNull().default(0),
    trouble: text().notNull().default(''),
    counts: jsonb()
      .$type<Record<Effect, number>>()
      .notNull()
      .default({ breaking: 0, risky: 0, safe: 0 }),
    /** The version numbers that the texts name. */
    beforeVersion: text('before_version').notNull().default(''),
    afterVersion: text('after_version').notNull().default(''),
    fitting: jsonb().$type<FittingVersion>(),
  },
  (table) => [
    oneOf(table.state, comparisonStates),
    uniqueIndex().on(table.beforeDigest, table.afterDigest, table.method),
  ],
)

/** The changes of a result, in the order they are shown in. */
export const comparisonChanges = pgTable(
  'comparison_changes',
  {
    resultId: integer('result_id')
      .notNull()
      .references(() => comparisonResults.id, { onDelete: 'cascade' }),
    position: integer().notNull(),
    effect: text().$type<Effect>().notNull(),
    direction: text().$type<Direction>().notNull(),
    kind: text().$type<ChangeKind>().notNull(),
    part: text().notNull(),
    operation: text().notNull(),
    /** What the operation was called before; empty where there was none. */
    formerly: text().notNull(),
    subject: text().notNull(),
    message: text().notNull(),
    before: jsonb().$type<Placed>(),
    after: jsonb().$type<Placed>(),
    /** As it was made, in its order. */
    witness: json().$type<Witness>(),
    undecided: text().notNull(),
    ways: jsonb().$type<string[]>().notNull(),
  },
  (table) => [
    oneOf(table.effect, effects),
    oneOf(table.kind, changeKinds),
    primaryKey({ columns: [table.resultId, table.position] }),
    index().on(table.resultId, table.operation),
  ],
)

/** What somebody compares: revisions of the register, or a file of their own on one side. */
export const comparisons = pgTable(
  'comparisons',
  {
    id: uuid().primaryKey(),
    byId: person('by_id').notNull(),
    at: moment('at').notNull(),
    /** Absent for a file. */
    beforeRevisionId: integer('before_revision_id').references(() => revisions.id),
    afterRevisionId: integer('after_revision_id').references(() => revisions.id),
    resultId: integer('result_id')
      .notNull()
      .references(() => comparisonResults.id),
  },
  (table) => [index().on(table.resultId), index().on(table.at)],
)

/** Fixes of a rule, proposed to the owners of APIs that break it. */
export const proposals = pgTable(
  'proposals',
  {
    id: serial().primaryKey(),
    apiId: integer('api_id')
      .notNull()
      .references(() => apis.id),
    rule: text().notNull(),
    fix: jsonb().$type<Fix>().notNull(),
    state: text().$type<ProposalState>().notNull(),
    places: integer().notNull().default(0),
    trouble: text().notNull().default(''),
    note: text().notNull(),
    byId: person('by_id').notNull(),
    at: moment('at').notNull(),
    decidedById: person('decided_by_id'),
    decidedAt: moment('decided_at'),
    answer: text().notNull().default(''),
    /** The revision it became. */
    revisionNumber: integer('revision_number'),
  },
  (table) => [
    oneOf(table.state, proposalStates),
    ofRevision(table.apiId, table.revisionNumber),
    index().on(table.apiId),
    index().on(table.state),
  ],
)

export const stages = pgTable('stages', {
  name: text().primaryKey(),
  position: integer().notNull(),
  /** Where its backends may be. */
  backends: jsonb()
    .$type<AllowedBackends>()
    .notNull()
    .default({ schemes: ['http', 'https'], hosts: ['*'], networks: ['0.0.0.0/0', '::/0'] }),
})

/** A name that gateways answer for: it belongs to one stage, and to those whom it is for. */
export const hosts = pgTable(
  'hosts',
  {
    name: text().primaryKey(),
    stage: stage('stage').notNull(),
    audiences: text().array().$type<Audience[]>().notNull(),
  },
  (table) => [allOf(table.audiences, audiences), index().on(table.stage)],
)

/** A logical gateway: what is placed on it runs on all its members. */
export const gatewayGroups = pgTable(
  'gateway_groups',
  {
    name: text().primaryKey(),
    serves: text().notNull(),
    /** Whose APIs it serves. */
    audiences: text().array().$type<Audience[]>().notNull(),
    position: integer().notNull(),
  },
  (table) => [allOf(table.audiences, audiences)],
)

export const gateways = pgTable(
  'gateways',
  {
    name: text().primaryKey(),
    group: text()
      .notNull()
      .references(() => gatewayGroups.name),
    /** How it is read and written. */
    kind: text().$type<GatewayKindName>().notNull().default('admin-api'),
    serves: text().notNull(),
    position: integer().notNull(),
    dataUrl: text('data_url').notNull(),
    /** Where TLS is spoken; empty where it is not, or nobody knows. */
    tlsUrl: text('tls_url').notNull().default(''),
    /** Empty for a kind without one. */
    adminUrl: text('admin_url').notNull(),
    /** Below the folder of all of them; empty for a kind that has none. */
    folder: text().notNull().default(''),
    seenAt: moment('seen_at'),
    /** When the reading began that `trouble` is of. */
    triedAt: moment('tried_at'),
    trouble: text().notNull().default(''),
    unclaimed: jsonb().$type<string[]>().notNull().default([]),
    /** What its listeners said last; null where it was not asked. */
    listeners: jsonb().$type<KeptListeners>(),
    /** What runs there and is not understood. */
    passedOver: jsonb('passed_over').$type<string[]>().notNull().default([]),
  },
  (table) => [oneOf(table.kind, gatewayKindNames)],
)

/** What a gateway says of where it listens. */
export interface KeptListeners {
  https: boolean
  certificates: CertificateFacts[]
  /** What is wrong with certificates that are not used. */
  troubles: string[]
}

/** What somebody uploaded of a gateway that is only read. */
export const uploads = pgTable('uploads', {
  gateway: text()
    .primaryKey()
    .references(() => gateways.name, { onDelete: 'cascade' }),
  text: text().notNull(),
  etag: text().notNull(),
  uploadedAt: moment('uploaded_at').notNull(),
  uploadedById: person('uploaded_by_id').notNull(),
})

/** Backends known for an API in a stage: what a new placement proposes. */
export const backends = pgTable(
  'backends',
  {
    apiId: integer('api_id')
      .notNull()
      .references(() => apis.id),
    stage: text()
      .notNull()
      .references(() => stages.name, { onDelete: 'cascade', onUpdate: 'cascade' }),
    name: text().notNull(),
    url: text().notNull(),
    timeoutMs: integer('timeout_ms').notNull(),
    /** What else is known of its targets. */
    more: jsonb().$type<Omit<Backend, 'name' | 'url' | 'timeoutMs'>>().notNull().default({}),
  },
  (table) => [
    atLeast(table.timeoutMs, 1),
    primaryKey({ columns: [table.apiId, table.stage, table.name] }),
  ],
)

export const placements = pgTable(
  'placements',
  {
    id: text().primaryKey(),
    generation: integer('generation').notNull(),
    apiId: integer('api_id')
      .notNull()
      .references(() => apis.id),
    version: text().notNull(),
    revisionId: integer('revision_id')
      .notNull()
      .references(() => revisions.id),
    stage: stage('stage').notNull(),
    group: text()
      .notNull()
      .references(() => gatewayGroups.name),
    spec: jsonb().$type<PlacementSpec>().notNull(),
    /** How it ends, where that is announced. */
    ending: jsonb().$type<Ending>(),
    appliedAt: moment('applied_at').notNull(),
    appliedById: person('applied_by_id').notNull(),
  },
  (table) => [atLeast(table.generation, 1), index().on(table.apiId), index().on(table.group)],
)

/** What holds for everything in a scope around placements: the organisation, a stage or a gateway group. */
export const policyScopes = pgTable(
  'policy_scopes',
  {
    kind: text().$type<OuterScope>().notNull(),
    /** Empty for the organisation. */
    name: text().notNull(),
    generation: integer('generation').notNull(),
    policies: jsonb().$type<PolicySet>().notNull(),
    /** Kinds that may only be tightened further in. */
    binding: jsonb().$type<PolicyName[]>().notNull(),
    changedAt: moment('changed_at').notNull(),
    changedById: person('changed_by_id').notNull(),
  },
  (table) => [
    oneOf(table.kind, outerScopes),
    atLeast(table.generation, 1),
    primaryKey({ columns: [table.kind, table.name] }),
  ],
)

/** A change of a scope's policies that reaches beyond the first stage: somebody else has to approve it. */
export const policyChanges = pgTable(
  'policy_changes',
  {
    id: serial().primaryKey(),
    kind: text().$type<OuterScope>().notNull(),
    name: text().notNull(),
    policies: jsonb().$type<PolicySet>().notNull(),
    binding: jsonb().$type<PolicyName[]>().notNull(),
    note: text().notNull(),
    requestedById: person('requested_by_id').notNull(),
    requestedAt: moment('requested_at').notNull(),
    state: text({ enum: promotionStates }).notNull(),
    approvedById: person('approved_by_id'),
    approvedAt: moment('approved_at'),
  },
  (table) => [
    oneOf(table.kind, outerScopes),
    oneOf(table.state, promotionStates),
    uniqueIndex('policy_changes_one_waiting')
      .on(table.kind, table.name)
      .where(sql`state in ('waiting', 'under-way')`),
  ],
)

/** What a member of the group did with a placement when it was last read. */
export const placementSites = pgTable(
  'placement_sites',
  {
    placementId: text('placement_id')
      .notNull()
      .references(() => placements.id, { onDelete: 'cascade' }),
    gateway: text()
      .notNull()
      .references(() => gateways.name, { onDelete: 'cascade' }),
    checkedAt: moment('checked_at').notNull(),
    /** How many routes the gateway served for it then. */
    routes: integer().notNull().default(0),
  },
  (table) => [primaryKey({ columns: [table.placementId, table.gateway] })],
)

/** One thing that is otherwise than was approved, from when it was seen first until it is gone. */
export const drift = pgTable(
  'drift',
  {
    id: serial().primaryKey(),
    account: text().$type<DriftAccount>().notNull(),
    /** Null where it is of nobody's placement. */
    apiId: integer('api_id').references(() => apis.id, { onDelete: 'cascade' }),
    /** By their names: what was seen outlives them. Empty where it is of none. */
    placement: text().notNull(),
    version: text().notNull(),
    stage: text().notNull(),
    group: text().notNull(),
    gateway: text().notNull(),
    where: text().notNull(),
    what: text().notNull(),
    ledger: text().notNull(),
    /** What runs, or what requests show. */
    runs: text().notNull(),
    /** What requests of it are counted as; none where it is about everything. */
    operations: jsonb().$type<string[]>().notNull(),
    cause: jsonb().$type<Cause>().notNull(),
    openedAt: moment('opened_at').notNull(),
    /** When its values changed last. */
    changedAt: moment('changed_at').notNull(),
    closedAt: moment('closed_at'),
    resolution: text().$type<DriftResolution>(),
    /** Who resolved it, by the name that the ledger has; empty where nobody did it by the ledger. */
    closedBy: text('closed_by').notNull().default(''),
    rolloutId: integer('rollout_id').references(() => rollouts.id),
    acceptedUntil: moment('accepted_until'),
    acceptedById: integer('accepted_by_id').references(() => people.id),
    acceptedWhy: text('accepted_why').notNull().default(''),
    /** Why nothing is done about it by itself any more. */
    halted: text().notNull().default(''),
  },
  (table) => [
    oneOf(table.account, driftAccounts),
    oneOf(table.resolution, driftResolutions),
    check('drift_resolved', sql`(closed_at is null) = (resolution is null)`),
    index()
      .on(table.placement)
      .where(sql`closed_at is null`),
    index('drift_open')
      .on(table.gateway)
      .where(sql`closed_at is null`),
    index().on(table.closedAt),
    index().on(table.apiId),
  ],
)

/** What happens by itself about drift at the gateways of a group in a stage; what is not here is reported. */
export const driftReactions = pgTable(
  'drift_reactions',
  {
    group: text()
      .notNull()
      .references(() => gatewayGroups.name, { onDelete: 'cascade', onUpdate: 'cascade' }),
    stage: text()
      .notNull()
      .references(() => stages.name, { onDelete: 'cascade', onUpdate: 'cascade' }),
    reaction: text().$type<DriftReaction>().notNull(),
    /** How long a difference stands before. */
    minutes: integer().notNull(),
    /** In whose name it is done. */
    setById: person('set_by_id').notNull(),
    setAt: moment('set_at').notNull(),
  },
  (table) => [
    oneOf(table.reaction, driftReactionNames),
    primaryKey({ columns: [table.group, table.stage] }),
  ],
)

/** What somebody wants to be told of traffic and drift, and how it stands. */
export const alerts = pgTable(
  'alerts',
  {
    id: serial().primaryKey(),
    title: text().notNull(),
    kind: text().$type<AlertKind>().notNull(),
    threshold: integer().notNull(),
    minutes: integer().notNull(),
    /** What it is about; null and empty where it is about everything. */
    apiId: integer('api_id').references(() => apis.id, { onDelete: 'cascade' }),
    stage: text().notNull(),
    gateway: text().notNull(),
    mails: jsonb().$type<string[]>().notNull(),
    webhook: text().notNull(),
    /** What webhooks are signed with, sealed. */
    sealedSecret: text('sealed_secret').notNull(),
    quiet: jsonb().$type<QuietHours>(),
    /** The last day that it watches; null where it goes on. */
    until: day('until'),
    setById: person('set_by_id').notNull(),
    setAt: moment('set_at').notNull(),
    /** Since when something is wrong, and what; null where nothing is. */
    beganAt: moment('began_at'),
    says: text().notNull().default(''),
    checkedAt: moment('checked_at'),
  },
  (table) => [oneOf(table.kind, alertKinds)],
)

/** How people are told of what waits for them, where they want to be. */
export const notifications = pgTable(
  'notifications',
  {
    personId: integer('person_id')
      .primaryKey()
      .references(() => people.id),
    mail: text().notNull(),
    webhook: text().notNull(),
    /** What webhooks are signed with, sealed. */
    sealedSecret: text('sealed_secret').notNull(),
    kinds: jsonb().$type<TaskKind[]>().notNull(),
    when: text().$type<TaskTime>().notNull(),
    /** The hour of the day that a day is told at. */
    hour: integer().notNull(),
    timeZone: text('time_zone').notNull(),
    /** What waited when they were told last. */
    told: jsonb().$type<string[]>().notNull(),
    /** The day of that, where they are. */
    toldOn: day('told_on'),
  },
  (table) => [oneOf(table.when, taskTimes)],
)

/** What is told of an alert, or of what waits for a person: written with what it tells, and delivered as soon as that can be. */
export const notices = pgTable(
  'notices',
  {
    id: serial().primaryKey(),
    alertId: integer('alert_id').references(() => alerts.id, { onDelete: 'cascade' }),
    personId: integer('person_id').references(() => notifications.personId),
    announcementId: integer('announcement_id').references(() => announcements.id, {
      onDelete: 'cascade',
    }),
    title: text().notNull(),
    /** What a webhook gets besides. */
    data: jsonb().$type<object>().notNull(),
    event: text().$type<NoticeEvent>().notNull(),
    at: moment('at').notNull(),
    says: text().notNull(),
    channel: text().$type<NoticeChannel>().notNull(),
    recipient: text().notNull(),
    /** When it is tried next. */
    dueAt: moment('due_at').notNull(),
    tries: integer().notNull().default(0),
    trouble: text().notNull().default(''),
    sentAt: moment('sent_at'),
    /** When it was given up. */
    failedAt: moment('failed_at'),
  },
  (table) => [
    oneOf(table.event, noticeEvents),
    oneOf(table.channel, noticeChannels),
    check('notices_of_one', sql`num_nonnulls(alert_id, person_id, announcement_id) = 1`),
    index().on(table.announcementId),
    index().on(table.personId),
    index('notices_due')
      .on(table.dueAt)
      .where(sql`sent_at is null and failed_at is null`),
    index().on(table.alertId),
  ],
)

/** What a client was told of a change or an end of what it calls. */
export const announcements = pgTable(
  'announcements',
  {
    id: serial().primaryKey(),
    apiId: integer('api_id')
      .notNull()
      .references(() => apis.id, { onDelete: 'cascade' }),
    /** The request whose change it is about; null where it is about an end that is announced. */
    promotionId: integer('promotion_id').references(() => promotions.id, { onDelete: 'cascade' }),
    /** What is called; it may be gone since. */
    placementId: text('placement_id').notNull(),
    client: text().notNull(),
    how: text().$type<AnnouncementWay>().notNull(),
    /** Where mail went; empty otherwise. */
    recipient: text().notNull(),
    subject: text().notNull(),
    says: text().notNull(),
    byId: person('by_id').notNull(),
    at: moment('at').notNull(),
  },
  (table) => [
    oneOf(table.how, announcementWays),
    index().on(table.apiId),
    index().on(table.promotionId),
    index().on(table.placementId),
  ],
)

/** Who may post results from outside: a build, a scanner, a load test. */
export const evidenceSources = pgTable('evidence_sources', {
  slug: text().primaryKey(),
  title: text().notNull(),
  sealedSecret: text('sealed_secret').notNull(),
  setById: person('set_by_id').notNull(),
  setAt: moment('set_at').notNull(),
})

/** What a source said of a version. */
export const outsideResults = pgTable(
  'outside_results',
  {
    id: serial().primaryKey(),
    source: text()
      .notNull()
      .references(() => evidenceSources.slug, { onDelete: 'cascade' }),
    /** What names the message: one that comes again is none. */
    message: text().notNull(),
    apiId: integer('api_id')
      .notNull()
      .references(() => apis.id, { onDelete: 'cascade' }),
    version: text().notNull(),
    passed: boolean().notNull(),
    says: text().notNull(),
    url: text().notNull(),
    /** Of the definition that it holds for alone; empty where it holds for the version. */
    digest: text().notNull(),
    at: moment('at').notNull(),
  },
  (table) => [
    uniqueIndex().on(table.source, table.message),
    index().on(table.apiId, table.version, table.source, table.id),
  ],
)

/** A sequence of requests with checks, as its Arazzo description says it. */
export const probes = pgTable(
  'probes',
  {
    id: serial().primaryKey(),
    apiId: integer('api_id')
      .notNull()
      .references(() => apis.id, { onDelete: 'cascade' }),
    title: text().notNull(),
    text: text().notNull(),
    /** How often it is sent by itself, in minutes; 0 for never. */
    every: integer('every').notNull(),
    /** In which stages it is. */
    stages: jsonb().$type<string[]>().notNull(),
    /** Counts its texts. */
    edition: integer('edition').notNull(),
    setById: person('set_by_id').notNull(),
    setAt: moment('set_at').notNull(),
  },
  (table) => [uniqueIndex().on(table.apiId, table.title)],
)

/** What came of sending a probe through one gateway. */
export const probeRuns = pgTable(
  'probe_runs',
  {
    id: serial().primaryKey(),
    probeId: integer('probe_id')
      .notNull()
      .references(() => probes.id, { onDelete: 'cascade' }),
    apiId: integer('api_id')
      .notNull()
      .references(() => apis.id, { onDelete: 'cascade' }),
    edition: integer('edition').notNull(),
    /** What it was sent to; it may be gone since. */
    placementId: text('placement_id').notNull(),
    version: text().notNull(),
    stage: text().notNull(),
    gateway: text().notNull(),
    at: moment('at').notNull(),
    ms: integer('ms').notNull(),
    cause: text().$type<ProbeCause>().notNull(),
    /** Null where nobody asked for it. */
    byId: person('by_id'),
    /** The rollout that it was sent for. */
    rolloutId: integer('rollout_id'),
    passed: boolean().notNull(),
    says: text().notNull(),
    steps: jsonb().$type<StepResult[]>().notNull(),
  },
  (table) => [
    oneOf(table.cause, probeCauses),
    index().on(table.probeId, table.placementId, table.gateway, table.id),
    index().on(table.apiId),
    index().on(table.rolloutId),
    index().on(table.at),
  ],
)

/** The key that probes are sent with, sealed; only what issues it has read it. */
export const probeKeys = pgTable('probe_keys', {
  placementId: text('placement_id')
    .primaryKey()
    .references(() => placements.id, { onDelete: 'cascade' }),
  sealed: text().notNull(),
})

/** The carrying out of a change on gateways: what is wanted, and how far it has come. */
export const rollouts = pgTable(
  'rollouts',
  {
    id: serial().primaryKey(),
    /** Whose placements it changes; unknown for some from before it was kept. */
    apiId: integer('api_id').references(() => apis.id),
    /** Whose they are, where a release has versions of several; who may not see one of them sees none of it. */
    apiIds: integer('api_ids').array(),
    byId: person('by_id').notNull(),
    at: moment('at').notNull(),
    /** The ledger's word for the change. */
    action: text().$type<ApiAction>().notNull(),
    title: text().notNull(),
    change: jsonb().$type<RolloutChange>().notNull(),
    state: text().$type<RolloutState>().notNull(),
    /** What it keeps to on its way. */
    pace: jsonb().$type<Pace>().notNull().default({}),
    /** Why it waits before its next gateway or its end; empty where it does not. */
    held: text().notNull().default(''),
    /** Who has it stop where it is; empty where nobody does. */
    pausedBy: text('paused_by').notNull().default(''),
    /** Why it goes back, or went. */
    trouble: jsonb().$type<RolloutTrouble>(),
    endedAt: moment('ended_at'),
  },
  (table) => [
    oneOf(table.state, rolloutStates),
    index('rollouts_unfinished')
      .on(table.id)
      .where(sql`ended_at is null`),
  ],
)

/** The requests that a rollout carries out: one, or those of a release. */
export const rolloutRequests = pgTable(
  'rollout_requests',
  {
    rolloutId: integer('rollout_id')
      .notNull()
      .references(() => rollouts.id),
    promotionId: integer('promotion_id')
      .notNull()
      .references(() => promotions.id),
  },
  (table) => [
    primaryKey({ columns: [table.rolloutId, table.promotionId] }),
    index().on(table.promotionId),
  ],
)

/** Which placements a rollout is about; those of one placement are carried out one after the other. */
export const rolloutPlacements = pgTable(
  'rollout_placements',
  {
    rolloutId: integer('rollout_id')
      .notNull()
      .references(() => rollouts.id),
    placementId: text('placement_id').notNull(),
  },
  (table) => [
    primaryKey({ columns: [table.rolloutId, table.placementId] }),
    index().on(table.placementId),
  ],
)

/** A gateway's part in a rollout. */
export const rolloutSteps = pgTable(
  'rollout_steps',
  {
    rolloutId: integer('rollout_id')
      .notNull()
      .references(() => rollouts.id),
    gateway: text()
      .notNull()
      .references(() => gateways.name),
    position: integer().notNull(),
    state: text().$type<StepState>().notNull(),
    /** In a hundred callers, so many get what is new; less than all while that grows. */
    share: integer().notNull().default(100),
    /** The placements' resources as they ran before the first write. */
    before: text(),
    detail: text().notNull().default(''),
    attempts: integer().notNull().default(0),
    at: moment('at').notNull(),
  },
  (table) => [
    oneOf(table.state, stepStates),
    primaryKey({ columns: [table.rolloutId, table.gateway] }),
  ],
)

export const keys = pgTable(
  'keys',
  {
    placementId: text('placement_id')
      .notNull()
      .references(() => placements.id, { onDelete: 'cascade' }),
    name: text().notNull(),
    sha256: text().notNull(),
    state: text({ enum: keyStates }).notNull().default('active'),
    /** Where whoever holds it is told; empty where nobody knows. */
    contact: text().notNull().default(''),
  },
  (table) => [
    oneOf(table.state, keyStates),
    primaryKey({ columns: [table.placementId, table.name] }),
  ],
)

export const snapshots = pgTable(
  'snapshots',
  {
    id: serial().primaryKey(),
    gateway: text()
      .notNull()
      .references(() => gateways.name),
    takenAt: moment('taken_at').notNull(),
    etag: text().notNull(),
    text: text().notNull(),
  },
  (table) => [index().on(table.gateway, table.id)],
)

/** Versions that enter a stage together, all of them or none. */
export const releases = pgTable(
  'releases',
  {
    id: serial().primaryKey(),
    title: text().notNull(),
    note: text().notNull(),
    fromStage: text('from_stage').notNull(),
    toStage: text('to_stage').notNull(),
    state: text({ enum: releaseStates }).notNull(),
    madeById: person('made_by_id').notNull(),
    madeAt: moment('made_at').notNull(),
    /** Whose versions they are; who may not see one of them sees nothing of it. */
    apiIds: integer('api_ids').array().notNull(),
  },
  (table) => [oneOf(table.state, releaseStates)],
)

export const promotions = pgTable(
  'promotions',
  {
    id: serial().primaryKey(),
    apiId: integer('api_id')
      .notNull()
      .references(() => apis.id),
    version: text().notNull(),
    /** Stages by name: what was promoted outlives them. */
    fromStage: text('from_stage').notNull(),
    toStage: text('to_stage').notNull(),
    state: text({ enum: promotionStates }).notNull(),
    requestedById: person('requested_by_id').notNull(),
    requestedAt: moment('requested_at').notNull(),
    note: text().notNull(),
    /** By which day it is needed; null where nobody said. */
    neededBy: day('needed_by'),
    /** The gates and the plan as they stood when it was done. */
    evidence: jsonb().$type<Evidence>(),
    /** A promotion, or what is asked for at a placement beyond the first stage; from and to are the same then. */
    kind: text().$type<RequestKind>().notNull().default('promotion'),
    /** It may be gone since. */
    placementId: text('placement_id'),
    /** What a change makes of the placement. */
    wanted: jsonb().$type<PlacementSpec>(),
    /** The end that is asked for; null where none is, and where it is to be served on. */
    ending: jsonb().$type<Ending>(),
    /** Who went past the approval in an emergency, and why; it stands out until somebody else confirms it. */
    override: jsonb().$type<{ by: string; at: string; reason: string; basis?: PlanBasis }>(),
    confirmedById: person('confirmed_by_id'),
    confirmedAt: moment('confirmed_at'),
    /** With which others it is carried out, all of them or none; null where it is alone. */
    releaseId: integer('release_id').references(() => releases.id, { onDelete: 'set null' }),
  },
  (table) => [
    oneOf(table.state, promotionStates),
    oneOf(table.kind, requestKinds),
    index().on(table.releaseId),
    uniqueIndex('promotions_one_waiting')
      .on(table.apiId, table.version, table.toStage)
      .where(sql`state in ('waiting', 'under-way') and kind = 'promotion'`),
    uniqueIndex('promotions_one_change_waiting')
      .on(table.placementId)
      .where(sql`state in ('waiting', 'under-way') and kind <> 'promotion'`),
  ],
)

/** How versions reach the last stage, in the order in which they are asked whose they are. */
export const pipelines = pgTable('pipelines', {
  slug: text().primaryKey(),
  title: text().notNull(),
  position: integer().notNull(),
})

/** Published states of pipelines; the last one holds. */
export const pipelineEditions = pgTable(
  'pipeline_editions',
  {
    pipeline: text()
      .notNull()
      .references(() => pipelines.slug, { onDelete: 'cascade' }),
    number: integer().notNull(),
    text: text().notNull(),
    content: jsonb().$type<Pipeline>().notNull(),
    note: text().notNull(),
    publishedAt: moment('published_at').notNull(),
    publishedById: person('published_by_id').notNull(),
  },
  (table) => [primaryKey({ columns: [table.pipeline, table.number] })],
)

/** Repositories elsewhere that definitions come from. */
export const repositories = pgTable(
  'repositories',
  {
    slug: text().primaryKey(),
    title: text().notNull(),
    /** Where git reads it. */
    url: text().notNull(),
    /** What it is read with, and what is said of its commits; sealed, and empty where everybody may read it. */
    sealedToken: text('sealed_token').notNull(),
    /** What its webhook signs with, sealed. */
    sealedSecret: text('sealed_secret').notNull(),
    /** How its host signs, and in which header; the header is empty where it is as Standard Webhooks says. */
    webhookKind: text('webhook_kind', { enum: webhookKinds }).notNull().default('standard'),
    webhookHeader: text('webhook_header').notNull().default(''),
    /** When a message was refused last, and why. */
    refusedAt: moment('refused_at'),
    refusedWhy: text('refused_why').notNull().default(''),
    /** Where the state of a commit is told (`{commit}` stands for it); empty where nowhere. */
    statusUrl: text('status_url').notNull(),
    teamId: team('team_id').notNull(),
    /** For whom APIs are that come from it for the first time. */
    audience: text().$type<Audience>().notNull(),
    refs: jsonb().$type<RefRule[]>().notNull(),
    definitions: jsonb().$type<RepositoryDefinition[]>().notNull(),
    /** Its jobs act as whoever set it last. */
    setById: person('set_by_id').notNull(),
    setAt: moment('set_at').notNull(),
    /** When its branches were read last, and why they could not be. */
    readAt: moment('read_at'),
    trouble: text().notNull().default(''),
  },
  (table) => [oneOf(table.webhookKind, webhookKinds)],
)

/** Messages of repositories that were taken: nobody sends one twice. */
export const repositoryDeliveries = pgTable(
  'repository_deliveries',
  {
    repository: text()
      .notNull()
      .references(() => repositories.slug, { onDelete: 'cascade' }),
    id: text().notNull(),
    at: moment('at').notNull(),
  },
  (table) => [primaryKey({ columns: [table.repository, table.id] })],
)

/** What is done about a commit of a repository; the table is the queue. */
export const repositoryJobs = pgTable(
  'repository_jobs',
  {
    id: serial().primaryKey(),
    repository: text()
      .notNull()
      .references(() => repositories.slug, { onDelete: 'cascade' }),
    ref: text().notNull(),
    stage: text().notNull(),
    cause: text().$type<JobCause>().notNull(),
    state: text().$type<JobState>().notNull(),
    /** The commit that the branch was at; empty until it is fetched. */
    commit: text().notNull().default(''),
    /** Who wrote it, and the first line of what they said of it. */
    author: text().notNull().default(''),
    message: text().notNull().default(''),
    at: moment('at').notNull(),
    endedAt: moment('ended_at'),
    /** How often somebody began with it. */
    attempts: integer().notNull().default(0),
    /** Who asked that it stops. */
    cancelledBy: text('cancelled_by').notNull().default(''),
    /** What it came to, in one sentence. */
    says: text().notNull().default(''),
    outcomes: jsonb().$type<JobOutcome[]>().notNull().default([]),
    /** What is to be told of the commit, until when it is tried, and what was told. */
    reportDueAt: moment('report_due_at'),
    reportTries: integer('report_tries').notNull().default(0),
    reported: text().notNull().default(''),
    reportTrouble: text('report_trouble').notNull().default(''),
  },
  (table) => [
    oneOf(table.cause, jobCauses),
    oneOf(table.state, jobStates),
    index().on(table.repository, table.id),
    index('repository_jobs_to_report').on(table.reportDueAt),
    // Several pushes that nobody has begun with are one.
    uniqueIndex('one_waiting_job')
      .on(table.repository, table.ref)
      .where(sql`state = 'waiting'`),
  ],
)

/** The log of a job, line by line. */
export const repositoryJobLines = pgTable(
  'repository_job_lines',
  {
    jobId: integer('job_id')
      .notNull()
      .references(() => repositoryJobs.id, { onDelete: 'cascade' }),
    number: integer().notNull(),
    at: moment('at').notNull(),
    kind: text().$type<JobLineKind>().notNull(),
    text: text().notNull(),
  },
  (table) => [
    primaryKey({ columns: [table.jobId, table.number] }),
    oneOf(table.kind, jobLineKinds),
  ],
)

/** Gates that two people let pass once, for the plan that stood then. */
export const gateWaivers = pgTable(
  'gate_waivers',
  {
    promotionId: integer('promotion_id')
      .notNull()
      .references(() => promotions.id),
    gate: text().notNull(),
    /** How it stood, and what it said. */
    state: text().$type<'failed' | 'waiting'>().notNull(),
    text: text().notNull(),
    reason: text().notNull(),
    basis: jsonb().$type<PlanBasis>().notNull(),
    byId: person('by_id').notNull(),
    at: moment('at').notNull(),
    /** Who agreed, and when. */
    secondId: person('second_id'),
    secondAt: moment('second_at'),
  },
  (table) => [
    primaryKey({ columns: [table.promotionId, table.gate] }),
    oneOf(table.state, ['failed', 'waiting']),
  ],
)

export const approvals = pgTable(
  'approvals',
  {
    promotionId: integer('promotion_id')
      .notNull()
      .references(() => promotions.id),
    byId: person('by_id').notNull(),
    at: moment('at').notNull(),
    note: text().notNull(),
    /** The plan it was given to. */
    basis: jsonb().$type<PlanBasis>(),
  },
  (table) => [primaryKey({ columns: [table.promotionId, table.byId] })],
)

/** Many definitions brought in together: an archive, a folder, or several addresses. */
export const batches = pgTable(
  'batches',
  {
    id: uuid().primaryKey(),
    byId: person('by_id').notNull(),
    at: moment('at').notNull(),
    source: text().notNull(),
    /** The archive, until it has been unpacked. */
    sha256: text().references(() => blobs.sha256),
    addresses: jsonb().$type<string[]>().notNull().default([]),
    /** What the archive holds; a definition takes what it refers to from there. */
    files: jsonb().$type<StoredFile[]>().notNull().default([]),
    /** Whether files on other hosts may be fetched. */
    agreed: boolean().notNull().default(false),
    state: text({ enum: batchStates }).notNull(),
    total: integer().notNull().default(0),
    done: integer().notNull().default(0),
    /** What stopped it, where something did. */
    trouble: text().notNull().default(''),
    /** In whose name they are entered. */
    acceptedById: person('accepted_by_id'),
    /** Whose they become, and for whom they are. */
    teamId: team('team_id'),
    audience: text().$type<Audience>(),
  },
  (table) => [oneOf(table.state, batchStates), oneOf(table.audience, audiences)],
)

export const intakes = pgTable(
  'intakes',
  {
    id: uuid().primaryKey(),
    batchId: uuid('batch_id').references(() => batches.id),
    byId: person('by_id').notNull(),
    at: moment('at').notNull(),
    source: text().notNull(),
    /** Set until the text has been fetched from there. */
    address: text(),
    /** Whether files on other hosts may be fetched. */
    agreed: boolean().notNull().default(false),
    /** The main file's name once it is known; all its files, the main one first. */
    file: text().notNull().default(''),
    files: jsonb().$type<StoredFile[]>().notNull().default([]),
    /** Files it refers to that are not there. */
    missing: jsonb().$type<string[]>().notNull().default([]),
    /** What became of it in a batch. */
    outcome: text({ enum: intakeOutcomes }),
    result: jsonb().$type<{ api: string; revision: number; says?: string }>(),
    sha256: text().references(() => blobs.sha256),
    bytes: integer().notNull(),
    state: text({ enum: intakeStates }).notNull(),
    diagnostics: jsonb().$type<Diagnostic[]>().notNull().default([]),
    summary: jsonb().$type<DefinitionSummary>(),
    /** What a list shows of it, so that nobody has to open thousands of summaries for that. */
    shown: jsonb().$type<IntakeShown>().notNull().default({ files: 0, errors: 0, warnings: 0 }),
    /** How often reading began: a worker that died leaves one that was not finished. */
    attempts: integer().notNull().default(0),
  },
  (t) => [oneOf(t.state, intakeStates), oneOf(t.outcome, intakeOutcomes), index().on(t.batchId)],
)

/** Append-only: the database refuses anything else (see the migration). */
export const ledger = pgTable(
  'ledger',
  {
    number: integer().primaryKey(),
    at: moment('at').notNull(),
    actor: text().notNull(),
    action: text().notNull(),
    subject: text().notNull(),
    before: jsonb(),
    after: jsonb(),
    previous: text().notNull(),
    hash: text().notNull(),
    /** The API it is about, where it is about one. It says who may read the entry and is no part of what is hashed. */
    apiId: integer('api_id').references(() => apis.id),
  },
  (table) => [index().on(table.subject), index().on(table.apiId)],
)

/** Whole subtrees of the Merkle tree over the ledger's entries; append-only like them. */
export const ledgerNodes = pgTable(
  'ledger_nodes',
  {
    level: integer().notNull(),
    index: bigint({ mode: 'number' }).notNull(),
    hash: text().notNull(),
  },
  (table) => [primaryKey({ columns: [table.level, table.index] })],
)

export const settings = pgTable('settings', {
  id: boolean().primaryKey().default(true),
  organisation: text().notNull(),
  demo: boolean().notNull(),
  /** Under which the product is reached: `https://ledger.example`; empty where nobody has said. */
  publicAddress: text('public_address').notNull().default(''),
  /** For how many days what is not evidence is kept. */
  retention: jsonb()
    .$type<Retention>()
    .notNull()
    .default({
      ...{ snapshots: 30, checks: 30, intakes: 30, impacts: 30 },
      ...{ requests: 14, requestPercent: 10 },
    }),
  /** Single sign-on; null where there is none. */
  signOn: jsonb('sign_on').$type<KeptSignOn>(),
  /** Whether a name and a password let anybody in. */
  localAccounts: boolean('local_accounts').notNull().default(true),
})

/** How far the events of a gateway have been counted. */
export const eventCursors = pgTable('event_cursors', {
  gateway: text()
    .primaryKey()
    .references(() => gateways.name, { onDelete: 'cascade' }),
  journal: text().notNull(),
  seq: bigint({ mode: 'number' }).notNull(),
  /** Events that were lost before anybody could count them, in all. */
  lost: bigint({ mode: 'number' }).notNull(),
  lostAt: moment('lost_at'),
  readAt: moment('read_at').notNull(),
})

/** Single requests, as far as they are kept; a partition for each day (UTC). */
export const requests = pgTable(
  'requests',
  {
    at: moment('at').notNull(),
    gateway: text().notNull(),
    /** As the gateway named it in `X-Request-Id`. */
    id: text().notNull(),
    /** Null where no placement took it. */
    apiId: integer('api_id'),
    placement: text().notNull(),
    version: text().notNull(),
    stage: text().notNull(),
    operation: text().notNull(),
    client: text().notNull(),
    address: text().notNull(),
    status: integer().notNull(),
    step: text().notNull(),
    policy: text().notNull(),
    ms: real().notNull(),
    upstreamMs: real('upstream_ms'),
    bytesIn: bigint('bytes_in', { mode: 'number' }).notNull(),
    bytesOut: bigint('bytes_out', { mode: 'number' }).notNull(),
    requestType: text('request_type').notNull(),
    responseType: text('response_type').notNull(),
    /** Names of the query parameters and of the body's members that were sent. */
    query: jsonb().$type<string[]>().notNull(),
    members: jsonb().$type<string[]>().notNull(),
    breaks: text().$type<TrafficEvent['breaks']>().notNull(),
    /** Whose key was tried that was issued for another placement, and which that is; empty where none was. */
    triedClient: text('tried_client').notNull().default(''),
    triedPlacement: text('tried_placement').notNull().default(''),
  },
  (table) => [index().on(table.at), index().on(table.placement, table.at), index().on(table.id)],
)

/** Operations that were called, of an API or of none that is known, so that thousands of them are ranked by a number. */
export const trafficOperations = pgTable(
  'traffic_operations',
  {
    id: serial().primaryKey(),
    /** Made of what follows. */
    digest: text().notNull().unique(),
    apiId: integer('api_id').references(() => apis.id, { onDelete: 'cascade' }),
    name: text().notNull(),
  },
  (table) => [index().on(table.apiId)],
)

/** What a count of requests is of; empty words where it is of all of them. */
export const trafficSeries = pgTable(
  'traffic_series',
  {
    id: serial().primaryKey(),
    /** Made of all that follows: names are longer than an index takes. */
    digest: text().notNull().unique(),
    grain: text().$type<Grain>().notNull(),
    gateway: text().notNull(),
    /** Null where no placement took them, and in counts of everything. */
    apiId: integer('api_id').references(() => apis.id, { onDelete: 'cascade' }),
    /** Null where operations are not told apart. */
    operationId: integer('operation_id').references(() => trafficOperations.id, {
      onDelete: 'cascade',
    }),
    placement: text().notNull(),
    version: text().notNull(),
    stage: text().notNull(),
    operation: text().notNull(),
    client: text().notNull(),
    status: integer().notNull(),
    step: text().notNull(),
    policy: text().notNull(),
  },
  (table) => [
    oneOf(table.grain, grains),
    index().on(table.grain),
    index().on(table.apiId),
    index().on(table.placement),
    index().on(table.operationId),
  ],
)

/** Calls of an operation in a whole day or month: of all gateways and clients there are too many counts to rank thousands by. */
export const operationCalls = pgTable(
  'operation_calls',
  {
    resolution: text().$type<Resolution>().notNull(),
    /** When the day or month began. */
    span: moment('span').notNull(),
    operation: integer().notNull(),
    /** Who counted them, so that no two wait for each other: a gateway's reader, or nobody where days are made of hours. */
    gateway: text().notNull(),
    calls: bigint({ mode: 'number' }).notNull(),
  },
  (table) => [
    oneOf(table.resolution, resolutions),
    primaryKey({ columns: [table.resolution, table.span, table.operation, table.gateway] }),
  ],
)

/** Requests of a series that ended within the minutes of an hour, the hours of a day or the days of a month (UTC). */
export const traffic = pgTable(
  'traffic',
  {
    resolution: text().$type<Resolution>().notNull(),
    /** That of its series. */
    grain: text().$type<Grain>().notNull(),
    /** When the hour, day or month began. */
    span: moment('span').notNull(),
    /** Of a removed API they stay until somebody tidies up: a reference would be looked up at every count. */
    series: integer().notNull(),
    /** That of its series. */
    operation: integer(),
    calls: bigint({ mode: 'number' }).notNull(),
    /** The calls up to the end of each part, from the first that has any to the last: so those of some are a difference. */
    line: bigint({ mode: 'number' }).array().notNull(),
    /** Those of each part whose messages broke the definition; the array begins with the first that has any. */
    broken: integer().array().notNull(),
    /** Whether the days of a month have what is in these hours. */
    rolled: boolean().notNull(),
    /** All that was counted, by part, as `core/traffic/spans` writes it. */
    parts: bytea().notNull(),
    /** The same with the calls of each part and the rest as one; empty where there is only one, and where nobody added to it since 0028. */
    whole: bytea().notNull(),
  },
  (table) => [
    oneOf(table.resolution, resolutions),
    oneOf(table.grain, grains),
    primaryKey({ columns: [table.resolution, table.grain, table.span, table.series] }),
    index('traffic_to_roll_up')
      .on(table.series)
      .where(sql`not rolled`),
  ],
)
