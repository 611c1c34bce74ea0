import type { PolicyName } from '../../core/runtime/policies'
import type { Scope } from '../../core/runtime/resolve'
import type { Queries } from '../db/database'
import { outerScopes, policyScopes, type OuterScope } from '../db/schema'

/** What scopes around placements say. */
export type ScopeRow = Pick<
  typeof policyScopes.$inferSelect,
  'kind' | 'name' | 'policies' | 'binding'
>

/** Where a placement stands among scopes. */
export interface Standing {
  stage: string
  group: string
}

/** Whether a placement stands in a scope. */
export const standsIn = (
  { stage, group }: Standing,
  { kind, name }: Pick<ScopeRow, 'kind' | 'name'>,
) => kind === 'organisation' || (kind === 'stage' ? stage === name : group === name)

/** The scopes around placements, as they are kept or as somebody would have them. */
export class Scopes {
  constructor(private readonly rows: readonly ScopeRow[]) {}

  static async read(db: Queries): Promise<Scopes> {
    return new Scopes(await db.select().from(policyScopes))
  }

  /** The same with one scope saying something else. */
  with(scope: ScopeRow): Scopes {
    const others = this.rows.filter(({ kind, name }) => kind !== scope.kind || name !== scope.name)
    return new Scopes([...others, scope])
  }

  /** What is binding in a scope and would not be any more. */
  unbound({ kind, name, binding }: ScopeRow): PolicyName[] {
    const now = this.rows.find((row) => row.kind === kind && row.name === name)
    return (now?.binding ?? []).filter((policy) => !binding.includes(policy))
  }

  /** Those around a placement, outermost first. */
  around(standing: Standing): (Scope & { kind: OuterScope })[] {
    return this.rows
      .filter((row) => standsIn(standing, row))
      .sort((a, b) => outerScopes.indexOf(a.kind) - outerScopes.indexOf(b.kind))
      .map(({ kind, name, policies, binding }) => ({ kind, name, policies, binding: [...binding] }))
  }
}
