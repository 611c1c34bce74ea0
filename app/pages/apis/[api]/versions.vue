<script setup lang="ts">
import type { ChangeItem } from '~~/shared/api/reading'

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
const changes = shallowRef<ChangeItem[]>()
const { busy, refusal: changesRefusal, act } = useAct()
let asked = ''
watch(
  [current, from],
  async ([item, earlier]) => {
    if (!item) return
    const wanted = `${item.revision} ${earlier}`
    asked = wanted
    changes.value = undefined
    if (earlier < 1) {
      changes.value = []
      return
    }
    busy.value = false
    const page = await act(() =>
      api.listChanges({ api: slug, revision: item.revision, from: earlier }),
    )
    if (asked === wanted && page) changes.value = page.items
  },
  { immediate: true },
)
const kinds = ['breaking', 'risky', 'safe'] as const
const counts = computed(() =>
  Object.fromEntries(
    kinds.map((kind) => [
      kind,
      (changes.value ?? []).filter((change) => change.effect === kind).length,
    ]),
  ),
)
const groups = computed(() => {
  const bySubject = new Map<string, ChangeItem[]>()
  for (const change of changes.value ?? []) {
    if (filters.value.kind && change.effect !== filters.value.kind) continue
    bySubject.set(change.subject, [...(bySubject.get(change.subject) ?? []), change])
  }
  return [...bySubject]
})
const signs = { added: '+', changed: '~', removed: '−' }
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
        <p v-else-if="!changes && busy" class="soft">Comparing …</p>
        <template v-else-if="changes">
          <p>
            <button
              v-for="kind in kinds"
              :key="kind"
              class="plain kind"
              :aria-pressed="filters.kind === kind"
              @click="toggle('kind', kind)"
            >
              {{ counts[kind] }} {{ kind }}
            </button>
          </p>
          <p v-if="!changes.length" class="soft">
            Nothing that the contract says; only the text differs.
          </p>
          <div v-for="[subject, list] in groups" :key="subject" class="subject">
            <code>{{ subject }}</code>
            <ul>
              <li v-for="(change, i) in list" :key="i" :class="[change.kind, change.effect]">
                <i :aria-label="change.kind">{{ signs[change.kind] }}</i> {{ change.message }}
                <b v-if="change.effect !== 'safe'" class="effect">{{ change.effect }}</b>
                <details v-if="change.witness" class="witness">
                  <summary>{{ 'request' in change.witness ? 'a request' : 'a response' }}</summary>
                  <pre>{{ JSON.stringify(change.witness, null, 1) }}</pre>
                </details>
              </li>
            </ul>
          </div>
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
  font: 650 10.5px var(--mono);
  color: var(--ochre);
  margin-left: 4px;
}
.breaking .effect {
  color: var(--copper);
}
.witness {
  text-indent: 0;
}
.witness pre {
  font: 11px/1.5 var(--mono);
  background: var(--page);
  border: 1px solid var(--rule);
  border-radius: 5px;
  padding: 4px 8px;
  margin: 2px 0 4px;
  overflow: auto;
  max-height: 220px;
}
.added i {
  color: var(--elm);
}
.removed i {
  color: var(--copper);
}
.changed i {
  color: var(--ochre);
}
</style>
