/** Sends people who have not signed in to the sign-in page, and back to where they wanted to go. */
export default defineNuxtRouteMiddleware(async (to) => {
  if (['/sign-in', '/setup', '/welcome'].includes(to.path)) return
  const session = useSession()
  if (session.person) return
  let signedIn: 'yes' | 'no' | 'not set up'
  try {
    signedIn = await session.load()
  } catch (error) {
    return abortNavigation(
      createError({ statusCode: 503, statusMessage: asRefusal(error).message }),
    )
  }
  if (signedIn === 'not set up') return navigateTo('/setup')
  if (signedIn === 'no') return navigateTo({ path: '/sign-in', query: { to: to.fullPath } })
})
