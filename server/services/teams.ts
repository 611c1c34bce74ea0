import { asc, eq, notInArray, sql } from 'drizzle-orm'
import type { Queries, Transaction } from '../db/database'
import { teams } from '../db/schema'

/** The organisation's teams, in the order it gave them. */
export const teamNames = async (db: Queries): Promise<string[]> =>
  (
    await db.select({ name: teams.name }).from(teams).orderBy(asc(teams.position), asc(teams.id))
  ).map(({ name }) => name)

export const isTeam = async (db: Queries, name: string): Promise<boolean> =>
  (await db.$count(teams, eq(teams.name, name))) > 0

/** Keeps these teams in this order; one that something belongs to must be among them. */
export async function setTeams(tx: Transaction, names: string[]): Promise<void> {
  await tx.delete(teams).where(names.length > 0 ? notInArray(teams.name, names) : undefined)
  if (names.length === 0) return
  await tx
    .insert(teams)
    .values(names.map((name, position) => ({ name, position })))
    .onConflictDoUpdate({ target: teams.name, set: { position: sql`excluded.position` } })
}
