<script setup lang="ts">
import { wordPattern } from '~~/core/contract/search'
import type { SearchItem, SearchMatch, SearchPage } from '~~/shared/api/reading'

const names = [
  'q',
  'team',
  'format',
  'audience',
  'lifecycle',
  'stage',
  'tag',
  'level',
  'step',
] as const
const { filters, set, toggle, clear } = useFilters(names)
const page = shallowRef<SearchPage>()
const { refusal, act, busy } = useAct()
let running: AbortController | undefined

async function look() {
  running?.abort()
  running = new AbortController()
  const { signal } = running
  try {
    const found = await api.listMatches({ ...filters.value, limit: 50 }, { signal: signal })
    if (!signal.aborted) page.value = found
    refusal.value = undefined
  } catch (error) {
    if (!signal.aborted) refusal.value = asRefusal(error)
  }
}
watch(filters, () => void look(), { immediate: true, deep: true })
useChanges(look, ['revision', 'api', 'placement'])

async function more() {
  const next = page.value?.nextCursor
  if (!next) return
  const found = await act(() => api.listMatches({ ...filters.value, limit: 50, cursor: next }))
  if (found) page.value = { ...found, items: [...page.value!.items, ...found.items] }
}

const items = computed(() => page.value?.items ?? [])
const { selected } = useRows(() => items.value, { open: (item) => navigateTo(`/apis/${item.api}`) })
const heads: Record<string, string> = {
  team: 'Team',
  format: 'Format',
  audience: 'Audience',
  lifecycle: 'Lifecycle',
  stage: 'In stage',
  tag: 'Tag',
  level: 'Findings',
  step: 'With its gateways',
}
const words: Record<string, string> = {
  'in-step': 'in step',
  differs: 'differs',
  unseen: 'not seen',
  'not-placed': 'not placed',
  none: 'none at all',
}
const active = computed(() => names.filter((name) => name !== 'q' && filters.value[name]))
const to = (item: SearchItem, match: SearchMatch) =>
  match.kind === 'api'
    ? `/apis/${item.api}`
    : { path: `/apis/${item.api}/source`, query: { file: match.file, line: match.line } }

/** What was looked for, as it may stand in a text. */
const wanted = computed(() =>
  [...(filters.value.q.match(wordPattern) ?? []), ...(page.value?.corrected ?? [])]
    .map((word) => word.toLowerCase())
    .filter((word) => word.length > 1),
)
</script>

<template>
  <Leaf>
    <h1>Find</h1>
    <p class="sentence" role="status">
      <template v-if="!page">Looking …</template>
      <template v-else-if="filters.q">
        {{ page.more ? 'At least ' : '' }}{{ count(page.total, 'API says', 'APIs say') }} something
        of “{{ filters.q }}”<template v-if="page.corrected.length"
          >, read as <b>{{ page.corrected.join(', ') }}</b></template
        >.
      </template>
      <template v-else
        >{{ count(page.total, 'API') }} in the register; type above to look into them.</template
      >
      <template v-if="active.length">
        Only
        <button v-for="name in active" :key="name" aria-pressed="true" @click="set({ [name]: '' })">
          {{ heads[name]?.toLowerCase() }} {{ words[filters[name]] ?? filters[name] }}
        </button>
        .
        <button @click="clear()">Clear all</button>
      </template>
    </p>
    <Trouble :refusal="refusal" />
    <ol class="results">
      <li v-for="(item, i) in items" :key="item.api" :class="{ on: i === selected }">
        <div class="head">
          <NuxtLink class="title" :to="`/apis/${item.api}`"
            ><Marked :text="item.title" :words="wanted"
          /></NuxtLink>
          <span class="fmt">{{ item.format }}</span>
          <span class="mono soft">{{ item.version }}</span>
          <span class="soft">{{ item.team }}</span>
          <span v-if="item.lifecycle !== 'active'" class="level SHOULD">{{ item.lifecycle }}</span>
        </div>
        <NuxtLink v-for="(match, m) in item.matches" :key="m" class="match" :to="to(item, match)">
          <span class="kind">{{ match.kind === 'api' ? 'about' : match.kind }}</span>
          <span class="words">
            <code v-if="match.kind !== 'api'"><Marked :text="match.name" :words="wanted" /></code>
            <span class="soft"><Marked :text="match.words" :words="wanted" /></span>
          </span>
          <span v-if="match.kind !== 'api'" class="soft place">line {{ match.line }}</span>
        </NuxtLink>
        <p v-if="item.places > item.matches.length" class="soft small">
          and {{ count(item.places - item.matches.length, 'more place') }}
        </p>
      </li>
    </ol>
    <div v-if="page && !items.length" class="empty">
      <p>
        Nothing says that. Words are looked for in titles, descriptions, operations, paths, schemas,
        tags and extensions of the newest revisions.
      </p>
      <button v-if="active.length" class="ghost" @click="clear()">Look without filters</button>
      <NuxtLink v-else class="ghost" to="/bring-in">Add a definition</NuxtLink>
    </div>
    <button v-if="page?.nextCursor" class="ghost more" :disabled="busy" @click="more()">
      Show more
    </button>
    <template #margin>
      <template v-for="facet in page?.facets ?? []" :key="facet.name">
        <template v-if="facet.values.length">
          <h3 class="facet">{{ heads[facet.name] }}</h3>
          <button
            v-for="value in facet.values.slice(0, 12)"
            :key="value.value"
            class="value"
            :aria-pressed="filters[facet.name as 'team'] === value.value"
            @click="toggle(facet.name as 'team', value.value)"
          >
            <span>{{ words[value.value] ?? value.value }}</span>
            <code>{{ value.count }}</code>
          </button>
        </template>
      </template>
    </template>
  </Leaf>
</template>

<style scoped>
.results {
  list-style: none;
  margin: 0;
  padding: 0;
  max-width: 900px;
}
.results li {
  padding: 9px 8px 10px;
  border-bottom: 1px solid var(--rule);
}
.results li.on {
  background: var(--faint);
}
.head {
  display: flex;
  gap: 9px;
  align-items: baseline;
  flex-wrap: wrap;
}
.title {
  font: 600 15px var(--title);
}
.match {
  display: flex;
  gap: 9px;
  min-height: 24px;
  padding: 2px 0;
  align-items: baseline;
}
.match:hover code {
  text-decoration: underline;
}
.kind {
  width: 66px;
  flex: none;
  color: var(--slate);
  font-size: 11.5px;
}
.words {
  flex: 1;
  min-width: 0;
  overflow-wrap: anywhere;
}
.words code {
  margin-right: 7px;
}
.place {
  font-size: 11.5px;
  white-space: nowrap;
}
.facet {
  margin: 14px 0 4px;
}
.facet:first-child {
  margin-top: 0;
}
.value {
  display: flex;
  justify-content: space-between;
  width: 100%;
  border: 0;
  background: none;
  min-height: 24px;
  padding: 2px 5px;
  border-radius: 4px;
  cursor: pointer;
  text-align: left;
  font-size: 12.5px;
}
.value:hover {
  background: var(--faint);
}
.value[aria-pressed='true'] {
  background: var(--elm-wash);
  font-weight: 600;
}
.value code {
  color: var(--soft);
}
.more {
  align-self: start;
  margin-top: 12px;
}
</style>
