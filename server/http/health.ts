import { sql } from 'drizzle-orm'
import { defineEventHandler, setResponseHeader, setResponseStatus } from 'h3'
import type { Serving } from './router'

/** The process is there; says nothing of what it needs. */
export const healthHandler = defineEventHandler((event) => {
  setResponseHeader(event, 'Cache-Control', 'no-store')
  return { status: 'up' }
})

/** So long the database may take to be taken for there; in milliseconds. */
const waitsMs = 2000

/** Whether requests can be served: whoever sends them here sends them elsewhere where not. */
export const readinessHandler = (serving: () => Promise<Serving>) =>
  defineEventHandler(async (event) => {
    setResponseHeader(event, 'Cache-Control', 'no-store')
    let timer: NodeJS.Timeout | undefined
    const late = new Promise<never>((_, reject) => {
      timer = setTimeout(() => reject(new Error('late')), waitsMs)
    })
    try {
      await Promise.race([
        serving().then(({ services }) => services.db.execute(sql`select 1 from settings limit 1`)),
        late,
      ])
      return { status: 'ready' }
    } catch {
      setResponseStatus(event, 503)
      return { status: 'not ready', why: 'The database does not answer.' }
    } finally {
      clearTimeout(timer)
    }
  })
