import type { Operation, Part, SecurityScheme } from '../../contract/model'
import type { Location } from '../../text/location'
import type { Node } from '../../text/values'

/**
 * Something that a format cannot hold, where it was written, and which member of which part of the contract it is:
 * without `key` the whole part is left out.
 */
export interface Loss {
  at: Location
  message: string
  part: object
  key: string | undefined
  /** What the member has become, where it is not lost. */
  now?: string
}

/** Collects what a writer cannot carry over. */
export class Losses {
  readonly all: Loss[] = []

  /** One member of a part cannot be carried over. */
  member<T extends Part>(part: T, key: keyof T & string, message: string): void {
    this.memberAt(part.at, part, key, message)
  }

  /** A part has another name from now on. */
  renamed(part: Part & { name: string }, now: string, message: string): void {
    this.all.push({ at: part.at, message, part, key: 'name', now })
  }

  /** One member of something that has no place of its own cannot be carried over. */
  memberAt<T extends object>(at: Location, part: T, key: keyof T & string, message: string): void {
    this.all.push({ at, message, part, key })
  }

  /** Several members of a part, for one reason. */
  members<T extends Part>(part: T, keys: (keyof T & string)[], message: string): void {
    for (const key of keys) this.member(part, key, message)
  }

  /** A part, or a schema written at `at`, cannot be carried over as it is. */
  whole(part: object, at: Location, message: string): void {
    this.all.push({ at, message, part, key: undefined })
  }
}

/** The response of an operation that names none, where a format wants one. */
export function standInResponse(operation: Operation, format: string, losses: Losses): Node {
  losses.member(operation, 'responses', `${format} wants a response; a default stands in`)
  return { default: { description: 'Not described' } }
}

/** What says how a security scheme works; all of it is lost where a format has nothing like it. */
export const schemeWords: (keyof SecurityScheme)[] = [
  'type',
  'in',
  'parameterName',
  'scheme',
  'bearerFormat',
  'openIdConnectUrl',
  'flows',
]
