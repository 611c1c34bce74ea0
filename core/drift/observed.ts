import { count, listed } from '../text/counted'
import { grouped } from '../text/grouped'
import { responseTo } from '../runtime/described'
import { inRange, mediaTypeOf } from '../runtime/media'
import { rowName, type PlacementSpec, type RouteRow } from '../runtime/placement'
import type { Cause } from './causes'
import type { Difference } from './compare'

/** Requests of one kind that a placement had in a day. */
export interface ObservedCalls {
  /** As it is counted: the name of the route, or method and shape of the path where none took it. */
  operation: string
  status: number
  /** Where they were stopped; empty where they went all the way. */
  step: string
  calls: number
  /** Those whose messages broke the definition. */
  broken: number
}

/** Responses of one media type among the requests of a day that are kept. */
export interface ObservedType {
  operation: string
  status: number
  type: string
  calls: number
}

/** A response of an operation, as the definition has it. */
export interface DescribedResponse {
  /** `200`, `2XX` or `default`. */
  status: string
  /** Its media types; none where it has no body, or does not say. */
  types: readonly string[]
}

/** What the ledger says of a placement, as far as requests can be held against it. */
export interface Expected {
  spec: PlacementSpec
  /** Responses by operation; those of SOAP are not told by statuses, and stand in none. */
  responses: ReadonlyMap<string, readonly DescribedResponse[]>
  /** The day that its API ended, where that is past. */
  endedOn?: string
}

/** A client that was told to wait on every one of some days. */
export interface Limited {
  client: string
  days: number
}

/** Requests of one client from one address, as far as single ones are kept. */
export interface AddressUse {
  client: string
  /** As much of it as is kept: `10.1.4.0/24`. */
  address: string
  /** When it was seen first; in milliseconds since 1970. */
  since: number
  /** In the last day. */
  recent: number
}

/** A credential that is used from where it was not before. */
export interface Spread {
  client: string
  from: string[]
  also: string[]
}

/** A credential that was tried at a placement that it was not given for. */
export interface Strayed {
  client: string
  /** What it was given for: `Supply Interruptions 2.4.0 in Trial`. */
  given: string
  calls: number
}

const day = 86_400_000
/** For so long after a client was seen first, each address of it is one of its own. */
const settlingMs = 3 * day
/** Clients of many addresses move about: another one says nothing. */
const mostOwn = 3
const fewestSpread = 3

/** Credentials that are used from addresses that are new for them, although they had few for some days. */
export function spreadOf(uses: readonly AddressUse[]): Spread[] {
  return [...grouped(uses, (use) => use.client)].flatMap(([client, all]) => {
    const first = Math.min(...all.map(({ since }) => since))
    const isOwn = ({ since }: AddressUse) => since < first + settlingMs
    const own = all.filter(isOwn)
    const others = all.filter((use) => !isOwn(use) && use.recent >= fewestSpread)
    if (client === '' || own.length > mostOwn || others.length === 0) return []
    const named = (list: AddressUse[]) => list.map(({ address }) => address).sort()
    return [{ client, from: named(own), also: named(others).slice(0, mostOwn) }]
  })
}

/** A difference with its likely cause. */
export interface Observation {
  difference: Difference
  cause: Cause
}

/** Fewer requests than these of a day are somebody's slip, unless they were told before. */
const fewest = 5
/** So many operations that nobody described are told of one placement. */
const mostUnknown = 10

/** Whether a media type is one of those described, by itself or as a range. */
const isOneOf = (type: string, described: readonly string[]): boolean =>
  described.some((one) => inRange(mediaTypeOf(one), type))

/** Whether it is told already, so that less is enough to go on telling it. */
type IsKnown = (difference: Pick<Difference, 'where' | 'what'>) => boolean

interface Tally {
  calls: number
  broken: number
  byStatus: Map<number, number>
}

function tallies(observed: readonly ObservedCalls[], step: string): Map<string, Tally> {
  const all = new Map<string, Tally>()
  for (const { operation, status, step: at, calls, broken } of observed) {
    if (at !== step) continue
    let tally = all.get(operation)
    if (!tally) all.set(operation, (tally = { calls: 0, broken: 0, byStatus: new Map() }))
    tally.calls += calls
    tally.broken += broken
    tally.byStatus.set(status, (tally.byStatus.get(status) ?? 0) + calls)
  }
  return all
}

