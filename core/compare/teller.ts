import type { Contract, Operation, Schema } from '../contract/model'
import type { Location } from '../text/location'
import { isSame } from '../text/values'
import { kindOf } from './keywords'
import type { Change, ChangeKind, Direction, Effect, Part, RequestWitness, Witness } from './model'
import { below } from './normal'
import type { Found, Verdict } from './found'
import type { Way } from './pairs'
import { leanSample } from './samples'
import { SchemaComparison } from './schemas'
import { Witnesses } from './witness'

/** Where in a contract changes are looked for, and which way messages go there. */
export interface Here {
  operation: string
  /** Whether the other side calls: for webhooks and callbacks. */
  turned: boolean
  method: string
  path: string
}

export const nowhere: Here = { operation: '', turned: false, method: '', path: '' }

/** What is told of a change; the rest is filled in. */
export interface Told {
  kind: ChangeKind
  part: Part
  name?: string
  keyword?: string
  was?: unknown
  is?: unknown
  before?: Location | undefined
  after?: Location | undefined
  undecided?: string
}

export const safe = { effect: 'safe', direction: 'none' } as const

/** Whether messages that were possible are not any more, and the other way round. */
interface Claims {
  narrows?: boolean
  widens?: boolean
}

/** A part of a message whose values are compared. */
export interface Valued {
  part: Part
  name: string
  was: Schema | undefined
  is: Schema | undefined
  before: Location
  after: Location
}

/** The direction of a message as callers see it: who is called by a webhook gets what is its request. */
const seenBy = ({ turned }: Here, way: Way): Way =>
  turned ? (way === 'request' ? 'response' : 'request') : way

/** Collects the changes of one comparison, and judges what they do. */
export class Teller {
  readonly changes: Change[] = []
  readonly schemas: SchemaComparison
  private readonly witnesses: Witnesses

  constructor(
    readonly before: Contract,
    readonly after: Contract,
  ) {
    this.schemas = new SchemaComparison(before, after)
    this.witnesses = new Witnesses(before, after)
  }

  tell(
    { operation }: Here,
    {
      name = '',
      keyword = '',
      before,
      after,
      ...rest
    }: Told & { effect: Effect; direction: Direction },
    witness?: () => Witness,
  ): void {
    const change: Change = {
      ...rest,
      operation,
      name,
      keyword,
      path: [],
      ...(before !== undefined && { before }),
      ...(after !== undefined && { after }),
    }
    if (witness) change.witness = once(witness)
    this.changes.push(change)
  }

  /** Words that changed: nobody's program notices. */
  said(
    here: Here,
    { part, name = '', before, after }: Pick<Told, 'part' | 'name' | 'before' | 'after'>,
    keyword: string,
    was: unknown,
    is: unknown,
  ): void {
    const [a, b] = [empty(was), empty(is)]
    if (isSame(a, b)) return
    this.tell(here, {
      ...safe,
      kind: kindOf(a, b),
      part,
      name,
      keyword,
      was: a,
      is: b,
      before,
      after,
    })
  }

  /** A change of whole messages: one that hurts is breaking, and the witness is such a message. */
  message(here: Here, way: Way, told: Told, claims: Claims, witness: () => Witness): void {
    const direction = seenBy(here, way)
    const hurts = direction === 'request' ? claims.narrows : claims.widens
    if (hurts) this.tell(here, { ...told, effect: 'breaking', direction }, witness)
    else this.tell(here, { ...told, effect: 'safe', direction })
  }

  /** Changes of values that travel one way. What is the same in several places of one message is said once. */
  values(
    here: Here,
    way: Way,
    { part, name, was, is, before, after }: Valued,
    witnessed: (value: unknown) => Witness,
    seen = new Set<object>(),
  ): void {
    const direction = seenBy(here, way)
    const found = this.schemas.compare(
      { ...(was !== undefined && { schema: was }), at: below(before, 'schema') },
      { ...(is !== undefined && { schema: is }), at: below(after, 'schema') },
    )
    for (const one of found) {
      const { change } = one
      if (seen.has(change) || (one.only !== undefined && one.only !== direction)) continue
      seen.add(change)
      const isWords =
        !change.narrows &&
        !change.widens &&
        change.undecided === undefined &&
        change.keyword !== 'property'
      const verdict = isWords ? ({ effect: 'safe' } as const) : this.verdict(one, direction)
      const made: Change = {
        effect: verdict.effect,
        direction: isWords ? 'none' : direction,
        kind: change.kind,
        operation: here.operation,
        part,
        name,
        path: one.path,
        keyword: change.keyword,
        before: change.before,
        after: change.after,
      }
      if ('was' in change) made.was = change.was
      if ('is' in change) made.is = change.is
      if (verdict.effect === 'risky') made.undecided = verdict.undecided
      if (verdict.effect === 'breaking') made.witness = once(() => witnessed(verdict.value()))
      this.changes.push(made)
    }
  }

  private verdict(found: Found, way: Way): Verdict {
    return (found.verdicts[way] ??= this.witnesses.judge(found, way))
  }

  /** A request of one of both versions, with some values in it and without one. */
  requestOf(
    { method, path }: Here,
    operation: Operation,
    values: Record<string, unknown> = {},
    without?: string,
  ): RequestWitness {
    const parameters: Record<string, unknown> = {}
    for (const { name, required, schema, examples } of operation.parameters)
      if (name !== without && (name in values || required))
        parameters[name] = values[name] ?? examples[0]?.value ?? this.sample(schema)
    const [media] = operation.body?.content ?? []
    const body = media && this.sample(media.schema)
    return {
      request: {
        method,
        path,
        ...(Object.keys(parameters).length > 0 && { parameters }),
        ...(body !== undefined && { body }),
      },
    }
  }

  sample(schema: Schema | undefined, contract = this.before): unknown {
    return leanSample(contract, schema)
  }
}

function once<T extends object>(make: () => T): () => T {
  let made: T | undefined
  return () => (made ??= make())
}

const empty = (value: unknown) =>
  value === '' || value === false || (Array.isArray(value) && value.length === 0)
    ? undefined
    : value

export type Pairing<T> =
  { old: T; now: T } | { old: undefined; now: T } | { old: T; now: undefined }

/** Parts of two lists that are the same by their key, in the order of the newer one, and then what is gone. */
export function* paired<T>(
  before: T[],
  after: T[],
  keyOf: (part: T) => string,
): Generator<Pairing<T>> {
  if (before.length + after.length === 0) return
  const known = new Map(before.map((part) => [keyOf(part), part]))
  for (const now of after) {
    const key = keyOf(now)
    const old = known.get(key)
    known.delete(key)
    yield { old, now } as Pairing<T>
  }
  for (const old of known.values()) yield { old, now: undefined }
}
