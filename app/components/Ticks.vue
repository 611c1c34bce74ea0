<script setup lang="ts" generic="T extends string">
/** Some of a few words, each with a box to tick. */
const { options, chosen } = defineProps<{
  options: readonly T[]
  chosen: readonly T[] | undefined
}>()
const emit = defineEmits<{ change: [chosen: T[]] }>()

function tick(option: T, event: Event) {
  const { checked } = inputOf(event)
  emit(
    'change',
    options.filter((name) => (name === option ? checked : chosen?.includes(name))),
  )
}
</script>

<template>
  <label v-for="option in options" :key="option"
    ><input type="checkbox" :checked="chosen?.includes(option)" @change="tick(option, $event)" />{{
      option
    }}</label
  >
</template>

<style scoped>
label {
  display: flex;
  gap: 4px;
  align-items: center;
}
input {
  margin: 0;
}
</style>
