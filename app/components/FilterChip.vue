<script setup lang="ts">
import type { Choice } from '~/utils/choices'

/** A filter as a word and its value. */
const props = defineProps<{
  label: string
  options: readonly Choice[]
  any?: string | undefined
  /** Always one of its values: then it is no filter that is on or off. */
  plain?: boolean
}>()
const value = defineModel<string>({ required: true })
const all = computed(() =>
  props.plain ? props.options : [{ value: '', label: props.any ?? 'any' }, ...props.options],
)
</script>

<template>
  <label class="chip" :class="{ on: value && !plain }">
    {{ label }}
    <select v-model="value" :aria-label="label">
      <option v-for="option in all" :key="option.value" :value="option.value">
        {{ option.label }}
      </option>
      <slot />
    </select>
  </label>
</template>

<style scoped>
.chip {
  border: 1px solid var(--rule);
  border-radius: 5px;
  padding: 3px 4px 3px 9px;
  background: var(--paper);
  color: var(--soft);
  display: inline-flex;
  align-items: center;
  gap: 3px;
}
.chip.on {
  border-color: var(--elm);
}
select {
  border: 0;
  background: var(--paper);
  font: 600 13px var(--body);
  color: var(--ink);
  padding: 0 2px;
  cursor: pointer;
  max-width: 200px;
  field-sizing: content;
}
</style>
