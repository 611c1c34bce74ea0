/** Sends people who have not signed in to the sign-in page, and back to where they wanted to go. */
export default defineNuxtRouteMiddleware(async (to) => {
  if (to.path === '/sign-in') return
  const session = useSession()
  if (session.person) return
  let signedIn: boolean
  try {
    signedIn = await session.load()
  } catch (error) {
    return abortNavigation(
      createError({ statusCode: 503, statusMessage: asRefusal(error).message }),
    )
  }
  if (!signedIn) return navigateTo({ path: '/sign-in', query: { to: to.fullPath } })
})
