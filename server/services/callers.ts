import { and, asc, eq, inArray, ne } from 'drizzle-orm'
import { operationKey, scopesOf } from '../../core/runtime/placement'
import { isOpen } from '../../core/runtime/policies/authenticate'
import { resolvePolicies } from '../../core/runtime/resolve'
import type { Caller } from '../../shared/api/comparisons'
import { probeClient } from '../../shared/words'
import type { Queries } from '../db/database'
import { keys, placements, stages } from '../db/schema'
import { Scopes } from './scopes'

/** Whoever reaches operations of a version now: by keys of its placements, or as anybody where no key is asked for. */
export class Callers {
  private constructor(
    private readonly byOperation: ReadonlyMap<string, Caller[]>,
    /** Whoever reaches any of them. */
    readonly all: Caller[],
  ) {}

  static readonly none = new Callers(new Map(), [])

  static async of(db: Queries, apiId: number, version: string): Promise<Callers> {
    const placed = await db
      .select({
        id: placements.id,
        stage: placements.stage,
        group: placements.group,
        spec: placements.spec,
      })
      .from(placements)
      .innerJoin(stages, eq(stages.name, placements.stage))
      .where(and(eq(placements.apiId, apiId), eq(placements.version, version)))
      .orderBy(asc(stages.position), asc(placements.id))
    if (placed.length === 0) return Callers.none
    const ids = placed.map(({ id }) => id)
    const active = await db
      .select({ placement: keys.placementId, name: keys.name })
      .from(keys)
      .where(
        and(
          inArray(keys.placementId, ids),
          eq(keys.state, 'active'),
          // Probes lose nothing: they are changed with what they ask.
          ne(keys.name, probeClient),
        ),
      )
      .orderBy(asc(keys.name))
    const byOperation = new Map<string, Caller[]>()
    const all: Caller[] = []
    const scopes = await Scopes.read(db)
    for (const { id: placement, spec, ...standing } of placed) {
      const { stage } = standing
      const { authentication } = resolvePolicies(scopesOf(spec, scopes.around(standing)))
      const clients = isOpen(authentication?.config)
        ? ['']
        : active.filter((key) => key.placement === placement).map(({ name }) => name)
      const callers = clients.map((client) => ({ client, placement, stage }))
      all.push(...callers)
      for (const route of spec.routes) {
        const { kind } = route.treatment
        if (kind !== 'route' && kind !== 'mock') continue
        const key = keyOf(route)
        byOperation.set(key, [...(byOperation.get(key) ?? []), ...callers])
      }
    }
    return new Callers(byOperation, all)
  }

  /** Who reaches an operation by its name, `GET /readings/{id}`; everybody, for what is in no operation. */
  reaching(operation: string): Caller[] {
    if (operation === '') return this.all
    const [method = '', path = ''] = operation.split(' ', 2)
    return this.byOperation.get(keyOf({ method, path })) ?? []
  }

  /** Whether a client reaches an operation. */
  reaches(client: string, operation: string): boolean {
    return this.reaching(operation).some((caller) => caller.client === client)
  }
}

const keyOf = ({ method, path }: { method: string; path: string }) =>
  operationKey({ method: method.toUpperCase(), path })

/** The names of clients, once each. */
export const clientsIn = (callers: readonly Caller[]): string[] => [
  ...new Set(callers.flatMap(({ client }) => (client === '' ? [] : [client]))),
]

export const includesAnybody = (callers: readonly Caller[]): boolean =>
  callers.some(({ client }) => client === '')
