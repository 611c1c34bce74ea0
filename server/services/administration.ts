import { and, asc, eq, sql } from 'drizzle-orm'
import { toActor } from './people'
import { teamNames, setTeams } from './teams'
import { isHostName } from '../../core/runtime/addresses'
import { readBackendAddress } from '../../core/runtime/backend-address'
import { routesOf } from '../../core/runtime/read'
import { gatewayKinds } from '../../core/runtime/gateway-kinds'
import { errorText } from '../../core/text/values'
import type {
  GatewayChange,
  IssuedGatewaySecret,
  GatewayTest,
  GroupChange,
  HostChange,
  HostItem,
  OrganisationChange,
  SetupStart,
} from '../../shared/api/administration'
import { lockKeys } from '../db/lock-keys'
import type { Queries, Transaction } from '../db/database'
import { teamName } from '../db/names'
import {
  apis,
  gatewayGroups,
  gateways,
  hosts,
  people,
  placements,
  placementSites,
  rolloutSteps,
  settings,
  snapshots,
  stages,
} from '../db/schema'
import { seeingEverything } from '../db/viewer'
import type { Context, Services } from './context'
import { isSecret } from './sealing'
import { forgetDrift } from './drift-following'
import { conflict, Failure, invalid, notFound } from './failure'
import { adapterOf } from '../gateways'
import { knock } from '../gateways/admin-api'
import { secretOf } from '../gateways/secret'
import { gatewayDown } from '../gateways/adapter'
import { record } from './ledger'
import { hashPassword } from './passwords'
import { requirePermission } from './permissions'
import { beginRulebook } from './rulebooks'

/** What an organisation begins with: a rulebook that asks for nothing yet. */
const emptyRulebook = `rulebook: 1
name: House rules
domain: example.org
groups: []
rules: []
`

/** Whether somebody has made the product theirs. */
export const isSetUp = async (db: Queries): Promise<boolean> =>
  (await db.$count(settings)) > 0 || (await db.$count(people)) > 0

/** Makes the first administrator of an empty product, for whoever reads the code on its terminal. */
export async function setUp(
  services: Services,
  code: string,
  start: SetupStart,
): Promise<{ name: string }> {
  const { db, now, setupCode } = services
  if (await isSetUp(db)) throw conflict('The product has been set up already.')
  if (!isSecret(code.trim(), setupCode))
    throw new Failure(403, 'The code is wrong', 'It is not the one on the terminal.')
  const passwordHash = await hashPassword(start.password)
  const name = start.name.trim().toLowerCase()
  await db.transaction(async (tx) => {
    await tx.execute(sql`SELECT pg_advisory_xact_lock(${lockKeys.setup})`)
    if (await isSetUp(tx)) throw conflict('The product has been set up already.')
    const [made] = await tx
      .insert(people)
      .values({ name, displayName: start.displayName, role: 'administrator', passwordHash })
      .returning()
    const actor = toActor({ ...made!, team: null })
    await tx.insert(settings).values({ organisation: start.organisation, demo: false })
    await tx
      .insert(stages)
      .values(['Trial', 'Live'].map((stage, position) => ({ name: stage, position })))
    await beginRulebook(tx, emptyRulebook, { actor, now })
    await record(
      tx,
      { actor, now },
      {
        action: 'product.set-up',
        subject: start.organisation,
        after: { administrator: name },
      },
    )
  })
  return { name }
}

/** Changes the organisation's name and teams; a team that owns something stays. */
export async function changeOrganisation(
  context: Context,
  { organisation, teams: wanted }: OrganisationChange,
): Promise<void> {
  const { db, actor } = context
  requirePermission(actor, 'administer')
  const names = [...new Set(wanted.map((team) => team.trim()).filter((team) => team !== ''))]
  await db.transaction(async (tx) => {
    const [before] = await tx.select().from(settings).for('update')
    const teams = await teamNames(tx)
    for (const team of teams.filter((known) => !names.includes(known))) {
      const owns = await seeingEverything(tx, () =>
        tx.$count(apis, eq(teamName(apis.teamId), team)),
      )
      const has = await tx.$count(people, eq(teamName(people.teamId), team))
      if (owns + has > 0)
        throw conflict(`${team} owns ${owns} APIs and has ${has} people, so it stays.`)
    }
    await tx.update(settings).set({ organisation })
    await setTeams(tx, names)
    await record(tx, context, {
      action: 'organisation.changed',
      subject: organisation,
      before: { organisation: before!.organisation, teams },
      after: { organisation, teams: names },
    })
  })
}

export const listHosts = (db: Queries): Promise<HostItem[]> =>
  db.select().from(hosts).orderBy(asc(hosts.stage), asc(hosts.name))

const placedAt = (tx: Transaction, name: string) =>
  tx.$count(placements, sql`${placements.spec} ->> 'host' = ${name}`)

