import type { Circumstances, Finding, Rule } from './model'

type Weight = Pick<Finding, 'level' | 'becomes' | 'since'>

/** How much a rule weighs here and now: as it says, or as advice where it does not bind yet, or not for this. */
export function weightOf(
  { level, binds }: Pick<Rule, 'level' | 'binds'>,
  { today, team, audience, lifecycle, versionSince, apiSince }: Circumstances,
): Weight {
  if (!binds) return { level }
  const { from, onlyNew, teams, audiences, lifecycles } = binds
  const concerns =
    (!teams || teams.includes(team)) &&
    (!audiences || audiences.includes(audience)) &&
    (!lifecycles || lifecycles.includes(lifecycle))
  const since = onlyNew === 'versions' ? versionSince : onlyNew === 'apis' ? apiSince : undefined
  const isNew = since === undefined || (from !== undefined && since >= from)
  if (!concerns || !isNew) return { level: 'MAY' }
  if (from === undefined) return { level }
  return from <= today ? { level, since: from } : { level: 'MAY', becomes: level, since: from }
}
