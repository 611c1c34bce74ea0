import { sql } from 'drizzle-orm'
import pg from 'pg'
import type { Transaction } from './database'

/**
 * Whose eyes a connection reads with. Row security (migration 0012) leaves out what belongs to confidential APIs they
 * may not see; everything is seen by governance and by the product's own work.
 */
export type Viewer = 'everything' | { person: number; team: string | undefined }

const settingsOf = (viewer: Viewer): [viewer: string, team: string] =>
  viewer === 'everything' ? ['*', ''] : [String(viewer.person), viewer.team ?? '']

/** The role that the migrations make where the application connects as a superuser, whom no policy binds. */
export const applicationRole = 'elm_ledger'

const seeing = new WeakMap<pg.PoolClient, string>()

/** A pool whose connections read with somebody's eyes from when they are handed out. */
export class ViewerPool {
  constructor(
    private readonly pool: pg.Pool,
    private readonly viewer: Viewer,
  ) {}

  async connect(): Promise<pg.PoolClient> {
    const client = await this.pool.connect()
    try {
      await this.see(client)
      return client
    } catch (error) {
      client.release(error as Error)
      throw error
    }
  }

  async query(config: pg.QueryConfig, values?: unknown[]): Promise<pg.QueryResult> {
    const client = await this.connect()
    try {
      return await client.query(config, values)
    } finally {
      client.release()
    }
  }

  private async see(client: pg.PoolClient): Promise<void> {
    const wanted = settingsOf(this.viewer)
    const key = wanted.join('\0')
    if (seeing.get(client) === key) return
    if (!seeing.has(client)) await becomeBound(client)
    await client.query(
      "select set_config('elm.viewer', $1, false), set_config('elm.team', $2, false)",
      wanted,
    )
    seeing.set(client, key)
  }
}

/** Policies bind no superuser: such a connection goes on as the application's role. */
const becomeBound = (client: pg.PoolClient) =>
  client.query(
    `select set_config('role', '${applicationRole}', false) from pg_roles
     where rolname = session_user and (rolsuper or rolbypassrls)`,
  )

/** Does work of a transaction that has to know of everything, whoever it is for: what it finds is not for their eyes. */
export async function seeingEverything<T>(tx: Transaction, work: () => Promise<T>): Promise<T> {
  const { rows } = await tx.execute<{ before: string | null }>(
    sql`select current_setting('elm.viewer', true) as before`,
  )
  const see = (viewer: string) => tx.execute(sql`select set_config('elm.viewer', ${viewer}, true)`)
  await see('*')
  const result = await work()
  await see(rows[0]!.before ?? '')
  return result
}
