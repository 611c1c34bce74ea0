<script setup lang="ts">
import { levels } from '~~/core/rules/model'
import type { FindingItem } from '~~/shared/api/rules'
import { useSession } from '~/stores/session'

const { filters, set, toggle, clear, any } = useFilters([
  'api',
  'team',
  'level',
  'rule',
  'status',
  'person',
  'first',
] as const)
const session = useSession()
const cursor = ref<string>()
const findings = ref<FindingItem[]>([])
const { busy, refusal, act } = useAct()
const loaded = ref(false)
/** What counts comes first; what was waived or accepted is a filter away. */
const status = computed(() => filters.value.status || 'open')
async function load(more = false) {
  await act(async () => {
    const page = await api.listFindings({
      ...filters.value,
      status: status.value === 'all' ? undefined : status.value,
      limit: 200,
      ...(more && { cursor: cursor.value }),
    })
    findings.value = more ? [...findings.value, ...page.items] : page.items
    cursor.value = page.nextCursor
    loaded.value = true
  })
}
watch(filters, () => void load(), { immediate: true })
useChanges(() => load(), ['revision', 'api', 'finding', 'waiver', 'rulebook'])
const { data: register } = useLoad(
  () => api.listApis(),
  ['revision', 'api', 'finding', 'waiver', 'rulebook'],
)
const { data: rulebook } = useLoad(() => api.getRulebook(), ['rulebook'])
const inEstate = (level: 'must' | 'should' | 'may') =>
  (register.value?.items ?? []).reduce((sum, row) => sum + row.findings[level], 0)
const { selected, current } = useRows(() => findings.value, { open: (row) => navigateTo(to(row)) })
const to = (finding: FindingItem) => ({
  path: `/apis/${finding.api}/source`,
  query: { line: finding.line, ...(finding.file && { file: finding.file }) },
})
const idOf = ({ api: slug, key }: { api: string; key: string }) => `${slug} ${key}`

const chosen = ref(new Set<string>())
watch(findings, (list) => {
  const known = new Set(list.map(idOf))
  chosen.value = new Set([...chosen.value].filter((id) => known.has(id)))
})
const picked = computed(() => findings.value.filter((finding) => chosen.value.has(idOf(finding))))
const all = computed({
  get: () => findings.value.length > 0 && picked.value.length === findings.value.length,
  set: (on) => (chosen.value = new Set(on ? findings.value.map(idOf) : [])),
})
const done = ref('')
const waiving = ref<readonly FindingItem[]>()
async function tell(says: string) {
  waiving.value = undefined
  done.value = says
  await load()
}

const chips = computed(() => [
  {
    name: 'api' as const,
    label: 'API',
    options: choicesIn(
      register.value?.items ?? [],
      ({ api }) => api,
      ({ title }) => title,
    ),
  },
  { name: 'team' as const, label: 'Team', options: choicesOf(session.shell?.teams ?? []) },
  { name: 'level' as const, label: 'Level', options: choicesOf(levels) },
  {
    name: 'rule' as const,
    label: 'Rule',
    options: choicesIn(
      rulebook.value?.items ?? [],
      ({ id }) => id,
      ({ title }) => title,
    ),
  },
  {
    name: 'status' as const,
    label: 'Show',
    any: 'open',
    options: choicesOf(['waived', 'accepted', 'all']),
  },
  {
    name: 'person' as const,
    label: 'Assignee',
    any: 'anybody',
    options: choicesIn(
      session.shell?.people ?? [],
      ({ name }) => name,
      ({ displayName }) => displayName,
    ),
  },
  {
    name: 'first' as const,
    label: 'First',
    any: 'by place',
    options: [
      { value: 'level', label: 'the weightiest' },
      { value: 'oldest', label: 'the oldest' },
    ],
  },
])
</script>

<template>
  <Leaf>
    <h1>Findings</h1>
    <FindingsLevelSentence
      v-if="register"
      :must="inEstate('must')"
      :should="inEstate('should')"
      :may="inEstate('may')"
      :level="filters.level"
      @toggle="toggle('level', $event)"
      >In the newest revisions of {{ count(register.items.length, 'API') }}:</FindingsLevelSentence
    >
    <Leaves :leaves="findingLeaves(session.shell?.counts)" />
    <Trouble :refusal="refusal" />
    <FilterBar :filters="filters" :chips="chips" :any="any" @set="set" @clear="clear()" />
    <FindingsTriageBar
      v-if="picked.length"
      :findings="picked"
      @done="tell"
      @waive="waiving = picked"
      @none="chosen = new Set()"
    />
    <p v-if="done" class="good" role="status">{{ done }}</p>
    <div v-if="loaded && !findings.length" class="empty">
      <p>
        {{ any ? 'Nothing is found with these filters.' : 'Every definition keeps every rule.' }}
      </p>
    </div>
    <table v-else class="ruled">
      <thead>
        <tr>
          <th class="tick">
            <input
              v-model="all"
              type="checkbox"
              aria-label="Choose all"
              :disabled="!findings.length"
            />
          </th>
          <th>Level</th>
          <th>Finding</th>
          <th>{{ filters.api ? 'Place' : 'API' }}</th>
          <th>Seen</th>
          <th>Assignee</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="(finding, index) in findings"
          :key="idOf(finding)"
          :class="{ on: index === selected }"
          @click="selected = index"
        >
          <td class="tick" @click.stop>
            <input
              v-model="chosen"
              type="checkbox"
              :value="idOf(finding)"
              :aria-label="`Choose ${finding.message}`"
              @change="chosen = new Set(chosen)"
            />
          </td>
          <td>
            <span class="level" :class="finding.status === 'waived' ? 'waived' : finding.level">{{
              finding.status === 'open' ? finding.level : finding.status
            }}</span>
          </td>
          <td class="said">
            <NuxtLink :to="to(finding)">{{ finding.message }}</NuxtLink>
            <div class="soft mono tiny">
              {{ finding.rule }}
              <span v-if="finding.becomes" class="ochre-text"
                >{{ finding.becomes }} from {{ finding.since }}</span
              >
              <span v-if="finding.comments"> · {{ count(finding.comments, 'comment') }}</span>
            </div>
          </td>
          <td class="where">
            <div v-if="!filters.api">{{ finding.title }}</div>
            <div class="soft small nowrap">line {{ finding.line }}</div>
          </td>
          <td class="small nowrap soft">{{ ago(finding.firstSeen) }}</td>
          <td class="small">{{ session.nameOf(finding.person) }}</td>
        </tr>
      </tbody>
    </table>
    <p v-if="cursor">
      <button class="ghost" :disabled="busy" @click="load(true)">More findings</button>
    </p>
    <WaiverDialog v-if="waiving" :findings="waiving" @close="waiving = undefined" @asked="tell" />
    <template #margin>
      <FindingsFindingMargin
        v-if="current"
        :finding="current"
        :rulebook="rulebook"
        :to="to(current)"
        @waive="waiving = [current]"
        @rule="set({ rule: $event })"
      />
    </template>
  </Leaf>
</template>

<style scoped>
.tiny {
  font-size: 11px;
}
.said,
.where {
  overflow-wrap: anywhere;
}
.where {
  min-width: 90px;
}
.tick {
  width: 26px;
}
</style>
