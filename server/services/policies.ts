import { and, asc, desc, eq, inArray, sql } from 'drizzle-orm'
import { alias } from 'drizzle-orm/pg-core'
import { sha256Hex } from '../../core/ledger/chain'
import { unenforceable } from '../../core/runtime/cluster/enforceable'
import { effectOf, policyImpact, type PlacementImpact } from '../../core/runtime/impact'
import { isOff, policyKinds, type PolicyName, type PolicySet } from '../../core/runtime/policies'
import { scopeText, type Scope } from '../../core/runtime/resolve'
import { canonical } from '../../core/text/canonical'
import { count } from '../../core/text/counted'
import { scopeEtag } from '../../shared/etags'
import type {
  PlacementImpactItem,
  PolicyApproval,
  PolicyChangeItem,
  PolicyChangeQuery,
  PolicyChangeRequest,
  PolicyPreview,
  PolicyScopeBody,
  PolicyScopeItem,
} from '../../shared/api/policies'
import type { RolloutItem } from '../../shared/api/rollouts'
import type { Queries, Transaction } from '../db/database'
import { apiColumns } from '../db/names'
import {
  apis,
  gatewayGroups,
  people,
  placements,
  policyChanges,
  policyScopes,
  stages,
  type OuterScope,
  type WantedPolicies,
} from '../db/schema'
import { seeingEverything } from '../db/viewer'
import type { PlacementRow } from './compiled'
import { gatewaysOf, kindsByGroup, reachedIn } from './apply'
import type { Context } from './context'
import { conflict, invalid, notFound, requireMatch, stale } from './failure'
import { record } from './ledger'
import { pageFrom, type Page } from './paging'
import { requirePermission } from './permissions'
import { firstStage, toPolicies } from './placements'
import { carryOut, intend, readRollout } from './rollouts'
import { Scopes, standsIn } from './scopes'

interface ScopeId {
  kind: OuterScope
  name: string
}

const idOf = ({ kind, name }: ScopeId) => (kind === 'organisation' ? kind : `${kind}:${name}`)

/** Every scope around placements, whether it says something or not. */
async function scopeIds(db: Queries): Promise<ScopeId[]> {
  const named = await db.select().from(stages).orderBy(asc(stages.position))
  const groups = await db.select().from(gatewayGroups).orderBy(asc(gatewayGroups.position))
  return [
    { kind: 'organisation', name: '' },
    ...named.map(({ name }) => ({ kind: 'stage' as const, name })),
    ...groups.map(({ name }) => ({ kind: 'group' as const, name })),
  ]
}

async function findScope(db: Queries, id: string): Promise<ScopeId> {
  const found = (await scopeIds(db)).find((scope) => idOf(scope) === id)
  if (!found) throw notFound(`scope called "${id}"`)
  return found
}

/** All scopes, outermost first, with what they say. */
export async function listScopes({ db }: Pick<Context, 'db'>): Promise<PolicyScopeItem[]> {
  const rows = await db
    .select({ scope: policyScopes, by: people.displayName })
    .from(policyScopes)
    .innerJoin(people, eq(people.id, policyScopes.changedById))
  const placed = await db
    .select({ stage: placements.stage, group: placements.group })
    .from(placements)
  const waiting = await db
    .select({ id: policyChanges.id, kind: policyChanges.kind, name: policyChanges.name })
    .from(policyChanges)
    .where(eq(policyChanges.state, 'waiting'))
  return (await scopeIds(db)).map((scope): PolicyScopeItem => {
    const kept = rows.find((row) => idOf(row.scope) === idOf(scope))
    const asked = waiting.find((change) => idOf(change) === idOf(scope))
    return {
      ...scope,
      id: idOf(scope),
      generation: kept?.scope.generation ?? 0,
      policies: kept?.scope.policies ?? {},
      binding: kept?.scope.binding ?? [],
      placements: placed.filter((placement) => standsIn(placement, scope)).length,
      ...(kept && { changedAt: kept.scope.changedAt.toISOString(), changedBy: kept.by }),
      ...(asked && { waiting: asked.id }),
    }
  })
}

export async function readScope(
  context: Pick<Context, 'db'>,
  id: string,
): Promise<PolicyScopeItem> {
  const found = (await listScopes(context)).find((scope) => scope.id === id)
  if (!found) throw notFound(`scope called "${id}"`)
  return found
}

