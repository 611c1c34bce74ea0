import { sha256Hex } from '../../core/ledger/chain'
import { valueChanges } from '../../core/ledger/differences'
import { canonical } from '../../core/text/canonical'
import { isObject } from '../../core/text/values'
import {
  resourceBodies,
  resourceKinds,
  type ApiVersion,
  type AppliedResource,
  type PlannedResource,
  type ResourceBody,
  type ResourceChangeRequest,
  type ResourceItem,
  type ResourceKindName,
  type ResourcePlan,
  type ResourceQuery,
} from '../../shared/api/resources'
import type { ApiClass } from '../../shared/api/fields'
import { accept } from '../http/validate'
import type { Context } from './context'
import { Failure, notFound, requireMatch } from './failure'
import { pageFrom, type Page } from './paging'
import { kindsOfResources, plain, waitingPromotion, type Standing } from './resource-kinds'

/** The table of kinds, where the kind is only known as the program runs. */
type AnyKind = (typeof kindsOfResources)['Host']
const kindOf = (kind: ResourceKindName) => kindsOfResources[kind] as unknown as AnyKind

/** What stands is known by its digest; nothing has one as well. */
const etagOf = (standing: Standing | undefined) =>
  `"${sha256Hex(canonical(standing?.spec ?? null)).slice(0, 32)}"`

/** Everything that files can say, in the order in which it is applied. */
export async function listResources(
  context: Context,
  query: ResourceQuery,
): Promise<Page<ResourceItem>> {
  const kinds = resourceKinds.filter((kind) => query.kind === undefined || kind === query.kind)
  const items: ResourceItem[] = []
  for (const kind of kinds)
    for (const { name, spec, status } of await kindOf(kind).list(context))
      items.push({ kind, name, spec, status })
  return pageFrom(items, query)
}

/** What would be done about some resources; nothing is done. */
export async function planResources(
  context: Context,
  wanted: readonly ResourceBody[],
): Promise<ResourcePlan> {
  const items: PlannedResource[] = []
  const others: string[] = []
  let unchanged = 0
  for (const kind of resourceKinds) {
    const own = wanted.filter((one) => one.kind === kind)
    if (own.length === 0) continue
    const standing = byName(await kindOf(kind).list(context))
    const met = new Set<Standing>()
    for (const one of own) {
      const planned = await planOne(context, one, standing)
      if (planned.standing) met.add(planned.standing)
      if (planned.item) items.push(planned.item)
      else unchanged++
    }
    for (const one of standing.values()) if (!met.has(one)) others.push(`${kind} ${one.name}`)
  }
  return { items, unchanged, others }
}

type ByName = ReadonlyMap<string, Standing>
const byName = (all: readonly Standing[]): ByName => new Map(all.map((one) => [one.name, one]))

/** A wanted resource with what stands where it goes, as it would stand. */
async function meet(context: Context, { kind, name, spec }: ResourceBody, all: ByName) {
  const { find, read } = kindOf(kind)
  if (!isObject(spec)) throw new Failure(422, 'Not accepted', 'What it says is no object.')
  const named = all.get(name)
  const whole = (standing: Standing | undefined) =>
    accept(resourceBodies[kind] as unknown as ApiClass<AnyBody>, { ...standing?.spec, ...spec })
  const standing = named ?? find?.(await whole(undefined), [...all.values()])
  const body = await whole(standing)
  const after = read ? await read({ context, name, body, standing }) : plain(body)
  return { standing, body, after: { ...after } }
}
type AnyBody = Parameters<AnyKind['apply']>[0]['body']

/** Whether a resource says nothing but how it stands, word for word: most do, and nothing has to be read for that. */
const isSaid = (spec: unknown, standing: Standing) =>
  isObject(spec) &&
  canonical({ ...standing.spec, ...(spec as object) }) === canonical(standing.spec)

