import pg from 'pg'
import { databasesOver } from '../../server/db/database'
import { locksOver } from '../../server/db/locks'
import type { Services } from '../../server/services/context'

/** The process died here. */
export class Killed extends Error {}

/**
 * A pool whose process dies at a statement: before it is sent or after it has come back. From then on nothing is sent
 * any more, and connections break off with what they were doing, as they do for a process that is killed.
 */
class MortalPool extends pg.Pool {
  dead = false
  statements = 0
  private readonly everyone = new Set<pg.PoolClient>()
  /** Those whose errors somebody listens to already. */
  private readonly heard = new WeakSet<pg.PoolClient>()

  constructor(
    url: string,
    private readonly dies: { at: number; when: 'before' | 'after' },
  ) {
    super({ connectionString: url, max: 12, allowExitOnIdle: true })
    this.on('error', () => undefined)
    this.on('connect', (client) => this.everyone.add(client))
    this.on('remove', (client) => this.everyone.delete(client))
  }

  override connect(): Promise<pg.PoolClient>
  override connect(callback: never): void
  override async connect(callback?: unknown): Promise<pg.PoolClient> {
    if (typeof callback === 'function') throw new Error('callbacks are not used here')
    if (this.dead) throw new Killed()
    const client = await super.connect()
    const send = client.query.bind(client) as (...args: unknown[]) => Promise<unknown>
    const release = client.release.bind(client)
    client.query = ((...args: unknown[]) => this.counted(() => send(...args))) as never
    client.release = (broken?: Error | boolean) => {
      client.query = send as never
      client.release = release
      release(this.dead ? true : broken)
    }
    if (!this.heard.has(client)) client.on('error', () => undefined)
    this.heard.add(client)
    return client
  }

  override query(...args: unknown[]): never {
    const run = async () => {
      const client = await this.connect()
      try {
        return await (client.query as (...given: unknown[]) => Promise<unknown>)(...args)
      } finally {
        client.release()
      }
    }
    return run() as never
  }

  private async counted<T>(send: () => Promise<T>): Promise<T> {
    if (this.dead) throw new Killed()
    const mine = this.statements++
    if (mine === this.dies.at && this.dies.when === 'before') this.die()
    const result = await send()
    if (mine === this.dies.at) this.die()
    if (this.dead) throw new Killed()
    return result
  }

  private die(): never {
    this.dead = true
    // Those that do nothing go with it too.
    for (const client of this.everyone) {
      const { connection } = client as unknown as { connection: { stream: { destroy(): void } } }
      connection.stream.destroy()
    }
    throw new Killed()
  }
}

/** Services of a process that dies at a statement. */
export function mortal(
  services: Services,
  url: string,
  dies: { at: number; when: 'before' | 'after' },
): { services: Services; pool: MortalPool } {
  const pool = new MortalPool(url, dies)
  return {
    pool,
    services: { ...services, ...databasesOver(pool), lock: locksOver(pool) },
  }
}
