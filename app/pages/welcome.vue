<script setup lang="ts">
definePageMeta({ layout: false })
const session = useSession()
const code = String(useRoute().query['code'] ?? '')
const password = ref('')
const { busy, refusal, act } = useAct()
async function enter() {
  const done = await act(async () => {
    const { name } = await api.acceptInvitation(
      {},
      { password: password.value },
      { headers: { 'X-One-Time-Code': code } },
    )
    await session.signIn(name, password.value)
    return true
  })
  if (done) await navigateTo('/')
}
</script>

<template>
  <Cover title="Welcome">
    <form @submit.prevent="enter()">
      <p class="soft">
        Choose a password, and you are in. The link works once, for a week after it was made.
      </p>
      <label class="field"
        ><span>Password, 12 characters or more</span
        ><InputText
          v-model="password"
          type="password"
          autocomplete="new-password"
          autofocus
          required
      /></label>
      <Trouble :refusal="refusal" />
      <button class="fill" :disabled="busy || password.length < 12 || !code">
        {{ busy ? 'Signing in …' : 'Set the password and sign in' }}
      </button>
      <p class="small"><NuxtLink class="plain" to="/sign-in">I have a password</NuxtLink></p>
    </form>
  </Cover>
</template>
