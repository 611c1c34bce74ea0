import { getTableColumns, sql } from 'drizzle-orm'
import type { AnyPgColumn } from 'drizzle-orm/pg-core'
import { apis, checks, people, rulebooks, teams } from './schema'

/** The name that the person with this id signs in with. */
export const personName = (id: AnyPgColumn) =>
  sql<string>`(select person.name from ${people} person where person.id = ${id})`
/** What the person with this id is called. */
export const displayName = (id: AnyPgColumn) =>
  sql<string>`(select person.display_name from ${people} person where person.id = ${id})`
export const teamName = (id: AnyPgColumn) =>
  sql<string>`(select team.name from ${teams} team where team.id = ${id})`

const teamOrNull = (id: AnyPgColumn) => sql<string | null>`${teamName(id)}`

/** The id of a team by its name, in a value that is written. */
export const teamId = (name: string) =>
  sql<number>`(select team.id from ${teams} team where team.name = ${name})`
/** The id of a person by their name, in a value that is written. */
export const personId = (name: string) =>
  sql<number>`(select person.id from ${people} person where person.name = ${name})`

/** An API with the names of its team and owner in place of their ids. */
export const apiColumns = {
  ...getTableColumns(apis),
  team: teamName(apis.teamId),
  owner: sql<string | null>`${personName(apis.ownerId)}`,
}
export type ApiRow = typeof apis.$inferSelect & { team: string; owner: string | null }

export const personColumns = { ...getTableColumns(people), team: teamOrNull(people.teamId) }
export type PersonRow = typeof people.$inferSelect & { team: string | null }

export const rulebookColumns = {
  ...getTableColumns(rulebooks),
  team: teamOrNull(rulebooks.teamId),
}

export const checkColumns = { ...getTableColumns(checks), team: teamOrNull(checks.teamId) }
