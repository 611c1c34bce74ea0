<script setup lang="ts">
import { levels } from '~~/core/rules/model'
import type { Config, Data, Layout } from 'plotly.js'
import type { EstateApi } from '~~/shared/api/rules'
import { useSession } from '~/stores/session'

const { filters, set, clear, any } = useFilters(['team', 'group', 'level'] as const)
const session = useSession()
const { data, refusal } = useLoad(
  () => api.getEstateFindings(),
  ['revision', 'finding', 'waiver', 'rulebook', 'api'],
)
const { data: rulebook } = useLoad(() => api.getRulebook(), ['rulebook'])
const apis = computed(() =>
  (data.value?.apis ?? []).filter(({ team }) => !filters.value.team || team === filters.value.team),
)
const sumOf = (counts: Record<string, number>) =>
  Object.values(counts).reduce((sum, n) => sum + n, 0)

interface Row {
  id: string
  title: string
  level: string
  total: number
}
const rows = computed<Row[]>(() => {
  const known = new Map(rulebook.value?.items.map((rule) => [rule.id, rule]))
  const found = new Map<string, number>()
  for (const { open: broken } of apis.value) {
    for (const [rule, n] of Object.entries(broken)) found.set(rule, (found.get(rule) ?? 0) + n)
  }
  return [...found]
    .map(([id, total]) => ({
      id,
      total,
      title: known.get(id)?.title ?? 'Keep to the specification of the format',
      level: known.get(id)?.level ?? 'MUST',
      group: known.get(id)?.group ?? 'validity',
    }))
    .filter(
      (row) =>
        (!filters.value.group || row.group === filters.value.group) &&
        (!filters.value.level || row.level === filters.value.level),
    )
    .sort((a, b) => b.total - a.total)
    .slice(0, 40)
})
const worst = computed(() => rows.value[0])
const reach = computed(
  () => (data.value?.apis ?? []).filter(({ open: broken }) => sumOf(broken) > 0).length,
)

/** So many columns can still be read. */
const mostColumns = 24
const columns = computed(() => {
  const ids = rows.value.map(({ id }) => id)
  const weigh = ({ open: broken }: EstateApi) => ids.reduce((sum, id) => sum + (broken[id] ?? 0), 0)
  const weights = new Map(apis.value.map((row) => [row, weigh(row)]))
  const most = [...apis.value].sort((a, b) => weights.get(b)! - weights.get(a)!)
  const kept = new Set(most.slice(0, mostColumns))
  return apis.value.filter((row) => kept.has(row))
})

const { token, theme } = useTokens()
const heat = computed<Data[]>(() => {
  void theme.value
  const z = [...rows.value]
    .reverse()
    .map((row) => columns.value.map(({ open: broken }) => broken[row.id] ?? 0))
  return [
    {
      type: 'heatmap',
      x: columns.value.map(({ api: slug }) => slug),
      customdata: z.map(() => columns.value.map(({ title }) => title)),
      y: [...rows.value].reverse().map(({ id }) => id),
      // Few and many are told apart better by their order of size than by their difference.
      z: z.map((line) => line.map((n) => (n === 0 ? null : Math.log2(n + 1)))),
      text: z.map((line) => line.map((n) => (n === 0 ? '' : short(n)))) as unknown as string[],
      texttemplate: '%{text}',
      hovertemplate: '%{y}<br>%{customdata}: %{text}<extra></extra>',
      colorscale: [
        [0, token('--copper-wash')],
        [1, token('--copper-edge')],
      ],
      textfont: { color: token('--ink'), size: 11 },
      showscale: false,
      xgap: 2,
      ygap: 2,
    } as unknown as Data,
  ]
})
const layoutOf = (more: Partial<Layout>): Partial<Layout> => ({
  paper_bgcolor: 'rgba(0,0,0,0)',
  plot_bgcolor: 'rgba(0,0,0,0)',
  font: { family: 'Public Sans Variable, sans-serif', size: 11, color: token('--ink') },
  showlegend: false,
  ...more,
})
const heatLayout = computed(() => {
  void theme.value
  return layoutOf({
    margin: { l: 176, r: 78, t: 116, b: 6 },
    height: 130 + rows.value.length * 21,
    xaxis: {
      side: 'top',
      tickangle: -45,
      fixedrange: true,
      showgrid: false,
      type: 'category',
      tickvals: columns.value.map(({ api: slug }) => slug),
      ticktext: columns.value.map(({ title }) => clipped(title, 20)),
    },
    yaxis: { fixedrange: true, showgrid: false, ticksuffix: ' ' },
  })
})
/** Sums of the days over the teams that are shown. */
const days = computed(() => {
  const byDay = new Map<string, { must: number; should: number; may: number; aside: number }>()
  for (const { day, team, must, should, may, aside } of data.value?.days ?? []) {
    if (filters.value.team && team !== filters.value.team) continue
    const sum = byDay.get(day) ?? { must: 0, should: 0, may: 0, aside: 0 }
    byDay.set(day, {
      must: sum.must + must,
      should: sum.should + should,
      may: sum.may + may,
      aside: sum.aside + aside,
    })
  }
  return [...byDay]
})
const lines = computed<Data[]>(() => {
  void theme.value
  const line = (name: 'must' | 'should' | 'may' | 'aside', color: string): Data => ({
    type: 'scatter',
    mode: 'lines',
    name,
    x: days.value.map(([day]) => day),
    y: days.value.map(([, sums]) => sums[name]),
    line: { shape: 'hv', width: 2, color: token(color) },
    hovertemplate: `%{x}: %{y} ${name === 'aside' ? 'waived or accepted' : name.toUpperCase()}<extra></extra>`,
  })
  return [
    line('must', '--copper'),
    line('should', '--ochre'),
    line('may', '--slate'),
    ...(days.value.some(([, { aside }]) => aside > 0) ? [line('aside', '--plum')] : []),
  ]
})
const lineLayout = computed(() => {
  void theme.value
  const last = days.value.at(-1)
  const label = (name: 'must' | 'should' | 'may' | 'aside', text: string, color: string) => ({
    x: 1,
    xref: 'paper' as const,
    y: last?.[1][name] ?? 0,
    text,
    showarrow: false,
    xanchor: 'left' as const,
    font: { color: token(color), size: 11 },
  })
  return layoutOf({
    margin: { l: 34, r: 70, t: 8, b: 26 },
    height: 190,
    hovermode: 'x',
    xaxis: { fixedrange: true, gridcolor: token('--rule'), type: 'date' },
    yaxis: { fixedrange: true, gridcolor: token('--rule'), rangemode: 'tozero' },
    annotations: [
      label('must', ' MUST', '--copper'),
      label('should', ' SHOULD', '--ochre'),
      label('may', ' MAY', '--slate'),
      ...(last?.[1].aside ? [label('aside', ' waived', '--plum')] : []),
    ],
  })
})
const config: Partial<Config> = { displayModeBar: false, responsive: true }
const open = (point: { x?: unknown; y?: unknown }) =>
  navigateTo({ path: '/findings', query: { rule: String(point.y), api: String(point.x) } })
