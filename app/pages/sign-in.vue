<script setup lang="ts">
import type { SignInWays } from '~~/shared/api/settings'
import { localPath } from '~~/shared/local-path'

definePageMeta({ layout: false })
const session = useSession()
const route = useRoute()
const name = ref('')
const password = ref('')
const { busy, refusal, act } = useAct()
const { data: ways } = useFetch<SignInWays>('/sign-on/ways', { server: false })
const to = computed(() => String(route.query['to'] ?? '/'))

/** Why single sign-on did not let somebody in. */
const refusals: Record<string, string> = {
  off: 'There is no single sign-on here.',
  away: 'The sign-on service does not answer. Try again in a moment.',
  stale: 'The sign-on took too long, or was begun in another window. Begin again.',
  failed: 'The sign-on did not succeed. Begin again; if it stays so, tell an administrator.',
  'too-many': 'Too many tries. Wait a minute.',
  'no-group': 'You are in none of the groups that may use this. An administrator can say which.',
  'name-taken': 'An account with your name is here already. An administrator can make it yours.',
  ended: 'Your access has ended. An administrator can give it again.',
}
const refused = computed(() => refusals[String(route.query['refused'] ?? '')])

async function enter() {
  const done = await act(async () => {
    await session.signIn(name.value.trim(), password.value)
    return true
  })
  if (!done) return
  await navigateTo(localPath(to.value))
}
</script>

<template>
  <Cover title="Elm Ledger">
    <p class="soft">What every API is, where it runs, and who decided so.</p>
    <p v-if="refused" class="trouble" role="alert">{{ refused }}</p>
    <a
      v-if="ways?.signOn"
      class="fill sign-on"
      :href="`/sign-on/start?to=${encodeURIComponent(to)}`"
      >Sign in with your organisation’s account</a
    >
    <form v-if="ways?.localAccounts !== false" @submit.prevent="enter">
      <p v-if="ways?.signOn" class="soft small">or with a name and a password of this product</p>
      <label class="field"
        ><span>Name</span><InputText v-model="name" autocomplete="username" autofocus required
      /></label>
      <label class="field"
        ><span>Password</span
        ><InputText v-model="password" type="password" autocomplete="current-password" required
      /></label>
      <Trouble :refusal="refusal" />
      <button :class="ways?.signOn ? 'ghost' : 'fill'" :disabled="busy || !name || !password">
        {{ busy ? 'Signing in …' : 'Sign in' }}
      </button>
      <p class="soft small">
        The start command prints the sign-ins of a demo. Elsewhere an administrator sends a link.
      </p>
    </form>
  </Cover>
</template>

<style scoped>
.sign-on {
  display: block;
  text-align: center;
  text-decoration: none;
  margin-bottom: 14px;
}
</style>