/** Holds responses of a day against the definition and the placement. */
export function behaviourOf(
  { spec, responses }: Expected,
  observed: readonly ObservedCalls[],
  types: readonly ObservedType[],
  isKnown: IsKnown,
): Observation[] {
  const rows = new Map(spec.routes.map((row) => [rowName(row), row]))
  const typesOf = grouped(types, ({ operation }) => operation)
  const told: Observation[] = []
  for (const [operation, tally] of tallies(observed, '')) {
    const row = rows.get(operation)
    if (row?.treatment.kind !== 'route') continue
    const tell = (what: string, ledger: string, runs: string, calls: number, cause: string) => {
      const difference = observedAt(operation, what, ledger, runs, cause)
      if (calls < fewest && !isKnown(difference)) return false
      const share = `${count(calls, 'response')} of ${tally.calls} in 24 hours`
      told.push({ difference, cause: observedCause(`${cause}.`, share) })
      return true
    }
    const missing = [404, 405, 501].map((status) => tally.byStatus.get(status) ?? 0)
    const gone = missing.reduce((sum, calls) => sum + calls, 0)
    if (gone >= 0.95 * tally.calls) {
      const isTold = tell(
        'backend',
        `served by ${row.treatment.backend}`,
        `the backend does not have it: ${[404, 405, 501].filter((_, at) => missing[at]! > 0).join(', ')}`,
        gone,
        'The backend does not have this operation, or has it at another path',
      )
      if (isTold) continue
    }
    const described = responses.get(operation)
    if (described)
      for (const [status, calls] of tally.byStatus)
        if (!responseTo(status, described))
          tell(
            `response ${status}`,
            'not in the definition',
            'sent by the backend',
            calls,
            'The backend answers what the definition does not tell of',
          )
    for (const { status, type, calls } of typesOf.get(operation) ?? []) {
      const named = responseTo(status, described ?? [])?.types ?? []
      const sent = mediaTypeOf(type)
      if (named.length > 0 && !isOneOf(sent, named))
        tell(
          `media type of ${status}`,
          listed(named),
          sent,
          calls,
          'The backend sends a media type that the definition does not tell of',
        )
    }
    if (tally.broken > 0)
      tell(
        'messages',
        'as the definition has them',
        'break the definition',
        tally.broken,
        'What is sent does not fit the schemas of the definition',
      )
  }
  return told
}

/** What is known of those who call. */
export interface Callers {
  limited: readonly Limited[]
  spread: readonly Spread[]
  strayed: readonly Strayed[]
}

/** Holds who calls, and what, against the placement. */
export function callingOf(
  { spec, endedOn }: Expected,
  observed: readonly ObservedCalls[],
  { limited, spread, strayed }: Callers,
  isKnown: IsKnown,
): Observation[] {
  const told: Observation[] = []
  const tell = (difference: Difference, calls: number, text: string, least = fewest) => {
    if (calls >= least || isKnown(difference))
      told.push({ difference, cause: observedCause(text, `${count(calls, 'call')} in 24 hours`) })
  }
  const rows = new Map(spec.routes.map((row) => [rowName(row), row]))
  const unmatched = [...tallies(observed, 'match')].sort(([, a], [, b]) => b.calls - a.calls)
  const unknown: [string, Tally][] = []
  for (const [operation, tally] of unmatched) {
    const row = rows.get(operation)
    if (row?.treatment.kind === 'withheld') {
      const cause = 'Clients know it from the definition, or had it before'
      tell(
        observedAt(operation, 'calls', withheldText(row), 'called, and refused', cause),
        tally.calls,
        `${cause}: every call is refused.`,
      )
    } else if (!row && operation !== 'others') unknown.push([operation, tally])
  }
  for (const [operation, tally] of unknown.slice(0, mostUnknown)) {
    const cause = 'Clients ask for what no placement and no definition has here'
    tell(
      observedAt(operation, 'calls', 'not in the definition', 'called, and refused', cause),
      tally.calls,
      `${cause}: an operation that was taken away, or a mistake in somebody’s client.`,
      2 * fewest,
    )
  }
  if (endedOn !== undefined) {
    const calls = [...tallies(observed, '').values()].reduce((sum, one) => sum + one.calls, 0)
    const cause = 'Callers go on after its end'
    const where = { where: 'every operation', operations: [] }
    tell(
      { ...where, what: 'sunset', ledger: `ended on ${endedOn}`, gateway: 'still called', cause },
      calls,
      `${cause}: the gateway tells them with each response, and nobody reads it.`,
      1,
    )
  }
  for (const { client, from, also } of spread) {
    const cause =
      'The credential is used from where it never was: it was passed on, moved, or leaked'
    told.push({
      difference: {
        where: 'every operation',
        what: `credential of ${client}`,
        ledger: `used from ${listed(from)}`,
        gateway: `used from ${listed(also)} too`,
        cause,
        operations: [],
      },
      cause: observedCause(`${cause}.`, `addresses of requests that are kept, shortened`),
    })
  }
  for (const [client, uses] of grouped(strayed, (use) => use.client)) {
    const cause =
      'The client sends a credential that it was given elsewhere: it is set up for the wrong stage or API'
    tell(
      {
        where: 'every operation',
        what: `credential of ${client} for elsewhere`,
        ledger: `given for ${listed(uses.map(({ given }) => given).sort())}`,
        gateway: 'tried here, and refused',
        cause,
        operations: [],
      },
      uses.reduce((sum, { calls }) => sum + calls, 0),
      `${cause}.`,
    )
  }
  for (const { client, days } of limited) {
    const cause = 'The client needs more than it was given, or asks more often than it has to'
    const who = client || 'callers without a name'
    const difference = {
      where: 'every operation',
      what: `limit of ${who}`,
      ledger: 'enough for its use',
      gateway: 'met every day',
      cause,
      operations: [],
    }
    told.push({
      difference,
      cause: observedCause(`${cause}.`, `429 on each of the last ${days} days`),
    })
  }
  return told
}

const withheldText = ({ treatment }: RouteRow) =>
  treatment.kind === 'withheld' && treatment.reason !== ''
    ? `withheld: ${treatment.reason}`
    : 'withheld'

const observedAt = (
  operation: string,
  what: string,
  ledger: string,
  gateway: string,
  cause: string,
): Difference => ({
  where: operation,
  ...{ what, ledger, gateway, cause },
  operations: [operation],
})

const observedCause = (text: string, evidence: string): Cause => ({
  kind: 'observed',
  text,
  evidence: [{ text: evidence }],
})
