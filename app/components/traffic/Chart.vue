<script setup lang="ts">
import type { Config, Data, Layout } from 'plotly.js'
import type { TrafficPage } from '~~/shared/api/traffic'

/** What was answered over a time, and what was done meanwhile. */
const props = defineProps<{ page: TrafficPage }>()
const { token, theme } = useTokens()

const at = computed(() => props.page.points.map((point) => point.at))
const errors = computed(() => props.page.points.map(errorsOf))
const data = computed<Data[]>(() => {
  void theme.value
  const line = (name: string, y: number[], color: string, more: Partial<Data> = {}): Data =>
    ({
      type: 'scatter',
      mode: 'lines',
      name,
      x: at.value,
      y,
      line: { width: 2, color: token(color) },
      hovertemplate: `%{y} ${name}<extra></extra>`,
      ...more,
    }) as Data
  return [
    line(
      'answered',
      props.page.points.map(({ calls }) => calls),
      '--slate',
      { fill: 'tozeroy', fillcolor: token('--slate-wash') } as Partial<Data>,
    ),
    line('in error', errors.value, '--copper'),
  ]
})
/** More would be a thicket. */
const mostMarked = 4
const marked = computed(() => props.page.acts.slice(-mostMarked))
const layout = computed<Partial<Layout>>(() => {
  void theme.value
  const axis = { fixedrange: true, gridcolor: token('--rule') }
  return {
    paper_bgcolor: 'rgba(0,0,0,0)',
    plot_bgcolor: 'rgba(0,0,0,0)',
    font: { family: 'Public Sans Variable, sans-serif', size: 11, color: token('--ink') },
    showlegend: false,
    margin: { l: 44, r: 10, t: 8, b: 26 },
    height: 190,
    hovermode: 'x unified',
    xaxis: { ...axis, type: 'date' },
    yaxis: { ...axis, rangemode: 'tozero', tickformat: ',d' },
    shapes: marked.value.map((act) => ({
      type: 'line',
      x0: act.at,
      x1: act.at,
      y0: 0,
      y1: 1,
      yref: 'paper',
      line: { width: 1.5, dash: 'dot', color: token('--elm') },
    })),
  }
})
const config: Partial<Config> = { displayModeBar: false, responsive: true }
const says = computed(
  () =>
    `${figure(props.page.total.calls)} requests ${partWords(props.page)}, of which ${figure(errorsOf(props.page.total))} in error`,
)
</script>

<template>
  <figure>
    <Plot :data="data" :layout="layout" :config="config" :says="says" />
    <figcaption class="soft small">
      Requests {{ partWords(page) }}: <b class="slate">answered</b>, and
      <b class="copper-text">in error</b> among them.
      <template v-if="marked.length">
        Done meanwhile:
        <template v-for="(act, index) in marked" :key="act.entry"
          ><template v-if="index"> · </template
          ><NuxtLink :to="{ path: '/ledger', query: { entry: act.entry } }"
            >{{ actionWords(act.action) }} {{ act.subject }}, {{ moment(act.at) }}</NuxtLink
          ></template
        >.
      </template>
    </figcaption>
  </figure>
</template>

<style scoped>
figure {
  margin: 0 0 12px;
}
.slate {
  color: var(--slate);
}
</style>
