<script setup lang="ts">
import type { TrafficQuery, TrafficRow } from '~~/shared/api/traffic'
import {
  trafficDimensions,
  trafficPeriods,
  type TrafficDimension,
  type TrafficPeriod,
} from '~~/shared/words'
import { useSession } from '~/stores/session'

const names = [
  'api',
  'team',
  'stage',
  'placement',
  'gateway',
  'operation',
  'client',
  'ended',
] as const
const { filters, set, clear } = useFilters([...names, 'period', 'by'] as const)
const session = useSession()
const narrowed = computed(() => names.some((name) => filters.value[name] !== ''))
const period = computed(() =>
  trafficPeriods.includes(filters.value.period as TrafficPeriod)
    ? (filters.value.period as TrafficPeriod)
    : '24h',
)
const by = computed<TrafficDimension>(() =>
  trafficDimensions.includes(filters.value.by as TrafficDimension)
    ? (filters.value.by as TrafficDimension)
    : filters.value.api || filters.value.placement
      ? 'operation'
      : 'api',
)
const query = computed<TrafficQuery>(() => ({
  ...Object.fromEntries(names.map((name) => [name, filters.value[name] || undefined])),
  period: period.value,
}))

const {
  page,
  items: rows,
  refusal,
  load,
  refresh,
  more,
} = usePages(100, (asked) => api.getTraffic({ ...query.value, by: by.value, ...asked }))
watch([query, by], () => void load(), { immediate: true })
useChanges(refresh, ['traffic', 'placement', 'api'])
const { data: register } = useLoad(() => api.listApis(), ['api'])
const { data: gateways } = useLoad(() => api.listGateways(), ['gateway'])

/** Narrows to one row, and looks at what is in it. */
function into(row: TrafficRow) {
  if (row.key === '' || row.calls === 0) return
  void set({ ...filtersOf(by.value, row), by: nextDimension[by.value] })
}
const { selected, current } = useRows(() => rows.value, {
  open: into,
  naming: { key: (row) => `${row.api} ${row.key}` },
})
const csv = computed(() => {
  const asked = Object.entries({ ...query.value, by: by.value }).flatMap(([name, value]) =>
    value === undefined ? [] : [[name, String(value)]],
  )
  return `/api/v1/traffic/export?${new URLSearchParams(asked).toString()}`
})

const named = (slug: string) => register.value?.items.find((row) => row.api === slug)?.title ?? slug
/** An API, and perhaps one version of it. */
const title = computed(() => {
  const [slug, version] = filters.value.api.split('@')
  return slug ? [named(slug), version].filter(Boolean).join(' ') : undefined
})
const titleOf = (row: TrafficRow) =>
  by.value === 'api' && row.key
    ? named(row.key)
    : by.value === 'version' && row.api
      ? `${named(row.api)} ${row.key}`
      : keyWords(by.value, row.key)
const stray = computed(() => rows.value.filter(isStray))
const idle = computed(() => rows.value.filter(({ standing }) => standing === 'idle'))
const told = computed(() => rows.value.some(({ standing }) => standing))
/** Rows of one sort alone, where a number of the sentence was chosen. */
const only = ref<'' | 'stray' | 'idle'>('')
watch([query, by], () => (only.value = ''))
const shown = computed(() =>
  only.value === 'stray' ? stray.value : only.value === 'idle' ? idle.value : rows.value,
)

const chips = computed(() => [
  {
    name: 'api' as const,
    label: 'API',
    options: [
      ...choicesOfApis(register.value?.items),
      ...(filters.value.api.includes('@')
        ? [{ value: filters.value.api, label: title.value ?? filters.value.api }]
        : []),
    ],
  },
  { name: 'team' as const, label: 'Team', options: choicesOf(session.shell?.teams ?? []) },
  { name: 'stage' as const, label: 'Stage', options: choicesOf(session.shell?.stages ?? []) },
  {
    name: 'gateway' as const,
    label: 'Gateway',
    options: choicesOf((gateways.value?.items ?? []).map(({ name }) => name)),
  },
  ...setFilters(filters.value, ['placement', 'operation', 'client', 'ended']),
])
const periods = trafficPeriods.map((value) => ({ value, label: periodWords[value] }))
const dimensions = trafficDimensions.map((value) => ({ value, label: dimensionWords[value] }))
</script>

