<script setup lang="ts">
import type { LedgerEntry, Verification } from '~~/shared/api/ledger'

const { filters, set, typed } = useFilters(['search', 'entry'] as const)
const search = typed('search')
const entries = ref<LedgerEntry[]>([])
const cursor = ref<string>()
const { refusal, busy, act } = useAct()
async function load(more = false) {
  await act(async () => {
    const page = await api.get<{ items: LedgerEntry[]; nextCursor?: string }>('/ledger', {
      search: filters.value.search,
      limit: 60,
      ...(more && { cursor: cursor.value }),
    })
    entries.value = more ? [...entries.value, ...page.items] : page.items
    cursor.value = page.nextCursor
  })
}
void load()
useChanges(() => load())
watch(
  () => filters.value.search,
  () => load(),
)
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
    verdict.value = await api.post<Verification>('/ledger/verify')
  })
const show = (value: unknown) => (value === null ? 'nothing' : JSON.stringify(value, null, 2))
const phrase = (action: string) => action.replace('.', ' ').replace('-', ' ')
</script>

<template>
  <Leaf>
    <h1>Ledger</h1>
    <p class="sentence">
      Every change, by whom and when, chained by hash: each entry quotes the one before it, and the
      database refuses to change or delete any.
    </p>
    <Trouble :refusal="refusal ?? verifying.refusal.value" />
    <div v-if="verdict && verdict.brokenAt === undefined" class="good" role="status">
      The chain holds: {{ count(verdict.checked, 'entry', 'entries') }} computed again. Head
      <code>{{ verdict.head.slice(0, 16) }}…</code>
    </div>
    <div v-else-if="verdict" class="trouble" role="alert">
      <b>The chain breaks at entry {{ verdict.brokenAt }}.</b> {{ verdict.why }}. Everything before
      it holds.
      <button class="plain" @click="set({ entry: String(verdict.brokenAt), search: '' })">
        Show it
      </button>
    </div>
    <div class="bar">
      <InputText
        v-model="search"
        type="search"
        placeholder="Filter by subject, action or person"
        aria-label="Filter the ledger"
        class="search"
      />
      <button class="fill end" :disabled="verifying.busy.value" @click="verify()">
        {{ verifying.busy.value ? 'Verifying …' : 'Verify the chain' }}
      </button>
    </div>
    <div v-if="!busy && !entries.length" class="empty">
      <p>{{ filters.search ? 'No entry has this word.' : 'Nothing has been changed yet.' }}</p>
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
          <td>{{ entry.actor }}</td>
          <td>{{ phrase(entry.action) }}</td>
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
          {{ current.actor }} · {{ phrase(current.action) }} · {{ current.subject }}<br />{{
            current.at
          }}
        </p>
        <h3>Before</h3>
        <pre tabindex="0">{{ show(current.before) }}</pre>
        <h3>After</h3>
        <pre tabindex="0">{{ show(current.after) }}</pre>
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
