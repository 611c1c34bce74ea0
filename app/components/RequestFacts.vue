<script setup lang="ts">
import type { RequestItem } from '~~/shared/api/requests'

/** What was kept of one request. */
const props = defineProps<{ request: RequestItem }>()
const facts = computed(() => {
  const { client, address, gateway, version, stage, ms, upstreamMs, breaks } = props.request
  const { requestType, responseType, bytesIn, bytesOut, query, members } = props.request
  return [
    ['Client', client || 'without a name'],
    ['From', address],
    ['Gateway', gateway],
    ['Version', [version, stage].filter(Boolean).join(' in ')],
    ['Took', `${figure(ms)} ms`],
    ['Of that, the backend', upstreamMs === undefined ? '' : `${figure(upstreamMs)} ms`],
    ['Sent', [requestType, bytesIn > 0 ? bytes(bytesIn) : ''].filter(Boolean).join(', ')],
    ['Got', [responseType, bytesOut > 0 ? bytes(bytesOut) : ''].filter(Boolean).join(', ')],
    ['Query parameters', query.join(', ')],
    ['Members of the body', members.join(', ')],
    ['Broke the definition', breaks ?? ''],
  ].filter((fact): fact is [string, string] => fact[1] !== '')
})
</script>

<template>
  <h2 class="mono">{{ request.operation }}</h2>
  <p :class="request.status >= 400 ? 'copper-text' : 'soft'">
    {{ request.status
    }}<template v-if="request.step">, stopped at {{ stepTitle(request.step) }}</template> ·
    {{ moment(request.at) }}
  </p>
  <dl>
    <div v-for="[label, value] in facts" :key="label" class="pair">
      <dt>{{ label }}</dt>
      <dd>{{ value }}</dd>
    </div>
  </dl>
  <p v-if="request.placement">
    <NuxtLink :to="`/placements/${request.placement}`">{{ request.placement }}</NuxtLink>
  </p>
  <slot />
</template>

<style scoped>
h2 {
  overflow-wrap: anywhere;
  font-size: 15px;
}
dl {
  margin: 8px 0;
}
dt {
  color: var(--soft);
  white-space: nowrap;
}
dd {
  margin: 0;
  text-align: right;
}
</style>
