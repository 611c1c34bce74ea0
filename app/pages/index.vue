<script setup lang="ts">
import { lifecycles } from '~~/shared/words'
import type { RegisterRow } from '~~/shared/api/catalog'

const { data, refusal } = useLoad(() => api.listApis())
const { filters, set, toggle, clear, any } = useFilters([
  'q',
  'team',
  'format',
  'lifecycle',
  'only',
  'sort',
  'api',
] as const)

const rows = computed(() => data.value?.items ?? [])
const stages = computed(() => data.value?.stages ?? [])
const differing = (row: RegisterRow) => row.cells.some((cell) => cell.mark === 'differs')
const unseen = (row: RegisterRow) => row.cells.some((cell) => cell.mark === 'unseen')
const only: Record<string, (row: RegisterRow) => boolean> = {
  differs: differing,
  must: (row) => row.findings.must > 0,
  waiting: (row) => row.waiting > 0,
  unseen,
}
const placementsDiffer = computed(
  () => rows.value.flatMap((row) => row.cells).filter((cell) => cell.mark === 'differs').length,
)
const breaking = computed(() => rows.value.filter((row) => row.findings.must > 0).length)
const waiting = computed(() => rows.value.reduce((sum, row) => sum + row.waiting, 0))
const notSeen = computed(() => rows.value.filter(unseen).length)

const attention = (row: RegisterRow) =>
  (differing(row) ? 1000 : 0) +
  (unseen(row) ? 400 : 0) +
  row.waiting * 200 +
  row.findings.must * 20 +
  row.findings.should
const sorts: Record<string, (a: RegisterRow, b: RegisterRow) => number> = {
  '': (a, b) => attention(b) - attention(a) || a.title.localeCompare(b.title),
  title: (a, b) => a.title.localeCompare(b.title),
  saved: (a, b) => b.savedAt.localeCompare(a.savedAt),
}
const shown = computed(() => {
  const { q, team, format, lifecycle, only: which, sort } = filters.value
  const words = q.toLowerCase().split(/\s+/).filter(Boolean)
  return rows.value
    .filter((row) => {
      const text =
        `${row.title} ${row.api} ${row.team} ${row.version} ${row.cells.map((cell) => cell.version).join(' ')}`.toLowerCase()
      const alive =
        lifecycle === 'all' ||
        (lifecycle ? row.lifecycle === lifecycle : row.lifecycle !== 'retired')
      return (
        words.every((word) => text.includes(word)) &&
        (!team || row.team === team) &&
        (!format || row.format === format) &&
        alive &&
        (only[which]?.(row) ?? true)
      )
    })
    .sort(sorts[sort] ?? sorts[''])
})
const options = (pick: (row: RegisterRow) => string) => choicesOf(rows.value.map(pick).sort())

const { selected, current } = useRows(() => shown.value, {
  open: (row) => navigateTo(`/apis/${row.api}/source`),
  naming: { key: (row) => row.api, wanted: () => filters.value.api },
})
function select(index: number) {
  selected.value = index
  const row = shown.value[index]
  if (row) void set({ api: row.api })
}

const chips = computed(() => [
  { name: 'team' as const, label: 'Team', options: options((row) => row.team) },
  { name: 'format' as const, label: 'Format', options: options((row) => row.format) },
  {
    name: 'lifecycle' as const,
    label: 'Lifecycle',
    any: 'all but retired',
    options: choicesOf([...lifecycles, 'all']),
  },
  {
    name: 'sort' as const,
    label: 'Sorted by',
    any: 'what needs attention',
    options: [
      { value: 'title', label: 'title' },
      { value: 'saved', label: 'last saved' },
    ],
  },
])
</script>

