/** RFC 2119 words: how strongly the organisation asks. */
export const levels = ['MUST', 'SHOULD', 'MAY'] as const
export type Level = (typeof levels)[number]

/** What a rule speaks about; its condition sees one of them at a time, by this name. */
export const subjects = [
  'definition',
  'server',
  'path',
  'operation',
  'parameter',
  'response',
  'schema',
  'property',
] as const
export type SubjectKind = (typeof subjects)[number]

/** One design rule, as data. */
export interface Rule {
  id: string
  level: Level
  title: string
  about: SubjectKind
  /** CEL; true where the rule speaks about a subject at all. Absent means always. */
  when?: string
  /** CEL; true where the subject keeps the rule. */
  condition: string
  /** What the author reads; `{operation.id}` is filled from the subject. */
  message: string
  reason: string
  /** The part of the subject to point at, as segments below it. */
  place?: string
}

/** A published state of the rulebook. `domain` is the organisation's own domain. */
export interface Edition {
  number: number
  domain: string
  rules: Rule[]
}

/** One place where a definition breaks a rule. */
export interface Finding {
  rule: string
  level: Level
  message: string
  at: string
  /** The file of the definition it is in. */
  file: string
  line: number
  column: number
}

/** What the register knows about a definition that its text does not say. */
export interface Circumstances {
  audience: 'private' | 'partner' | 'public'
  team: string
}
