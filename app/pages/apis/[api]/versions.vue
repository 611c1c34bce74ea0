<script setup lang="ts">
import { effects } from '~~/core/compare/model'
import type { ComparisonChange } from '~~/shared/api/comparisons'

const slug = String(useRoute().params['api'])
const { filters, set, toggle } = useFilters(['revision', 'from', 'kind', 'version'])
const { data: detail, refusal } = useLoad(() => api.getApi({ api: slug }))
const { data: revisions } = useLoad(() => api.listRevisions({ api: slug }), ['revision'])
const items = computed(() =>
  (revisions.value?.items ?? []).filter(
    ({ version }) => !filters.value.version || version === filters.value.version,
  ),
)
const versions = computed(() => [
  ...new Set((revisions.value?.items ?? []).map((item) => item.version)),
])
const { selected, current } = useRows(() => items.value, {
  open: (item) => navigateTo({ path: `/apis/${slug}/source`, query: { revision: item.revision } }),
  naming: { key: ({ revision }) => String(revision), wanted: () => filters.value.revision },
})
function choose(revision: number, index: number) {
  selected.value = index
  void set({ revision: String(revision), from: '' })
}
const from = computed(
  () => Number(filters.value.from) || (current.value ? current.value.revision - 1 : 0),
)
const {
  item: compared,
  changes,
  loaded,
  hasMore,
  refusal: changesRefusal,
  begin,
  list: listAgain,
} = useComparison(() => {
  const after = current.value?.revision ?? 0
  const before = from.value
  return {
    begin:
      before < 1
        ? undefined
        : () =>
            api.createComparison(
              {},
              { before: { api: slug, revision: before }, after: { api: slug, revision: after } },
            ),
    filters: { effect: filters.value.kind, operation: '', client: '', q: '' },
  }
})
watch([current, from], () => void begin(), { immediate: true })
watch(
  () => filters.value.kind,
  () => void listAgain(),
)
const groups = computed(() => {
  const bySubject = new Map<string, ComparisonChange[]>()
  for (const change of changes.value)
    bySubject.set(change.subject, [...(bySubject.get(change.subject) ?? []), change])
  return [...bySubject]
})
const toComparison = computed(() => ({
  path: `/apis/${slug}/compare`,
  query: { from: `revision ${from.value}`, to: `revision ${current.value?.revision}` },
}))
const signs = { added: '+', changed: '~', removed: '−', renamed: '~', moved: '~' }
</script>

<template>
  <Leaf>
    <Trouble :refusal="refusal" />
    <template v-if="detail">
      <ApiHead :detail="detail" />
      <p class="sentence about">
        {{ spelled(revisions?.items.length ?? 0) }} revisions of
        {{ count(versions.length, 'version') }}; a revision is kept byte for byte and never changes.
      </p>
      <div class="bar">
        <FilterChip
          label="Version"
          :model-value="filters.version"
          :options="versions.map((value) => ({ value, label: value }))"
          @update:model-value="set({ version: $event })"
        />
      </div>
      <table class="ruled">
        <thead>
          <tr>
            <th>Revision</th>
            <th>Version</th>
            <th>Format</th>
            <th>must · should · may</th>
            <th>Saved</th>
            <th>By</th>
            <th class="right">Size</th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="(item, i) in items"
            :key="item.revision"
            :class="{ on: i === selected }"
            @click="choose(item.revision, i)"
          >
            <td>
              <NuxtLink
                class="plain"
                :to="{ path: `/apis/${slug}/source`, query: { revision: item.revision } }"
                >{{ item.revision }}</NuxtLink
              >
            </td>
            <td class="mono">
              {{ item.version }}
              <span v-if="detail.versions.includes(item.version)" class="soft small">fixed</span>
            </td>
            <td>{{ item.format }}</td>
            <td><Counts :counts="item.findings" /></td>
            <td :title="item.savedAt">{{ moment(item.savedAt) }}</td>
            <td>{{ item.savedBy }}</td>
            <td class="right mono">{{ (item.bytes / 1024).toFixed(1) }} kB</td>
          </tr>
        </tbody>
      </table>
    </template>
    <template #margin>
      <template v-if="current">
        <h2>What changed</h2>
        <p class="soft">
          in revision {{ current.revision }} since
          <select
            :value="String(from)"
            aria-label="Compare with revision"
            @change="set({ from: textOf($event) })"
          >
            <option v-if="from < 1" value="0">nothing before</option>
            <option
              v-for="item in (revisions?.items ?? []).filter(
                (other) => other.revision !== current!.revision,
              )"
              :key="item.revision"
              :value="String(item.revision)"
            >
              {{ item.revision }} ({{ item.version }})
            </option>
          </select>
        </p>
        <Trouble :refusal="changesRefusal" />
        <p v-if="from < 1" class="soft">This is the first revision.</p>
        <p v-else-if="compared?.state === 'failed'" class="trouble">{{ compared.trouble }}</p>
        <p v-else-if="compared?.state !== 'done'" class="soft">Comparing …</p>
        <template v-else>
          <p>
            <button
              v-for="kind in effects"
              :key="kind"
              class="plain kind"
              :aria-pressed="filters.kind === kind"
              @click="toggle('kind', kind)"
            >
              {{ compared.counts[kind] }} {{ kind }}
            </button>
          </p>
          <p><NuxtLink class="plain" :to="toComparison">Open the comparison</NuxtLink></p>
          <p v-if="loaded && !changes.length && !filters.kind" class="soft">
            Nothing that the contract says; only the text differs.
          </p>
          <div v-for="[subject, own] in groups" :key="subject" class="subject">
            <code>{{ subject }}</code>
            <ul>
              <li v-for="change in own" :key="change.change" :class="[change.kind, change.effect]">
                <i :aria-label="change.kind">{{ signs[change.kind] }}</i>
                <NuxtLink
                  class="change"
                  :to="{ ...toComparison, query: { ...toComparison.query, change: change.change } }"
                  >{{ change.message }}</NuxtLink
                >
                <b v-if="change.effect !== 'safe'" class="effect" :class="change.effect">{{
                  change.effect
                }}</b>
              </li>
            </ul>
          </div>
          <p v-if="hasMore"><NuxtLink :to="toComparison">All changes</NuxtLink></p>
        </template>
      </template>
    </template>
  </Leaf>
</template>

<style scoped>
.about {
  margin-top: 14px;
}
tr {
  cursor: pointer;
}
.kind {
  margin-right: 10px;
}
.kind[aria-pressed='true'] {
  background: var(--faint);
}
.subject {
  border-top: 1px dotted var(--rule);
  padding: 6px 0;
}
.subject code {
  font-weight: 600;
  overflow-wrap: anywhere;
}
ul {
  list-style: none;
  margin: 3px 0 0;
  padding: 0;
}
li {
  padding-left: 14px;
  text-indent: -14px;
  overflow-wrap: anywhere;
}
li i {
  font: 700 12px var(--mono);
  display: inline-block;
  width: 12px;
  text-indent: 0;
}
.effect {
  margin-left: 4px;
}
.change {
  color: inherit;
  text-decoration: none;
}
.change:hover {
  text-decoration: underline;
}
.added i {
  color: var(--elm);
}
.removed i {
  color: var(--copper);
}
.changed i,
.renamed i,
.moved i {
  color: var(--ochre);
}
</style>
