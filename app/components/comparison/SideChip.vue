<script setup lang="ts">
import type { SideChoices } from '~/utils/sides'

/** One side of a comparison: what runs in a stage, a version, or any revision. */
defineProps<{ label: string; groups: SideChoices[] }>()
const value = defineModel<string>({ required: true })
</script>

<template>
  <FilterChip v-model="value" :label="label" :options="[]" plain>
    <optgroup v-for="group in groups" :key="group.label" :label="group.label">
      <option v-for="choice in group.choices" :key="choice.value" :value="choice.value">
        {{ choice.label }}
      </option>
    </optgroup>
    <slot />
  </FilterChip>
</template>
