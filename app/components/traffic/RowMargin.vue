<script setup lang="ts">
import type { RequestItem } from '~~/shared/api/requests'
import type { TrafficPage, TrafficQuery, TrafficRow } from '~~/shared/api/traffic'
import type { TrafficDimension } from '~~/shared/words'

/** One row of what was called: its figures, whose calls they are, and what they get. */
const props = defineProps<{
  row: TrafficRow
  title: string
  by: TrafficDimension
  query: TrafficQuery
}>()

/** What is looked at, this row alone. */
const own = computed<TrafficQuery>(() => ({
  ...props.query,
  ...filtersOf(props.by, props.row),
}))
/** The same, as single requests are asked for. */
const asked = computed(() => {
  const { api: of, team: _, ...rest } = own.value
  const [slug, version] = of?.split('@') ?? []
  return { ...rest, ...(slug && { api: slug }), ...(version && { version }) }
})
/** Nothing without a name can be asked for by it. */
const canAsk = computed(() => props.row.key !== '' && props.row.calls > 0)
const { act, refusal } = useLatest()
const parts = shallowRef<{
  clients: TrafficPage
  statuses: TrafficPage
  requests: RequestItem[]
}>()
watch(
  own,
  (query, before) => {
    if (JSON.stringify(query) === JSON.stringify(before)) return
    parts.value = undefined
    if (!canAsk.value) return
    void act(
      async () => {
        const [clients, statuses, requests] = await Promise.all([
          api.getTraffic({ ...query, by: 'client', limit: 12 }),
          api.getTraffic({ ...query, by: 'status', limit: 12 }),
          api.listRequests({ ...asked.value, limit: 6 }),
        ])
        return { clients, statuses, requests: requests.items }
      },
      (found) => (parts.value = found),
    )
  },
  { immediate: true },
)
const times = computed(() =>
  [
    ['Half within', props.row.p50],
    ['95 % within', props.row.p95],
    ['99 % within', props.row.p99],
    ['Backend, 95 % within', props.row.upstreamP95],
  ].filter((pair): pair is [string, number] => pair[1] !== undefined),
)
const link = (more: Record<string, string>) => {
  const asked = Object.entries({ ...own.value, ...more }).filter(([, value]) => value !== undefined)
  return { path: '/traffic', query: Object.fromEntries(asked) }
}
</script>

<template>
  <h2>{{ title }}</h2>
  <p v-if="row.standing" :class="isStray(row) ? 'copper-text' : 'soft'">{{ standingWords(row) }}</p>
  <p v-if="!row.calls" class="soft">
    It is approved, and nobody called it in this time: whoever withdraws it stops nobody who was
    seen.
  </p>
  <template v-else>
    <div class="pair">
      <span>Requests</span><b>{{ figure(row.calls) }}</b>
    </div>
    <div class="pair">
      <span>Refused (4xx)</span><b>{{ figure(row.refused) }}</b>
    </div>
    <div class="pair">
      <span>Failed (5xx)</span><b>{{ figure(row.failed) }}</b>
    </div>
    <div v-if="row.broken" class="pair">
      <span>Not as the definition says</span><b>{{ figure(row.broken) }}</b>
    </div>
    <div class="pair">
      <span>In, out</span><b>{{ bytes(row.bytesIn) }}, {{ bytes(row.bytesOut) }}</b>
    </div>
    <h3>How long it takes</h3>
    <div v-for="[label, ms] in times" :key="label" class="pair">
      <span>{{ label }}</span><b>{{ figure(ms) }} ms</b>
    </div>
    <Trouble :refusal="refusal" />
    <template v-if="parts">
      <template v-if="by !== 'client'">
        <h3>Whose calls</h3>
        <div v-for="client in parts.clients.items" :key="client.key" class="pair">
          <NuxtLink v-if="client.key" :to="link({ client: client.key, by: 'operation' })">{{
            client.key
          }}</NuxtLink>
          <span v-else>{{ keyWords('client', '') }}</span>
          <b>{{ figure(client.calls) }}</b>
        </div>
      </template>
      <template v-if="by !== 'status'">
        <h3>What they get</h3>
        <div v-for="status in parts.statuses.items" :key="status.key" class="pair">
          <NuxtLink :to="link({ ended: status.key, by: 'step' })">{{ status.key }}</NuxtLink>
          <b>{{ figure(status.calls) }}</b>
        </div>
      </template>
      <h3>
        Last requests
        <small><NuxtLink :to="{ path: '/traffic/requests', query: asked }">all</NuxtLink></small>
      </h3>
      <p v-if="!parts.requests.length" class="soft">
        None of them was kept: of those that go well, only a share is.
      </p>
      <div v-for="one in parts.requests" :key="one.request" class="pair">
        <NuxtLink class="mono" :to="`/traffic/requests/${one.request}`"
          >{{ clock(one.at) }} {{ one.status }}</NuxtLink
        ><b>{{ figure(one.ms) }} ms</b>
      </div>
    </template>
  </template>
</template>

<style scoped>
h2 {
  margin-bottom: 10px;
  overflow-wrap: anywhere;
}
</style>
