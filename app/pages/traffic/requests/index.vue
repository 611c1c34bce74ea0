<script setup lang="ts">
import { trafficPeriods, type TrafficPeriod } from '~~/shared/words'
import { useSession } from '~/stores/session'

const names = [
  'api',
  'version',
  'stage',
  'placement',
  'gateway',
  'operation',
  'client',
  'ended',
] as const
const { filters, set, clear } = useFilters([...names, 'period'] as const)
const session = useSession()
const narrowed = computed(() => names.some((name) => filters.value[name] !== ''))
const period = computed<TrafficPeriod>(
  () => trafficPeriods.find((one) => one === filters.value.period) ?? '24h',
)
const {
  page,
  items: requests,
  refusal,
  load,
  refresh,
  more,
} = usePages(100, (asked) => {
  const wanted = names.map((name) => [name, filters.value[name] || undefined] as const)
  return api.listRequests({ ...Object.fromEntries(wanted), period: period.value, ...asked })
})
watch(filters, () => void load(), { immediate: true })
useChanges(refresh, ['traffic'])
const { data: register } = useLoad(() => api.listApis(), ['api'])
const { data: gateways } = useLoad(() => api.listGateways(), ['gateway'])
const { selected, current } = useRows(() => requests.value, {
  open: ({ request }) => navigateTo(`/traffic/requests/${request}`),
  naming: { key: (row) => row.request },
})

/** An identifier as clients have it from `X-Request-Id`. */
const wanted = ref('')
const find = () => wanted.value.trim() && navigateTo(`/traffic/requests/${wanted.value.trim()}`)

const chips = computed(() => [
  {
    name: 'api' as const,
    label: 'API',
    options: choicesOfApis(register.value?.items),
  },
  { name: 'stage' as const, label: 'Stage', options: choicesOf(session.shell?.stages ?? []) },
  {
    name: 'gateway' as const,
    label: 'Gateway',
    options: choicesOf((gateways.value?.items ?? []).map(({ name }) => name)),
  },
  ...setFilters(filters.value, ['version', 'placement', 'operation', 'client', 'ended']),
])
const periods = trafficPeriods.map((value) => ({ value, label: periodWords[value] }))
</script>

<template>
  <Leaf>
    <h1>Traffic</h1>
    <p class="sentence">
      Single requests, the newest first: all that did not go well, and a share of the others.
      Nothing of what was sent is kept but names.
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
      </template>
      <form class="find end" @submit.prevent="find()">
        <InputText v-model="wanted" placeholder="X-Request-Id" aria-label="X-Request-Id" />
        <button class="ghost">Find</button>
      </form>
    </FilterBar>
    <div v-if="page && !requests.length" class="empty">
      <p>
        {{
          narrowed
            ? 'No request with these filters was kept in this time.'
            : 'No request was kept in this time. What gateways answer is here a few seconds later.'
        }}
      </p>
    </div>
    <table v-else-if="page" class="ruled">
      <thead>
        <tr>
          <th>When</th>
          <th>Operation</th>
          <th>Client</th>
          <th>Status</th>
          <th class="number">ms</th>
          <th>Gateway</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="(one, index) in requests"
          :key="one.request"
          :class="{ on: index === selected }"
          @click="selected = index"
        >
          <td class="mono nowrap small">{{ moment(one.at) }}</td>
          <td class="name">
            <NuxtLink class="mono" :to="`/traffic/requests/${one.request}`">{{
              one.operation
            }}</NuxtLink>
            <div class="soft small">{{ one.placement || 'of no placement' }}</div>
          </td>
          <td class="small">{{ one.client || 'without a name' }}</td>
          <td class="mono" :class="{ 'copper-text': one.status >= 400 }">
            {{ one.status }}
            <div v-if="one.step" class="soft small">{{ stepTitle(one.step) }}</div>
          </td>
          <td class="number mono">{{ figure(one.ms) }}</td>
          <td class="small">{{ one.gateway }}</td>
        </tr>
      </tbody>
    </table>
    <p v-if="page?.nextCursor">
      <button class="ghost" @click="more()">More requests</button>
    </p>
    <template #margin>
      <RequestFacts v-if="current" :request="current">
        <NuxtLink class="fill" :to="`/traffic/requests/${current.request}`">Its whole way</NuxtLink>
      </RequestFacts>
    </template>
  </Leaf>
</template>

<style scoped>
.name {
  overflow-wrap: anywhere;
  min-width: 130px;
}
.number {
  text-align: right;
}
.find {
  display: flex;
  gap: 6px;
}
.find input {
  width: 150px;
}
</style>
