import type pg from 'pg'
import { lockKeys } from './lock-keys'

/** Runs work while nobody else, in any process, does work of the same name. */
export type Lock = <T>(name: string, work: () => Promise<T>) => Promise<T>

/**
 * Locks in the database, on a connection of their own for as long as the work takes: a process that dies lets go. Those
 * of one process stand in line without a connection.
 */
export function locksOver(pool: pg.Pool): Lock {
  const lines = new Map<string, Promise<unknown>>()
  return async (name, work) => {
    const before = lines.get(name) ?? Promise.resolve()
    const mine = before.then(async () => {
      const client = await pool.connect()
      try {
        await client.query('SELECT pg_advisory_lock($1, hashtext($2))', [lockKeys.work, name])
        try {
          return await work()
        } finally {
          await client.query('SELECT pg_advisory_unlock($1, hashtext($2))', [lockKeys.work, name])
        }
      } finally {
        client.release()
      }
    })
    const settled = mine.catch(() => undefined)
    lines.set(name, settled)
    void settled.then(() => {
      if (lines.get(name) === settled) lines.delete(name)
    })
    return mine
  }
}