/** Gives a host to a stage and to those whom it is for; one that serves something keeps its stage. */
export async function setHost(context: Context, name: string, change: HostChange): Promise<void> {
  const { db, actor } = context
  requirePermission(actor, 'administer')
  const host = { ...change, name }
  if (!isHostName(name))
    throw invalid([
      { field: 'host', message: 'A host is a name in lower case without scheme, port or path' },
    ])
  if (host.audiences.length === 0)
    throw invalid([{ field: 'audiences', message: 'Say whom the host is for' }])
  await db.transaction(async (tx) => {
    if ((await tx.$count(stages, eq(stages.name, host.stage))) === 0)
      throw invalid([{ field: 'stage', message: `There is no stage called ${host.stage}` }])
    const [before] = await tx.select().from(hosts).where(eq(hosts.name, host.name)).for('update')
    if (before && before.stage !== host.stage && (await placedAt(tx, host.name)) > 0)
      throw conflict(`${host.name} serves placements in ${before.stage}, so it stays there.`)
    const row = { name: host.name, stage: host.stage, audiences: host.audiences }
    await tx.insert(hosts).values(row).onConflictDoUpdate({ target: hosts.name, set: row })
    await record(tx, context, {
      action: 'host.set',
      subject: host.name,
      ...(before && { before }),
      after: row,
    })
  })
}

export async function removeHost(context: Context, name: string): Promise<void> {
  const { db, actor } = context
  requirePermission(actor, 'administer')
  await db.transaction(async (tx) => {
    const served = await placedAt(tx, name)
    if (served > 0) throw conflict(`${name} serves ${served} placements.`)
    const [gone] = await tx.delete(hosts).where(eq(hosts.name, name)).returning()
    if (!gone) throw notFound(`host called "${name}"`)
    await record(tx, context, { action: 'host.removed', subject: name, before: gone })
  })
}

/** Makes a gateway group, or changes whom it serves. */
export async function setGroup(
  context: Context,
  name: string,
  { serves, audiences }: GroupChange,
): Promise<void> {
  const { db, actor } = context
  requirePermission(actor, 'administer')
  requireName(name)
  await db.transaction(async (tx) => {
    const [before] = await tx.select().from(gatewayGroups).where(eq(gatewayGroups.name, name))
    const position = before?.position ?? (await tx.$count(gatewayGroups))
    const row = { name, serves, audiences, position }
    await tx
      .insert(gatewayGroups)
      .values(row)
      .onConflictDoUpdate({ target: gatewayGroups.name, set: row })
    await record(tx, context, {
      action: 'group.set',
      subject: name,
      ...(before && { before }),
      after: row,
    })
  })
}

function requireName(name: string): void {
  if (!/^[a-z][a-z0-9-]{0,59}$/.test(name))
    throw invalid([{ field: 'name', message: 'A name has lower case letters, digits and hyphens' }])
}

/** An address of a gateway: http or https, with a host and nothing behind it. */
function requireAddress(field: string, written: string): string {
  const read = readBackendAddress(written)
  if ('url' in read) return written.replace(/\/+$/, '')
  throw invalid([{ field, message: `"${written.slice(0, 100)}" ${read.refused}` }])
}

/** Adds a gateway, or changes where it is and what it belongs to. What its group serves comes to it by a rollout. */
export async function setGateway(
  context: Context,
  name: string,
  change: GatewayChange,
): Promise<void> {
  const { db, actor } = context
  requirePermission(actor, 'administer')
  requireName(name)
  const place = placeOf(change)
  await db.transaction(async (tx) => {
    const [before] = await tx.select().from(gateways).where(eq(gateways.name, name)).for('update')
    if ((await tx.$count(gatewayGroups, eq(gatewayGroups.name, change.group))) === 0)
      throw invalid([{ field: 'group', message: `There is no group called ${change.group}` }])
    if (before && before.kind !== place.kind)
      throw conflict(
        `${name} is read otherwise (${gatewayKinds[before.kind].title}). Remove it first, and add it anew.`,
      )
    const row = { group: change.group, serves: change.serves, ...place }
    await tx
      .insert(gateways)
      .values({ name, position: await tx.$count(gateways), ...row })
      .onConflictDoUpdate({ target: gateways.name, set: row })
    if (before && before.group !== change.group) {
      await tx.delete(placementSites).where(eq(placementSites.gateway, name))
      await forgetDrift(tx, context, name)
    }
    const said = before && {
      group: before.group,
      serves: before.serves,
      kind: before.kind,
      dataUrl: before.dataUrl,
      tlsUrl: before.tlsUrl,
      adminUrl: before.adminUrl,
      folder: before.folder,
    }
    await record(tx, context, {
      action: 'gateway.set',
      subject: name,
      ...(said && { before: said }),
      after: row,
    })
  })
}

/** A gateway as it is before anybody has kept or read it. */
const unread = {
  group: '',
  serves: '',
  position: 0,
  seenAt: null,
  triedAt: null,
  trouble: '',
  unclaimed: [],
  listeners: null,
  passedOver: [],
}

