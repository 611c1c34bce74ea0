<script setup lang="ts">
const { data: page, refusal, reload } = useLoad(() => api.listGateways())
const { data: placed } = useLoad(() => api.listPlacements(), ['placement', 'drift', 'gateway'])
const { busy, refusal: actRefusal, act } = useAct()
const all = computed(() => page.value?.items ?? [])
const trouble = computed(() => all.value.filter((gateway) => gateway.trouble).length)
const { selected, current } = useRows(() => all.value, {
  open: (row) => navigateTo({ path: '/drift', query: { gateway: row.name } }),
})

/** What runs on the chosen one: what is placed on its group. */
const running = computed(() =>
  (placed.value?.items ?? []).filter(({ group }) => group === current.value?.group),
)
const read = (name: string) =>
  act(async () => {
    await api.readGateway({ gateway: name })
    await reload()
  })
</script>

<template>
  <Leaf>
    <h1>Gateways</h1>
    <p v-if="page" class="sentence">
      {{ spelled(all.length) }} {{ all.length === 1 ? 'gateway' : 'gateways' }}, read every minute.
      {{
        trouble
          ? `${count(trouble, 'gateway does', 'gateways do')} not answer.`
          : 'All of them answer.'
      }}
      What is placed on a group runs on all its gateways.
      <NuxtLink class="plain" to="/rollouts">Rollouts</NuxtLink> carry changes out.
    </p>
    <Trouble :refusal="refusal ?? actRefusal" />
    <table class="ruled">
      <thead>
        <tr>
          <th>Gateway</th>
          <th>Group</th>
          <th>Traffic URL</th>
          <th class="right">Routes</th>
          <th class="right">Placements</th>
          <th class="right">Differing</th>
          <th>Last read</th>
          <th />
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="(gateway, index) in all"
          :key="gateway.name"
          :class="{ on: index === selected }"
          @click="selected = index"
        >
          <td>
            <b>{{ gateway.name }}</b>
            <div class="soft small">{{ gateway.serves }}</div>
          </td>
          <td>{{ gateway.group }}</td>
          <td class="mono small">{{ gateway.dataUrl }}</td>
          <td class="right mono">{{ gateway.routes }}</td>
          <td class="right mono">
            <NuxtLink class="plain" :to="{ path: '/drift', query: { gateway: gateway.name } }">{{
              gateway.placements
            }}</NuxtLink>
          </td>
          <td class="right mono">
            <NuxtLink
              class="plain"
              :to="{ path: '/drift', query: { gateway: gateway.name, mark: 'differs' } }"
              >{{ gateway.differing }}</NuxtLink
            >
          </td>
          <td>
            {{ gateway.seenAt ? moment(gateway.seenAt) : 'never' }}
            <div v-if="gateway.trouble" class="bad small">does not answer</div>
          </td>
          <td class="right">
            <button
              class="ghost"
              :disabled="busy"
              :aria-label="`Read ${gateway.name} now`"
              @click="read(gateway.name)"
            >
              Read now
            </button>
          </td>
        </tr>
      </tbody>
    </table>
    <template v-if="current && placed">
      <h2 class="runs">On {{ current.name }}</h2>
      <p v-if="!running.length" class="soft">
        Nothing is placed on {{ current.group }} yet. Choose an API in the
        <NuxtLink class="plain" to="/">register</NuxtLink> and place a version of it.
      </p>
      <table v-else class="ruled">
        <thead>
          <tr>
            <th>API</th>
            <th>Stage</th>
            <th>Address outside</th>
            <th class="right">Operations served</th>
            <th>State</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="placement in running" :key="placement.id">
            <td>
              <NuxtLink class="plain" :to="`/apis/${placement.api}/placements`"
                >{{ placement.title }} {{ placement.version }}</NuxtLink
              >
            </td>
            <td>{{ placement.stage }}</td>
            <td class="mono small">https://{{ placement.host }}{{ placement.basePath }}</td>
            <td class="right mono">{{ placement.routes.route + placement.routes.mock }}</td>
            <td :class="{ bad: placement.mark === 'differs' }">
              {{ markWords(placement.mark, placement.differences.length) }}
            </td>
          </tr>
        </tbody>
      </table>
    </template>
    <template #margin>
      <template v-if="current">
        <h2>{{ current.name }}</h2>
        <p class="soft">{{ current.serves }}</p>
        <p v-if="current.trouble" class="trouble">{{ current.trouble }}</p>
        <h3>
          Routes nobody placed <small>{{ current.unclaimed.length }}</small>
        </h3>
        <p v-if="!current.unclaimed.length" class="soft">
          Everything it serves belongs to a placement.
        </p>
        <p v-for="route in current.unclaimed" :key="route">
          <code>{{ route }}</code>
        </p>
      </template>
    </template>
  </Leaf>
</template>

<style scoped>
.bad {
  color: var(--copper);
}
.runs {
  margin: 22px 0 6px;
}
</style>
