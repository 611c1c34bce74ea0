<script setup lang="ts">
import type { TaskItem } from '~~/shared/api/tasks'

/** An exception to decide on, or one that ends. */
const { task, finished } = defineProps<{
  task: TaskItem
  /** Called once it is done; what is done may be off the list, and this with it, before the server has answered. */
  finished: (task: TaskItem) => unknown
}>()
const { data, refusal, reload } = useLoad(() => api.listWaivers(), ['waiver'])
const waiver = computed(() => data.value?.items.find((one) => String(one.waiver) === task.subject))
const note = ref('')
const { busy, refusal: refused, act } = useAct()
async function decide(approve: boolean) {
  const decision = { approve, note: note.value }
  const done = await act(async () => {
    await api.approveWaiver({ waiver: task.subject }, decision)
    return true
  })
  if (done) void finished(task)
  await reload()
}
</script>

<template>
  <div>
    <Trouble :refusal="refusal ?? refused" />
    <template v-if="waiver">
      <p class="soft">
        {{ waiver.askedBy }} asked, {{ moment(waiver.askedAt) }}. It
        {{ task.kind === 'waiver' ? 'would hold' : 'holds' }} until {{ waiver.until }}.
      </p>
      <template v-if="task.kind === 'waiver'">
        <label class="field"
          ><span>What to say with it</span><Textarea v-model="note" rows="2"
        /></label>
        <div class="bar">
          <button class="fill" :disabled="busy" @click="decide(true)">
            Approve until {{ waiver.until }}
          </button>
          <button class="ghost" :disabled="busy" @click="decide(false)">Refuse</button>
        </div>
      </template>
      <p v-else>
        {{ count(waiver.findings, 'finding counts', 'findings count') }} again from then on.
        <NuxtLink
          class="plain"
          :to="{
            path: '/findings',
            query: {
              rule: waiver.rule,
              status: 'waived',
              ...(waiver.api && { api: waiver.api }),
            },
          }"
          >Fix them, or ask again</NuxtLink
        >
      </p>
    </template>
  </div>
</template>
