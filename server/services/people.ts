import { createHash, randomBytes } from 'node:crypto'
import { and, asc, desc, eq, gt, isNotNull, isNull, sql } from 'drizzle-orm'
import { isTeam } from './teams'
import type {
  Invitation,
  PasswordChoice,
  MemberItem,
  NewPassword,
  PersonChange,
  PersonStart,
  SessionItem,
} from '../../shared/api/people'
import { lockKeys } from '../db/lock-keys'
import type { Queries, Transaction } from '../db/database'
import { personColumns, type PersonRow, teamId } from '../db/names'
import { people, sessions, tokens } from '../db/schema'
import type { Actor, Context, Services } from './context'
import { conflict, Failure, invalid, notFound } from './failure'
import { announce, record } from './ledger'
import { hashPassword, passwordFits } from './passwords'
import { requirePermission } from './permissions'

const invitationDays = 7

type Row = PersonRow

/** A person as somebody who acts. */
export const toActor = (row: Row): Actor => ({
  id: row.id,
  name: row.name,
  displayName: row.displayName,
  role: row.role,
  team: row.team ?? undefined,
})

/** A person as somebody who acts, for work that goes on after their request. */
export async function actorWithId(db: Queries, id: number): Promise<Actor> {
  const [row] = await db.select(personColumns).from(people).where(eq(people.id, id))
  return toActor(row!)
}

export async function signOut(db: Queries, session: string): Promise<void> {
  await db.delete(sessions).where(eq(sessions.id, session))
  await announce(db, 'session')
}

/** Who a session belongs to, while it lasts and they may sign in. */
export async function actorOf(
  { db, now }: Pick<Services, 'db' | 'now'>,
  session: string,
): Promise<Actor | undefined> {
  const [row] = await db
    .select({ person: personColumns })
    .from(sessions)
    .innerJoin(people, eq(people.id, sessions.personId))
    .where(and(eq(sessions.id, session), gt(sessions.expiresAt, now()), isNull(people.endedAt)))
  return row && toActor(row.person)
}

async function findPerson(db: Queries, name: string) {
  const [row] = await db.select(personColumns).from(people).where(eq(people.name, name))
  if (!row) throw notFound(`person called "${name}"`)
  return row
}

/** A person by the name they sign in with, as somebody who acts. */
export const actorNamed = async (db: Queries, name: string): Promise<Actor> =>
  toActor(await findPerson(db, name))

/** Everybody, those who may not sign in any more last. */
export async function listPeople(context: Context): Promise<MemberItem[]> {
  requirePermission(context.actor, 'administer')
  const rows = await context.db
    .select({
      person: personColumns,
      open: sql<number>`(select count(*)::int from sessions s where s.person_id = people.id and s.expires_at > now())`,
    })
    .from(people)
    .orderBy(sql`${people.endedAt} is not null`, asc(people.displayName))
  return rows.map(({ person, open }): MemberItem => {
    const { name, displayName, role, team, endedAt, subject } = person
    return {
      name,
      displayName,
      role,
      ...(team !== null && { team }),
      sessions: open,
      signOn: subject !== null,
      state: stateOf(person),
      ...(endedAt && { endedAt: endedAt.toISOString() }),
    }
  })
}

function stateOf(row: Row): MemberItem['state'] {
  if (row.endedAt) return 'ended'
  if (row.expectsSignOn) return 'expected'
  return row.passwordHash === '' && row.invitedUntil ? 'invited' : 'active'
}

const digestOf = (code: string) => createHash('sha256').update(code).digest('hex')

/** A link that works once; only its digest is kept. */
function newInvitation(now: Date) {
  const code = randomBytes(24).toString('base64url')
  return {
    code,
    kept: {
      invitationSha256: digestOf(code),
      invitedUntil: new Date(now.getTime() + invitationDays * 86_400_000),
    },
  }
}

