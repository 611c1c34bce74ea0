<script setup lang="ts">
import { addressOf } from '~~/shared/client/client'
import { valueChanges } from '~~/core/ledger/differences'
import type { LedgerEntry, Verification } from '~~/shared/api/ledger'

const { filters, set, typed, clear, any } = useFilters([
  'search',
  'api',
  'action',
  'person',
  'since',
  'until',
  'entry',
] as const)
const search = typed('search')
const entries = ref<LedgerEntry[]>([])
const cursor = ref<string>()
const { refusal, busy, act } = useAct()
const asked = computed(() => {
  const { search: words, api: slug, action, person, since, until } = filters.value
  return { search: words, api: slug, action, person, since, until }
})
async function load(more = false) {
  await act(async () => {
    const page = await api.listLedgerEntries({
      ...asked.value,
      limit: 60,
      ...(more && { cursor: cursor.value }),
    })
    entries.value = more ? [...entries.value, ...page.items] : page.items
    cursor.value = page.nextCursor
  })
}
void load()
useChanges(() => load())
watch(asked, (now, before) => {
  if (JSON.stringify(now) !== JSON.stringify(before)) void load()
})
const session = useSession()
const chips = computed(() => [
  {
    name: 'person' as const,
    label: 'Person',
    options: (session.shell?.people ?? []).map(({ name, displayName }) => ({
      value: name,
      label: displayName,
    })),
  },
  {
    name: 'action' as const,
    label: 'Action',
    options: [
      ['api', 'APIs'],
      ['revision', 'revisions'],
      ['placement', 'placements'],
      ['rollout', 'rollouts'],
      ['key', 'keys'],
      ['drift', 'drift'],
      ['promotion', 'promotions'],
      ['request', 'changes by review'],
      ['rulebook', 'the rulebook'],
      ['waiver', 'waivers'],
    ].map(([value, label]) => ({ value: value!, label: label! })),
  },
])
const { selected, current } = useRows(() => entries.value, {
  naming: { key: (row) => String(row.number), wanted: () => filters.value.entry },
})
const choose = (index: number) => {
  selected.value = index
  void set({ entry: String(entries.value[index]!.number) })
}
const verifying = useAct()
const verdict = ref<Verification>()
const verify = () =>
  verifying.act(async () => {
    verdict.value = await api.verifyLedger()
  })
const show = (value: unknown) =>
  value === undefined || value === null
    ? 'nothing'
    : typeof value === 'string'
      ? value
      : JSON.stringify(value, null, 1)
const changes = computed(() =>
  current.value ? valueChanges(current.value.before, current.value.after) : [],
)
const isShort = (value: unknown) => value !== undefined && show(value).length <= 40
const isBeside = ({ before, after }: { before: unknown; after: unknown }) =>
  isShort(before) && isShort(after)
const fileOf = addressOf('exportLedger')
</script>

