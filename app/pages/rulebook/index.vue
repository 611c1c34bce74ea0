<script setup lang="ts">
import { levels } from '~~/core/rules/model'
import { bindingWords } from '~~/core/rules/page'
import type { RuleItem } from '~~/shared/api/rules'

const { filters, set, toggle, clear, any, typed } = useFilters([
  'level',
  'about',
  'group',
  'team',
  'rule',
  'words',
] as const)
const session = useSession()
const {
  data: rulebook,
  refusal,
  reload,
} = useLoad(
  () => api.getRulebook({ team: filters.value.team }),
  ['rulebook', 'finding', 'revision', 'waiver'],
)
watch(
  () => filters.value.team,
  () => void reload(),
)
const rules = computed(() => rulebook.value?.items ?? [])
const words = typed('words')
const passes = (rule: RuleItem) =>
  (!filters.value.level || rule.level === filters.value.level) &&
  (!filters.value.about || rule.about === filters.value.about) &&
  (!filters.value.group || rule.group === filters.value.group) &&
  `${rule.id} ${rule.title} ${rule.message}`
    .toLowerCase()
    .includes(filters.value.words.toLowerCase())
const groups = computed(() =>
  (rulebook.value?.groups ?? [])
    .map((group) => ({
      ...group,
      rules: rules.value
        .filter((rule) => rule.group === group.id && passes(rule))
        .sort((a, b) => levelRank[a.level] - levelRank[b.level]),
    }))
    .filter((group) => group.rules.length > 0),
)
const shown = computed(() => groups.value.flatMap((group) => group.rules))
const of = (level: string) => rules.value.filter((rule) => rule.level === level).length
const broken = computed(() => rules.value.filter((rule) => rule.findings > 0).length)
const { selected, current } = useRows(() => shown.value, {
  open: (row) => navigateTo({ path: '/findings', query: { rule: row.id } }),
  naming: { key: (row) => row.id, wanted: () => filters.value.rule },
})
const fix = ref(0)
const note = ref('')
const proposing = useAct()
watch(current, () => {
  fix.value = 0
  proposing.refusal.value = undefined
})
async function propose() {
  const rule = current.value!.id
  const made = await proposing.act(() =>
    api.createProposals(
      { rule },
      {
        fix: fix.value,
        ...(note.value.trim() && { note: note.value.trim() }),
      },
    ),
  )
  if (made) await navigateTo({ path: '/findings/fixes', query: { rule } })
}

const chips = computed(() => [
  {
    name: 'group' as const,
    label: 'Group',
    options: choicesIn(
      rulebook.value?.groups ?? [],
      ({ id }) => id,
      ({ title }) => title,
    ),
  },
  { name: 'level' as const, label: 'Level', options: choicesOf(levels) },
  {
    name: 'about' as const,
    label: 'About',
    options: choicesIn(
      rules.value,
      ({ about }) => about,
      ({ about }) => aboutWords(about),
    ),
  },
  {
    name: 'team' as const,
    label: 'For',
    any: 'everybody',
    options: choicesOf(session.shell?.teams ?? []),
  },
])
</script>

