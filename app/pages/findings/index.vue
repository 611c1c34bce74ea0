<script setup lang="ts">
import { levels } from '~~/core/rules/model'
import type { CommentItem, FindingItem } from '~~/shared/api/rules'
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
const ruleOf = computed(() => rulebook.value?.items.find(({ id }) => id === current.value?.rule))
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
const people = computed(() => session.shell?.people ?? [])
const nameOf = (name: string | undefined) =>
  people.value.find((person) => person.name === name)?.displayName ?? name

const done = ref('')
const triage = useAct()
async function apply(change: { person?: string; comment?: string; accept?: boolean }) {
  const list = picked.value.length > 0 ? picked.value : current.value ? [current.value] : []
  const result = await triage.act(() =>
    api.updateFindings(
      {},
      {
        findings: list.map(({ api: slug, key }) => ({ api: slug, key })),
        ...change,
      },
    ),
  )
  if (!result) return
  const what =
    change.person !== undefined
      ? change.person
        ? `given to ${nameOf(change.person)}`
        : 'given to nobody'
      : change.comment !== undefined
        ? 'commented on'
        : change.accept
          ? 'accepted as they are'
          : 'open again'
  done.value = `${count(result.findings, 'finding')} ${what}.`
  words.value = ''
  await load()
  await readComments()
}
const words = ref('')
const waiving = ref<FindingItem[]>()

const comments = ref<CommentItem[]>([])
async function readComments() {
  comments.value = []
  const about = current.value
  if (!about?.comments) return
  const page = await api
    .searchComments({}, { api: about.api, key: about.key })
    .catch(() => ({ items: [] }))
  if (current.value === about) comments.value = page.items
}
watch(current, () => void readComments())

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
      people.value,
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
    <p v-if="register" class="sentence">
      In the newest revisions of {{ count(register.items.length, 'API') }}:
      <button
        class="copper"
        :aria-pressed="filters.level === 'MUST'"
        @click="toggle('level', 'MUST')"
      >
        {{ figure(inEstate('must')) }} at MUST</button
      >,
      <button
        class="ochre"
        :aria-pressed="filters.level === 'SHOULD'"
        @click="toggle('level', 'SHOULD')"
      >
        {{ figure(inEstate('should')) }} at SHOULD
      </button>
      and
      <button :aria-pressed="filters.level === 'MAY'" @click="toggle('level', 'MAY')">
        {{ figure(inEstate('may')) }} at MAY</button
      >.
    </p>
    <Leaves :leaves="findingLeaves(session.shell?.counts)" />
    <Trouble :refusal="refusal" />
    <FilterBar :filters="filters" :chips="chips" :any="any" @set="set" @clear="clear()" />
    <div v-if="picked.length" class="bar acts" role="group" aria-label="What to do with them">
      <b>{{ count(picked.length, 'finding') }}</b>
      <label
        >Give to
        <select :value="''" @change="apply({ person: textOf($event) })">
          <option value="" disabled>somebody …</option>
          <option v-for="person in people" :key="person.name" :value="person.name">
            {{ person.displayName }}
          </option>
        </select></label
      >
      <input
        v-model="words"
        class="p-inputtext comment"
        placeholder="Comment on each"
        aria-label="Comment on each"
        @keydown.enter="words.trim() && apply({ comment: words.trim() })"
      />
      <button class="ghost" :disabled="!words.trim()" @click="apply({ comment: words.trim() })">
        Comment
      </button>
      <button class="ghost" @click="waiving = picked">Ask for a waiver</button>
      <button
        v-if="picked.some(({ status: now }) => now === 'accepted')"
        class="ghost"
        @click="apply({ accept: false })"
      >
        Open again
      </button>
      <button v-else class="ghost" @click="apply({ accept: true })">Accept as they are</button>
      <button class="plain" @click="chosen = new Set()">Choose none</button>
    </div>
    <Trouble :refusal="triage.refusal.value" />
    <p v-if="done" class="good" role="status">{{ done }}</p>
    <div v-if="loaded && !findings.length" class="empty">
      <p>
        {{ any ? 'Nothing is found with these filters.' : 'Every definition keeps every rule.' }}
      </p>
    </div>
    <table v-else class="ruled">
      <thead>
        <tr>
          <th class="tick"><input v-model="all" type="checkbox" aria-label="Choose all" /></th>
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
          <td class="small">{{ nameOf(finding.person) }}</td>
        </tr>
      </tbody>
    </table>
    <p v-if="cursor">
      <button class="ghost" :disabled="busy" @click="load(true)">More findings</button>
    </p>
    <WaiverDialog
      v-if="waiving"
      :findings="waiving"
      @close="waiving = undefined"
      @asked="((waiving = undefined), (done = $event), void load())"
    />
    <template #margin>
      <template v-if="current">
        <h2>{{ ruleOf?.title ?? 'Keep to the specification of the format' }}</h2>
        <p class="soft">
          <span class="level" :class="current.level">{{ current.level }}</span>
          <code>{{ current.rule }}</code>
        </p>
        <p>{{ ruleOf?.reason }}</p>
        <p v-if="ruleOf?.remedy">{{ ruleOf.remedy }}</p>
        <p v-if="current.becomes" class="soft">
          It advises until {{ current.since }}; then it is {{ current.becomes }}.
        </p>
        <p v-else-if="current.since" class="soft">It binds since {{ current.since }}.</p>
        <h3>Where</h3>
        <p>
          <code class="at">{{ current.at || '/' }}</code><br />{{ current.title }}, line
          {{ current.line }}, column {{ current.column }}; first seen {{ ago(current.firstSeen) }}
        </p>
        <div class="bar">
          <NuxtLink class="ghost" :to="to(current)">Go to the line</NuxtLink>
          <button class="ghost" @click="waiving = [current]">Ask for a waiver</button>
          <button class="ghost" @click="set({ rule: current.rule })">
            Everything of this rule
          </button>
        </div>
        <h3>
          Comments <small>{{ comments.length }}</small>
        </h3>
        <p v-if="!comments.length" class="soft">Nothing yet.</p>
        <div v-for="comment in comments" :key="comment.at + comment.text" class="comment-of">
          <b>{{ comment.by }}</b> <span class="soft">{{ moment(comment.at) }}</span><br />{{
            comment.text
          }}
        </div>
      </template>
    </template>
  </Leaf>
</template>

<style scoped>
.tiny {
  font-size: 11px;
}
.at,
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
.acts {
  background: var(--faint);
  border: 1px solid var(--rule);
  border-radius: 6px;
  padding: 6px 10px;
  position: sticky;
  top: -18px;
  z-index: 2;
}
.comment {
  width: 180px;
}
.comment-of {
  padding: 5px 0;
  border-bottom: 1px dotted var(--rule);
  overflow-wrap: anywhere;
}
</style>
