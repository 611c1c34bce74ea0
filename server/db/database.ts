import { drizzle, type NodePgDatabase } from 'drizzle-orm/node-postgres'
import { migrate } from 'drizzle-orm/node-postgres/migrator'
import pg from 'pg'
import * as schema from './schema'

export type Database = NodePgDatabase<typeof schema>
export type Transaction = Parameters<Parameters<Database['transaction']>[0]>[0]
/** Either: for queries that may run inside somebody's transaction. */
export type Queries = Database | Transaction

/** Opens a pool. Connections lost while idle are dropped and replaced, so a database restart needs none of ours. */
export function openDatabase(url: string): { db: Database; pool: pg.Pool } {
  const pool = new pg.Pool({ connectionString: url, max: 12, connectionTimeoutMillis: 5000 })
  pool.on('error', (error) => console.warn('database connection lost:', error.message))
  return { db: drizzle(pool, { schema }), pool }
}

/** Brings the schema up to date. */
export const migrateDatabase = (db: Database, folder: string) =>
  migrate(db, { migrationsFolder: folder })