/** An owner speaks for a team, which must be there; nobody else has one. */
async function requireTeam(db: Queries, role: string, team: string | undefined): Promise<void> {
  if (role === 'owner' && !team)
    throw invalid([{ field: 'team', message: 'Say which team an owner speaks for' }])
  if (team && !(await isTeam(db, team)))
    throw invalid([{ field: 'team', message: `There is no team called ${team}` }])
}

/** Adds somebody, who sets their own password by a link. */
export async function addPerson(context: Context, body: PersonStart): Promise<Invitation> {
  const { db, now, actor } = context
  requirePermission(actor, 'administer')
  const name = body.name.trim().toLowerCase()
  await requireTeam(db, body.role, body.team)
  const { code, kept } = newInvitation(now())
  const access = body.signOn ? { expectsSignOn: true } : kept
  await db.transaction(async (tx) => {
    const { displayName, role, team } = body
    const made = await tx
      .insert(people)
      .values({
        name,
        displayName,
        role,
        teamId: team ? teamId(team) : null,
        passwordHash: '',
        ...access,
      })
      .onConflictDoNothing()
      .returning({ id: people.id })
    if (made.length === 0) throw conflict(`Somebody is called ${name} already.`)
    await record(tx, context, {
      action: 'person.added',
      subject: name,
      after: { displayName, role, team: team ?? null },
    })
  })
  if (body.signOn) return { name }
  return { name, path: `/welcome?code=${code}`, until: kept.invitedUntil.toISOString() }
}

/** An installation always has somebody who may administer it. */
export async function requireAdministrator(tx: Transaction): Promise<void> {
  await tx.execute(sql`SELECT pg_advisory_xact_lock(${lockKeys.administrators})`)
  const left = await tx.$count(
    people,
    and(eq(people.role, 'administrator'), isNull(people.endedAt)),
  )
  if (left === 0) throw conflict('Somebody else has to be an administrator first.')
}

const noInvitation = { invitationSha256: null, invitedUntil: null }

/** Ends every session and every token of somebody: nothing of it comes back with them. */
async function endAccess(
  tx: Transaction,
  context: Context,
  { id, name }: Pick<Row, 'id' | 'name'>,
): Promise<void> {
  await tx.delete(sessions).where(eq(sessions.personId, id))
  const gone = await tx.delete(tokens).where(eq(tokens.personId, id)).returning()
  for (const { name: called, begins } of gone)
    await record(tx, context, {
      action: 'token.ended',
      subject: name,
      before: { name: called, begins },
    })
}

/** Changes what somebody is called and may do, or ends their access with every session. */
export async function changePerson(
  context: Context,
  name: string,
  change: PersonChange,
): Promise<void> {
  const { db, now, actor } = context
  requirePermission(actor, 'administer')
  await db.transaction(async (tx) => {
    const [row] = await tx
      .select(personColumns)
      .from(people)
      .where(eq(people.name, name))
      .for('update')
    if (!row) throw notFound(`person called "${name}"`)
    const role = change.role ?? row.role
    const team = role === 'owner' ? (change.team ?? row.team ?? undefined) : undefined
    await requireTeam(tx, role, team)
    const next = {
      displayName: change.displayName ?? row.displayName,
      role,
      team: team ?? null,
      endedAt: change.ended === undefined ? row.endedAt : change.ended ? now() : null,
      ...(change.signOn && { expectsSignOn: true, passwordHash: '', ...noInvitation }),
    }
    const { team: owning, ...rest } = next
    await tx
      .update(people)
      .set({ ...rest, teamId: owning === null ? null : teamId(owning) })
      .where(eq(people.id, row.id))
    if (row.role === 'administrator') await requireAdministrator(tx)
    if (next.endedAt || change.signOn) await endAccess(tx, context, row)
    if (next.endedAt) await tx.update(people).set(noInvitation).where(eq(people.id, row.id))
    const said = (
      person: Pick<Row, 'displayName' | 'role' | 'team' | 'endedAt' | 'expectsSignOn'>,
    ) => ({
      displayName: person.displayName,
      role: person.role,
      team: person.team,
      ended: person.endedAt !== null,
      signOn: person.expectsSignOn,
    })
    await record(tx, context, {
      action: 'person.changed',
      subject: name,
      before: said(row),
      after: said({ ...row, ...next }),
    })
    await announce(tx, 'session')
  })
}

