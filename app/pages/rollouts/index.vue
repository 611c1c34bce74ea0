<script setup lang="ts">
const { data: page, refusal } = useLoad(() => api.listRollouts(), ['rollout'])
const { filters, set, toggle, clear, any } = useFilters(['state', 'gateway'] as const)
const all = computed(() => page.value?.items ?? [])
const inState = (state: string) => all.value.filter((rollout) => rollout.state === state).length
const open = computed(() => inState('running') + inState('going-back'))
const unknown = computed(
  () => all.value.filter(({ steps }) => steps.some(({ state }) => state === 'unknown')).length,
)
const shown = computed(() =>
  all.value.filter(
    ({ state, steps }) =>
      (!filters.value.state || state === filters.value.state) &&
      (!filters.value.gateway || steps.some((step) => step.gateway === filters.value.gateway)),
  ),
)
const { selected, current } = useRows(() => shown.value, {
  open: (row) => navigateTo(`/rollouts/${row.id}`),
})
const chips = computed(() => [
  {
    name: 'state' as const,
    label: 'State',
    options: (['running', 'going-back', 'done', 'rolled-back'] as const).map((value) => ({
      value,
      label: rolloutWord(value),
    })),
  },
  {
    name: 'gateway' as const,
    label: 'Gateway',
    options: choicesOf(all.value.flatMap(({ steps }) => steps.map(({ gateway }) => gateway))),
  },
])
</script>

<template>
  <Leaf>
    <h1>Rollouts</h1>
    <p v-if="page" class="sentence">
      <button
        class="elm"
        :aria-pressed="filters.state === 'running'"
        @click="toggle('state', 'running')"
      >
        {{ count(open, 'rollout is', 'rollouts are') }} under way</button
      >{{ unknown ? `, ${unknown} with a gateway nobody knows about` : '' }};
      <button :aria-pressed="filters.state === 'done'" @click="toggle('state', 'done')">
        {{ inState('done') }} are done</button
      >,
      <button
        class="copper"
        :aria-pressed="filters.state === 'rolled-back'"
        @click="toggle('state', 'rolled-back')"
      >
        {{ inState('rolled-back') }} were rolled back</button
      >.
    </p>
    <Trouble :refusal="refusal" />
    <FilterBar :filters="filters" :chips="chips" :any="any" @set="set" @clear="clear()" />
    <div v-if="page && !shown.length" class="empty">
      <p>
        {{
          all.length
            ? 'No rollout fits these filters.'
            : 'Every change of a gateway is a rollout: place a version, and it is carried out here.'
        }}
      </p>
    </div>
    <table v-else class="ruled">
      <thead>
        <tr>
          <th class="right">No.</th>
          <th>Change</th>
          <th>Gateways</th>
          <th>By</th>
          <th>Since</th>
          <th>State</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="(rollout, index) in shown"
          :key="rollout.id"
          :class="{ on: index === selected }"
          @click="selected = index"
        >
          <td class="right mono">{{ rollout.id }}</td>
          <td>
            <NuxtLink :to="`/rollouts/${rollout.id}`"
              ><b>{{ rollout.title }}</b></NuxtLink
            >
          </td>
          <td class="small">
            <div v-for="step in rollout.steps" :key="step.gateway" class="nowrap">
              <span aria-hidden="true">{{ stepSign(step.state).sign }}</span> {{ step.gateway
              }}<span :class="step.state === 'confirmed' ? 'sr' : 'soft'"
                >, {{ stepWord(step.state) }}</span
              >
            </div>
          </td>
          <td class="nowrap">{{ rollout.by }}</td>
          <td class="small nowrap">{{ ago(rollout.at) }}</td>
          <td class="nowrap">{{ rolloutWord(rollout.state) }}</td>
        </tr>
      </tbody>
    </table>
    <template #margin>
      <template v-if="current">
        <h2>Rollout {{ current.id }}</h2>
        <p class="soft">{{ current.title }}, {{ rolloutWord(current.state) }}</p>
        <p v-if="current.trouble" class="trouble">{{ current.trouble }}</p>
        <RolloutSteps :rollout="current" />
      </template>
    </template>
  </Leaf>
</template>
