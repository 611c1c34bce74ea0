import type { FormatName } from '../contract/model'
import type { Estate } from './facts/fact'

/** RFC 2119 words: how strongly the organisation asks. */
export const levels = ['MUST', 'SHOULD', 'MAY'] as const
export type Level = (typeof levels)[number]

/** What a rule about definitions speaks about. */
export const definitionKinds = [
  'definition',
  'server',
  'path',
  'operation',
  'webhook',
  'parameter',
  'requestBody',
  'response',
  'header',
  'mediaType',
  'schema',
  'property',
  'example',
  'securityScheme',
  'tag',
  'soapBinding',
  'change',
] as const

/** What a rule about what runs speaks about. */
export const runtimeKinds = ['placement', 'route', 'policy', 'backend', 'gateway'] as const
export type RuntimeKind = (typeof runtimeKinds)[number]

/** What a rule speaks about; its condition sees one of them at a time, by this name. */
export const subjectKinds = [...definitionKinds, ...runtimeKinds] as const
export type SubjectKind = (typeof subjectKinds)[number]

export const isRuntimeKind = (kind: SubjectKind): kind is RuntimeKind =>
  (runtimeKinds as readonly string[]).includes(kind)

export const audiences = ['private', 'partner', 'public'] as const
export const lifecycles = ['writing', 'active', 'deprecated', 'retired'] as const

/** How a rule is brought in: from when and for whom it binds. Where it does not bind yet, it advises. */
export interface Binding {
  /** The day it begins to bind: `2027-03-01`. */
  from?: string
  /** Only versions that were begun on that day or later. */
  onlyNew?: 'versions' | 'apis'
  teams?: string[]
  audiences?: (typeof audiences)[number][]
  lifecycles?: (typeof lifecycles)[number][]
}

/** A change that fixes a finding; texts in braces are expressions over the subject. */
export type Fix =
  | { kind: 'set'; part: string; to: string; title: string }
  | { kind: 'remove'; part: string; title: string }
  | { kind: 'rename'; to: string; title: string }
  | { kind: 'insert'; part: string; template: string; title: string }
  | { kind: 'extract'; into: string; title: string }

/**
 * A piece of a definition that shows a rule. A piece without a first line of its own is completed as OpenAPI; for rules
 * about what runs it is a piece of a placement.
 */
export interface Sample {
  text: string
  facts?: Partial<Pick<Circumstances, 'audience' | 'lifecycle' | 'team' | 'api'>>
  /** Pieces of other APIs of the register. */
  elsewhere?: string[]
  /** The piece as it was in the version before, for rules about what changed. */
  before?: string
}

/** One design rule, as data. */
export interface Rule {
  id: string
  group: string
  level: Level
  title: string
  about: SubjectKind
  /** The formats it speaks about; absent means every one. */
  formats?: FormatName[]
  /** CEL; true where the rule speaks about a subject at all. Absent means always. */
  where?: string
  /** CEL; true where the subject keeps the rule. */
  expect: string
  /** What the author reads; expressions in braces are filled in. */
  message: string
  reason: string
  remedy?: string
  link?: string
  /** The part of the subject to point at: `contact.email`. */
  part?: string
  binds?: Binding
  fixes?: Fix[]
  samples: { passes: Sample[]; breaks: Sample[] }
  /** Whether a rulebook that extends this one may loosen it although it is a MUST. */
  mayBeLoosened?: boolean
}

export interface RuleGroup {
  id: string
  title: string
  says?: string
}

/** A published state of a rulebook: what definitions are checked against. `domain` is the organisation's own. */
export interface Edition {
  number: number
  name: string
  domain: string
  /** Words of the organisation that a dictionary does not know, in lower case. */
  words: string[]
  groups: RuleGroup[]
  rules: Rule[]
}

/** The group of what a format's own specification asks; no rulebook holds it. */
export const validityGroup: RuleGroup = {
  id: 'validity',
  title: 'Validity',
  says: 'What the specification of the format itself asks for.',
}

/** One place where a definition breaks a rule. */
export interface Finding {
  rule: string
  /** How much it weighs here and now. */
  level: Level
  /** What the rule asks once it binds, where it only advises yet. */
  becomes?: Level
  /** The day since which it binds here, or from which it will. */
  since?: string
  message: string
  at: string
  /** Stays the same when lines move or parts are re-ordered. */
  key: string
  /** The operation it is in, where it is in one. */
  operation?: string
  /** The file of the definition it is in. */
  file: string
  line: number
  column: number
  endLine: number
  endColumn: number
}

/** What the register knows about a definition that its text does not say. */
export interface Circumstances {
  audience: (typeof audiences)[number]
  team: string
  lifecycle: (typeof lifecycles)[number]
  /** The API's name in addresses; empty outside of a register. */
  api: string
  /** The stages where this version lives. */
  stages: string[]
  /** The day of the check, the day the version was begun and the day the API came in: `2026-11-25`. */
  today: string
  versionSince: string
  apiSince: string
}

/** What is known of an API before one of its versions is looked at. */
export interface ApiFacts extends Omit<Circumstances, 'stages' | 'versionSince'> {
  /** Its versions: since when they are there, and where they live. */
  versions: Record<string, { since: string; stages: string[] }>
}

/** The circumstances of one version; one that is not known yet begins today. */
export function atVersion({ versions, ...facts }: ApiFacts, version: string): Circumstances {
  const known = Object.hasOwn(versions, version) ? versions[version] : undefined
  return { ...facts, stages: known?.stages ?? [], versionSince: known?.since ?? facts.today }
}

/** Circumstances outside of a register: what is not said is as little as can be. */
export const circumstancesOf = (
  known: Partial<Circumstances> & Pick<Circumstances, 'today'>,
): Circumstances => ({
  audience: 'partner',
  team: '',
  lifecycle: 'writing',
  api: '',
  stages: [],
  versionSince: known.today,
  apiSince: known.today,
  ...known,
})

export const emptyEstate: Estate = { basePaths: {}, schemas: {} }
