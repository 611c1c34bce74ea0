<script setup lang="ts">
const slug = String(useRoute().params['api'])
const session = useSession()
const { filters, set, toggle, clear, typed } = useFilters([
  'from',
  'to',
  'comparison',
  'effect',
  'operation',
  'client',
  'q',
  'change',
] as const)
const { data: detail, refusal } = useLoad(() => api.getApi({ api: slug }))
const { data: revisions } = useLoad(() => api.listRevisions({ api: slug }), ['revision'])
const stages = computed(() => session.shell?.stages ?? [])

const from = computed(
  () => filters.value.from || (detail.value ? usualBefore(detail.value, stages.value) : ''),
)
const to = computed(
  () => filters.value.to || (detail.value ? usualAfter(detail.value, stages.value) : ''),
)
const groups = computed(() =>
  detail.value ? sideChoices(detail.value, stages.value, revisions.value?.items ?? []) : [],
)

const comparison = useComparison(() => {
  const [before, after] = [sideOf(slug, from.value), sideOf(slug, to.value)]
  const { comparison: named, effect, operation, client, q } = filters.value
  return {
    begin: named
      ? () => api.getComparison({ comparison: named })
      : before && after && (() => api.createComparison({}, { before, after })),
    filters: { effect, operation, client, q },
  }
})
const { item, changes, loaded, hasMore } = comparison
watch([from, to, () => filters.value.comparison], () => void comparison.begin(), {
  immediate: true,
})
watch(
  () => ['effect', 'operation', 'client', 'q'].map((name) => filters.value[name as 'q']).join('\n'),
  () => void comparison.list(),
)

const open = reactive(new Set<string>())
const rows = computed(() => foldedRows(changes.value, (operation) => open.has(operation)))
const { selected, current } = useRows(() => rows.value, {
  open: (row) => ('folded' in row ? void open.add(row.operation) : undefined),
  naming: {
    key: (row) => ('change' in row ? String(row.change.change) : ''),
    wanted: () => filters.value.change,
  },
})
function choose(index: number) {
  selected.value = index
  const row = rows.value[index]
  if (row && 'change' in row) void set({ change: String(row.change.change) })
}

const isAsking = ref(false)
const sending = useAct()
/** Compares what is on the left with a file that is not in the register. */
async function send(files: NamedFile[]) {
  const [only] = files
  const before = sideOf(slug, from.value)
  if (!only || !before) return
  const made = await sending.act(() =>
    api.createFileComparison({ ...before, file: only.name }, only.file),
  )
  if (!made) return
  isAsking.value = false
  await set({ comparison: made.comparison, change: '', effect: '' })
}
const leaveFile = (changes: Parameters<typeof set>[0]) =>
  set({ ...changes, comparison: '', change: '', operation: '', client: '' })

const all = computed(() => {
  const { breaking, risky, safe } = item.value?.counts ?? { breaking: 0, risky: 0, safe: 0 }
  return breaking + risky + safe
})
const touched = computed(() => {
  const names = new Set((item.value?.touched ?? []).map(({ client }) => client))
  const anybody = names.delete('')
  return { clients: [...names], anybody }
})
/** Between names of a list, by how many are left. */
const separators = ['', '', ' and ', ', ']
const chooseClient = () =>
  document.querySelector<HTMLSelectElement>('select[aria-label="Client"]')?.showPicker()
const q = typed('q')
const isFiltered = computed(() =>
  (['effect', 'operation', 'client', 'q'] as const).some((name) => filters.value[name] !== ''),
)
const titleOf = ({ version, title }: { version: string; title: string }) => version || title

const saving = useAct()
async function saveChangelog() {
  const { comparison: id, before, after } = item.value!
  const text = await saving.act(() => api.getComparisonReport({ comparison: id }))
  if (text !== undefined)
    offer(text, `${slug}-${titleOf(before)}-to-${titleOf(after)}.md`.replace(/[^\w.-]+/g, '-'))
}
</script>

