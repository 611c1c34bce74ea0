<script setup lang="ts" generic="K extends string">
import type { Choice } from '~/utils/choices'

/** The filters of a list, each a word and its value, and the way out of all of them. */
const { filters, chips } = defineProps<{
  filters: Readonly<Record<string, string>>
  chips: { name: K; label: string; options: readonly Choice[]; any?: string }[]
  /** Whether any filter is set, also one that has no chip. */
  any: boolean
}>()
const emit = defineEmits<{ set: [changes: Partial<Record<K, string>>]; clear: [] }>()

const change = (name: K, value: string) => emit('set', entry(name, value))
</script>

<template>
  <div class="bar">
    <slot name="first" />
    <FilterChip
      v-for="{ name, label, options, any: otherwise } in chips"
      :key="name"
      :label="label"
      :options="options"
      :any="otherwise"
      :model-value="filters[name] ?? ''"
      @update:model-value="change(name, $event)"
    />
    <button v-if="any" class="plain" @click="emit('clear')">Clear</button>
    <slot />
  </div>
</template>
