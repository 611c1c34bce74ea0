import type { Location } from '../text/location'
import type { KeywordChange } from './keywords'
import type { Step } from './model'
import type { Normal } from './normal'

export type Way = 'request' | 'response'

/** A change of a schema, or of one property of it. */
export interface SchemaChange extends KeywordChange {
  pair: Pair
  /** The property that it is about. */
  step?: Step
  before: Location
  after: Location
  /** The messages it is in, where it is in those of one way alone. */
  only?: Way
}

/** A way from one pair of schemas to one inside of them. */
export interface Edge {
  from: Pair
  to: Pair
  /** Absent where both are asked of the same value. */
  step?: Step
  /** `readOnly` values are given alone, and `writeOnly` ones taken (OpenAPI 3.1, section 4.8.24.1 and JSON Schema 9.4). */
  only?: Way
  /** Whether a value that is taken inside may be one too many: more inside may be less outside (`oneOf`). */
  mixed: boolean
}

/** Two schemas that are compared, each pair once: what differs in themselves, and the pairs inside of them. */
export interface Pair {
  before: Normal
  after: Normal
  changes: SchemaChange[]
  edges: Edge[]
  /** Of the edges, those that lead to changes; known when all pairs are looked at. */
  loud: Edge[] | undefined
  parents: Pair[]
  /** Whether there is a change here or further in. */
  isLoud: boolean
}

/** What is further in is heard further out. */
export function markLoud(pair: Pair): void {
  const waiting = [pair]
  for (let next = waiting.pop(); next; next = waiting.pop()) {
    if (next.isLoud) continue
    next.isLoud = true
    waiting.push(...next.parents)
  }
}
