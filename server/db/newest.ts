import { and, eq } from 'drizzle-orm'
import { apis, revisions } from './schema'

/** Joins an API with its newest revision. */
export const isNewest = and(eq(revisions.apiId, apis.id), eq(revisions.number, apis.latestNumber))
