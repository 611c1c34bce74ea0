<script setup lang="ts">
const { filters, set } = useFilters(['rulebook', 'edition'] as const)
const { data, refusal } = useLoad(() => api.listEditions(), ['rulebook'])
const editions = computed(() =>
  (data.value?.items ?? []).filter(
    ({ rulebook }) => !filters.value.rulebook || rulebook === filters.value.rulebook,
  ),
)
const books = computed(() => [
  ...new Map((data.value?.items ?? []).map(({ rulebook, title }) => [rulebook, title])),
])
const { selected, current } = useRows(() => editions.value, {
  naming: { key: (row) => String(row.edition), wanted: () => filters.value.edition },
})
const text = ref('')
watch(current, () => (text.value = ''))
async function read() {
  text.value = await api.getEditionText({ edition: current.value!.edition })
}
</script>

<template>
  <Leaf>
    <h1>Rulebook</h1>
    <p v-if="data" class="sentence">
      {{ spelled(editions.length) }}
      {{ editions.length === 1 ? 'edition was' : 'editions were' }} published; the newest of each
      rulebook is in force.
    </p>
    <Leaves :leaves="rulebookLeaves" />
    <Trouble :refusal="refusal" />
    <div v-if="books.length > 1" class="bar">
      <FilterChip
        label="Rulebook"
        :model-value="filters.rulebook"
        :options="books.map(([value, label]) => ({ value, label }))"
        @update:model-value="set({ rulebook: $event })"
      />
    </div>
    <table class="ruled">
      <thead>
        <tr>
          <th class="right">Edition</th>
          <th>Rulebook</th>
          <th>Published</th>
          <th class="right">Rules</th>
          <th class="right">Changes</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="(edition, index) in editions"
          :key="edition.edition"
          :class="{ on: index === selected }"
          @click="selected = index"
        >
          <td class="right mono">{{ edition.edition }}</td>
          <td>
            <button class="name" @click="selected = index">{{ edition.title }}</button>
            <div class="soft small">{{ edition.note }}</div>
          </td>
          <td>
            {{ moment(edition.publishedAt) }}
            <div class="soft small">{{ edition.publishedBy }}</div>
          </td>
          <td class="right mono">{{ edition.rules }}</td>
          <td class="right mono" :class="{ soft: !edition.changes.length }">
            {{ edition.changes.length }}
          </td>
        </tr>
      </tbody>
    </table>
    <pre v-if="text" tabindex="0">{{ text }}</pre>
    <template #margin>
      <template v-if="current">
        <h2>Edition {{ current.edition }}</h2>
        <p>{{ current.note }}</p>
        <p class="soft">{{ current.publishedBy }}, {{ moment(current.publishedAt) }}</p>
        <h3>
          What it changed <small>{{ current.changes.length }}</small>
        </h3>
        <p v-if="!current.changes.length" class="soft">It is the first of its rulebook.</p>
        <ul>
          <li v-for="change in current.changes" :key="change">{{ change }}</li>
        </ul>
        <button class="ghost" @click="read()">Read its text</button>
      </template>
    </template>
  </Leaf>
</template>

<style scoped>
ul {
  padding-left: 16px;
  margin: 0 0 12px;
}
pre {
  font: 11.5px/1.55 var(--mono);
  font-variant-ligatures: none;
  white-space: pre-wrap;
  border: 1px solid var(--rule);
  border-radius: 5px;
  padding: 10px 12px;
  background: var(--paper);
}
</style>
