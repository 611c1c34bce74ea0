import { createHash, randomBytes } from 'node:crypto'
import { isValid, parseISO } from 'date-fns'
import { and, desc, eq } from 'drizzle-orm'
import type { PageQuery } from '../../shared/api/catalog'
import type { IssuedToken, NewToken, TokenItem, TokenScope } from '../../shared/api/tokens'
import type { Queries } from '../db/database'
import { personColumns } from '../db/names'
import { people, tokens } from '../db/schema'
import { dayOf } from './known'
import type { Actor, Context, Services } from './context'
import { Failure, invalid, notFound } from './failure'
import { record } from './ledger'
import { pageFrom, type Page } from './paging'
import { toActor } from './people'

const longestDays = 366
const beginning = 'elt_'

/** A token is random enough that a plain digest keeps it. */
const digestOf = (secret: string) => createHash('sha256').update(secret).digest('hex')

type Row = typeof tokens.$inferSelect

const toItem = (row: Row): TokenItem => ({
  token: row.id,
  name: row.name,
  begins: row.begins,
  scopes: row.scopes,
  until: row.until,
  madeAt: row.madeAt.toISOString(),
  ...(row.usedAt && { usedAt: row.usedAt.toISOString() }),
})

/** Makes a token for the person who asks; only its digest is kept, so it is shown this once. */
export async function issueToken(
  context: Context,
  { name, scopes, until }: NewToken,
): Promise<IssuedToken> {
  const { db, actor, now } = context
  const today = dayOf(now())
  const last = dayOf(new Date(now().getTime() + longestDays * 86_400_000))
  if (!isValid(parseISO(until)) || until < today || until > last) {
    throw invalid([{ field: 'until', message: `Name a day from ${today} to ${last}` }])
  }
  if (scopes.length === 0) {
    throw invalid([{ field: 'scopes', message: 'Say at least one thing it may do' }])
  }
  const secret = beginning + randomBytes(24).toString('base64url')
  return db.transaction(async (tx) => {
    const [row] = await tx
      .insert(tokens)
      .values({
        personId: await idOf(tx, actor),
        name,
        begins: secret.slice(0, beginning.length + 4),
        sha256: digestOf(secret),
        scopes: [...new Set(scopes)],
        until,
        madeAt: now(),
      })
      .returning()
    const { sha256, begins } = row!
    await record(tx, context, {
      action: 'token.issued',
      subject: actor.name,
      after: { name, begins, scopes, until, sha256 },
    })
    return { ...toItem(row!), secret }
  })
}

/** The tokens of the person who asks, newest first. */
export async function listTokens(
  { db, actor }: Context,
  query: PageQuery,
): Promise<Page<TokenItem>> {
  const rows = await db
    .select()
    .from(tokens)
    .where(eq(tokens.personId, await idOf(db, actor)))
    .orderBy(desc(tokens.id))
  return pageFrom(rows.map(toItem), query)
}

/** Ends a token of the person who asks; it works no more from this moment. */
export async function endToken(context: Context, id: number): Promise<void> {
  await context.db.transaction(async (tx) => {
    const [gone] = await tx
      .delete(tokens)
      .where(and(eq(tokens.id, id), eq(tokens.personId, await idOf(tx, context.actor))))
      .returning()
    if (!gone) throw notFound(`token ${id} of yours`)
    const { name, begins } = gone
    await record(tx, context, {
      action: 'token.ended',
      subject: context.actor.name,
      before: { name, begins },
    })
  })
}

/** Who a token speaks for, while it lasts; throws where it may not do what is asked. */
export async function actorOfToken(
  { db, now }: Services,
  secret: string,
  scope: TokenScope,
): Promise<Actor> {
  const [row] = await db
    .select({ token: tokens, person: personColumns })
    .from(tokens)
    .innerJoin(people, eq(people.id, tokens.personId))
    .where(eq(tokens.sha256, digestOf(secret)))
  if (!row || row.person.endedAt || row.token.until < dayOf(now())) {
    throw new Failure(401, 'Not signed in', 'The token is not known, or its last day has passed.')
  }
  const { id, scopes, usedAt } = row.token
  if (!scopes.includes(scope)) {
    throw new Failure(
      403,
      'The token may not do this',
      `This takes a token with "${scope}"; this one has ${scopes.map((name) => `"${name}"`).join(', ')}.`,
    )
  }
  // A minute is near enough, and spares a write for every request.
  if (!usedAt || now().getTime() - usedAt.getTime() > 60_000) {
    await db.update(tokens).set({ usedAt: now() }).where(eq(tokens.id, id))
  }
  return toActor(row.person)
}

async function idOf(db: Queries, { name }: Actor): Promise<number> {
  const [row] = await db.select({ id: people.id }).from(people).where(eq(people.name, name))
  return row!.id
}
