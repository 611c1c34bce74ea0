<script setup lang="ts">
import type { WaiverItem } from '~~/shared/api/rules'

/** Approves or refuses an exception that somebody else asked for. */
const { waiver, decided } = defineProps<{
  waiver: WaiverItem
  /** Called once it is done: what is decided on may be off the list by then, and this with it. */
  decided: () => unknown
}>()
const note = ref('')
const { busy, refusal, act } = useAct()
async function decide(approve: boolean) {
  const done = await act(async () => {
    await api.approveWaiver({ waiver: waiver.waiver }, { approve, note: note.value })
    return true
  })
  if (!done) return
  note.value = ''
  await decided()
}
</script>

<template>
  <div>
    <Trouble :refusal="refusal" />
    <label class="field"
      ><span>What to say with it</span><Textarea v-model="note" rows="2"
    /></label>
    <div class="bar">
      <button class="fill" :disabled="busy" @click="decide(true)">
        Approve until {{ waiver.until }}
      </button>
      <button class="ghost" :disabled="busy" @click="decide(false)">Refuse</button>
    </div>
  </div>
</template>
