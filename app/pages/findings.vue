<script setup lang="ts">
import type { FindingItem, RegisterPage, Rulebook } from '~~/shared/api/catalog'

const { filters, set, toggle, clear, any } = useFilters(['api', 'team', 'level', 'rule'] as const)
const session = useSession()
const cursor = ref<string>()
const findings = ref<FindingItem[]>([])
const { busy, refusal, act } = useAct()
const loaded = ref(false)
async function load(more = false) {
  await act(async () => {
    const page = await api.get<{ items: FindingItem[]; nextCursor?: string }>('/findings', {
      ...filters.value,
      limit: 200,
      ...(more && { cursor: cursor.value }),
    })
    findings.value = more ? [...findings.value, ...page.items] : page.items
    cursor.value = page.nextCursor
    loaded.value = true
  })
}
watch(filters, () => void load(), { immediate: true })
useChanges(() => load(), ['revision', 'api'])
const { data: register } = useLoad(() => api.get<RegisterPage>('/apis'), ['revision', 'api'])
const { data: rulebook } = useLoad(() => api.get<Rulebook>('/rulebook'), ['rulebook'])
const inEstate = (level: 'must' | 'should' | 'may') =>
  (register.value?.items ?? []).reduce((sum, row) => sum + row.findings[level], 0)
const { selected, current } = useRows(() => findings.value, { open: (row) => navigateTo(to(row)) })
const ruleOf = computed(() => rulebook.value?.items.find(({ id }) => id === current.value?.rule))
const to = (finding: FindingItem) => ({
  path: `/apis/${finding.api}/source`,
  query: { line: finding.line },
})
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
        {{ inEstate('must') }} at MUST</button
      >,
      <button
        class="ochre"
        :aria-pressed="filters.level === 'SHOULD'"
        @click="toggle('level', 'SHOULD')"
      >
        {{ inEstate('should') }} at SHOULD
      </button>
      and
      <button :aria-pressed="filters.level === 'MAY'" @click="toggle('level', 'MAY')">
        {{ inEstate('may') }} at MAY</button
      >.
    </p>
    <Trouble :refusal="refusal" />
    <div class="bar">
      <FilterChip
        label="API"
        :model-value="filters.api"
        :options="(register?.items ?? []).map(({ api: value, title: label }) => ({ value, label }))"
        @update:model-value="set({ api: $event })"
      />
      <FilterChip
        label="Team"
        :model-value="filters.team"
        :options="(session.shell?.teams ?? []).map((value) => ({ value, label: value }))"
        @update:model-value="set({ team: $event })"
      />
      <FilterChip
        label="Level"
        :model-value="filters.level"
        :options="['MUST', 'SHOULD', 'MAY'].map((value) => ({ value, label: value }))"
        @update:model-value="set({ level: $event })"
      />
      <FilterChip
        label="Rule"
        :model-value="filters.rule"
        :options="(rulebook?.items ?? []).map(({ id: value, title: label }) => ({ value, label }))"
        @update:model-value="set({ rule: $event })"
      />
      <button v-if="any" class="plain" @click="clear()">Clear</button>
    </div>
    <div v-if="loaded && !findings.length" class="empty">
      <p>
        {{ any ? 'Nothing is found with these filters.' : 'Every definition keeps every rule.' }}
      </p>
    </div>
    <table v-else class="ruled">
      <thead>
        <tr>
          <th>Level</th>
          <th>Finding</th>
          <th>API</th>
          <th>Place</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="(finding, index) in findings"
          :key="finding.api + finding.rule + finding.at"
          :class="{ on: index === selected }"
          @click="selected = index"
        >
          <td>
            <span class="level" :class="finding.level">{{ finding.level }}</span>
          </td>
          <td>
            <NuxtLink :to="to(finding)">{{ finding.message }}</NuxtLink>
            <div class="soft mono tiny">{{ finding.rule }}</div>
          </td>
          <td>
            {{ finding.title }}
            <div class="soft small">revision {{ finding.revision }}</div>
          </td>
          <td class="mono small nowrap">line {{ finding.line }}</td>
        </tr>
      </tbody>
    </table>
    <p v-if="cursor">
      <button class="ghost" :disabled="busy" @click="load(true)">More findings</button>
    </p>
    <template #margin>
      <template v-if="current">
        <h2>{{ ruleOf?.title ?? current.rule }}</h2>
        <p class="soft">
          <span class="level" :class="current.level">{{ current.level }}</span>
          <code>{{ current.rule }}</code>
        </p>
        <p>{{ ruleOf?.reason }}</p>
        <h3>Where</h3>
        <p>
          <code class="at">{{ current.at || '/' }}</code><br />{{ current.title }}, line
          {{ current.line }}, column {{ current.column }}
        </p>
        <div class="bar">
          <NuxtLink class="ghost" :to="to(current)">Go to the line</NuxtLink
          ><button class="ghost" @click="set({ rule: current.rule })">
            Everything of this rule
          </button>
        </div>
      </template>
    </template>
  </Leaf>
</template>

<style scoped>
.tiny {
  font-size: 11px;
}
.nowrap {
  white-space: nowrap;
}
.at {
  overflow-wrap: anywhere;
}
</style>
