<script setup lang="ts">
import type { Shape } from '~~/core/runtime/fields'

/** A list of texts or numbers, one on a line; what is typed stays as it is typed. */
const value = defineModel<unknown>({ required: true })
const props = defineProps<{ label: string; of: Shape; invalid: boolean }>()
const text = ref(writtenLines(value.value))
const read = () => readLines(props.of, text.value)
watch(value, (now) => {
  if (JSON.stringify(now) !== JSON.stringify(read())) text.value = writtenLines(now)
})
function write(typed: string) {
  text.value = typed
  value.value = read()
}
</script>

<template>
  <label class="field"
    ><span>{{ label }}, one on a line</span
    ><Textarea
      :model-value="text"
      class="mono"
      rows="2"
      auto-resize
      spellcheck="false"
      :placeholder="of.kind === 'text' ? of.example : ''"
      :invalid="invalid"
      @update:model-value="write($event ?? '')"
  /></label>
</template>
