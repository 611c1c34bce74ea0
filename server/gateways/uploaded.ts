import { eq } from 'drizzle-orm'
import { fromCluster } from '../../core/runtime/cluster/read'
import type { Queries } from '../db/database'
import { uploads } from '../db/schema'
import { gatewayDown, type Adapter } from './adapter'

/** A gateway of which only is known what somebody uploaded. */
export const uploaded = (db: Queries, name: string): Adapter => ({
  async read() {
    const [row] = await db
      .select({ text: uploads.text, etag: uploads.etag })
      .from(uploads)
      .where(eq(uploads.gateway, name))
    if (!row) throw gatewayDown(name, 'is only read, and nothing has been uploaded of it yet')
    return row
  },
  understand: fromCluster,
  asRead: (resources) => [...resources],
})