<template>
  <Leaf>
    <h1>Traffic</h1>
    <p v-if="page" class="sentence">
      {{ title ?? (narrowed ? 'What is chosen' : 'The gateways') }} answered
      <b>{{ count(page.total.calls, 'request') }}</b> in {{ periodWords[period]
      }}<template v-if="beside(page.total.calls, page.before?.calls)"
        >, {{ beside(page.total.calls, page.before?.calls) }}</template
      >,
      <button
        class="ochre"
        :aria-pressed="by === 'status'"
        @click="set({ by: by === 'status' ? '' : 'status' })"
      >
        {{ shareOf(errorsOf(page.total), page.total.calls) }} in error</button
      ><template v-if="page.total.p95 !== undefined"
        >, 95 % within {{ figure(page.total.p95) }} ms</template
      >.
      <template v-if="told">
        <button
          v-if="stray.length"
          class="copper"
          :aria-pressed="only === 'stray'"
          @click="only = only === 'stray' ? '' : 'stray'"
        >
          {{ count(stray.length, 'operation') }} {{ stray.length === 1 ? 'is' : 'are' }} called that
          {{ stray.length === 1 ? 'is' : 'are' }} not approved</button
        ><template v-if="stray.length && idle.length">, </template
        ><button
          v-if="idle.length"
          :aria-pressed="only === 'idle'"
          @click="only = only === 'idle' ? '' : 'idle'"
        >
          {{ idle.length }} {{ idle.length === 1 ? 'is' : 'are' }} approved and never called</button
        ><template v-if="stray.length || idle.length">.</template>
      </template>
    </p>
    <p v-if="page?.lost" class="copper-text">
      {{ count(page.lost, 'request') }} could not be counted: a gateway had more than it keeps
      before it was read.
    </p>
    <Leaves :leaves="trafficLeaves" />
    <Trouble :refusal="refusal" />
    <FilterBar :filters="filters" :chips="chips" :any="narrowed" @set="set" @clear="clear()">
      <template #first>
        <FilterChip
          :model-value="period"
          label="Last"
          plain
          :options="periods"
          @update:model-value="set({ period: $event })"
        />
        <FilterChip
          :model-value="by"
          label="By"
          plain
          :options="dimensions"
          @update:model-value="set({ by: $event })"
        />
      </template>
      <a class="ghost end" :href="csv" download="traffic.csv">As CSV</a>
    </FilterBar>
    <TrafficChart v-if="page && page.total.calls" :page="page" />
    <div v-if="page && !shown.length" class="empty">
      <p>
        {{
          narrowed
            ? 'Nothing was called with these filters in this time.'
            : 'Nothing was called in this time. What gateways answer is counted a few seconds later.'
        }}
      </p>
      <NuxtLink v-if="!narrowed" class="ghost" to="/desk">Send a request</NuxtLink>
    </div>
    <table v-else-if="page" class="ruled">
      <thead>
        <tr>
          <th>{{ dimensionWords[by].charAt(0).toUpperCase() + dimensionWords[by].slice(1) }}</th>
          <th>{{ periodWords[period] }}</th>
          <th class="end">Calls</th>
          <th class="end">Errors</th>
          <th class="end">p95 ms</th>
          <th v-if="by === 'operation'" class="end">Clients</th>
          <th v-if="told">Against the ledger</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="row in shown"
          :key="`${row.api} ${row.key}`"
          :class="{ on: row === current, faint: !row.calls }"
          @click="selected = rows.indexOf(row)"
        >
          <td :class="{ mono: by === 'operation' }" class="name">
            <button v-if="row.key && row.calls" class="plain" @click="into(row)">
              {{ titleOf(row) }}
            </button>
            <template v-else>{{ titleOf(row) }}</template>
            <div v-if="by === 'operation' && !filters.api && row.api" class="soft small">
              {{ row.api }}
            </div>
          </td>
          <td>
            <SparkLine
              v-if="row.calls"
              :points="row.line"
              :width="110"
              :height="20"
              :says="`${figure(row.calls)} requests in ${periodWords[period]}`"
            />
          </td>
          <td class="end mono">{{ figure(row.calls) }}</td>
          <td class="end mono">{{ row.calls ? shareOf(errorsOf(row), row.calls) : '' }}</td>
          <td class="end mono">{{ row.p95 === undefined ? '' : figure(row.p95) }}</td>
          <td v-if="by === 'operation'" class="end mono">{{ row.calls ? row.clients : '' }}</td>
          <td v-if="told" class="small" :class="isStray(row) ? 'copper-text' : 'soft'">
            {{ standingWords(row) }}
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="page?.nextCursor">
      <button class="ghost" @click="more()">More</button>
    </p>
    <template #margin>
      <TrafficRowMargin
        v-if="current"
        :key="`${by} ${current.api} ${current.key}`"
        :row="current"
        :title="titleOf(current)"
        :by="by"
        :query="query"
      />
      <p v-if="page?.readAt" class="soft small">Counted up to {{ moment(page.readAt) }}.</p>
    </template>
  </Leaf>
</template>

<style scoped>
.name {
  overflow-wrap: anywhere;
  min-width: 130px;
}
.name button {
  text-align: left;
}
.end {
  text-align: right;
  white-space: nowrap;
}
.faint td {
  color: var(--soft);
}
</style>
