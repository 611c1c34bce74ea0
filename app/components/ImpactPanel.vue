<script setup lang="ts">
import type { Data } from 'plotly.js'
import type { ImpactItem, ImpactPlace } from '~~/shared/api/impact'

/** What an unpublished text would change, and for whom: by rule, by team, down to the line. */
const props = defineProps<{
  rulebook: string
  text: string
  ready: boolean
  /** What rules are called. */
  titles: ReadonlyMap<string, string>
}>()
const run = shallowRef<ImpactItem>()
const measured = ref('')
const { busy, refusal, act } = useAct()

async function start() {
  measured.value = props.text
  places.value = undefined
  run.value = await act(() => api.createImpact({ rulebook: props.rulebook }, { text: props.text }))
}
async function refresh() {
  if (!run.value || !['waiting', 'running'].includes(run.value.state)) return
  run.value = await api.getImpact({ impact: run.value.impact })
  if (places.value) await look()
}
useChanges(refresh, ['impact'])
const stop = () => act(() => api.stopImpact({ impact: run.value!.impact })).then(refresh)
const going = computed(() => run.value && ['waiting', 'running'].includes(run.value.state))
const stale = computed(() => run.value && measured.value !== props.text)
const sum = (name: 'fails' | 'passes' | 'weighs' | 'live') =>
  (run.value?.rules ?? []).reduce((total, rule) => total + rule[name], 0)

const about = ref('')
const head = ref('')
const places = shallowRef<ImpactPlace[]>()
const further = ref<string>()
interface PlacesQuery {
  rule?: string
  kind?: ImpactPlace['kind']
}
let wanted: PlacesQuery = {}
async function show(query: PlacesQuery) {
  wanted = query
  about.value = query.rule ?? ''
  head.value = query.rule
    ? (props.titles.get(query.rule) ?? query.rule)
    : `Places that ${kindWords[query.kind!]}`
  await look()
}
async function look() {
  const page = await act(() =>
    api.listImpactPlaces({ impact: run.value!.impact, ...wanted, limit: 500 }),
  )
  if (page) [places.value, further.value] = [page.items, page.nextCursor]
}
async function lookFurther() {
  const page = await act(() =>
    api.listImpactPlaces({
      impact: run.value!.impact,
      ...wanted,
      limit: 500,
      cursor: further.value,
    }),
  )
  if (page) [places.value, further.value] = [[...places.value!, ...page.items], page.nextCursor]
}
const { token, theme } = useTokens()
const bars = computed<Data[]>(() => {
  void theme.value
  const rules = [...(run.value?.rules ?? [])].slice(0, 12).reverse()
  const bar = (name: 'fails' | 'passes' | 'weighs', color: string): Data => ({
    type: 'bar',
    orientation: 'h',
    y: rules.map(({ rule }) => rule),
    x: rules.map((rule) => rule[name]),
    marker: { color: token(color) },
    hovertemplate: `%{y}: %{x} ${name === 'fails' ? 'would newly fail' : name === 'passes' ? 'would pass' : 'would weigh otherwise'}<extra></extra>`,
  })
  return [bar('fails', '--copper'), bar('weighs', '--ochre'), bar('passes', '--elm')]
})
const layout = computed(() => {
  void theme.value
  return {
    barmode: 'stack' as const,
    showlegend: false,
    height: 40 + Math.min(12, run.value?.rules.length ?? 0) * 24,
    margin: { l: 116, r: 6, t: 4, b: 22 },
    paper_bgcolor: 'rgba(0,0,0,0)',
    plot_bgcolor: 'rgba(0,0,0,0)',
    font: { family: 'Public Sans Variable, sans-serif', size: 10, color: token('--ink') },
    xaxis: { fixedrange: true, gridcolor: token('--rule') },
    yaxis: { fixedrange: true, automargin: false, ticksuffix: ' ' },
  }
})
const kindWords = { fails: 'would fail', passes: 'would pass', weighs: 'would weigh otherwise' }
</script>

