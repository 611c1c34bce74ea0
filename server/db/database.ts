import { drizzle, type NodePgDatabase } from 'drizzle-orm/node-postgres'
import { migrate } from 'drizzle-orm/node-postgres/migrator'
import pg from 'pg'
import { locksOver, type Lock } from './locks'
import { ViewerPool, type Viewer } from './viewer'

export type Database = NodePgDatabase
export type Transaction = Parameters<Parameters<Database['transaction']>[0]>[0]
/** Either: for queries that may run inside somebody's transaction. */
export type Queries = Database | Transaction

/** The store as people see it. */
export type SeenBy = (viewer: Viewer) => Database

/**
 * Opens a pool. Connections lost while idle are dropped and replaced, so a database restart needs none of ours. `db` sees
 * everything, for the product's own work.
 */
export function openDatabase(
  url: string,
  connections = 12,
): { db: Database; seenBy: SeenBy; pool: pg.Pool } {
  const pool = openPool(url, connections)
  return { ...databasesOver(pool), pool }
}

/** The databases over a pool, by whose eyes they are read with. */
export function databasesOver(pool: pg.Pool): { db: Database; seenBy: SeenBy } {
  const seenBy = (viewer: Viewer) => databaseOver(new ViewerPool(pool, viewer))
  return { db: seenBy('everything'), seenBy }
}

/** Opens the database as the owner of its schema, whom no policy binds where they are a superuser. */
export function openAsOwner(url: string): { db: Database; pool: pg.Pool } {
  const pool = openPool(url, 4, '-c elm.viewer=*')
  return { db: databaseOver(pool), pool }
}

type BeforeCommit = (tx: Transaction) => Promise<void>

const finishing = new WeakMap<Transaction, BeforeCommit[]>()

/** Has work done as the last thing of a transaction, so that what it locks is locked for that moment alone. */
export function beforeCommit(tx: Transaction, work: BeforeCommit): void {
  const works = finishing.get(tx)
  if (!works) throw new Error('Only transactions of a pool of ours can do work before they commit')
  works.push(work)
}

/** A database over a pool, whose transactions may have work to do before they commit. */
function databaseOver(pool: pg.Pool | ViewerPool): Database {
  // A pool is told by its class's name; only connect() and query() of it are used.
  const db: Database = drizzle(pool as pg.Pool)
  const transaction = db.transaction.bind(db)
  db.transaction = (work, config) =>
    transaction(async (tx) => {
      const works: BeforeCommit[] = []
      finishing.set(tx, works)
      const result = await work(tx)
      for (const last of works) await last(tx)
      return result
    }, config)
  return db
}

/** A pool of its own for locks, which are held for as long as a gateway takes to answer. */
export const openLocks = (url: string): Lock => locksOver(openPool(url, 20))

function openPool(url: string, max: number, options?: string): pg.Pool {
  const pool = new pg.Pool({
    connectionString: url,
    max,
    connectionTimeoutMillis: 5000,
    allowExitOnIdle: true,
    ...(options && { options }),
  })
  pool.on('error', (error) => console.warn('database connection lost:', error.message))
  return pool
}

/** Brings the schema up to date. */
export const migrateDatabase = (db: Database, folder: string) =>
  migrate(db, { migrationsFolder: folder })
