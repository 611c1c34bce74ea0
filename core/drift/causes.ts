import { isLoopback, isPrivateHost } from '../runtime/backend-address'
import { listed } from '../text/counted'
import type { Difference } from './compare'

/** A fact that speaks for a cause, and where it stands. */
export interface Evidence {
  /** When it was; ISO 8601. */
  at?: string
  text: string
  /** The rollout that it is told by. */
  rollout?: number
}

export type CauseKind =
  | 'machine'
  | 'old file'
  | 'earlier placement'
  | 'not reached'
  | 'gone back'
  | 'edited'
  | 'never seen'
  | 'observed'

/** Why a gateway runs something else, as far as the facts can tell. */
export interface Cause {
  kind: CauseKind
  text: string
  evidence: Evidence[]
}

/** What was the case when a difference was seen first. Moments in ISO 8601. */
export interface Circumstances {
  gateway: string
  /** When the reading was that showed it. */
  at: string
  /** The last reading of this gateway before, and whether all was as approved in it. */
  before?: { at: string; inStep: boolean }
  /** When the gateway ran exactly what it runs now, before it ran something else. */
  ranBefore?: { from: string; until: string }
  /** What was approved once and is exactly what runs now, and the rollout that should have replaced it. */
  earlier?: { version: string; until: string; rollout: number }
  /** The rollout that ended last of those that touched the placement. */
  rollout?: {
    id: number
    title: string
    by: string
    endedAt: string
    state: 'done' | 'rolled-back'
    /** The gateways it wrote to. */
    gateways: string[]
  }
  /** What the other gateways of the group run: whether it is what was approved; absent where nobody knows. */
  others: { gateway: string; inStep?: boolean }[]
}

/**
 * The likely cause of a difference with what speaks for it: the strongest of those that the facts allow. What they do not
 * tell is not made up.
 */
export function causeOf(difference: Difference, facts: Circumstances): Cause {
  const others = othersOf(facts)
  for (const explain of explanations) {
    const cause = explain(difference, facts)
    if (cause) return { ...cause, evidence: [...cause.evidence, ...others] }
  }
  return {
    kind: 'never seen',
    text: `${facts.gateway} ran it so when it was read first. ${difference.cause}.`,
    evidence: [{ at: facts.at, text: 'read for the first time' }, ...others],
  }
}

type Explain = (difference: Difference, facts: Circumstances) => Cause | undefined

const explanations: Explain[] = [
  fromMachine,
  fromOldFile,
  fromEarlierPlacement,
  fromUnreached,
  fromGoneBack,
  fromEdit,
]

const addresses = /https?:\/\/(\[[^\]]+\]|[^/:\s,]+)/g

/** Hosts of the addresses in a text. */
const hostsIn = (text: string) => [...text.matchAll(addresses)].map(([, host]) => host!)

/** Requests are sent to somebody's own machine, or into a network that was never approved. */
function fromMachine({ ledger, gateway }: Difference, facts: Circumstances): Cause | undefined {
  const approved = hostsIn(ledger)
  const strange = hostsIn(gateway).find(
    (host) => !approved.includes(host) && isPrivateHost(host) && !approved.every(isPrivateHost),
  )
  const own = hostsIn(gateway).find((host) => !approved.includes(host) && isLoopback(host))
  const host = own ?? strange
  if (host === undefined) return undefined
  return {
    kind: 'machine',
    text: own
      ? `Requests are sent to ${host}, which is whichever machine ${facts.gateway} itself runs on: somebody pointed it at their own computer.`
      : `Requests are sent to ${host}, an address of a private network: somebody pointed it at a machine of their own.`,
    evidence: between(facts),
  }
}

function fromOldFile(_: Difference, { gateway, ranBefore, at }: Circumstances): Cause | undefined {
  if (!ranBefore) return undefined
  return {
    kind: 'old file',
    text: `${gateway} runs to the letter what it ran before: it was probably restarted with an old file, or restored.`,
    evidence: [
      { at: ranBefore.from, text: 'it ran exactly this' },
      { at: ranBefore.until, text: 'it ran something else' },
      { at, text: 'it ran exactly this again' },
    ],
  }
}

function fromEarlierPlacement(
  _: Difference,
  { gateway, earlier }: Circumstances,
): Cause | undefined {
  if (!earlier) return undefined
  return {
    kind: 'earlier placement',
    text: `${gateway} runs what was approved before: the placement of ${earlier.version} that was replaced.`,
    evidence: [
      { at: earlier.until, text: `${earlier.version} was replaced`, rollout: earlier.rollout },
    ],
  }
}

/** The last rollout was carried out without this gateway. */
function fromUnreached(_: Difference, { gateway, rollout }: Circumstances): Cause | undefined {
  if (rollout?.state !== 'done' || rollout.gateways.includes(gateway)) return undefined
  return {
    kind: 'not reached',
    text: `${gateway} had no part in the rollout that brought it about: it joined the group later, or was left out.`,
    evidence: [
      {
        at: rollout.endedAt,
        text: `${rollout.title}, on ${listed(rollout.gateways)} alone`,
        rollout: rollout.id,
      },
    ],
  }
}

/** A rollout went back, and the gateway was seen otherwise since without having been as approved in between. */
function fromGoneBack(_: Difference, { gateway, rollout, before }: Circumstances) {
  if (rollout?.state !== 'rolled-back' || (before && before.at > rollout.endedAt)) return undefined
  return {
    kind: 'gone back' as const,
    text: `A rollout went back, and ${gateway} was left with a part of it.`,
    evidence: [{ at: rollout.endedAt, text: `${rollout.title} went back`, rollout: rollout.id }],
  }
}

function fromEdit(difference: Difference, facts: Circumstances): Cause | undefined {
  const { before, gateway, rollout } = facts
  if (!before) return undefined
  const when = before.inStep ? 'between two readings' : 'since it was read before'
  return {
    kind: 'edited',
    text: `${difference.cause}: ${gateway} was changed past the ledger ${when}, and no rollout was under way.`,
    evidence: [
      ...(rollout
        ? [{ at: rollout.endedAt, text: `${rollout.title}, by ${rollout.by}`, rollout: rollout.id }]
        : []),
      ...between(facts),
    ],
  }
}

const between = ({ before, at }: Circumstances): Evidence[] => [
  ...(before ? [{ at: before.at, text: before.inStep ? 'read, as approved' : 'read' }] : []),
  { at, text: 'read, with this difference' },
]

/** What the rest of the group says to it. */
function othersOf({ others }: Circumstances): Evidence[] {
  const named = (inStep: boolean | undefined) =>
    others.filter((other) => other.inStep === inStep).map(({ gateway }) => gateway)
  const [same, differing, unknown] = [named(true), named(false), named(undefined)]
  const says = (names: string[], text: string) =>
    names.length > 0 ? [{ text: `${listed(names)} ${text}` }] : []
  return [
    ...says(same, same.length === 1 ? 'runs what was approved' : 'run what was approved'),
    ...says(differing, differing.length === 1 ? 'differs too' : 'differ too'),
    ...says(unknown, 'had not been read lately'),
  ]
}
