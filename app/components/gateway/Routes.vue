<script setup lang="ts">
import { refDebounced } from '@vueuse/core'
import type { RunningRouteItem } from '~~/shared/api/gateways'

/** What a gateway ran when it was read last, and whose it is. */
const { name } = defineProps<{ name: string }>()
const words = ref('')
const q = refDebounced(words, 150)
const items = shallowRef<RunningRouteItem[]>([])
const next = ref<string>()
const { refusal, busy } = useLoad(
  async () => {
    const page = await api.listGatewayRoutes({
      ...{ gateway: name, limit: 200 },
      ...(q.value && { q: q.value }),
    })
    items.value = page.items
    next.value = page.nextCursor
  },
  ['gateway'],
  () => [name, q.value],
)
const { busy: more, act } = useAct()
const on = () =>
  act(async () => {
    const page = await api.listGatewayRoutes({
      ...{ gateway: name, limit: 200, cursor: next.value },
      ...(q.value && { q: q.value }),
    })
    items.value = [...items.value, ...page.items]
    next.value = page.nextCursor
  })
</script>

<template>
  <section>
    <div class="bar">
      <InputText
        v-model="words"
        type="search"
        placeholder="Filter routes"
        aria-label="Filter routes"
      />
      <span class="soft small"
        >{{ count(items.length, 'route') }}{{ next ? ' and more' : '' }}</span
      >
    </div>
    <Trouble :refusal="refusal" />
    <p v-if="!items.length && !busy" class="soft">
      {{ q ? 'No route says that.' : 'Nothing was running there when it was read last.' }}
    </p>
    <table v-else class="ruled">
      <thead>
        <tr>
          <th>Route</th>
          <th>Goes to</th>
          <th>Placement</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(route, index) in items" :key="index">
          <td class="mono small path">
            {{ route.method === '*' ? 'any' : route.method }} {{ route.host }}{{ route.path }}
            <span v-if="route.also" class="soft">{{ route.also }}</span>
          </td>
          <td class="small">{{ route.goesTo }}</td>
          <td class="small">
            <NuxtLink v-if="route.placement" class="plain" :to="`/placements/${route.placement}`">{{
              route.placement
            }}</NuxtLink>
            <span v-else class="bad">nobody’s</span>
          </td>
        </tr>
      </tbody>
    </table>
    <button v-if="next" class="ghost" :disabled="more" @click="on()">Show more</button>
  </section>
</template>

<style scoped>
.path {
  overflow-wrap: anywhere;
}
.bad {
  color: var(--copper);
}
</style>
