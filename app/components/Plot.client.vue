<script setup lang="ts">
import type { Config, Data, Layout } from 'plotly.js'

/** A chart; its library comes when the first chart is shown. */
const props = defineProps<{
  data: Data[]
  layout: Partial<Layout>
  config: Partial<Config>
  /** What it shows, for those who do not see it. */
  says: string
}>()
const emit = defineEmits<{ open: [point: { x?: unknown; y?: unknown }] }>()
const host = ref<HTMLElement>()
let plotly: typeof import('plotly.js') | undefined

async function draw() {
  plotly ??= (await import('plotly.js-cartesian-dist-min')).default
  if (!host.value) return
  const isNew = !host.value.classList.contains('js-plotly-plot')
  const drawn = await plotly.react(host.value, props.data, props.layout, props.config)
  if (isNew) {
    drawn.on('plotly_click', ({ points }) => {
      const [point] = points
      if (point) emit('open', { x: point.x, y: point.y })
    })
  }
}
onMounted(draw)
watch([() => props.data, () => props.layout], draw)
onUnmounted(() => host.value && plotly?.purge(host.value))
</script>

<template>
  <div
    ref="host"
    class="chart"
    :style="{ minHeight: `${layout.height ?? 120}px` }"
    role="img"
    :aria-label="says"
  />
</template>

<style scoped>
.chart {
  width: 100%;
  flex: none;
}
</style>