/** Gives somebody a new link to set a password by; what they had works no more, nor do their sessions. */
export async function invite(context: Context, name: string): Promise<Invitation> {
  const { db, now, actor } = context
  requirePermission(actor, 'administer')
  const { code, kept } = newInvitation(now())
  await db.transaction(async (tx) => {
    const row = await findPerson(tx, name)
    if (row.endedAt) throw conflict(`${row.displayName} may not sign in any more.`)
    await tx
      .update(people)
      .set({ ...kept, passwordHash: '', subject: null, expectsSignOn: false })
      .where(eq(people.id, row.id))
    await endAccess(tx, context, row)
    await record(tx, context, { action: 'person.invited', subject: name })
    await announce(tx, 'session')
  })
  return { name, path: `/welcome?code=${code}`, until: kept.invitedUntil.toISOString() }
}

/** Sets a password by a link; the link works no more. */
export async function acceptInvitation(
  services: Services,
  code: string,
  { password }: PasswordChoice,
): Promise<{ name: string }> {
  const { db, now } = services
  const passwordHash = await hashPassword(password)
  const [row] = await db
    .update(people)
    .set({ passwordHash, ...noInvitation })
    .where(
      and(
        eq(people.invitationSha256, digestOf(code)),
        isNotNull(people.invitedUntil),
        gt(people.invitedUntil, now()),
        isNull(people.endedAt),
      ),
    )
    .returning({ name: people.name })
  if (!row) {
    throw new Failure(
      404,
      'Not found',
      'This link has been used, or its week is over. Ask an administrator for another one.',
    )
  }
  return row
}

/** Replaces one's own password, and ends every other session. */
export async function changePassword(
  context: Context,
  session: string | undefined,
  { current, password }: NewPassword,
): Promise<void> {
  const { db, actor } = context
  const row = await findPerson(db, actor.name)
  if (!(await passwordFits(current, row.passwordHash)))
    throw invalid([{ field: 'current', message: 'This is not your password' }])
  const passwordHash = await hashPassword(password)
  await db.transaction(async (tx) => {
    await tx.update(people).set({ passwordHash }).where(eq(people.id, row.id))
    await tx
      .delete(sessions)
      .where(
        and(
          eq(sessions.personId, row.id),
          session === undefined ? undefined : sql`${sessions.id} <> ${session}`,
        ),
      )
    await record(tx, context, { action: 'person.password', subject: actor.name })
    await announce(tx, 'session')
  })
}

/** One's own sessions, newest first. */
export async function listSessions(
  { db, now, actor }: Context,
  current: string | undefined,
): Promise<SessionItem[]> {
  const person = await findPerson(db, actor.name)
  const rows = await db
    .select()
    .from(sessions)
    .where(and(eq(sessions.personId, person.id), gt(sessions.expiresAt, now())))
    .orderBy(desc(sessions.startedAt))
    .limit(200)
  return rows.map(({ id, startedAt, expiresAt, address, agent }) => ({
    id,
    startedAt: startedAt.toISOString(),
    expiresAt: expiresAt.toISOString(),
    address,
    agent,
    current: id === current,
  }))
}

/** Ends one of one's own sessions. */
export async function endSession({ db, actor }: Context, id: string): Promise<void> {
  const person = await findPerson(db, actor.name)
  const gone = await db
    .delete(sessions)
    .where(and(eq(sessions.personId, person.id), sql`${sessions.id}::text = ${id}`))
    .returning({ id: sessions.id })
  if (gone.length === 0) throw notFound('session of yours with this identifier')
  await announce(db, 'session')
}