const byTeam = computed(() => {
  const sums = new Map<string, number>()
  for (const { team, open: broken } of data.value?.apis ?? [])
    sums.set(team, (sums.get(team) ?? 0) + sumOf(broken))
  return [...sums].sort((a, b) => b[1] - a[1])
})

const chips = computed(() => [
  { name: 'team' as const, label: 'Team', options: choicesOf(session.shell?.teams ?? []) },
  {
    name: 'group' as const,
    label: 'Group',
    options: choicesIn(
      rulebook.value?.groups ?? [],
      ({ id }) => id,
      ({ title }) => title,
    ),
  },
  { name: 'level' as const, label: 'Level', options: choicesOf(levels) },
])
</script>

<template>
  <Leaf>
    <h1>Findings</h1>
    <p v-if="data" class="sentence">
      {{ figure(reach) }} of {{ count(data.apis.length, 'API') }} have findings<template
        v-if="worst"
        >; the rule most often broken is
        <NuxtLink :to="{ path: '/findings', query: { rule: worst.id } }">{{
          worst.title
        }}</NuxtLink>, {{ count(worst.total, 'time') }}</template
      >. The <NuxtLink :to="{ path: '/findings', query: { first: 'oldest' } }">oldest</NuxtLink> are
      a list of their own.
    </p>
    <Leaves :leaves="findingLeaves(session.shell?.counts)" />
    <Trouble :refusal="refusal" />
    <FilterBar :filters="filters" :chips="chips" :any="any" @set="set" @clear="clear()" />
    <h3>How it went</h3>
    <Plot
      v-if="days.length"
      :data="lines"
      :layout="lineLayout"
      :config="config"
      says="Findings over time, by level"
    />
    <h3>
      Rules by APIs
      <small
        >{{ rows.length }} rules, the most often broken first<template
          v-if="columns.length < apis.length"
          >; the {{ columns.length }} of {{ figure(apis.length) }} APIs that break them
          most</template
        ></small
      >
    </h3>
    <div v-if="data && !rows.length" class="empty">
      <p>
        {{ any ? 'Nothing is found with these filters.' : 'Every definition keeps every rule.' }}
      </p>
    </div>
    <Plot
      v-else-if="rows.length"
      :data="heat"
      :layout="heatLayout"
      :config="config"
      says="Open findings by rule and API; every figure is in the list, too"
      @open="open"
    />
    <template #margin>
      <h2>By team</h2>
      <table class="ruled teams">
        <tbody>
          <tr v-for="[team, sum] in byTeam" :key="team">
            <td>
              <NuxtLink :to="{ path: '/findings', query: { team } }">{{ team }}</NuxtLink>
            </td>
            <td class="right mono">
              <NuxtLink class="plain" :to="{ path: '/findings', query: { team } }">{{
                figure(sum)
              }}</NuxtLink>
            </td>
          </tr>
        </tbody>
      </table>
      <h3>Most often broken</h3>
      <NuxtLink
        v-for="row in rows.slice(0, 12)"
        :key="row.id"
        class="often"
        :to="{
          path: '/findings',
          query: { rule: row.id, ...(filters.team && { team: filters.team }) },
        }"
      >
        <span class="level" :class="row.level">{{ row.level }}</span>
        <span>{{ row.title }}</span>
        <b class="mono">{{ figure(row.total) }}</b>
      </NuxtLink>
    </template>
  </Leaf>
</template>

<style scoped>
.teams td {
  padding: 4px 2px;
}
.often {
  display: grid;
  grid-template-columns: 56px 1fr auto;
  gap: 6px;
  padding: 4px 0;
  border-bottom: 1px dotted var(--rule);
}
.often .level {
  justify-self: start;
  align-self: start;
}
</style>
