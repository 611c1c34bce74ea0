import type { Person } from '~~/shared/api/people'
import type { Shell } from '~~/shared/api/shell'

/** Who is signed in, and what stands around every screen. */
export const useSession = defineStore('session', () => {
  const person = ref<Person>()
  const shell = ref<Shell>()

  async function load(): Promise<'yes' | 'no' | 'not set up'> {
    try {
      person.value = await api.getSelf()
      await refresh()
      return 'yes'
    } catch (error) {
      const refusal = asRefusal(error)
      if (refusal.type === '/problems/not-set-up') return 'not set up'
      if (refusal.status === 401) return 'no'
      throw error
    }
  }

  async function refresh() {
    shell.value = await api.getShell()
  }

  async function signIn(name: string, password: string) {
    const bytes = new TextEncoder().encode(`${name}:${password}`)
    const authorization = `Basic ${btoa(String.fromCharCode(...bytes))}`
    person.value = await api.createSession({}, { headers: { authorization } })
    await refresh()
  }

  async function signOut() {
    await api.deleteSession()
    person.value = undefined
    shell.value = undefined
  }

  /** Somebody as others know them; whoever is not there any more by the name they signed in with. */
  const nameOf = (name: string | undefined) =>
    shell.value?.people.find((one) => one.name === name)?.displayName ?? name

  return { person, shell, nameOf, load, refresh, signIn, signOut }
})
