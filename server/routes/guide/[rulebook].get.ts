import {
  defineEventHandler,
  getRouterParam,
  sendRedirect,
  setResponseHeader,
  setResponseStatus,
} from 'h3'
import { rulebookPage } from '../../../core/rules/page'
import { sessionOf } from '../../http/session'
import { guidePage } from '../../services/drafts'
import { actorOf } from '../../services/people'
import { serving } from '../../utils/serving'

/** The page of a rulebook for people: open to everybody where it is shown, and to whoever has signed in. */
export default defineEventHandler(async (event) => {
  const { services, sessionSecret } = await serving()
  const slug = getRouterParam(event, 'rulebook') ?? ''
  const session = await sessionOf(event, sessionSecret)
  const isKnown = session !== undefined && (await actorOf(services, session)) !== undefined
  const edition = await guidePage(services.db, slug, isKnown)
  setResponseHeader(event, 'Content-Type', 'text/html; charset=utf-8')
  setResponseHeader(event, 'X-Content-Type-Options', 'nosniff')
  setResponseHeader(
    event,
    'Content-Security-Policy',
    "default-src 'none'; style-src 'unsafe-inline'; font-src 'self'; base-uri 'none'; form-action 'none'",
  )
  if (edition) return rulebookPage({ ...edition.content, number: edition.number }, 'html')
  if (!isKnown) return sendRedirect(event, '/sign-in')
  setResponseStatus(event, 404)
  return '<!doctype html><title>Not found</title><p>There is no published rulebook of that name.</p>'
})
