import { randomUUID } from 'node:crypto'
import { and, eq, gt, lt, sql } from 'drizzle-orm'
import type { Credentials } from '../../shared/api/people'
import { personColumns } from '../db/names'
import { people, sessions, signInAttempts } from '../db/schema'
import type { Actor, Services } from './context'
import { Failure } from './failure'
import { passwordFits } from './passwords'
import { toActor } from './people'
import { signInWays } from './settings'

const sessionDays = 14
/** Wrong passwords that are taken in a window: for one name from one place, and from one place for any name. */
const windowMs = 60_000
const triesForName = 8
const triesFromPlace = 80

/** Who tries: the address, or a browser that this person has signed in with before. */
export interface Origin {
  address: string
  agent: string
  /** Set for a browser that is known, whose tries are counted apart from those of strangers. */
  known?: string
}

/**
 * Notes a try before anything is worked out, and refuses where there were too many: all tries that come at once are
 * counted. What strangers get wrong elsewhere does not lock the owner of a name out.
 */
export async function countTry({ db, now }: Services, name: string, place: Origin): Promise<void> {
  const at = now()
  const since = new Date(at.getTime() - windowMs)
  const from = place.known ? `known ${place.known}` : place.address
  await db.insert(signInAttempts).values({ name, address: from, at })
  const [counted] = await db
    .select({
      forName: sql<number>`(count(*) filter (where ${signInAttempts.name} = ${name}))::int`,
      all: sql<number>`count(*)::int`,
    })
    .from(signInAttempts)
    .where(and(eq(signInAttempts.address, from), gt(signInAttempts.at, since)))
  if (counted!.forName <= triesForName && counted!.all <= triesFromPlace) return
  throw new Failure(
    429,
    'Too many tries',
    'Wait a minute before trying again from here.',
    undefined,
    { 'Retry-After': '60' },
  )
}

/** Checks a password and opens a session; the same words and the same work whether the name or the password is wrong. */
export async function signIn(
  services: Services,
  { name, password }: Credentials,
  place: Origin,
): Promise<{ session: string; actor: Actor }> {
  const { db } = services
  if (!(await signInWays(services)).localAccounts)
    throw new Failure(401, 'Not signed in', 'Passwords let nobody in here. Use single sign-on.')
  const login = name.trim().toLowerCase()
  await countTry(services, login, place)
  const [row] = await db.select(personColumns).from(people).where(eq(people.name, login))
  const fits = await passwordFits(password, row?.passwordHash ?? '')
  if (!row || !fits || row.endedAt)
    throw new Failure(401, 'Not signed in', 'The name or the password is wrong.')
  await db.delete(signInAttempts).where(eq(signInAttempts.name, login))
  return { session: await openSession(services, row.id, place), actor: toActor(row) }
}

/** Opens a session for somebody who has shown who they are. */
export async function openSession(
  { db, now }: Services,
  person: number,
  { address, agent }: Origin,
): Promise<string> {
  const at = now()
  const id = randomUUID()
  await db.delete(sessions).where(lt(sessions.expiresAt, at))
  await db
    .delete(signInAttempts)
    .where(lt(signInAttempts.at, new Date(at.getTime() - 60 * windowMs)))
  await db.insert(sessions).values({
    id,
    personId: person,
    startedAt: at,
    expiresAt: new Date(at.getTime() + sessionDays * 86_400_000),
    address,
    agent: agent.slice(0, 300),
  })
  return id
}