<template>
  <Leaf>
    <h1>Ledger</h1>
    <p class="sentence">
      Every change, by whom and when, chained by hash under a tree whose heads are signed and kept
      outside of the database as well.
    </p>
    <Trouble :refusal="refusal ?? verifying.refusal.value" />
    <div v-if="verdict && verdict.brokenAt === undefined" class="good" role="status">
      The ledger holds: {{ count(verdict.checked, 'entry', 'entries') }} computed again, held
      against {{ count(verdict.heads, 'signed head') }}. Root
      <code>{{ verdict.root.slice(0, 16) }}…</code>
      <template v-if="verdict.witness !== 'none'"> Witness: {{ verdict.witness }}.</template>
      <template v-if="verdict.alterable">
        The application’s own role could alter entries here; give it one of its own, with
        ELM_OWNER_URL for the other.</template
      >
    </div>
    <div v-else-if="verdict" class="trouble" role="alert">
      <b>The ledger breaks at entry {{ verdict.brokenAt }}.</b> {{ verdict.why }}. Everything before
      it holds.
      <button class="plain" @click="set({ entry: String(verdict.brokenAt), search: '' })">
        Show it
      </button>
    </div>
    <FilterBar :filters="filters" :chips="chips" :any="any" @set="set" @clear="clear()">
      <InputText
        v-model="search"
        type="search"
        placeholder="Filter by subject, action or person"
        aria-label="Filter the ledger"
        class="search"
      />
      <InputText
        v-model="filters.api"
        placeholder="API"
        aria-label="Only about this API"
        class="short"
        @change="set({ api: textOf($event) })"
      />
      <label class="day"
        >Since <input type="date" :value="filters.since" @change="set({ since: textOf($event) })"
      /></label>
      <label class="day"
        >until <input type="date" :value="filters.until" @change="set({ until: textOf($event) })"
      /></label>
      <a class="ghost end" :href="fileOf" download>Download</a>
      <button class="fill" :disabled="verifying.busy.value" @click="verify()">
        {{ verifying.busy.value ? 'Verifying …' : 'Verify' }}
      </button>
    </FilterBar>
    <div v-if="!busy && !entries.length" class="empty">
      <p>{{ any ? 'No entry fits these filters.' : 'Nothing has been changed yet.' }}</p>
    </div>
    <table v-else class="ruled">
      <thead>
        <tr>
          <th class="right">No.</th>
          <th>When</th>
          <th>Who</th>
          <th>What</th>
          <th>Subject</th>
          <th>Hash</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="(entry, index) in entries"
          :key="entry.number"
          :class="{ on: index === selected }"
          @click="choose(index)"
        >
          <td class="right mono">
            <button class="plain" @click="choose(index)">{{ entry.number }}</button>
          </td>
          <td class="nowrap" :title="entry.at">{{ moment(entry.at) }}</td>
          <td>{{ entry.actorName ?? entry.actor }}</td>
          <td>{{ actionWords(entry.action) }}</td>
          <td class="mono small">{{ entry.subject }}</td>
          <td class="mono small soft">{{ entry.hash.slice(0, 10) }}</td>
        </tr>
      </tbody>
    </table>
    <p v-if="cursor">
      <button class="ghost" :disabled="busy" @click="load(true)">Earlier entries</button>
    </p>
    <template #margin>
      <template v-if="current">
        <h2>Entry {{ current.number }}</h2>
        <p class="soft">
          {{ current.actor }} · {{ actionWords(current.action) }} · {{ current.subject }}<br />{{
            current.at
          }}
        </p>
        <h3>
          What changed <small>{{ changes.length }}</small>
        </h3>
        <p v-if="!changes.length" class="soft">
          The entry says that it happened, and nothing more.
        </p>
        <div v-for="change in changes" :key="change.path" class="change">
          <div class="path">{{ change.path || 'value' }}</div>
          <div :class="{ beside: isBeside(change) }">
            <pre v-if="change.before !== undefined" class="was" tabindex="0">{{
              show(change.before)
            }}</pre>
            <pre v-if="change.after !== undefined" class="is" tabindex="0">{{
              show(change.after)
            }}</pre>
          </div>
        </div>
        <h3>Chain</h3>
        <dl class="chain">
          <dt>quotes</dt>
          <dd>{{ current.previous }}</dd>
          <dt>is</dt>
          <dd>{{ current.hash }}</dd>
        </dl>
      </template>
    </template>
  </Leaf>
</template>

<style scoped>
.search {
  width: 300px;
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
  max-height: 300px;
  overflow: auto;
}
.short {
  width: 150px;
}
.day {
  color: var(--soft);
}
.change {
  margin-bottom: 7px;
}
.path {
  font: 11.5px var(--mono);
  color: var(--soft);
  overflow-wrap: anywhere;
}
.beside {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 4px;
}
.was {
  color: var(--copper);
}
.is {
  color: var(--elm);
}
.chain {
  font: 11px var(--mono);
  display: grid;
  grid-template-columns: 50px 1fr;
  gap: 4px;
  margin: 0;
}
.chain dt {
  color: var(--soft);
}
.chain dd {
  margin: 0;
  overflow-wrap: anywhere;
}
</style>
