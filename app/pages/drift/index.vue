<script setup lang="ts">
import { driftAccounts, driftStates, type DriftState } from '~~/shared/words'
import { useSession } from '~/stores/session'

const { filters, set, toggle, clear, any } = useFilters([
  'account',
  'team',
  'api',
  'stage',
  'gateway',
  'placement',
  'state',
] as const)
const session = useSession()
const state = computed<DriftState>(() => (filters.value.state === 'accepted' ? 'accepted' : 'open'))
const {
  page,
  items: differences,
  refusal,
  load,
  refresh,
  more,
} = usePages(200, (asked) => {
  const { account, state: _, ...rest } = filters.value
  return api.listDrift({
    ...rest,
    state: state.value,
    account: driftAccounts.find((one) => one === account),
    ...asked,
  })
})
watch(filters, () => void load(), { immediate: true })
const topics = ['drift', 'gateway', 'placement', 'rollout', 'request']
useChanges(refresh, topics)
const { data: placements, reload: reloadPlacements } = useLoad(() => api.listPlacements(), topics)
const { data: month } = useLoad(() => api.getDriftMonth(), topics)
const { data: gateways, reload: reloadGateways } = useLoad(() => api.listGateways(), topics)
const { data: register } = useLoad(() => api.listApis(), ['api'])

const all = computed(() => placements.value?.items ?? [])
const having = (mark: string) => all.value.filter((placement) => placement.mark === mark).length
const { selected, current } = useRows(() => differences.value, {
  open: ({ placement }) => placement && navigateTo(`/placements/${placement}`),
  naming: { key: (row) => String(row.drift) },
})
const placed = computed(() => all.value.find(({ id }) => id === current.value?.placement))

const reading = useAct()
const readAll = () =>
  reading.act(async () => {
    for (const { name } of gateways.value?.items ?? []) await api.readGateway({ gateway: name })
    await Promise.all([refresh(), reloadPlacements(), reloadGateways()])
  })
const lastRead = computed(
  () => (gateways.value?.items ?? []).map(({ seenAt }) => seenAt ?? '').sort()[0],
)
const silent = computed(() => (gateways.value?.items ?? []).filter(({ trouble }) => trouble))
const refreshAll = () => Promise.all([refresh(), reloadPlacements()])

const chips = computed(() => [
  {
    name: 'account' as const,
    label: 'Seen',
    options: driftAccounts.map((value) => ({ value, label: accountWords[value] })),
  },
  {
    name: 'api' as const,
    label: 'API',
    options: choicesOfApis(register.value?.items),
  },
  { name: 'team' as const, label: 'Team', options: choicesOf(session.shell?.teams ?? []) },
  { name: 'stage' as const, label: 'Stage', options: choicesOf(session.shell?.stages ?? []) },
  {
    name: 'gateway' as const,
    label: 'Gateway',
    options: choicesOf((gateways.value?.items ?? []).map(({ name }) => name)),
  },
  {
    name: 'state' as const,
    label: 'Show',
    any: 'open',
    options: choicesOf(driftStates.filter((one) => one === 'accepted')),
  },
])
</script>

<template>
  <Leaf>
    <h1>Drift</h1>
    <p v-if="month && placements" class="sentence">
      <button class="copper" :aria-pressed="!any" @click="clear()">
        {{ count(month.open, 'difference') }}
      </button>
      from what was approved<template v-if="month.accepted"
        >,
        <button
          class="plum"
          :aria-pressed="filters.state === 'accepted'"
          @click="toggle('state', 'accepted')"
        >
          {{ count(month.accepted, 'more is', 'more are') }} accepted
        </button></template
      >. Of {{ count(all.length, 'placement') }},
      <NuxtLink class="elm" to="/">{{ having('in-step') }} are in step</NuxtLink
      ><template v-if="having('unseen')"
        >, and <NuxtLink to="/gateways">{{ having('unseen') }} were not seen</NuxtLink></template
      >.
      <template v-if="lastRead"
        >Gateways are read every minute; the last reading was at {{ moment(lastRead) }}.</template
      >
    </p>
    <Leaves :leaves="driftLeaves" />
    <Trouble :refusal="refusal ?? reading.refusal.value" />
    <div v-for="gateway in silent" :key="gateway.name" class="trouble" role="status">
      {{ gateway.trouble }} What it runs is not known; what is told of it here is what was seen
      last.
    </div>
    <FilterBar :filters="filters" :chips="chips" :any="any" @set="set" @clear="clear()"
      ><button class="fill end" :disabled="reading.busy.value" @click="readAll()">
        {{ reading.busy.value ? 'Reading …' : 'Read now' }}
      </button></FilterBar
    >
    <div v-if="page && !differences.length" class="empty">
      <p v-if="any">Nothing differs with these filters.</p>
      <p v-else-if="!all.length">Nothing is placed, so nothing can differ.</p>
      <p v-else>
        Gateways run what was approved, and requests show nothing else.
        <NuxtLink to="/drift/history">What there was before</NuxtLink>
      </p>
    </div>
    <table v-else-if="page" class="ruled">
      <thead>
        <tr>
          <th>API</th>
          <th>What differs</th>
          <th>On</th>
          <th class="number">Calls a day</th>
          <th>Stands for</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="(item, index) in differences"
          :key="item.drift"
          :class="{ on: index === selected }"
          @click="selected = index"
        >
          <DriftCells :item="item" :most="80" @select="selected = index">
            <div v-if="item.halted" class="small copper-text">
              nothing is done by itself any more
            </div>
          </DriftCells>
          <td class="number mono" :class="{ zero: !item.calls }">{{ figure(item.calls) }}</td>
          <td class="small nowrap" :title="moment(item.openedAt)">
            {{ item.state === 'accepted' ? `accepted to ${item.acceptedUntil}` : stood(item) }}
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="page?.nextCursor">
      <button class="ghost" @click="more()">More differences</button>
    </p>
    <template #margin>
      <DriftMargin
        v-if="current"
        :key="current.drift"
        :item="current"
        :placement="placed"
        @resolved="refreshAll()"
      />
      <template v-else-if="page">
        <h2>In step</h2>
        <p>
          Three accounts are held against each other: what was approved, what gateways say they run,
          and what requests show. Where they disagree, it stands here with its likely cause, who is
          touched by it, and what each way out would do.
        </p>
        <p v-if="month" class="soft">
          This month {{ count(month.opened, 'difference was', 'differences were') }} seen, and
          {{ count(month.resolved, 'has', 'have') }} ended.
        </p>
      </template>
    </template>
  </Leaf>
</template>

<style scoped>
.number {
  text-align: right;
}
.zero {
  color: var(--soft);
}
</style>