/** What somebody wants a scope to say, following on what it says now. */
async function wantedOf(db: Queries, id: string, body: PolicyScopeBody): Promise<WantedPolicies> {
  const scope = await findScope(db, id)
  const policies = toPolicies(body.policies, 'policies')
  for (const name of body.binding) requireSaid(name, policies)
  const { binding } = body
  return { ...scope, generation: await generationOf(db, scope), policies, binding }
}

/** Only what a scope says can be binding there. */
function requireSaid(name: PolicyName, policies: PolicySet): void {
  const said = policies[name]
  if (said && !isOff(said)) return
  const { title } = policyKinds[name]
  throw invalid([
    { field: 'binding', message: `${title} is not said here, so it cannot be binding` },
  ])
}

async function generationOf(db: Queries, { kind, name }: ScopeId): Promise<number> {
  const [row] = await db
    .select({ generation: policyScopes.generation })
    .from(policyScopes)
    .where(and(eq(policyScopes.kind, kind), eq(policyScopes.name, name)))
  return row?.generation ?? 0
}

/** What a wanted state of a scope does to one placement in it. */
interface Touched {
  placement: PlacementRow
  impact: PlacementImpact
}

/** What a wanted state of a scope does to everything in it, whoever may see that. */
interface Plan {
  wanted: WantedPolicies
  touched: Touched[]
  unchanged: number
  reviewed: boolean
  digest: string
}

/** `db` reads with eyes that see everything. */
async function planOf(db: Queries, wanted: WantedPolicies): Promise<Plan> {
  const scopes = await Scopes.read(db)
  const next = scopes.with(wanted)
  const placed = await db.select().from(placements).orderBy(asc(placements.id))
  const inside = placed.filter((placement) => standsIn(placement, wanted))
  const [members, reached] = await Promise.all([kindsByGroup(db), reachedIn(db)])
  const touched = inside
    .map((placement) => {
      const [before, after] = [scopes.around(placement), next.around(placement)]
      const impact = policyImpact(placement.spec, before, after)
      const cannot = (outer: readonly Scope[]) =>
        unenforceable(placement.spec, outer, members.get(placement.group) ?? []).map(
          ({ message }) => message,
        )
      const known = new Set(cannot(before))
      const faults = cannot(after).filter((message) => !known.has(message))
      return { placement, impact: { ...impact, faults: [...impact.faults, ...faults] } }
    })
    .filter(
      ({ impact: { changes, overruled, faults } }) =>
        changes.length + overruled.length + faults.length > 0,
    )
  const first = await firstStage(db)
  // What is approved is what it comes to at each placement and where it is carried out, whatever leads to that.
  const basis = {
    wanted,
    placements: inside.map((placement) => [
      ...[placement.id, placement.generation],
      ...[scopes, next].map((around) => effectOf(placement.spec, around.around(placement))),
    ]),
    gateways: gatewaysOf(
      reached,
      inside.map(({ group }) => group),
    ),
  }
  return {
    wanted,
    touched,
    unchanged: inside.length - touched.length,
    // What is binding no more can be loosened from then on, wherever the scope reaches.
    reviewed:
      touched.some(({ placement }) => placement.stage !== first.name) ||
      (scopes.unbound(wanted).length > 0 &&
        !(wanted.kind === 'stage' && wanted.name === first.name)),
    digest: sha256Hex(canonical(basis)).slice(0, 16),
  }
}

/** What a change of a scope would do, before it is done. */
export async function previewPolicies(
  { db, system }: Pick<Context, 'db' | 'system'>,
  id: string,
  body: PolicyScopeBody,
): Promise<PolicyPreview> {
  return shown(db, await planOf(system.db, await wantedOf(db, id, body)))
}

/** The plan of a transaction, which has to know of everything. */
const planIn = async (tx: Transaction, id: string, body: PolicyScopeBody) => {
  const wanted = await wantedOf(tx, id, body)
  return seeingEverything(tx, () => planOf(tx, wanted))
}

/** A plan as somebody may see it. */
async function shown(
  db: Queries,
  { touched, unchanged, reviewed, digest }: Plan,
): Promise<PolicyPreview> {
  const ids = touched.map(({ placement }) => placement.id)
  const visible = await db
    .select({ id: placements.id, api: apiColumns })
    .from(placements)
    .innerJoin(apis, eq(apis.id, placements.apiId))
    .where(inArray(placements.id, ids))
  const known = new Map(visible.map((row) => [row.id, row.api]))
  const items = touched.flatMap(({ placement, impact }): PlacementImpactItem[] => {
    const api = known.get(placement.id)
    if (!api) return []
    const { id, version, stage, group } = placement
    return [{ placement: id, api: api.slug, title: api.title, version, stage, group, ...impact }]
  })
  return { placements: items, unchanged, unseen: touched.length - items.length, reviewed, digest }
}

