<script setup lang="ts">
import type { TaskProps } from '~/utils/tasks'

/** A release with every gate open, and the act. */
const { task, finished } = defineProps<TaskProps>()
const { busy, refusal, act } = useAct()
const { data: release, refusal: unread } = useLoad(
  () => api.getRelease({ release: task.subject }),
  ['promotion', 'request', 'rollout'],
)
async function promote() {
  if ((await act(() => api.promoteRelease({ release: task.subject }))) !== undefined)
    void finished(task)
}
</script>

<template>
  <div>
    <Trouble :refusal="unread ?? refusal" />
    <template v-if="release">
      <div v-for="one in release.promotions" :key="one.id" class="pair">
        <NuxtLink :to="`/promotions/${one.id}`">{{ one.title }}</NuxtLink><b class="mono">{{
          one.version
        }}</b>
      </div>
      <button class="fill" :disabled="busy" @click="promote()">
        Promote all to {{ release.to }}
      </button>
    </template>
  </div>
</template>
