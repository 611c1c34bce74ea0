import { sha256Hex } from '../ledger/chain'
import { canonical } from '../text/canonical'
import type { PlacementSpec } from '../runtime/placement'

/** Everything a plan depends on; an approval is given to exactly this. */
export interface PlanBasis {
  version: string
  /** The content of the revision. */
  revision: string
  /** Placements it starts from, and those it takes the place of, with their editions. */
  from: Record<string, number>
  there: Record<string, number>
  /** Gateways it reaches, each with a digest of how. */
  gateways: Record<string, string>
  /** A digest of how it is carried out: watched, in shares, in hours, by itself. */
  pace: string
  /** What is written: digests of specifications by address. */
  writes: Record<string, string>
}

export const specDigest = (spec: PlacementSpec) => sha256Hex(canonical(spec))

/** What a plan is known by. */
export const planDigest = (basis: PlanBasis) => sha256Hex(canonical(basis))

/** Why an approval of one plan does not hold for another, in words; undefined where they are the same. */
export function whyVoid(approved: PlanBasis | null, now: PlanBasis): string | undefined {
  if (!approved) return 'it was given before approvals were kept with their plan'
  if (planDigest(approved) === planDigest(now)) return undefined
  const differs = (a: unknown, b: unknown) => canonical(a) !== canonical(b)
  if (approved.version !== now.version || approved.revision !== now.revision)
    return 'the version stands for another revision since'
  if (differs(approved.from, now.from)) return 'the placement it starts from has changed since'
  if (differs(approved.there, now.there)) return 'what it takes the place of has changed since'
  if (differs(approved.gateways, now.gateways))
    return 'it reaches other gateways since, or the same ones elsewhere'
  if (approved.pace !== now.pace) return 'it would be carried out at another pace since'
  return 'what would be written has changed since'
}
