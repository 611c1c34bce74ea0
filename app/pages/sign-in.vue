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
  <div class="cover">
    <form class="page" @submit.prevent="enter">
      <div class="brand">
        <LeafMark :height="27" />
        <h1>Elm Ledger</h1>
      </div>
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
        In the demo, sign in as imara, tomas, nadia, edwin, oskar, ruth or wren. The start command
        prints their roles and the password.
      </p>
    </form>
  </div>
</template>

<style scoped>
.cover {
  height: 100vh;
  display: grid;
  place-items: center;
  background: var(--board);
}
.page {
  background: var(--page);
  border: 1px solid var(--rule);
  border-radius: 10px;
  width: 380px;
  padding: 30px 34px 26px 40px;
  position: relative;
}
.page::before {
  content: '';
  position: absolute;
  left: 14px;
  top: 0;
  bottom: 0;
  width: 3px;
  border-left: 1px solid var(--double);
  border-right: 1px solid var(--double);
}
.brand {
  display: flex;
  gap: 11px;
  align-items: center;
}
.fill {
  width: 100%;
  padding: 8px;
  margin: 6px 0 4px;
}
</style>
