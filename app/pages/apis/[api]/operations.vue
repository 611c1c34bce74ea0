<script setup lang="ts">
import { calledBy } from '~~/shared/operation-name'
import type { OperationItem, RevisionDetail } from '~~/shared/api/catalog'
import type { OperationReading, SchemaReading } from '~~/shared/api/reading'

const slug = String(useRoute().params['api'])
const { filters, set, typed, toggle } = useFilters(['q', 'tag', 'method', 'show'])
const { data: detail, refusal } = useLoad(
  () => api.getApi({ api: slug }),
  ['revision', 'api', 'placement'],
)
const revision = shallowRef<RevisionDetail>()
const loading = useLatest()
watch(
  () => detail.value?.latest.revision,
  (number) =>
    number &&
    void loading.act(
      () => api.getRevision({ api: slug, revision: number }),
      (read) => (revision.value = read),
    ),
)
provideSchemas(
  () => slug,
  () => revision.value?.revision ?? 0,
)
const q = typed('q')

interface Row {
  key: string
  kind: 'operation' | 'webhook' | 'schema'
  position: number
  name: string
  method?: string
  tags: string[]
  summary?: string
  deprecated: boolean
  file: string
  line: number
}
const rows = computed<Row[]>(() => {
  const { operations = [], webhooks = [], schemas = [] } = revision.value ?? {}
  const toRow = (item: OperationItem, position: number): Row => ({
    key: `o${position}`,
    kind: 'operation',
    position,
    ...calledBy(item),
    tags: item.tags,
    deprecated: item.deprecated,
    file: item.file,
    line: item.line,
    ...((item.summary ?? item.soap?.action) !== undefined && {
      summary: item.summary ?? item.soap!.action,
    }),
  })
  const named =
    (kind: Row['kind']) =>
    (item: { name: string; file: string; line: number }, position: number): Row => ({
      key: `${kind === 'webhook' ? 'w' : 's'}${position}`,
      kind,
      position,
      tags: [kind === 'webhook' ? 'Webhooks' : 'Schemas'],
      deprecated: false,
      ...item,
    })
  return [
    ...operations.map(toRow),
    ...webhooks.map(named('webhook')),
    ...schemas.map(named('schema')),
  ]
})
const tags = computed(() => [...new Set(rows.value.flatMap((row) => row.tags))])
const methods = computed(() => [...new Set(rows.value.flatMap((row) => row.method ?? []))])
const shown = computed(() => {
  const { tag, method } = filters.value
  const words = filters.value.q.toLowerCase()
  return rows.value.filter(
    (row) =>
      (!tag || row.tags.includes(tag)) &&
      (!method || row.method === method) &&
      `${row.method ?? ''} ${row.name} ${row.summary ?? ''}`.toLowerCase().includes(words),
  )
})
const { selected, current } = useRows(() => shown.value, {
  open: (row) => set({ show: row.key }),
  naming: { key: (row) => row.key, wanted: () => filters.value.show },
})
const choose = (row: Row, index: number) => {
  selected.value = index
  void set({ show: row.key })
}

type Reading =
  { operation: true; part: OperationReading } | { operation: false; part: SchemaReading }
const reading = shallowRef<Reading>()
async function read(
  { kind, name, position }: Row,
  place: { api: string; revision: number },
): Promise<Reading> {
  if (kind === 'schema')
    return { operation: false, part: await api.getSchema({ ...place, schema: name }) }
  const part =
    kind === 'webhook'
      ? await api.getWebhook({ ...place, webhook: position })
      : await api.getOperation({ ...place, operation: position })
  return { operation: true, part }
}
const readingOf = ref('')
const partRefusal = ref<Refusal>()
watch(
  [current, revision],
  async ([row, about]) => {
    if (!row || !about || readingOf.value === `${about.revision}${row.key}`) return
    const wanted = `${about.revision}${row.key}`
    readingOf.value = wanted
    try {
      const found = await read(row, { api: slug, revision: about.revision })
      if (readingOf.value === wanted) reading.value = found
    } catch (error) {
      partRefusal.value = asRefusal(error)
    }
  },
  { immediate: true },
)
const operation = computed(() => (reading.value?.operation ? reading.value.part.detail : undefined))
const source = computed(() => ({
  path: `/apis/${slug}/source`,
  query: { file: reading.value?.part.file, line: reading.value?.part.line },
}))
</script>

