<script setup lang="ts">
import type { TaskProps } from '~/utils/tasks'

/** What differs at the placements of an API, and the ways to put it right. */
const { task, finished } = defineProps<TaskProps>()
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
