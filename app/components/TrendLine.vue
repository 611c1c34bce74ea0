<script setup lang="ts">
/** A small line of how a count went, the oldest first, with what it gained or lost. */
const props = defineProps<{ points: number[] }>()
const width = 56
const height = 14
const line = computed(() => {
  const top = Math.max(1, ...props.points)
  const step = width / Math.max(1, props.points.length - 1)
  return props.points
    .map((n, i) => `${(i * step).toFixed(1)},${(1 + (height - 2) * (1 - n / top)).toFixed(1)}`)
    .join(' ')
})
const change = computed(() => (props.points.at(-1) ?? 0) - (props.points[0] ?? 0))
const words = computed(
  () => `${props.points.join(', ')} over the last ${props.points.length} weeks`,
)
</script>

<template>
  <span v-if="points.length" :title="words">
    <svg :width="width" :height="height" role="img" :aria-label="words">
      <polyline :points="line" />
    </svg>
    <small class="mono" :class="change > 0 ? 'copper-text' : change < 0 ? 'elm-text' : 'soft'">{{
      change > 0 ? `+${change}` : change < 0 ? `−${-change}` : '0'
    }}</small>
  </span>
</template>

<style scoped>
svg {
  vertical-align: -2px;
  overflow: visible;
}
polyline {
  fill: none;
  stroke: var(--slate);
  stroke-width: 1.4;
}
small {
  margin-left: 5px;
}
.elm-text {
  color: var(--elm);
}
</style>