/** Where a gateway is, by what its kind needs to know. */
function placeOf({
  kind = 'admin-api',
  dataUrl = '',
  tlsUrl = '',
  adminUrl = '',
  folder = '',
}: GatewayChange) {
  const optional = (field: string, value: string) =>
    value === '' ? '' : requireAddress(field, value)
  const outside = { kind, tlsUrl: optional('tlsUrl', tlsUrl) }
  if (kind === 'admin-api')
    return {
      ...outside,
      dataUrl: requireAddress('dataUrl', dataUrl),
      adminUrl: requireAddress('adminUrl', adminUrl),
      folder: '',
    }
  const rest = { ...outside, dataUrl: optional('dataUrl', dataUrl), adminUrl: '' }
  if (kind === 'uploaded') return { ...rest, folder: '' }
  if (/^[\w-][\w.-]*(?:\/[\w-][\w.-]*)*$/.test(folder)) return { ...rest, folder }
  throw invalid([
    {
      field: 'folder',
      message:
        'Name the folder below that of all gateways: letters, digits, dots, hyphens, and slashes between',
    },
  ])
}

/** Forgets a gateway on which nothing is placed, or that is not the last of its group. */
export async function removeGateway(context: Context, name: string): Promise<void> {
  const { db, actor } = context
  requirePermission(actor, 'administer')
  await db.transaction(async (tx) => {
    const [row] = await tx.select().from(gateways).where(eq(gateways.name, name)).for('update')
    if (!row) throw notFound(`gateway called "${name}"`)
    const others = await tx.$count(
      gateways,
      and(eq(gateways.group, row.group), sql`${gateways.name} <> ${name}`),
    )
    const placed = await tx.$count(placements, eq(placements.group, row.group))
    if (placed > 0 && others === 0)
      throw conflict(`${name} is the only gateway of ${row.group}, which has ${placed} placements.`)
    const working = await tx.$count(
      rolloutSteps,
      sql`${rolloutSteps.gateway} = ${name} and exists (select 1 from rollouts r where r.id = ${rolloutSteps.rolloutId} and r.ended_at is null)`,
    )
    if (working > 0) throw conflict(`A rollout is changing ${name} at this moment.`)
    await tx.delete(rolloutSteps).where(eq(rolloutSteps.gateway, name))
    await tx.delete(snapshots).where(eq(snapshots.gateway, name))
    await forgetDrift(tx, context, name)
    await tx.delete(gateways).where(eq(gateways.name, name))
    await record(tx, context, {
      action: 'gateway.removed',
      subject: name,
      before: {
        group: row.group,
        kind: row.kind,
        dataUrl: row.dataUrl,
        adminUrl: row.adminUrl,
        folder: row.folder,
      },
    })
  })
}

/**
 * Talks to a gateway as it is written, before or after it is kept. Only an address that a gateway is registered at is sent
 * its secret; the ledger tells who tried which.
 */
export async function testGateway(context: Context, change: GatewayChange): Promise<GatewayTest> {
  const { db, actor } = context
  requirePermission(actor, 'administer')
  const place = placeOf(change)
  const begun = performance.now()
  const took = () => Math.round(performance.now() - begun)
  const result = await said(context, place).then(
    (says) => ({ answers: true, ms: took(), says }),
    (error: unknown) => {
      const why =
        error instanceof Failure ? error : gatewayDown('It', `failed (${errorText(error)})`)
      return { answers: false, ms: took(), says: why.detail }
    },
  )
  await db.transaction((tx) =>
    record(tx, context, {
      action: 'gateway.tested',
      subject: place.adminUrl || place.folder || place.kind,
      after: { answers: result.answers },
    }),
  )
  return result
}

async function said(context: Context, place: ReturnType<typeof placeOf>): Promise<string> {
  const { adminUrl, kind } = place
  const [known] = await context.db.select().from(gateways).where(eq(gateways.adminUrl, adminUrl))
  if (kind === 'admin-api' && !known) return knock(adminUrl)
  const name = kind === 'admin-api' ? known!.name : 'The gateway'
  const adapter = adapterOf(context, { ...unread, ...place, name })
  const { text } = await adapter.read()
  return `It answers and runs ${routesOf(adapter.understand(text).resources).length} routes`
}

/** The secret that a gateway is configured with; the ledger tells who read it. */
export async function readGatewaySecret(
  context: Context,
  name: string,
): Promise<IssuedGatewaySecret> {
  const { db, actor } = context
  requirePermission(actor, 'administer')
  return db.transaction(async (tx) => {
    const [row] = await tx.select().from(gateways).where(eq(gateways.name, name))
    if (!row) throw notFound(`gateway called "${name}"`)
    if (row.kind !== 'admin-api') throw conflict(`${name} has no admin API that asks for a secret.`)
    await record(tx, context, { action: 'gateway.secret', subject: name })
    return { secret: secretOf(context.gatewaySecret, row) }
  })
}