/** Nothing may be left of which nobody says whom it serves. */
function requireWhole({ touched }: Plan): void {
  const broken = touched.filter(({ impact }) => impact.faults.length > 0)
  const [first] = broken
  if (first)
    throw conflict(
      `${first.impact.faults[0]!}, at ${first.placement.id}${broken.length > 1 ? ` and ${broken.length - 1} more` : ''}. Say it there first.`,
    )
}

/** Changes a scope where that reaches no further than the first stage; says the rollout where that takes longer. */
export async function changeScope(
  context: Context,
  id: string,
  body: PolicyScopeBody,
  ifMatch: string | undefined,
): Promise<PolicyScopeItem | RolloutItem> {
  const { db, actor } = context
  requirePermission(actor, 'policies')
  requireMatch(ifMatch, scopeEtag(await readScope(context, id)), 'the scope')
  const rollout = await db.transaction(async (tx) => {
    const plan = await planIn(tx, id, body)
    if (plan.reviewed)
      throw conflict(
        'This changes what is served beyond the first stage: ask for the change, and somebody else approves it.',
      )
    return intendPlan(tx, context, plan)
  })
  return settledScope(context, id, rollout)
}

async function settledScope(context: Context, id: string, rollout: number | undefined) {
  return rollout === undefined || (await carryOut(context, rollout))
    ? readScope(context, id)
    : readRollout(context.db, rollout)
}

/** Writes down what is wanted; where no gateway has to know, it holds at once and there is no rollout. */
async function intendPlan(
  tx: Transaction,
  context: Context,
  plan: Plan,
  change?: number,
): Promise<number | undefined> {
  requireWhole(plan)
  const { wanted, touched } = plan
  const changing = touched.filter(({ impact }) => impact.changes.length > 0)
  if (changing.length === 0) {
    await settleScope(tx, context, wanted)
    if (change !== undefined) await endChange(tx, change)
    return undefined
  }
  return intend(tx, context, {
    action: 'policy.changed',
    title: `Change the policies of ${scopeText(wanted)} at ${count(changing.length, 'placement')}`,
    change: {
      kind: 'policies',
      wanted,
      placements: changing.map(({ placement }) => placement.id),
      ...(change !== undefined && { change }),
    },
    groups: [...new Set(changing.map(({ placement }) => placement.group))],
    acts: [
      {
        ...{ api: null, subject: scopeText(wanted) },
        after: { policies: wanted.policies, binding: wanted.binding },
      },
    ],
  })
}

/** What was wanted of a scope holds from now on, once. */
export async function settleScope(
  tx: Transaction,
  { actor, now }: Pick<Context, 'actor' | 'now'>,
  wanted: WantedPolicies,
): Promise<void> {
  const { kind, name, policies, binding } = wanted
  const [before] = await tx
    .select()
    .from(policyScopes)
    .where(and(eq(policyScopes.kind, kind), eq(policyScopes.name, name)))
    .for('update')
  const row = {
    kind,
    name,
    policies,
    binding,
    generation: (before?.generation ?? 0) + 1,
    changedAt: now(),
    changedById: actor.id,
  }
  await tx
    .insert(policyScopes)
    .values(row)
    .onConflictDoUpdate({ target: [policyScopes.kind, policyScopes.name], set: row })
  await record(
    tx,
    { actor, now },
    {
      action: 'policy.changed',
      api: null,
      subject: scopeText(wanted),
      before: before && { policies: before.policies, binding: before.binding },
      after: { policies, binding },
    },
  )
}

export const endChange = (tx: Transaction, id: number) =>
  tx.update(policyChanges).set({ state: 'done' }).where(eq(policyChanges.id, id))

const approver = alias(people, 'approver')