<template>
  <h3>
    Impact before publishing
    <small v-if="going">{{ run!.done }} of {{ run!.total }}</small>
  </h3>
  <Trouble :refusal="refusal" />
  <template v-if="!run">
    <p class="soft">
      What this text would change in the newest and the live revision of every API, and at every
      placement, before anybody is told.
    </p>
  </template>
  <template v-else>
    <div
      v-if="going"
      class="progress"
      role="progressbar"
      :aria-valuenow="run.done"
      :aria-valuemax="run.total"
    >
      <i :style="{ width: `${run.total ? (100 * run.done) / run.total : 0}%` }" />
    </div>
    <p v-if="run.state === 'failed'" class="trouble">{{ run.trouble }}</p>
    <p v-else-if="run.state === 'stopped'" class="soft">It was stopped; what it found is below.</p>
    <p v-if="run.state === 'done' && !run.rules.length">
      Nothing would change, in no definition and at no placement.
    </p>
    <template v-else-if="run.rules.length">
      <p>
        <button class="plain copper" @click="show({ kind: 'fails' })">{{ sum('fails') }}</button>
        places would newly fail,
        <button class="plain ochre" @click="show({ kind: 'weighs' })">{{ sum('weighs') }}</button>
        weigh otherwise and
        <button class="plain elm" @click="show({ kind: 'passes' })">{{ sum('passes') }}</button>
        pass; {{ sum('live') }} of those that would not pass are live.
        <span v-if="run.reused" class="soft">{{ run.reused }} answers were known already.</span>
      </p>
      <Plot
        :data="bars"
        :layout="layout"
        :config="{ displayModeBar: false, responsive: true }"
        says="Places that would fail, weigh otherwise or pass, by rule"
        @open="show({ rule: String($event.y) })"
      />
      <button
        v-for="rule in run.rules"
        :key="rule.rule"
        class="line"
        :aria-pressed="about === rule.rule"
        @click="show({ rule: rule.rule })"
      >
        {{ titles.get(rule.rule) ?? rule.rule }}
        <span class="soft">{{ count(rule.apis, 'API') }}, {{ rule.teams.join(', ') }}</span>
      </button>
    </template>
    <p v-if="stale && !going" class="soft">The text has changed since.</p>
  </template>
  <div class="bar">
    <button v-if="going" class="ghost" @click="stop()">Stop</button>
    <button v-else class="ghost" :disabled="busy || !ready" @click="start()">
      {{ run ? 'Measure again' : 'Measure it' }}
    </button>
  </div>
  <Dialog
    :visible="places !== undefined"
    modal
    :header="head"
    :style="{ width: '860px' }"
    @update:visible="places = undefined"
  >
    <p v-if="!places?.length" class="soft">Nothing.</p>
    <table v-else class="ruled">
      <thead>
        <tr>
          <th>What</th>
          <th>API</th>
          <th>Where</th>
          <th>Comments</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(place, i) in places" :key="i">
          <td class="nowrap">
            {{ place.kind === 'weighs' ? 'would weigh' : kindWords[place.kind] }}
            <span class="level" :class="place.level">{{ place.level }}</span>
          </td>
          <td>
            {{ place.title }}
            <div class="soft small">{{ place.team }}{{ place.live ? ' · live' : '' }}</div>
          </td>
          <td class="nowrap">
            <NuxtLink
              v-if="place.placement"
              class="plain"
              target="_blank"
              :to="`/placements/${place.placement}`"
              >{{ place.placement }}</NuxtLink
            >
            <NuxtLink
              v-else
              class="plain"
              target="_blank"
              :to="{
                path: `/apis/${place.api}/source`,
                query: { revision: place.revision, line: place.line },
              }"
              >line {{ place.line }}</NuxtLink
            >
          </td>
          <td class="message">{{ place.message }}</td>
        </tr>
      </tbody>
    </table>
    <p v-if="further">
      <button class="ghost" :disabled="busy" @click="lookFurther()">Show more</button>
    </p>
  </Dialog>
</template>

<style scoped>
.progress {
  height: 5px;
  border-radius: 3px;
  background: var(--faint);
  border: 1px solid var(--rule);
  overflow: hidden;
  margin-bottom: 8px;
}
.progress i {
  display: block;
  height: 100%;
  background: var(--elm);
}
.copper {
  color: var(--copper);
}
.ochre {
  color: var(--ochre);
}
.elm {
  color: var(--elm);
}
.line {
  display: block;
  width: 100%;
  text-align: left;
  border: 0;
  border-bottom: 1px dotted var(--rule);
  background: none;
  padding: 4px 0;
  cursor: pointer;
}
.line span {
  display: block;
  font-size: 11.5px;
}
.bar {
  margin-top: 8px;
}
.message {
  overflow-wrap: anywhere;
}
</style>
