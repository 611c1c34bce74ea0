<script setup lang="ts">
import { format, subMonths } from 'date-fns'
import { useSession } from '~/stores/session'

const { filters, set, clear, any } = useFilters(['month', 'team', 'stage', 'gateway'] as const)
const session = useSession()
const months = Array.from({ length: 12 }, (_, back) => {
  const month = subMonths(new Date(), back)
  return { value: format(month, 'yyyy-MM-01'), label: format(month, 'MMMM yyyy') }
})
const month = computed(() => filters.value.month || months[0]!.value)
const named = computed(() => months.find(({ value }) => value === month.value)?.label ?? '')
const {
  page,
  items: ended,
  refusal,
  load,
  refresh,
  more,
} = usePages(200, (asked) => {
  const { month: _, ...rest } = filters.value
  return api.listDrift({ ...rest, state: 'resolved', month: month.value, ...asked })
})
watch(filters, () => void load(), { immediate: true })
useChanges(refresh, ['drift', 'gateway'])
const { data: figures } = useLoad(
  () => api.getDriftMonth({ month: month.value }),
  ['drift', 'gateway'],
  () => month.value,
)
const { data: gateways } = useLoad(() => api.listGateways(), ['gateway'])
const { selected, current } = useRows(() => ended.value, {
  open: ({ placement }) => placement && navigateTo(`/placements/${placement}`),
})
const chips = computed(() => [
  { name: 'month' as const, label: 'Month', any: months[0]!.label, options: months.slice(1) },
  { name: 'team' as const, label: 'Team', options: choicesOf(session.shell?.teams ?? []) },
  { name: 'stage' as const, label: 'Stage', options: choicesOf(session.shell?.stages ?? []) },
  {
    name: 'gateway' as const,
    label: 'Gateway',
    options: choicesOf((gateways.value?.items ?? []).map(({ name }) => name)),
  },
])
</script>

<template>
  <Leaf>
    <h1>Drift</h1>
    <p v-if="figures" class="sentence">
      In {{ named }} <b>{{ count(figures.opened, 'difference') }}</b> came up and
      <b>{{ figures.resolved }}</b> ended<template v-if="figures.medianMinutes !== undefined"
        >, half of them within <b>{{ duration(figures.medianMinutes) }}</b> and the longest after
        <b>{{ duration(figures.longestMinutes ?? 0) }}</b></template
      >.
      <template v-for="({ resolution, count: times }, index) in figures.endings" :key="resolution"
        >{{ index ? ', ' : '' }}{{ figure(times) }}: {{ resolutionWords[resolution] }}</template
      ><template v-if="figures.endings.length">.</template>
    </p>
    <Leaves :leaves="driftLeaves" />
    <Trouble :refusal="refusal" />
    <FilterBar :filters="filters" :chips="chips" :any="any" @set="set" @clear="clear()" />
    <div v-if="page && !ended.length" class="empty">
      <p>
        {{
          any
            ? 'Nothing ended with these filters.'
            : 'Nothing ended this month. What is otherwise than was approved now stands under Now.'
        }}
      </p>
    </div>
    <table v-else-if="page" class="ruled">
      <thead>
        <tr>
          <th>API</th>
          <th>What differed</th>
          <th>On</th>
          <th>From</th>
          <th>Stood</th>
          <th>How it ended</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="(item, index) in ended"
          :key="item.drift"
          :class="{ on: index === selected }"
          @click="selected = index"
        >
          <DriftCells :item="item" :most="60" @select="selected = index" />
          <td class="small nowrap">{{ moment(item.openedAt) }}</td>
          <td class="small nowrap">{{ stood(item) }}</td>
          <td class="small">
            {{ item.resolution ? resolutionWords[item.resolution] : '' }}
            <NuxtLink v-if="item.rollout" :to="`/rollouts/${item.rollout}`">{{
              item.closedBy
            }}</NuxtLink>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="page?.nextCursor">
      <button class="ghost" @click="more()">More</button>
    </p>
    <template #margin>
      <DriftMargin v-if="current" :key="current.drift" :item="current" :placement="undefined" />
      <p v-else class="soft">What ended is kept here for good, with its cause and its end.</p>
    </template>
  </Leaf>
</template>
