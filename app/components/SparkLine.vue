<script setup lang="ts">
/** A small line of how a count went, the oldest first. */
const props = withDefaults(
  defineProps<{ points: number[]; says: string; width?: number; height?: number }>(),
  { width: 56, height: 14 },
)
const line = computed(() => {
  const top = Math.max(1, ...props.points)
  const step = props.width / Math.max(1, props.points.length - 1)
  return props.points
    .map(
      (n, i) => `${(i * step).toFixed(1)},${(1 + (props.height - 2) * (1 - n / top)).toFixed(1)}`,
    )
    .join(' ')
})
</script>

<template>
  <svg :width="width" :height="height" role="img" :aria-label="says">
    <polyline :points="line" />
  </svg>
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
</style>
