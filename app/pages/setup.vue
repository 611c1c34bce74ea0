<script setup lang="ts">
definePageMeta({ layout: false })
const session = useSession()
const code = ref('')
const start = reactive({ organisation: '', name: '', displayName: '', password: '' })
const { busy, refusal, act } = useAct()
const ready = computed(
  () =>
    code.value.trim() !== '' &&
    start.organisation.trim() !== '' &&
    start.name.trim().length > 1 &&
    start.displayName.trim() !== '' &&
    start.password.length >= 12,
)
async function begin() {
  const made = await act(async () => {
    const { name } = await api.createSetup({}, start, {
      headers: { 'X-One-Time-Code': code.value.trim() },
    })
    await session.signIn(name, start.password)
    return true
  })
  if (made) await navigateTo('/administration')
}
</script>

<template>
  <Cover title="Set up Elm Ledger">
    <form @submit.prevent="begin()">
      <p class="soft">
        Nobody has set this up yet. The code stands on the terminal where it was started; whoever
        has it becomes the first administrator.
      </p>
      <label class="field"
        ><span>Code from the terminal</span
        ><InputText v-model="code" autocomplete="one-time-code" autofocus required
      /></label>
      <label class="field"
        ><span>Organisation</span><InputText v-model="start.organisation" required
      /></label>
      <label class="field"
        ><span>Your name</span><InputText v-model="start.displayName" autocomplete="name" required
      /></label>
      <label class="field"
        ><span>Account name</span><InputText v-model="start.name" autocomplete="username" required
      /></label>
      <label class="field"
        ><span>Password, 12 characters or more</span
        ><InputText v-model="start.password" type="password" autocomplete="new-password" required
      /></label>
      <Trouble :refusal="refusal" />
      <button class="fill" :disabled="busy || !ready">
        {{ busy ? 'Setting up …' : 'Set it up' }}
      </button>
    </form>
  </Cover>
</template>