/** Changes of scopes that were asked for, those that wait first. */
export async function listPolicyChanges(
  { db }: Pick<Context, 'db'>,
  query: PolicyChangeQuery & { id?: number },
): Promise<Page<PolicyChangeItem>> {
  const rows = await db
    .select({ change: policyChanges, by: people.displayName, approvedBy: approver.displayName })
    .from(policyChanges)
    .innerJoin(people, eq(people.id, policyChanges.requestedById))
    .leftJoin(approver, eq(approver.id, policyChanges.approvedById))
    .where(
      and(
        query.state ? eq(policyChanges.state, query.state) : undefined,
        query.id === undefined ? undefined : eq(policyChanges.id, query.id),
      ),
    )
    .orderBy(sql`${policyChanges.state} in ('waiting', 'under-way') desc`, desc(policyChanges.id))
    .limit(1000)
  const page = pageFrom(rows, query)
  return {
    ...page,
    items: page.items.map(({ change, by, approvedBy }): PolicyChangeItem => {
      const { id, kind, name, policies, binding, state, note, requestedAt, approvedAt } = change
      return {
        ...{ id, kind, name, policies, binding, state, note },
        scope: idOf(change),
        requestedBy: by,
        requestedAt: requestedAt.toISOString(),
        ...(approvedBy !== null && { approvedBy }),
        ...(approvedAt && { approvedAt: approvedAt.toISOString() }),
      }
    }),
  }
}

export async function readPolicyChange(
  context: Pick<Context, 'db'>,
  id: number,
): Promise<PolicyChangeItem> {
  const [item] = (await listPolicyChanges(context, { id })).items
  if (!item) throw notFound(`policy change ${id}`)
  return item
}

/** Asks for a change of a scope that somebody else has to approve. */
export async function requestPolicyChange(
  context: Context,
  { scope, note, ...body }: PolicyChangeRequest,
): Promise<PolicyChangeItem> {
  const { db, actor, now } = context
  requirePermission(actor, 'policies')
  const id = await db.transaction(async (tx) => {
    const plan = await planIn(tx, scope, body)
    requireWhole(plan)
    const { kind, name, policies, binding } = plan.wanted
    const [row] = await tx
      .insert(policyChanges)
      .values({
        ...{ kind, name, policies, binding, note },
        requestedById: actor.id,
        requestedAt: now(),
        state: 'waiting',
      })
      .onConflictDoNothing()
      .returning()
    if (!row)
      throw conflict('A change of this scope waits already. It is decided first, or withdrawn.')
    await record(tx, context, {
      action: 'policy.requested',
      api: null,
      subject: scopeText(plan.wanted),
      after: { change: row.id, policies, binding, note },
    })
    return row.id
  })
  return readPolicyChange(context, id)
}

/** What a change that waits would do now. */
export async function previewPolicyChange(
  context: Pick<Context, 'db' | 'system'>,
  id: number,
): Promise<PolicyPreview> {
  const { scope, ...body } = await readPolicyChange(context, id)
  return previewPolicies(context, scope, body)
}

/** Approves a change that somebody else asked for, as it was read, and has it rolled out. */
export async function approvePolicyChange(
  context: Context,
  id: number,
  { digest }: PolicyApproval,
): Promise<PolicyChangeItem> {
  const { db, actor, now } = context
  requirePermission(actor, 'approve')
  const rollout = await db.transaction(async (tx) => {
    const row = await lockWaiting(tx, id)
    if (row.requestedById === actor.id)
      throw conflict('You asked for this yourself; somebody else has to approve it.')
    const plan = await planIn(tx, idOf(row), row)
    if (plan.digest !== digest)
      throw stale(
        'What it does has changed since you read it. Read it again before you decide.',
        plan.digest,
      )
    await tx
      .update(policyChanges)
      .set({ state: 'under-way', approvedById: actor.id, approvedAt: now() })
      .where(eq(policyChanges.id, id))
    await record(tx, context, {
      action: 'policy.approved',
      api: null,
      subject: scopeText(row),
      after: { change: id, plan: digest },
    })
    return intendPlan(tx, context, plan, id)
  })
  if (rollout !== undefined) await carryOut(context, rollout)
  return readPolicyChange(context, id)
}

/** Takes a change back that was asked for. */
export async function withdrawPolicyChange(
  context: Context,
  id: number,
): Promise<PolicyChangeItem> {
  const { db, actor } = context
  requirePermission(actor, 'policies')
  await db.transaction(async (tx) => {
    const row = await lockWaiting(tx, id)
    await tx.update(policyChanges).set({ state: 'withdrawn' }).where(eq(policyChanges.id, id))
    await record(tx, context, {
      action: 'policy.withdrawn',
      api: null,
      subject: scopeText(row),
      before: { change: id },
    })
  })
  return readPolicyChange(context, id)
}

async function lockWaiting(tx: Transaction, id: number) {
  const [row] = await tx.select().from(policyChanges).where(eq(policyChanges.id, id)).for('update')
  if (!row) throw notFound(`policy change ${id}`)
  if (row.state !== 'waiting') throw conflict('This change does not wait any more.')
  return row
}
