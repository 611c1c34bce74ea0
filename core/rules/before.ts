import type { Change } from '../compare/model'
import type { Contract } from '../contract/model'
import type { Rule } from './model'

/** The version before the one that is checked, for rules about what changed since. */
export interface Before {
  version: string
  /** The day since which operations are deprecated, `2026-09-01`, by their names, as far as the register knows. */
  deprecatedSince: Readonly<Record<string, string>>
  /** What changed from it to another one. */
  changesTo(after: Contract): Change[]
}

/** Says what changed from one contract to another. It is large, and asked for by few rules, so it is handed in. */
export type Compare = (before: Contract, after: Contract) => Change[]

/** A contract as the version before another one. */
export const beforeFrom = (contract: Contract, compare: Compare): Before => ({
  version: contract.version,
  deprecatedSince: {},
  changesTo: (after) => compare(contract, after),
})

/** Whether any of these rules looks at what changed. */
export const asksForChanges = (
  rules: readonly Pick<Rule, 'about' | 'where' | 'expect' | 'message'>[],
): boolean =>
  rules.some(
    ({ about, where = '', expect, message }) =>
      about === 'change' ||
      /\bdefinition\.(?:versionBefore|fittingVersion|versionFits)\b/.test(
        `${where} ${expect} ${message}`,
      ),
  )
