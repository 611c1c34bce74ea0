import { createError, defineEventHandler, getRouterParam, setResponseHeaders } from 'h3'
import { compressed } from '../../http/compressed'
import { bootScript } from '../../http/security'

/** A script that a page began with. Another process may have made the page: then this one makes it too. */
export default defineEventHandler(async (event) => {
  const digest = getRouterParam(event, 'script')?.replace(/\.js$/, '') ?? ''
  if (bootScript(digest) === undefined) await event.$fetch('/sign-in').catch(() => undefined)
  const script = bootScript(digest)
  if (script === undefined) throw createError({ statusCode: 404 })
  setResponseHeaders(event, {
    'Content-Type': 'text/javascript; charset=utf-8',
    'Cache-Control': 'public, max-age=31536000, immutable',
  })
  return compressed(event, script)
})
