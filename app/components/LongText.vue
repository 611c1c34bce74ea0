<script setup lang="ts">
/** A labelled text of several lines, as high as what is in it. The slot takes a hint. */
const {
  value,
  mono = false,
  placeholder = '',
} = defineProps<{
  label: string
  value: string | undefined
  mono?: boolean
  placeholder?: string
}>()
const emit = defineEmits<{ input: [text: string] }>()
const rows = computed(() => rowsFor(value ?? ''))
</script>

<template>
  <label class="field"
    ><span>{{ label }}</span>
    <textarea
      class="p-textarea"
      :class="{ mono }"
      :rows="rows"
      :spellcheck="!mono"
      :value="value ?? ''"
      :placeholder="placeholder"
      @input="emit('input', textOf($event))"
    />
    <small v-if="$slots.default"><slot /></small>
  </label>
</template>
