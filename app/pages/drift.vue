<script setup lang="ts">
import type { PlacementItem } from '~~/shared/api/placements'

const { data: page, refusal, reload } = useLoad(() => api.listPlacements())
const { data: gateways } = useLoad(() => api.listGateways())
const { filters, set, toggle, clear, any } = useFilters([
  'mark',
  'stage',
  'gateway',
  'placement',
] as const)
const session = useSession()
const all = computed(() => page.value?.items ?? [])
const having = (mark: string) => all.value.filter((placement) => placement.mark === mark).length
const groupOf = (name: string) =>
  gateways.value?.items.find((gateway) => gateway.name === name)?.group
const rank = { differs: 0, unseen: 1, 'in-step': 2 }
const shown = computed(() =>
  all.value
    .filter(
      ({ mark, stage, group }) =>
        (!filters.value.mark || mark === filters.value.mark) &&
        (!filters.value.stage || stage === filters.value.stage) &&
        (!filters.value.gateway || group === groupOf(filters.value.gateway)),
    )
    .sort(
      (a, b) =>
        rank[a.mark] - rank[b.mark] ||
        b.differences.length - a.differences.length ||
        a.title.localeCompare(b.title),
    ),
)
const { selected, current } = useRows(() => shown.value, {
  open: (row) => navigateTo(`/apis/${row.api}/placements`),
  naming: { key: (row) => row.id, wanted: () => filters.value.placement },
})

const sites = ({ differences }: PlacementItem) =>
  [...new Set(differences.map(({ on }) => on))].join(', ')

const reading = useAct()
const readAll = () =>
  reading.act(async () => {
    for (const { name } of gateways.value?.items ?? []) await api.readGateway({ gateway: name })
    await reload()
  })
const lastRead = computed(
  () => (gateways.value?.items ?? []).map(({ seenAt }) => seenAt ?? '').sort()[0],
)
const silent = computed(() => (gateways.value?.items ?? []).filter(({ trouble }) => trouble))

/** Routes on a gateway that belong to no placement: somebody put them there past the ledger. */
const strangers = computed(() =>
  (gateways.value?.items ?? [])
    .filter(({ name }) => !filters.value.gateway || name === filters.value.gateway)
    .flatMap(({ name, unclaimed }) => unclaimed.map((route) => ({ gateway: name, route }))),
)

const chips = computed(() => [
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
    <p v-if="page" class="sentence">
      Of {{ count(all.length, 'placement') }},
      <button
        class="copper"
        :aria-pressed="filters.mark === 'differs'"
        @click="toggle('mark', 'differs')"
      >
        {{ having('differs') }} differ
      </button>
      from what was approved,
      <button :aria-pressed="filters.mark === 'unseen'" @click="toggle('mark', 'unseen')">
        {{ having('unseen') }} were not seen</button
      >, and
      <button
        class="elm"
        :aria-pressed="filters.mark === 'in-step'"
        @click="toggle('mark', 'in-step')"
      >
        {{ having('in-step') }} are in step</button
      >.
      <template v-if="strangers.length"
        ><a class="copper" href="#strangers">{{
          count(strangers.length, 'route belongs', 'routes belong')
        }}</a>
        to nobody.</template
      >
      <template v-if="lastRead"
        >Gateways are read every minute; the last reading was at {{ moment(lastRead) }}.</template
      >
    </p>
    <Trouble :refusal="refusal ?? reading.refusal.value" />
    <div v-for="gateway in silent" :key="gateway.name" class="trouble" role="status">
      {{ gateway.trouble }}
    </div>
    <FilterBar :filters="filters" :chips="chips" :any="any" @set="set" @clear="clear()"
      ><button class="fill end" :disabled="reading.busy.value" @click="readAll()">
        {{ reading.busy.value ? 'Reading …' : 'Read the gateways now' }}
      </button></FilterBar
    >
    <div v-if="page && !shown.length" class="empty">
      <p>
        {{
          all.length
            ? 'No placement fits these filters.'
            : 'Nothing is placed, so nothing can differ.'
        }}
      </p>
    </div>
    <table v-else class="ruled">
      <thead>
        <tr>
          <th>API</th>
          <th>Version</th>
          <th>Stage</th>
          <th>Gateways</th>
          <th>What differs</th>
          <th>State</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="(placement, index) in shown"
          :key="placement.id"
          :class="{ on: index === selected }"
          @click="((selected = index), set({ placement: placement.id }))"
        >
          <td>
            <button class="name" @click="selected = index">{{ placement.title }}</button>
            <div class="soft small">{{ placement.team }}</div>
          </td>
          <td class="mono">{{ placement.version }}</td>
          <td>{{ placement.stage }}</td>
          <td>{{ placement.group }}</td>
          <td class="small">
            {{ placement.differences.map(({ what }) => what).join(', ') || 'nothing' }}
          </td>
          <td>
            <MarkSign :placement="placement" />
          </td>
        </tr>
      </tbody>
    </table>
    <template v-if="strangers.length">
      <h3 id="strangers">
        Routes nobody placed <small>{{ strangers.length }}</small>
      </h3>
      <p class="soft">
        A gateway serves these, and no placement asks for them. Place an API there, or have them
        removed from the gateway.
      </p>
      <table class="ruled">
        <tbody>
          <tr v-for="{ gateway, route } in strangers" :key="gateway + route">
            <td class="mono">{{ route }}</td>
            <td>{{ gateway }}</td>
          </tr>
        </tbody>
      </table>
    </template>
    <template #margin>
      <template v-if="current">
        <h2>
          <NuxtLink :to="`/apis/${current.api}/placements`">{{ current.title }}</NuxtLink>
        </h2>
        <p class="soft">
          {{ current.version }} in {{ current.stage }} ·
          {{ markWords(current.mark, current.differences.length) }}
        </p>
        <template v-if="current.differences.length">
          <h3>
            Side by side
            <small
              >{{ sites(current)
              }}{{ current.checkedAt ? `, ${moment(current.checkedAt)}` : '' }}</small
            >
          </h3>
          <DriftResolve :placement="current" :most="50" @resolved="reload()" />
        </template>
        <p v-else-if="current.mark === 'in-step'">
          {{ current.group }} runs exactly what was approved; last read
          {{ moment(current.checkedAt!) }}.
        </p>
        <p v-else>
          A gateway of {{ current.group }} has not been read since it was due, so nobody knows. Read
          it now, or look at its trouble under Gateways.
        </p>
      </template>
    </template>
  </Leaf>
</template>

<style scoped>
.name {
  border: 0;
  background: none;
  padding: 0;
  font-weight: 620;
  cursor: pointer;
  text-align: left;
}
</style>
