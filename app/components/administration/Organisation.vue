<script setup lang="ts">
/** What the organisation is called, and its teams. */
const session = useSession()
const { busy, refusal, act } = useAct()
const organisation = ref('')
const teams = ref('')
watch(
  () => session.shell,
  (shell) => {
    organisation.value = shell?.organisation ?? ''
    teams.value = (shell?.teams ?? []).join('\n')
  },
  { immediate: true },
)
const keep = () =>
  act(async () => {
    const body = { organisation: organisation.value, teams: linesOf(teams.value) }
    await api.updateOrganisation({}, body)
    await session.refresh()
  })
</script>

<template>
  <div>
    <Trouble :refusal="refusal" />
    <form class="narrow" @submit.prevent="keep()">
      <label class="field"><span>Organisation</span><InputText v-model="organisation" /></label>
      <label class="field"
        ><span>Teams, one in each line</span><Textarea v-model="teams" rows="9"
      /></label>
      <button class="fill" :disabled="busy">Save</button>
    </form>
  </div>
</template>

<style scoped>
.narrow {
  max-width: 480px;
}
</style>
