<script setup lang="ts">
import type { ReleaseItem } from '~~/shared/api/releases'

/** Versions that enter a stage together, all of them or none. */
const { data: page, refusal } = useLoad(
  () => api.listReleases({ limit: 200 }),
  ['promotion', 'request', 'rollout'],
)
const { filters, set, toggle, clear, any } = useFilters(['state'] as const)
const all = computed(() => page.value?.items ?? [])
const shown = computed(() =>
  all.value.filter(({ state }) => !filters.value.state || state === filters.value.state),
)
const { selected, current } = useRows(() => shown.value, {
  open: ({ release }) => navigateTo(`/promotions/releases/${release}`),
})
const waiting = computed(() => all.value.filter(({ state }) => state === 'waiting'))
const isOpen = ({ open, versions }: ReleaseItem) => open === versions
const chips = [
  {
    name: 'state' as const,
    label: 'State',
    options: choicesOf(['waiting', 'under-way', 'done']),
  },
]
const session = useSession()
const mayMake = computed(() =>
  ['governance', 'operator', 'owner'].includes(session.person?.role ?? ''),
)
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
        {{ count(waiting.length, 'release waits', 'releases wait') }}</button>,
      {{ waiting.filter(isOpen).length }} with every gate open.
    </p>
    <Leaves :leaves="promotionLeaves">
      <NuxtLink v-if="mayMake" class="fill" to="/promotions/releases/new">New release</NuxtLink>
    </Leaves>
    <Trouble :refusal="refusal" />
    <FilterBar
      v-if="all.length"
      :filters="filters"
      :chips="chips"
      :any="any"
      @set="set"
      @clear="clear()"
    />
    <div v-if="page && !shown.length" class="empty">
      <p v-if="any">No release has this state.</p>
      <p v-else>
        A release brings several versions into the next stage together: all of them, or none. Put
        one together from what stands in a stage.
      </p>
    </div>
    <table v-else-if="page" class="ruled">
      <thead>
        <tr>
          <th>Release</th>
          <th>From</th>
          <th>To</th>
          <th>Versions</th>
          <th>Put together by</th>
          <th>State</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="(item, index) in shown"
          :key="item.release"
          :class="{ on: index === selected }"
          @click="selected = index"
        >
          <td>
            <NuxtLink :to="`/promotions/releases/${item.release}`"
              ><b>{{ item.title }}</b></NuxtLink
            >
            <div class="soft small">{{ clipped(item.note, 120) }}</div>
          </td>
          <td>{{ item.from }}</td>
          <td>{{ item.to }}</td>
          <td class="mono">
            {{
              item.state === 'waiting'
                ? `${item.open} of ${item.versions} open`
                : `${item.versions}`
            }}
          </td>
          <td>
            {{ item.by }}
            <div class="soft small">{{ ago(item.at) }}</div>
          </td>
          <td>{{ item.state }}</td>
        </tr>
      </tbody>
    </table>
    <template #margin>
      <template v-if="current">
        <h2>
          <NuxtLink :to="`/promotions/releases/${current.release}`">{{ current.title }}</NuxtLink>
        </h2>
        <p class="soft">{{ current.note || 'No note was given.' }}</p>
        <NuxtLink class="ghost" :to="`/promotions/releases/${current.release}`">{{
          current.state === 'waiting' ? 'See what would change' : 'Open'
        }}</NuxtLink>
      </template>
      <template v-else>
        <h2>All of them, or none</h2>
        <p>
          The versions of a release are asked for, approved and judged one by one, and carried out
          as one: where a gateway does not take one of them, all of them go back.
        </p>
      </template>
    </template>
  </Leaf>
</template>