async function planOne(
  context: Context,
  wanted: ResourceBody,
  all: ByName,
): Promise<{ standing?: Standing | undefined; item?: PlannedResource }> {
  const { kind, name } = wanted
  const named = all.get(name)
  try {
    if (named && isSaid(wanted.spec, named)) return { standing: named }
    const { standing, body, after } = await meet(context, wanted, all)
    if (standing && canonical(after) === canonical(standing.spec)) return { standing }
    const item: PlannedResource = {
      ...{ kind, name, act: standing ? 'change' : 'create' },
      ...{ how: 'at-once', says: '', etag: etagOf(standing) },
      uploads: uploadsOf(kind, standing, after),
      changes: valueChanges(standing?.spec, after),
      ...(standing && standing.name !== name && { standsAs: standing.name }),
    }
    const waiting = standing?.waiting?.says ?? (await promotionFor(context, kind, after))
    if (waiting !== undefined)
      return { standing, item: { ...item, act: 'waits', says: waiting, how: 'review' } }
    item.how = (await kindOf(kind).how?.({ context, name, body, standing })) ?? 'at-once'
    return { standing, item }
  } catch (error) {
    if (!(error instanceof Failure)) throw error
    const refused = { act: 'refused', how: 'at-once', says: error.detail } as const
    const nothing = { changes: [], uploads: [], etag: etagOf(named) }
    return { standing: named, item: { kind, name, ...refused, ...nothing } }
  }
}

/** The versions of an API whose definitions are not there as they are wanted. */
function uploadsOf(
  kind: ResourceKindName,
  standing: Standing | undefined,
  after: Record<string, unknown>,
): string[] {
  if (kind !== 'Api') return []
  const of = (spec: Record<string, unknown> | undefined) =>
    (spec?.['versions'] ?? []) as ApiVersion[]
  const stand = new Set(of(standing?.spec).map((one) => canonical(one)))
  return of(after).flatMap((one) => (stand.has(canonical(one)) ? [] : one.version))
}

/** The promotion that brings a placement about already, in words. */
async function promotionFor(
  { db }: Context,
  kind: ResourceKindName,
  after: Record<string, unknown>,
): Promise<string | undefined> {
  if (kind !== 'Placement') return undefined
  const { api, version, stage } = after as { api: string; version: string; stage: string }
  const id = await waitingPromotion(db, { api, version, stage })
  return id === undefined ? undefined : `Promotion ${id} waits already`
}

/** Does what a resource asks for, through the reviews that it takes; it must still stand as it was seen. */
export async function applyResource(
  context: Context,
  kind: ResourceKindName,
  name: string,
  { spec, note }: ResourceChangeRequest,
  ifMatch: string | undefined,
): Promise<AppliedResource> {
  const { list, find, apply } = kindOf(kind)
  const named = await list(context, name)
  // One that goes by another name is looked for among all.
  const all = named.length === 0 && find ? await list(context) : named
  const { standing, body, after } = await meet(context, { kind, name, spec }, byName(all))
  requireMatch(ifMatch, etagOf(standing), `${kind} ${name}`)
  const isSo = standing && canonical(after) === canonical(standing.spec)
  const outcome = isSo
    ? { state: 'done' as const, says: 'It stands so already' }
    : await apply({ context, name, body, standing, note })
  const own = standing?.name ?? name
  const now = byName(await list(context, own)).get(own)
  return { ...outcome, status: now?.status ?? {} }
}

/** Takes a resource away, through the reviews that it takes. */
export async function removeResource(
  context: Context,
  kind: ResourceKindName,
  name: string,
  note: string,
): Promise<AppliedResource> {
  const { list, remove } = kindOf(kind)
  const standing = byName(await list(context, name)).get(name)
  if (!standing) throw notFound(`${kind} called "${name}"`)
  if (!remove) throw new Failure(409, 'Not possible now', `${kind} is not taken away from files.`)
  return { ...(await remove(context, standing, note)), status: {} }
}