<template>
  <Leaf>
    <Trouble :refusal="refusal" />
    <template v-if="detail">
      <ApiHead :detail="detail" />
      <p v-if="item?.state === 'done'" class="sentence about">
        Of {{ count(all, 'change') }} from {{ titleOf(item.before) }} to {{ titleOf(item.after) }},
        <button
          class="copper"
          :aria-pressed="filters.effect === 'breaking'"
          @click="toggle('effect', 'breaking')"
        >
          {{ figure(item.counts.breaking) }}
          {{ item.counts.breaking === 1 ? 'is' : 'are' }} breaking</button
        >,
        <button
          class="ochre"
          :aria-pressed="filters.effect === 'risky'"
          @click="toggle('effect', 'risky')"
        >
          {{ figure(item.counts.risky) }} risky</button
        >,
        <button
          class="elm"
          :aria-pressed="filters.effect === 'safe'"
          @click="toggle('effect', 'safe')"
        >
          {{ figure(item.counts.safe) }} safe</button
        >.
        <template v-if="touched.clients.length || touched.anybody">
          <template v-if="touched.clients.length <= 3"
            ><template v-for="(client, i) in touched.clients" :key="client"
              ><button
                class="copper"
                :aria-pressed="filters.client === client"
                @click="toggle('client', client)"
              >
                {{ client }}</button
              >{{ separators[touched.clients.length - i] }}</template
            ></template
          ><button v-else class="copper" @click="chooseClient()">
            {{ count(touched.clients.length, 'client') }}
          </button>
          <template v-if="touched.anybody">{{
            touched.clients.length ? ' and anybody without a key' : 'Anybody without a key'
          }}</template>
          can reach what breaks.
        </template>
        <template v-if="item.fitting"
          >The number that fits is {{ item.fitting.fits
          }}<b v-if="!item.fitting.isEnough" class="copper-text"
            >; {{ item.after.version }} says too little</b
          >.</template
        >
      </p>
      <div class="bar">
        <ComparisonSideChip
          label="From"
          :groups="groups"
          :model-value="from"
          @update:model-value="leaveFile({ from: $event })"
        />
        <ComparisonSideChip
          label="To"
          :groups="groups"
          :model-value="filters.comparison ? '' : to"
          @update:model-value="leaveFile({ to: $event })"
        >
          <option v-if="filters.comparison" value="">{{ item?.after.title ?? 'a file' }}</option>
        </ComparisonSideChip>
        <FilterChip
          v-if="item?.clients.length"
          label="Client"
          :model-value="filters.client"
          :options="choicesOf(item.clients)"
          @update:model-value="set({ client: $event })"
        />
        <input
          v-model="q"
          class="p-inputtext find"
          type="search"
          aria-label="Find in changes"
          placeholder="Find in changes"
        />
        <button
          v-if="isFiltered"
          class="plain"
          @click="set({ effect: '', operation: '', client: '', q: '' })"
        >
          Clear
        </button>
        <span class="end">
          <button class="plain" :aria-expanded="isAsking" @click="isAsking = !isAsking">
            Compare a file
          </button>
          <button v-if="item?.state === 'done'" class="plain" @click="saveChangelog()">
            Changelog
          </button>
        </span>
      </div>
      <DropZone v-if="isAsking" @files="send"
        >Drop a definition to compare {{ from ? 'with it' : '' }}; it is not kept</DropZone
      >
      <Trouble
        :refusal="comparison.refusal.value ?? sending.refusal.value ?? saving.refusal.value"
      />
      <div v-if="!from" class="empty">
        <p>
          There is one revision, so there is nothing to compare it with yet. Compare a file, or save
          a next revision in the source.
        </p>
      </div>
      <p v-else-if="item?.state === 'failed'" class="trouble" role="alert">{{ item.trouble }}</p>
      <p v-else-if="item && item.state !== 'done'" class="soft" role="status">
        Comparing …
        {{ item.total ? `${item.done} of ${count(item.total, 'operation')}` : 'reading both' }}
        <progress :value="item.done" :max="item.total || 1" />
      </p>
      <div v-else-if="item && all === 0" class="empty">
        <p>Nothing that the contract says; only the text differs, if at all.</p>
      </div>
      <div v-else-if="item && loaded && !rows.length" class="empty">
        <p>No change fits these filters.</p>
        <button class="ghost" @click="clear()">Show all changes</button>
      </div>
      <ComparisonChangeRows
        v-if="rows.length"
        :rows="rows"
        :selected="selected"
        :operation="filters.operation"
        @operation="toggle('operation', $event)"
        @choose="choose"
        @unfold="open.add($event)"
      />
      <p v-if="hasMore">
        <button class="ghost" @click="comparison.more()">
          Show more; {{ changes.length }} are shown
        </button>
      </p>
    </template>
    <template #margin>
      <ComparisonChangeMargin
        v-if="item && current && 'change' in current"
        :item="item"
        :change="current.change"
      />
      <p v-else-if="current && 'folded' in current" class="soft">
        Descriptions, examples and order: nobody’s program notices them. Press Enter to see each.
      </p>
    </template>
  </Leaf>
</template>

<style scoped>
.about {
  margin-top: 14px;
}
.find {
  width: 140px;
}
.end {
  display: flex;
  gap: 12px;
}
</style>
