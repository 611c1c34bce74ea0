import { count } from '~/utils/words'
import { formatDistanceStrict } from 'date-fns'
import type { DriftItem } from '~~/shared/api/drift'
import type { DriftAccount, DriftReaction, DriftResolution } from '~~/shared/words'

/** What disagrees with the ledger, in words. */
export const accountWords: Record<DriftAccount, string> = {
  gateway: 'on gateways',
  behaviour: 'in responses',
  callers: 'in who calls',
  source: 'at the source',
}

/** What the other side of a difference is called beside the ledger. */
export const accountSides: Record<DriftAccount, string> = {
  gateway: 'gateway',
  behaviour: 'traffic',
  callers: 'traffic',
  source: 'source',
}

export const resolutionWords: Record<DriftResolution, string> = {
  'put-back': 'the ledger was put back',
  kept: 'what ran was approved',
  replaced: 'another change took its place',
  removed: 'the placement was removed',
  'by-hand': 'changed back on the gateway',
  gone: 'not seen any more',
}

export const reactionWords: Record<DriftReaction, string> = {
  report: 'Report it',
  ask: 'Ask for it to be put back',
  'put-back': 'Put the ledger back',
}

export const driftLeaves = [
  { to: '/drift', label: 'Now' },
  { to: '/drift/history', label: 'History' },
  { to: '/drift/reactions', label: 'By itself' },
]

/** `2 hours`: how long it has stood, or stood. */
export const stood = ({ openedAt, closedAt }: Pick<DriftItem, 'openedAt' | 'closedAt'>) =>
  formatDistanceStrict(new Date(openedAt), closedAt ? new Date(closedAt) : new Date())

/** `95 minutes` as a person says it: `2 hours`. */
export const duration = (minutes: number) => formatDistanceStrict(0, minutes * 60_000)

/** Calls in a day, shortly: `214 calls, 2 clients`; nothing where there were none. */
export const callsOf = ({ calls, clients }: Pick<DriftItem, 'calls' | 'clients'>) =>
  calls === 0
    ? 'not called in 24 hours'
    : `${count(calls, 'call')} in 24 hours, ${count(clients, 'client')}`