<template>
  <Leaf>
    <Trouble :refusal="refusal ?? loading.refusal.value" />
    <template v-if="detail">
      <ApiHead :detail="detail" />
      <div class="bar tools">
        <input
          v-model="q"
          type="search"
          placeholder="Filter operations"
          aria-label="Filter operations"
        />
        <FilterChip
          v-if="methods.length > 1"
          label="Method"
          :model-value="filters.method"
          :options="methods.map((value) => ({ value, label: value }))"
          @update:model-value="set({ method: $event })"
        />
        <FilterChip
          label="Under"
          :model-value="filters.tag"
          :options="tags.map((value) => ({ value, label: value }))"
          @update:model-value="set({ tag: $event })"
        />
        <span class="soft end">{{ shown.length }} of {{ rows.length }}</span>
      </div>
      <div class="two">
        <RowList
          v-if="shown.length"
          :items="shown"
          :size="40"
          :selected="selected"
          label="Operations"
          class="list"
        >
          <template #default="{ item, index, on }">
            <button :class="{ on }" @click="choose(item, index)">
              <span class="method">{{ item.method ?? item.kind }}</span>
              <span class="what">
                <code :class="{ gone: item.deprecated }">{{ item.name }}</code>
                <small>{{ item.summary ?? item.tags[0] }}</small>
              </span>
            </button>
          </template>
        </RowList>
        <p v-else class="soft">
          Nothing by that name.
          <button class="plain" @click="set({ q: '', tag: '', method: '' })">Show all</button>
        </p>
        <article v-if="reading && current" :key="readingOf">
          <h2>
            <template v-if="current.method">{{ current.method }}</template> {{ current.name }}
          </h2>
          <p class="soft small">
            <NuxtLink class="plain" :to="source"
              >{{ reading.part.file }}, line {{ reading.part.line }}</NuxtLink
            >
            <template v-if="operation?.id">
              · <code>{{ operation.id }}</code></template
            >
            <template v-for="tag in operation?.tags ?? []" :key="tag">
              · <button class="plain" @click="toggle('tag', tag)">{{ tag }}</button></template
            >
            <span v-if="operation?.deprecated" class="level SHOULD">deprecated</span>
          </p>
          <OperationView v-if="reading.operation" :operation="reading.part.detail" />
          <SchemaTree v-else :schema="reading.part.detail" open />
        </article>
        <Trouble v-else :refusal="partRefusal" />
      </div>
    </template>
    <p v-else-if="!refusal" class="soft">Reading …</p>
  </Leaf>
</template>

<style scoped>
.tools {
  margin: 12px 0 8px;
}
.tools input {
  border: 1px solid var(--rule);
  border-radius: 5px;
  background: var(--paper);
  color: var(--ink);
  padding: 4px 9px;
  width: 220px;
}
.two {
  display: grid;
  grid-template-columns: minmax(260px, 34%) minmax(0, 1fr);
  gap: 22px;
  flex: 1;
  min-height: 0;
}
.list {
  border-top: 1px solid var(--rule);
}
.list button {
  height: 40px;
  width: 100%;
  display: flex;
  gap: 8px;
  align-items: center;
  border: 0;
  border-bottom: 1px solid var(--rule);
  background: none;
  text-align: left;
  cursor: pointer;
  padding: 0 6px;
}
.list button.on {
  background: var(--faint);
}
.list .method {
  width: 58px;
  flex: none;
}
.what {
  min-width: 0;
  display: grid;
}
.what code,
.what small {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.what small {
  color: var(--soft);
  font-size: 11.5px;
}
.gone {
  text-decoration: line-through;
}
article {
  overflow: auto;
  padding: 0 4px 24px 0;
}
article h2 {
  font: 600 15px var(--mono);
  overflow-wrap: anywhere;
}
</style>
