import type { Location } from '../text/location'

/** Raised when the same contracts would be told to differ in another way, so that nothing kept from before is shown. */
export const comparisonMethod = 1

/** What a change does to those who call: what worked does not, may not, or does still. */
export const effects = ['breaking', 'risky', 'safe'] as const
export type Effect = (typeof effects)[number]

/** Which way of a message a change is about; none where it only says something else. */
export type Direction = 'request' | 'response' | 'both' | 'none'

export const changeKinds = ['added', 'removed', 'changed', 'renamed', 'moved'] as const
export type ChangeKind = (typeof changeKinds)[number]

/** What of a contract changed. */
export type Part =
  | 'definition'
  | 'server'
  | 'operation'
  | 'webhook'
  | 'callback'
  | 'parameter'
  | 'header'
  | 'body'
  | 'response'
  | 'link'
  | 'media type'
  | 'value'
  | 'credentials'
  | 'security scheme'
  | 'schema'
  | 'SOAP binding'

/** A step into a value: a property's name, each item or one of them, any other property, or one of several choices. */
export type Step =
  | { property: string }
  | { item: true }
  | { position: number }
  | { other: true }
  | { choice: number }

export interface RequestWitness {
  request: {
    method: string
    path: string
    parameters?: Record<string, unknown>
    body?: unknown
  }
}

export interface ResponseWitness {
  response: { status: string; headers?: Record<string, unknown>; body?: unknown }
}

/** A request that was taken, or a response that was given, in one version and is not in the other. */
export type Witness = RequestWitness | ResponseWitness

/** One change between two contracts. Words are made of it last ({@link happeningOf}). */
export interface Change {
  effect: Effect
  direction: Direction
  kind: ChangeKind
  /** The operation it is in, as `GET /readings/{id}`; empty where it is in none. */
  operation: string
  part: Part
  /** What the part is called: a parameter, a status, a media type, a schema. */
  name: string
  /** Where in the value, for changes of schemas. */
  path: Step[]
  /** The member or keyword that changed; empty where the whole part came or went. */
  keyword: string
  was?: unknown
  is?: unknown
  before?: Location
  after?: Location
  /** What shows that it breaks. It is made when somebody asks: most changes of a large definition are never opened. */
  witness?: () => Witness
  /** Why nothing surer can be said. */
  undecided?: string
}
