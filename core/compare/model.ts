import type { Location } from '../text/location'

/** What a change does to those who call: what worked does not, may not, or does still. */
export const effects = ['breaking', 'risky', 'safe'] as const
export type Effect = (typeof effects)[number]

/** Which way of a message a change is about; none where it only says something else. */
export type Direction = 'request' | 'response' | 'both' | 'none'

export type ChangeKind = 'added' | 'removed' | 'changed'

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
  | 'media type'
  | 'value'
  | 'credentials'
  | 'security scheme'
  | 'schema'
  | 'SOAP binding'

/** A step into a value: a property's name, each item, any other member, or one of several choices. */
export type Step = { property: string } | { item: true } | { other: true } | { choice: number }

/** A request that was taken, or a response that was given, in one version and is not in the other. */
export type Witness =
  | {
      request: {
        method: string
        path: string
        parameters?: Record<string, unknown>
        body?: unknown
      }
    }
  | { response: { status: string; headers?: Record<string, unknown>; body?: unknown } }

/** One change between two contracts. Words are made of it last ({@link messageOf}). */
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
  witness?: Witness
  /** Why nothing surer can be said. */
  undecided?: string
}
