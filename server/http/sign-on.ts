import { defineEventHandler, getQuery, sendRedirect, type H3Event } from 'h3'
import { localPath } from '../../shared/local-path'
import { returnPath, signInWays } from '../services/settings'
import { beginSignOn, finishSignOn, SignOnRefused } from '../services/sign-on'
import type { Serving } from './router'
import { publicAddress } from './security'
import { keepKnown, keepSession, keepUnderway, originOf, placeOf, takeUnderway } from './session'

/** Back to the page for signing in, which says why in words of its own. */
function refused(event: H3Event, error: unknown) {
  if (!(error instanceof SignOnRefused)) console.error(error)
  const trouble = error instanceof SignOnRefused ? error.trouble : 'failed'
  return sendRedirect(event, `/sign-in?refused=${trouble}`)
}

const addressOf = (event: H3Event) => publicAddress() || originOf(event)

/** What lets people in, for the page where they do: told to anybody. */
export const signInWaysHandler = (serving: () => Promise<Serving>) =>
  defineEventHandler(async () => signInWays((await serving()).services))

/** Sends a person to the issuer of single sign-on. */
export const signOnStart = (serving: () => Promise<Serving>) =>
  defineEventHandler(async (event) => {
    const { services, sessionSecret } = await serving()
    const { to } = getQuery(event)
    try {
      const { location, underway } = await beginSignOn(
        services,
        addressOf(event) + returnPath,
        typeof to === 'string' ? to.slice(0, 1000) : '/',
      )
      await keepUnderway(event, sessionSecret, underway)
      return await sendRedirect(event, location)
    } catch (error) {
      return refused(event, error)
    }
  })

/** Lets a person in who comes back from the issuer. */
export const signOnReturn = (serving: () => Promise<Serving>) =>
  defineEventHandler(async (event) => {
    const { services, sessionSecret } = await serving()
    try {
      const underway = await takeUnderway(event, sessionSecret)
      const returned = new URL(event.path, addressOf(event))
      const place = await placeOf(event, sessionSecret, undefined)
      const { session, name, to } = await finishSignOn(services, returned, underway, place)
      await keepSession(event, sessionSecret, session)
      await keepKnown(event, sessionSecret, name)
      return await sendRedirect(event, localPath(to))
    } catch (error) {
      return refused(event, error)
    }
  })
