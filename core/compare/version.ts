import semver from 'semver'
import type { Change } from './model'

/** How far a version number has to rise for what changed (Semantic Versioning 2.0.0). */
export type Rise = 'major' | 'minor' | 'patch' | 'none'

/** The rise that changes ask for: what breaks is a major version, what is new a minor one. */
export function riseFor(changes: readonly Change[]): Rise {
  const real = changes.filter(
    ({ part, keyword }) => !(part === 'definition' && keyword === 'version'),
  )
  if (real.some(({ effect }) => effect === 'breaking')) return 'major'
  if (
    real.some(
      ({ direction, kind, part }) =>
        direction !== 'none' || (kind === 'added' && part === 'operation'),
    )
  )
    return 'minor'
  return real.length > 0 ? 'patch' : 'none'
}

const order: Rise[] = ['none', 'patch', 'minor', 'major']

/** How far a version number rose; undefined where the numbers are no semantic versions. */
export function riseBetween(before: string, after: string): Rise | undefined {
  const [old, now] = [semver.coerce(before), semver.coerce(after)]
  if (!old || !now) return undefined
  if (now.compare(old) <= 0) return 'none'
  return now.major > old.major ? 'major' : now.minor > old.minor ? 'minor' : 'patch'
}

export interface FittingVersion {
  fits: string
  /** Whether the number that was given says as much. */
  isEnough: boolean
}

/**
 * The version number that fits after one, and whether the number that was given says enough. Before 1.0.0 a minor version
 * may break. Undefined where the numbers are no semantic versions.
 */
export function fittingVersion(
  before: string,
  after: string,
  changes: readonly Change[],
): FittingVersion | undefined {
  const old = semver.coerce(before)
  const given = riseBetween(before, after)
  if (!old || given === undefined) return undefined
  const asked = riseFor(changes)
  const rise = old.major === 0 && asked === 'major' ? 'minor' : asked
  const fits = rise === 'none' ? old.version : semver.inc(old.version, rise)!
  return { fits, isEnough: order.indexOf(given) >= order.indexOf(rise) }
}

/** Whether one version follows another for the same clients: they begin with the same number, or are no numbers. */
export function isSameLine(one: string, other: string): boolean {
  const [first, second] = [semver.coerce(one), semver.coerce(other)]
  return !first || !second || first.major === second.major
}
