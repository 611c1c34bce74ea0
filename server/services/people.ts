import { randomBytes, randomUUID, scrypt, timingSafeEqual, type ScryptOptions } from 'node:crypto'
import { eq, lt } from 'drizzle-orm'
import type { Credentials } from '../../shared/api/people'
import type { Queries } from '../db/database'
import { people, sessions } from '../db/schema'
import type { Actor, Services } from './context'
import { Failure, notFound } from './failure'

/** scrypt (RFC 7914) with 32 MB a hash. */
const cost: ScryptOptions = { N: 32_768, r: 8, p: 1, maxmem: 64 * 1024 * 1024 }
const sessionDays = 14

const derive = (password: string, salt: Buffer) =>
  new Promise<Buffer>((resolve, reject) =>
    scrypt(password.normalize('NFKC'), salt, 32, cost, (error, key) =>
      error ? reject(error) : resolve(key),
    ),
  )

/** A password as it is stored: salt and key in hexadecimal. */
export async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(16)
  return `scrypt$${salt.toString('hex')}$${(await derive(password, salt)).toString('hex')}`
}

async function passwordFits(password: string, stored: string): Promise<boolean> {
  const [, salt = '', key = ''] = stored.split('$')
  const derived = await derive(password, Buffer.from(salt, 'hex'))
  return timingSafeEqual(derived, Buffer.from(key.padEnd(64, '0'), 'hex'))
}

/** Wrong passwords in a row for a name, to slow guessing down. */
const misses = new Map<string, { count: number; until: number }>()

/** A person as somebody who acts. */
export const toActor = (row: typeof people.$inferSelect): Actor => ({
  name: row.name,
  displayName: row.displayName,
  role: row.role,
  team: row.team ?? undefined,
})

/** A person as somebody who acts, for work that goes on after their request. */
export async function actorNamed(db: Queries, name: string): Promise<Actor> {
  const [row] = await db.select().from(people).where(eq(people.name, name))
  if (!row) throw notFound(`person called "${name}"`)
  return toActor(row)
}

/** Checks a password and opens a session; the same words and the same work whether the name or the password is wrong. */
export async function signIn(
  { db, now }: Services,
  { name, password }: Credentials,
): Promise<{ session: string; actor: Actor }> {
  const login = name.trim().toLowerCase()
  const missed = misses.get(login)
  if (missed && missed.count >= 8 && missed.until > now().getTime()) {
    throw new Failure(
      429,
      'Too many tries',
      'Wait a minute before trying this name again.',
      undefined,
      { 'Retry-After': '60' },
    )
  }
  const [row] = await db.select().from(people).where(eq(people.name, login))
  const fits = await passwordFits(password, row?.passwordHash ?? `scrypt$00$${'0'.repeat(64)}`)
  if (!row || !fits) {
    if (misses.size > 10_000) misses.clear()
    misses.set(login, { count: (missed?.count ?? 0) + 1, until: now().getTime() + 60_000 })
    throw new Failure(401, 'Not signed in', 'The name or the password is wrong.')
  }
  misses.delete(login)
  const session = randomUUID()
  await db.delete(sessions).where(lt(sessions.expiresAt, now()))
  await db.insert(sessions).values({
    id: session,
    person: row.id,
    expiresAt: new Date(now().getTime() + sessionDays * 86_400_000),
  })
  return { session, actor: toActor(row) }
}

export async function signOut(db: Queries, session: string): Promise<void> {
  await db.delete(sessions).where(eq(sessions.id, session))
}

/** Who a session belongs to, while it lasts. */
export async function actorOf({ db, now }: Services, session: string): Promise<Actor | undefined> {
  const [row] = await db
    .select({ person: people, expiresAt: sessions.expiresAt })
    .from(sessions)
    .innerJoin(people, eq(people.id, sessions.person))
    .where(eq(sessions.id, session))
  return row && row.expiresAt > now() ? toActor(row.person) : undefined
}
