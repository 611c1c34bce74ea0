<script setup lang="ts">
import type { TaskItem } from '~~/shared/api/tasks'

/** What differs at the placements of an API, and the ways to put it right. */
const { task, finished } = defineProps<{
  task: TaskItem
  /** Called once it is done; what is done may be off the list, and this with it, before the server has answered. */
  finished: (task: TaskItem) => unknown
}>()
const { data, refusal, reload } = useLoad(
  () => api.listPlacements({ api: task.subject }),
  ['drift', 'placement'],
)
const differing = computed(
  () => data.value?.items.filter(({ differences }) => differences.length > 0) ?? [],
)
async function resolved() {
  void finished(task)
  await reload()
}
</script>

<template>
  <div>
    <Trouble :refusal="refusal" />
    <template v-for="placement in differing" :key="placement.id">
      <h3>
        {{ placement.stage }} <small>{{ placement.version }}, {{ placement.group }}</small>
      </h3>
      <DriftResolve :placement="placement" :most="3" @resolved="resolved()" />
    </template>
    <p v-if="data && !differing.length" class="soft">
      No placement differs; what requests show, or where the definition comes from, does.
    </p>
  </div>
</template>
