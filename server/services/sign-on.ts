import { createHash } from 'node:crypto'
import { eq } from 'drizzle-orm'
import type { GroupRole, KeptSignOn } from '../../shared/api/settings'
import type { Transaction } from '../db/database'
import { personColumns, teamId } from '../db/names'
import { people } from '../db/schema'
import type { Actor, Services } from './context'
import { claimsAfter, wayTo, type Claims, type Client, type Underway } from './issuer'
import { announce, record } from './ledger'
import { requireAdministrator, toActor } from './people'
import { unseal } from './sealing'
import { settingsOf } from './settings'
import { countTry, openSession, type Origin } from './sign-in'

/** Why somebody does not come in by single sign-on; the page for signing in says it in words. */
export type SignOnTrouble =
  'away' | 'ended' | 'failed' | 'name-taken' | 'no-group' | 'off' | 'stale' | 'too-many'

export class SignOnRefused extends Error {
  constructor(readonly trouble: SignOnTrouble) {
    super(trouble)
  }
}

async function signOnOf({ db }: Services): Promise<KeptSignOn> {
  const signOn = (await settingsOf(db))?.signOn
  if (!signOn) throw new SignOnRefused('off')
  return signOn
}

const clientOf = (
  { secret }: Services,
  { issuer, clientId, sealedSecret }: KeptSignOn,
): Client => ({
  issuer,
  clientId,
  clientSecret: unseal(secret, sealedSecret),
})

/** The way to the issuer, and what the browser keeps until the way back. */
export async function beginSignOn(services: Services, returnAddress: string, to: string) {
  const client = clientOf(services, await signOnOf(services))
  return wayTo(client, returnAddress, to).catch((error: Error) => {
    console.warn('The issuer cannot be used:', error.message)
    throw new SignOnRefused('away')
  })
}

/** Lets somebody in who comes back from the issuer, and says where they were going. */
export async function finishSignOn(
  services: Services,
  returned: URL,
  underway: Underway | undefined,
  place: Origin,
): Promise<{ session: string; name: string; to: string }> {
  if (!underway) throw new SignOnRefused('stale')
  // Many may come from one address at once; each way back is tried a few times at most.
  await countTry(services, `sign-on ${underway.state}`, place).catch(() => {
    throw new SignOnRefused('too-many')
  })
  const signOn = await signOnOf(services)
  const claims = await claimsAfter(clientOf(services, signOn), returned, underway).catch(
    (error: Error) => {
      console.warn('A sign-on failed:', error.message)
      throw new SignOnRefused('failed')
    },
  )
  const { id, actor } = await admit(services, signOn, claims)
  return { session: await openSession(services, id, place), name: actor.name, to: underway.to }
}

/** What the groups of somebody let them do: the first group of the settings that is among them. */
export function roleOf(
  { groups, groupsClaim }: Pick<KeptSignOn, 'groups' | 'groupsClaim'>,
  claims: Claims,
): GroupRole | undefined {
  const claim = claims[groupsClaim]
  const mine = new Set([claim].flat().filter((group) => typeof group === 'string'))
  return groups.find(({ group }) => mine.has(group))
}

const textOf = (value: unknown) => (typeof value === 'string' ? value.trim().slice(0, 120) : '')

/** An account's name from what the issuer calls somebody; where that is no name, one made from the subject. */
export function accountName({ preferred_username, email, sub }: Claims): string {
  const said = textOf(preferred_username) || (textOf(email).split('@')[0] ?? '')
  const name = said
    .toLowerCase()
    .replace(/[^a-z0-9._-]+/g, '-')
    .slice(0, 60)
  if (/^[a-z][a-z0-9._-]+$/.test(name)) return name
  return `person-${createHash('sha256').update(sub).digest('hex').slice(0, 12)}`
}

/** The account of whoever an issuer vouches for: theirs, one that waits for them, or a new one. */
async function admit(
  services: Services,
  signOn: KeptSignOn,
  claims: Claims,
): Promise<{ id: number; actor: Actor }> {
  const granted = roleOf(signOn, claims)
  if (!granted) throw new SignOnRefused('no-group')
  const subject = `${signOn.issuer} ${claims.sub}`
  const name = accountName(claims)
  const now = {
    displayName: textOf(claims['name']) || name,
    role: granted.role,
    team: granted.role === 'owner' ? (granted.team ?? null) : null,
    subject,
    expectsSignOn: false,
  }
  const { team: owning, ...rest } = now
  const kept = { ...rest, teamId: owning === null ? null : teamId(owning) }
  return services.db.transaction(async (tx) => {
    const row = await accountOf(tx, subject, name)
    if (row?.endedAt) throw new SignOnRefused('ended')
    if (!row) {
      const [made] = await tx
        .insert(people)
        .values({ ...kept, name, passwordHash: '' })
        .onConflictDoNothing()
        .returning()
      // Somebody of this name, or this person in another window, came in a moment ago.
      if (!made) throw new SignOnRefused('failed')
      const { displayName, role, team } = now
      const actor = toActor({ ...made, team })
      await record(
        tx,
        { actor, now: services.now },
        {
          action: 'person.added',
          subject: name,
          after: { displayName, role, team, by: 'sign-on' },
        },
      )
      return { id: made.id, actor }
    }
    const said = ({
      displayName,
      role,
      team,
      subject: who,
    }: Omit<typeof now, 'subject'> & { subject: string | null }) => ({
      displayName,
      role,
      team,
      signOn: who !== null,
    })
    const [before, after] = [said(row), said(now)]
    if (JSON.stringify(before) === JSON.stringify(after)) return { id: row.id, actor: toActor(row) }
    await tx
      .update(people)
      .set({ ...kept, passwordHash: '' })
      .where(eq(people.id, row.id))
    if (row.role === 'administrator') await requireAdministrator(tx)
    const actor = toActor({ ...row, ...now })
    await record(
      tx,
      { actor, now: services.now },
      { action: 'person.changed', subject: row.name, before, after },
    )
    await announce(tx, 'session')
    return { id: row.id, actor }
  })
}

/** An account is taken over only where an administrator has said that it waits for its person's sign-on. */
async function accountOf(tx: Transaction, subject: string, name: string) {
  const [mine] = await tx
    .select(personColumns)
    .from(people)
    .where(eq(people.subject, subject))
    .for('update')
  if (mine) return mine
  const [named] = await tx
    .select(personColumns)
    .from(people)
    .where(eq(people.name, name))
    .for('update')
  if (named && !named.expectsSignOn) throw new SignOnRefused('name-taken')
  return named
}
