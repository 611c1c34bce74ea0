<script setup lang="ts">
import type { TaskProps } from '~/utils/tasks'

/** An exception to decide on, or one that ends. */
const { task, finished } = defineProps<TaskProps>()
const { data, refusal, reload } = useLoad(() => api.listWaivers(), ['waiver'])
const waiver = computed(() => data.value?.items.find((one) => String(one.waiver) === task.subject))
async function decided() {
  void finished(task)
  await reload()
}
</script>

<template>
  <div>
    <Trouble :refusal="refusal" />
    <template v-if="waiver">
      <p class="soft">
        {{ waiver.askedBy }} asked, {{ moment(waiver.askedAt) }}. It
        {{ task.kind === 'waiver' ? 'would hold' : 'holds' }} until {{ waiver.until }}.
      </p>
      <WaiverDecision v-if="task.kind === 'waiver'" :waiver="waiver" :decided="decided" />
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
