<script setup lang="ts">
import { refText } from '~~/core/pipeline/refs'
import type { TaskProps } from '~/utils/tasks'

/** A job of a repository that failed, with the end of its log. */
const { task, finished } = defineProps<TaskProps>()
const { data: job, refusal } = useLoad(
  () => api.getRepositoryJob({ job: task.subject }),
  ['repository'],
)
const { data: lines } = useLoad(() => api.listRepositoryJobLines({ job: task.subject }), [])
const bad = computed(() => lines.value?.items.filter(({ kind }) => kind === 'bad') ?? [])
const { busy, refusal: refused, act } = useAct()
async function repeat() {
  if (await act(() => api.retryRepositoryJob({ job: task.subject }))) void finished(task)
}
</script>

<template>
  <div>
    <Trouble :refusal="refusal ?? refused" />
    <template v-if="job">
      <p>
        <span class="mono">{{ refText(job.ref) }} {{ shortCommit(job.commit) }}</span
        >{{ job.author && ` by ${job.author}` }}: {{ job.message }}
      </p>
      <p v-for="line in bad" :key="line.number" class="copper-text">{{ line.text }}</p>
      <div class="bar">
        <button class="fill" :disabled="busy" @click="repeat()">Run it again</button>
      </div>
    </template>
  </div>
</template>
