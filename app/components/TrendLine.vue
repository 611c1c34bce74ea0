<script setup lang="ts">
/** How a count went over the last weeks, with what it gained or lost. */
const props = defineProps<{ points: number[] }>()
const change = computed(() => (props.points.at(-1) ?? 0) - (props.points[0] ?? 0))
const words = computed(
  () => `${props.points.join(', ')} over the last ${props.points.length} weeks`,
)
</script>

<template>
  <span v-if="points.length" :title="words">
    <SparkLine :points="points" :says="words" />
    <small class="mono" :class="change > 0 ? 'copper-text' : change < 0 ? 'elm-text' : 'soft'">{{
      change > 0 ? `+${change}` : change < 0 ? `−${-change}` : '0'
    }}</small>
  </span>
</template>

<style scoped>
small {
  margin-left: 5px;
}
.elm-text {
  color: var(--elm);
}
</style>
