<script setup lang="ts">
definePageMeta({ layout: false })
const session = useSession()
const route = useRoute()
const name = ref('')
const password = ref('')
const { busy, refusal, act } = useAct()

async function enter() {
  const done = await act(async () => {
    await session.signIn(name.value.trim(), password.value)
    return true
  })
  if (!done) return
  const to = String(route.query['to'] ?? '/')
  await navigateTo(/^\/(?![/\\])/.test(to) ? to : '/')
}
</script>

<template>
  <Cover title="Elm Ledger">
    <form @submit.prevent="enter">
      <p class="soft">What every API is, where it runs, and who decided so.</p>
      <label class="field"
        ><span>Name</span><InputText v-model="name" autocomplete="username" autofocus required
      /></label>
      <label class="field"
        ><span>Password</span
        ><InputText v-model="password" type="password" autocomplete="current-password" required
      /></label>
      <Trouble :refusal="refusal" />
      <button class="fill" :disabled="busy || !name || !password">
        {{ busy ? 'Signing in …' : 'Sign in' }}
      </button>
      <p class="soft small">
        The start command prints the sign-ins of a demo. Elsewhere an administrator sends a link.
      </p>
    </form>
  </Cover>
</template>