<template>
  <Leaf>
    <h1>Rulebook</h1>
    <p v-if="rulebook" class="sentence">
      Edition {{ rulebook.edition }} of {{ rulebook.name }}:
      <button
        class="copper"
        :aria-pressed="filters.level === 'MUST'"
        @click="toggle('level', 'MUST')"
      >
        {{ of('MUST') }} MUST</button
      >,
      <button
        class="ochre"
        :aria-pressed="filters.level === 'SHOULD'"
        @click="toggle('level', 'SHOULD')"
      >
        {{ of('SHOULD') }} SHOULD
      </button>
      and
      <button :aria-pressed="filters.level === 'MAY'" @click="toggle('level', 'MAY')">
        {{ of('MAY') }} MAY</button
      >, of which <NuxtLink to="/findings">{{ broken }}</NuxtLink> are broken somewhere.
    </p>
    <Leaves :leaves="rulebookLeaves" />
    <Trouble :refusal="refusal" />
    <FilterBar :filters="filters" :chips="chips" :any="any" @set="set" @clear="clear()"
      ><template #first
        ><input
          v-model="words"
          class="p-inputtext words"
          type="search"
          placeholder="Filter rules"
          aria-label="Filter rules" /></template
    ></FilterBar>
    <div v-if="rulebook && !shown.length" class="empty">
      <p>No rule is found with these filters.</p>
    </div>
    <table v-else class="ruled">
      <thead>
        <tr>
          <th>Level</th>
          <th>Rule</th>
          <th>About</th>
          <th class="right" title="Places in newest revisions that it was asked of">Asked of</th>
          <th class="right" title="Of the places it was asked of">Kept</th>
          <th class="right">Findings</th>
          <th title="Open findings over the last six weeks">Trend</th>
          <th class="right">APIs</th>
        </tr>
      </thead>
      <tbody v-for="group in groups" :key="group.id">
        <tr class="group">
          <th colspan="8" scope="rowgroup">
            {{ group.title }} <span class="soft">{{ group.says }}</span>
          </th>
        </tr>
        <tr
          v-for="rule in group.rules"
          :key="rule.id"
          :class="{ on: rule === current }"
          @click="selected = shown.indexOf(rule)"
        >
          <td>
            <span class="level" :class="rule.level">{{ rule.level }}</span>
          </td>
          <td>
            <button class="name" @click="selected = shown.indexOf(rule)">{{ rule.title }}</button>
            <div class="soft mono tiny">
              {{ rule.id }}
              <span v-if="rule.binds?.from" class="ochre-text">from {{ rule.binds.from }}</span>
            </div>
          </td>
          <td class="nowrap">{{ aboutWords(rule.about) }}</td>
          <td class="right mono" :class="{ soft: !rule.asked }">
            {{ figure(rule.asked) }}
          </td>
          <td class="right mono kept">
            <span v-if="keptOf(rule) !== undefined" :class="{ soft: keptOf(rule) === 100 }"
              >{{ keptOf(rule) }} %</span
            >
            <span v-else class="soft">–</span>
          </td>
          <td class="right mono">
            <NuxtLink
              :class="rule.findings ? 'plain' : 'soft'"
              :to="{ path: '/findings', query: { rule: rule.id } }"
              >{{ rule.findings }}</NuxtLink
            >
          </td>
          <td class="nowrap"><TrendLine :points="rule.trend" /></td>
          <td class="right mono" :class="{ soft: !rule.apis }">{{ rule.apis }}</td>
        </tr>
      </tbody>
    </table>
    <template #margin>
      <template v-if="current">
        <h2>{{ current.title }}</h2>
        <p>{{ current.reason }}</p>
        <p v-if="current.remedy">{{ current.remedy }}</p>
        <p v-if="current.binds" class="soft">{{ bindingWords(current.binds) }}</p>
        <p v-if="current.formats" class="soft">Only for {{ current.formats.join(', ') }}.</p>
        <template v-if="current.where"
          ><h3>Where</h3>
          <pre tabindex="0">{{ current.where }}</pre>
        </template>
        <h3>Expects</h3>
        <pre tabindex="0">{{ current.expect }}</pre>
        <h3>Message</h3>
        <p>{{ current.message }}</p>
        <template v-if="current.samples.breaks[0]">
          <h3>Breaks it</h3>
          <pre tabindex="0">{{ current.samples.breaks[0].text }}</pre>
        </template>
        <p v-if="current.link" class="soft">
          <a :href="current.link" rel="noopener" target="_blank">{{ current.link }}</a>
        </p>
        <div class="bar actions">
          <NuxtLink class="ghost" :to="{ path: '/findings', query: { rule: current.id } }">{{
            count(current.findings, 'finding')
          }}</NuxtLink>
          <NuxtLink class="ghost" :to="{ path: '/rulebook/draft', query: { rule: current.id } }"
            >Change it</NuxtLink
          >
        </div>
        <template v-if="current.fixes?.length && current.findings">
          <h3>Propose its fix</h3>
          <p class="soft">
            Works the fix out for every API that breaks the rule, and puts it before each owner, who
            makes it the next revision or declines.
          </p>
          <select v-if="current.fixes.length > 1" v-model="fix" aria-label="Which fix">
            <option v-for="(one, index) in current.fixes" :key="index" :value="index">
              {{ one.title }}
            </option>
          </select>
          <label class="field"
            ><span>What the owners should know</span><Textarea v-model="note" rows="2"
          /></label>
          <Trouble :refusal="proposing.refusal.value" />
          <div class="bar">
            <button class="ghost" :disabled="proposing.busy.value" @click="propose()">
              Propose it for {{ count(current.apis, 'API') }}
            </button>
          </div>
        </template>
      </template>
    </template>
  </Leaf>
</template>

<style scoped>
.words {
  width: 190px;
}
.tiny {
  font-size: 11px;
}
.nowrap,
.kept {
  white-space: nowrap;
}
tr.group th {
  position: static;
  border-bottom: 1px solid var(--rule);
  padding-top: 14px;
  font: 600 13px var(--title);
  color: var(--ink);
}
tr.group .soft {
  font: 12px var(--body);
  margin-left: 6px;
}
.actions {
  margin-top: 14px;
}
pre {
  font: 11px/1.5 var(--mono);
  font-variant-ligatures: none;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  background: var(--page);
  border: 1px solid var(--rule);
  border-radius: 5px;
  padding: 7px 9px;
  margin: 0;
  max-height: 220px;
  overflow: auto;
}
</style>
