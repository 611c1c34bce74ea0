<script setup lang="ts">
import type { PromotionItem } from '~~/shared/api/promotions'

const { data: page, refusal } = useLoad(() => api.listPromotions())
const { filters, set, toggle, clear, any } = useFilters(['state', 'team', 'promotion'] as const)
const all = computed(() => page.value?.items ?? [])
const waiting = computed(() => all.value.filter(({ state }) => state === 'waiting'))
const open = (item: PromotionItem) => item.gates.every(({ state }) => state === 'passed')
const shown = computed(() =>
  all.value.filter(
    ({ state, team }) =>
      (!filters.value.state || state === filters.value.state) &&
      (!filters.value.team || team === filters.value.team),
  ),
)
const { selected, current } = useRows(() => shown.value, {
  open: (row) => navigateTo(`/promotions/${row.id}`),
})

const chips = computed(() => [
  {
    name: 'state' as const,
    label: 'State',
    options: choicesOf(['waiting', 'under-way', 'done', 'withdrawn']),
  },
  { name: 'team' as const, label: 'Team', options: choicesOf(all.value.map(({ team }) => team)) },
])
</script>

<template>
  <Leaf>
    <h1>Promotions and changes</h1>
    <p v-if="page" class="sentence">
      <button
        class="elm"
        :aria-pressed="filters.state === 'waiting'"
        @click="toggle('state', 'waiting')"
      >
        {{ count(waiting.length, 'request waits', 'requests wait') }}</button>,
      {{ waiting.filter(open).length }} with every gate open;
      <button :aria-pressed="filters.state === 'done'" @click="toggle('state', 'done')">
        {{ all.filter(({ state }) => state === 'done').length }} are done</button
      >.
    </p>
    <Leaves :leaves="promotionLeaves" />
    <Trouble :refusal="refusal" />
    <FilterBar :filters="filters" :chips="chips" :any="any" @set="set" @clear="clear()" />
    <div v-if="page && !shown.length" class="empty">
      <p>
        A promotion brings a version into the next stage, and beyond the first stage every change is
        asked for. Ask from an API’s placements.
      </p>
    </div>
    <table v-else class="ruled">
      <thead>
        <tr>
          <th>API</th>
          <th>Version</th>
          <th>From</th>
          <th>To</th>
          <th>Asked by</th>
          <th>Gates</th>
          <th>State</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="(item, index) in shown"
          :key="item.id"
          :class="{ on: index === selected }"
          @click="selected = index"
        >
          <td>
            <NuxtLink :to="`/promotions/${item.id}`"
              ><b>{{ item.title }}</b></NuxtLink
            >
            <div class="soft small">
              {{ item.team
              }}<template v-if="item.kind !== 'promotion'">, {{ kindWord(item) }}</template>
              <b v-if="item.unconfirmed" class="hot">emergency, not confirmed</b>
            </div>
          </td>
          <td class="mono">{{ item.version }}</td>
          <td>{{ item.from }}</td>
          <td>{{ item.to }}</td>
          <td>
            {{ item.requestedBy }}
            <div class="soft small">{{ ago(item.requestedAt) }}</div>
          </td>
          <td class="mono">
            {{
              item.gates.length
                ? `${item.gates.filter(({ state }) => state === 'passed').length} of ${item.gates.length}`
                : '·'
            }}
          </td>
          <td>{{ item.state }}</td>
        </tr>
      </tbody>
    </table>
    <template #margin>
      <template v-if="current">
        <h2>
          <NuxtLink :to="`/promotions/${current.id}`">{{ requestTitle(current) }}</NuxtLink>
        </h2>
        <p class="soft">{{ current.note || 'No note was given.' }}</p>
        <template v-if="current.gates.length"
          ><h3>Gates</h3>
          <Gates :gates="current.gates"
        /></template>
        <template v-if="current.approvals.length"
          ><h3>Approvals</h3>
          <p v-for="approval in current.approvals" :key="approval.by">
            {{ approval.by }}, {{ moment(approval.at) }}<br /><span class="soft">{{
              approval.note
            }}</span>
          </p></template
        >
        <NuxtLink class="ghost" :to="`/promotions/${current.id}`">{{
          current.state === 'waiting' ? 'See what would change' : 'Open'
        }}</NuxtLink>
      </template>
    </template>
  </Leaf>
</template>

<style scoped>
.hot {
  color: var(--copper);
}
</style>
