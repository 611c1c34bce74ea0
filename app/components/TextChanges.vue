<script setup lang="ts">
import type { Syntax } from '~~/core/text/read'

/** What would change in one text or in several, one of them shown at a time. */
const props = defineProps<{ texts: { file: string; before: string; after: string }[] }>()
const shown = ref(0)
watch(
  () => props.texts,
  () => (shown.value = 0),
)
const text = computed(() => props.texts[shown.value])
const syntax = computed<Syntax>(() => {
  const first = text.value?.before.trimStart()[0]
  return first === '{' ? 'json' : first === '<' ? 'xml' : 'yaml'
})
</script>

<template>
  <div v-if="texts.length > 1" class="bar">
    <button
      v-for="(one, index) in texts"
      :key="one.file"
      class="plain"
      :aria-pressed="index === shown"
      @click="shown = index"
    >
      {{ one.file }}
    </button>
  </div>
  <TextChange v-if="text" :before="text.before" :after="text.after" :syntax="syntax" />
</template>

<style scoped>
.plain[aria-pressed='true'] {
  text-decoration: underline;
}
</style>
