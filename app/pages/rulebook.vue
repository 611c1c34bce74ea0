<script setup lang="ts">
import type { Rulebook } from '~~/shared/api/catalog'

const { data: rulebook, refusal } = useLoad(() => api.get<Rulebook>('/rulebook'))
const { filters, set, toggle, clear, any } = useFilters(['level', 'about', 'rule'] as const)
const rules = computed(() => rulebook.value?.items ?? [])
const rank = { MUST: 0, SHOULD: 1, MAY: 2 }
const shown = computed(() =>
  rules.value
    .filter(
      ({ level, about }) =>
        (!filters.value.level || level === filters.value.level) &&
        (!filters.value.about || about === filters.value.about),
    )
    .sort((a, b) => rank[a.level] - rank[b.level]),
)
const of = (level: string) => rules.value.filter((rule) => rule.level === level).length
const { selected, current } = useRows(() => shown.value, {
  open: (row) => navigateTo({ path: '/findings', query: { rule: row.id } }),
  naming: { key: (row) => row.id, wanted: () => filters.value.rule },
})

const abouts = computed(() =>
  [...new Set(rules.value.map(({ about }) => about))].map((value) => ({ value, label: value })),
)
</script>

<template>
  <Leaf>
    <h1>Rulebook</h1>
    <p v-if="rulebook" class="sentence">
      Edition {{ rulebook.edition }}:
      <button
        class="copper"
        :aria-pressed="filters.level === 'MUST'"
        @click="toggle('level', 'MUST')"
      >
        {{ of('MUST') }} MUST</button
      >,
      <button
        class="ochre"
        :aria-pressed="filters.level === 'SHOULD'"
        @click="toggle('level', 'SHOULD')"
      >
        {{ of('SHOULD') }} SHOULD
      </button>
      and
      <button :aria-pressed="filters.level === 'MAY'" @click="toggle('level', 'MAY')">
        {{ of('MAY') }} MAY</button
      >, for every definition of {{ rulebook.domain }}.
    </p>
    <Trouble :refusal="refusal" />
    <div class="bar">
      <FilterChip
        label="Level"
        :model-value="filters.level"
        :options="['MUST', 'SHOULD', 'MAY'].map((value) => ({ value, label: value }))"
        @update:model-value="set({ level: $event })"
      />
      <FilterChip
        label="About"
        :model-value="filters.about"
        :options="abouts"
        @update:model-value="set({ about: $event })"
      />
      <button v-if="any" class="plain" @click="clear()">Clear</button>
    </div>
    <table class="ruled">
      <thead>
        <tr>
          <th>Level</th>
          <th>Rule</th>
          <th>About</th>
          <th class="right">Findings</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="(rule, index) in shown"
          :key="rule.id"
          :class="{ on: index === selected }"
          @click="selected = index"
        >
          <td>
            <span class="level" :class="rule.level">{{ rule.level }}</span>
          </td>
          <td>
            <button class="name" @click="selected = index">{{ rule.title }}</button>
            <div class="soft mono tiny">{{ rule.id }}</div>
          </td>
          <td>{{ rule.about }}</td>
          <td class="right mono">
            <NuxtLink
              :class="rule.findings ? 'plain' : 'soft'"
              :to="{ path: '/findings', query: { rule: rule.id } }"
              >{{ rule.findings }}</NuxtLink
            >
          </td>
        </tr>
      </tbody>
    </table>
    <template #margin>
      <template v-if="current">
        <h2>{{ current.title }}</h2>
        <p>{{ current.reason }}</p>
        <template v-if="current.when"
          ><h3>Speaks when</h3>
          <pre tabindex="0">{{ current.when }}</pre>
        </template>
        <h3>Asks that</h3>
        <pre tabindex="0">{{ current.condition }}</pre>
        <h3>Says</h3>
        <p>{{ current.message }}</p>
        <NuxtLink class="ghost" :to="{ path: '/findings', query: { rule: current.id } }">{{
          count(current.findings, 'finding')
        }}</NuxtLink>
      </template>
    </template>
  </Leaf>
</template>

<style scoped>
.name {
  border: 0;
  background: none;
  padding: 0;
  font-weight: 600;
  cursor: pointer;
  text-align: left;
}
.tiny {
  font-size: 11px;
}
pre {
  font: 11px/1.5 var(--mono);
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  background: var(--page);
  border: 1px solid var(--rule);
  border-radius: 5px;
  padding: 7px 9px;
  margin: 0;
}
</style>