<template>
  <Leaf>
    <h1>Register</h1>
    <Trouble :refusal="refusal" />
    <p v-if="data && rows.length" class="sentence">
      {{ spelled(rows.length) }} {{ rows.length === 1 ? 'API' : 'APIs' }} across
      {{ spelled(stages.length).toLowerCase() }} stages.
      <button
        class="copper"
        :aria-pressed="filters.only === 'differs'"
        @click="toggle('only', 'differs')"
      >
        {{ count(placementsDiffer, 'stage differs', 'stages differ') }}
      </button>
      from what was approved,
      <button class="ochre" :aria-pressed="filters.only === 'must'" @click="toggle('only', 'must')">
        {{ count(breaking, 'API breaks', 'APIs break') }} a MUST</button
      >, and
      <button
        class="elm"
        :aria-pressed="filters.only === 'waiting'"
        @click="toggle('only', 'waiting')"
      >
        {{ count(waiting, 'promotion waits', 'promotions wait') }}</button>.
      <template v-if="notSeen"
        ><button :aria-pressed="filters.only === 'unseen'" @click="toggle('only', 'unseen')">
          {{ count(notSeen, 'API has', 'APIs have') }}
        </button>
        not been seen on a gateway since it was due.</template
      >
    </p>
    <FilterBar
      v-if="rows.length"
      :filters="filters"
      :chips="chips"
      :any="any"
      @set="set"
      @clear="clear()"
      ><NuxtLink to="/bring-in" class="fill end">Add definition</NuxtLink></FilterBar
    >
    <div v-if="data && !rows.length" class="empty">
      <p>The register holds every API with where its versions run. It is empty.</p>
      <NuxtLink to="/bring-in" class="fill">Bring in the first definition</NuxtLink>
    </div>
    <template v-else-if="data">
      <div class="grid head" :style="{ '--stages': stages.length }">
        <span>API</span><span>must · should · may</span
        ><span v-for="stage in stages" :key="stage">{{ stage }}</span>
      </div>
      <div v-if="!shown.length" class="empty">
        <p>No API fits these filters.</p>
        <button class="ghost" @click="clear()">Show all {{ rows.length }}</button>
      </div>
      <RowList v-else :items="shown" :size="45" :selected="selected" label="APIs">
        <template #default="{ item, index, on }">
          <div
            class="grid row"
            :class="{ on }"
            :style="{ '--stages': stages.length }"
            @click="select(index)"
            @dblclick="navigateTo(`/apis/${item.api}/source`)"
          >
            <div class="name">
              <span class="title"
                ><NuxtLink :to="`/apis/${item.api}/source`" @focus="selected = index"
                  ><b>{{ item.title }}</b></NuxtLink
                ><span class="fmt">{{ item.format }}</span></span
              >
              <small
                >{{ item.team }}{{ item.confidential ? ', confidential' : '' }} · written
                {{ item.version }}, {{ ago(item.savedAt) }}</small
              >
            </div>
            <NuxtLink :to="{ path: '/findings', query: { api: item.api } }" @click.stop
              ><Counts :counts="item.findings"
            /></NuxtLink>
            <template
              v-for="run in runsOf(stages, item.cells)"
              :key="'empty' in run ? run.empty : run.from"
            >
              <span
                v-if="'empty' in run"
                class="nil"
                :style="{ gridColumn: run.empty + 3 }"
                title="Not placed"
                >·</span
              >
              <NuxtLink
                v-else
                :to="`/apis/${item.api}/placements`"
                :style="{ gridColumn: `${run.from + 3} / ${run.to + 4}` }"
                @click.stop
                ><RunBar :run="run" :stages="stages"
              /></NuxtLink>
            </template>
          </div>
        </template>
      </RowList>
    </template>
    <template #margin>
      <RegisterMargin v-if="current" :key="current.api" :row="current" />
      <p v-else class="soft">What is to be said about the selected API stands here.</p>
    </template>
  </Leaf>
</template>

<style scoped>
.grid {
  display: grid;
  grid-template-columns: minmax(220px, 34%) 100px repeat(var(--stages), minmax(0, 1fr));
  align-items: center;
  column-gap: 16px;
  padding: 0 8px;
}
.head {
  font: 600 11.5px var(--body);
  color: var(--soft);
  padding-bottom: 5px;
  border-bottom: 2px solid var(--ink);
}
.head span:nth-child(2) {
  font-size: 10.5px;
  white-space: nowrap;
}
.row {
  height: 45px;
  border-bottom: 1px solid var(--rule);
  cursor: pointer;
}
.row.on {
  background: var(--faint);
  box-shadow: inset 3px 0 0 var(--elm);
}
.name {
  min-width: 0;
  white-space: nowrap;
}
.title {
  display: flex;
  align-items: baseline;
}
.title a {
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
}
.name b {
  font-weight: 620;
  font-size: 13.5px;
}
.name small {
  display: block;
  color: var(--soft);
  font-size: 11.5px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.name .fmt {
  flex: none;
  margin-left: 6px;
}
.nil {
  color: var(--quiet);
  padding-left: 11px;
  font: 12px var(--mono);
}
</style>
