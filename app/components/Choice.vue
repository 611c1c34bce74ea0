<script setup lang="ts" generic="T extends string | number | boolean">
/** One of a few values. Long lists that have to be searched are a `Select` with a filter. */
const value = defineModel<T>()
defineProps<{
  options: readonly (T | { value: T; label: string })[]
  /** Shown while nothing is chosen. */
  placeholder?: string
}>()
</script>

<template>
  <select v-model="value">
    <option v-if="placeholder !== undefined && value === undefined" :value="undefined" disabled>
      {{ placeholder }}
    </option>
    <option
      v-for="option in options"
      :key="String(typeof option === 'object' ? option.value : option)"
      :value="typeof option === 'object' ? option.value : option"
    >
      {{ typeof option === 'object' ? option.label : option }}
    </option>
  </select>
</template>
