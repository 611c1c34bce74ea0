<script setup lang="ts">
import { isRuntimeKind, levels } from '~~/core/rules/model'
import type { PlacementFindingItem } from '~~/shared/api/placements'
import { useSession } from '~/stores/session'

const { filters, set, toggle, clear, any } = useFilters([
  'api',
  'team',
  'stage',
  'group',
  'level',
  'rule',
  'status',
] as const)
const session = useSession()
const changes = ['placement', 'policy', 'gateway', 'waiver', 'rulebook', 'api', 'stage'] as const
/** What counts comes first; what was waived is a filter away. */
const {
  page,
  items: findings,
  refusal,
  load,
  refresh,
  more,
} = usePages(200, (asked) => {
  const { status, level, ...rest } = filters.value
  return api.listFindingsAtPlacements({
    ...rest,
    status: status === 'all' ? undefined : status === 'waived' ? 'waived' : 'open',
    level: levels.find((one) => one === level),
    ...asked,
  })
})
watch(filters, () => void load(), { immediate: true })
useChanges(refresh, [...changes])
const { data: register } = useLoad(() => api.listApis(), ['api'])
const { data: rulebook } = useLoad(() => api.getRulebook(), ['rulebook'])
const { data: gateways } = useLoad(() => api.listGateways(), ['gateway'])

const to = ({ placement }: PlacementFindingItem) => `/placements/${placement}`
const { selected, current } = useRows(() => findings.value, { open: (row) => navigateTo(to(row)) })
const rule = computed(() => rulebook.value?.items.find(({ id }) => id === current.value?.rule))
const waiving = shallowRef<PlacementFindingItem>()
const excusing = computed(() => {
  const finding = waiving.value!
  return [excusable(finding, finding.api, finding.apiTitle)]
})
const done = ref('')
async function tell(says: string) {
  waiving.value = undefined
  done.value = says
  await refresh()
}

const chips = computed(() => [
  {
    name: 'api' as const,
    label: 'API',
    options: choicesOfApis(register.value?.items),
  },
  { name: 'team' as const, label: 'Team', options: choicesOf(session.shell?.teams ?? []) },
  {
    name: 'stage' as const,
    label: 'Stage',
    options: choicesOf(session.shell?.stages ?? []),
  },
  {
    name: 'group' as const,
    label: 'Gateways',
    options: choicesIn(
      gateways.value?.items ?? [],
      ({ group }) => group,
      ({ group }) => group,
    ),
  },
  { name: 'level' as const, label: 'Level', options: choicesOf(levels) },
  {
    name: 'rule' as const,
    label: 'Rule',
    options: choicesIn(
      (rulebook.value?.items ?? []).filter(({ about }) => isRuntimeKind(about)),
      ({ id }) => id,
      ({ title }) => title,
    ),
  },
  { name: 'status' as const, label: 'Show', any: 'open', options: choicesOf(['waived', 'all']) },
])
</script>

<template>
  <Leaf>
    <h1>Findings</h1>
    <FindingsLevelSentence
      v-if="page"
      :must="page.must"
      :should="page.should"
      :may="page.may"
      :level="filters.level"
      @toggle="toggle('level', $event)"
      >At {{ count(page.placements, 'placement') }}, by the rules about what
      runs:</FindingsLevelSentence
    >
    <Leaves :leaves="findingLeaves(session.shell?.counts)" />
    <Trouble :refusal="refusal" />
    <FilterBar :filters="filters" :chips="chips" :any="any" @set="set" @clear="clear()" />
    <p v-if="done" class="good" role="status">{{ done }}</p>
    <div v-if="page && !findings.length" class="empty">
      <p>
        {{ any ? 'Nothing is found with these filters.' : 'Every placement keeps every rule.' }}
      </p>
    </div>
    <table v-else class="ruled">
      <thead>
        <tr>
          <th>Level</th>
          <th>Finding</th>
          <th>API</th>
          <th>Stage</th>
          <th>Gateways</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="(finding, index) in findings"
          :key="`${finding.placement} ${finding.key}`"
          :class="{ on: index === selected }"
          @click="selected = index"
        >
          <td>
            <span class="level" :class="finding.waiver ? 'waived' : finding.level">{{
              finding.waiver ? 'waived' : finding.level
            }}</span>
          </td>
          <td class="said">
            <NuxtLink :to="to(finding)">{{ finding.message }}</NuxtLink>
            <div class="soft mono tiny">
              {{ finding.rule }}
              <span v-if="finding.becomes" class="ochre-text"
                >{{ finding.becomes }} from {{ finding.since }}</span
              >
            </div>
          </td>
          <td class="said">
            {{ finding.apiTitle }}
            <div class="soft mono tiny">{{ finding.version }}</div>
          </td>
          <td class="small nowrap">{{ finding.stage }}</td>
          <td class="small nowrap">{{ finding.group }}</td>
        </tr>
      </tbody>
    </table>
    <p v-if="page?.nextCursor">
      <button class="ghost" @click="more()">More findings</button>
    </p>
    <WaiverDialog v-if="waiving" :findings="excusing" @close="waiving = undefined" @asked="tell" />
    <template #margin>
      <template v-if="current">
        <h2>{{ current.title }}</h2>
        <p class="soft">
          <button class="plain" @click="set({ rule: current.rule })">
            <code>{{ current.rule }}</code>
          </button>
          <template v-if="current.subject"> at {{ current.subject }}</template>
        </p>
        <p>{{ current.message }}</p>
        <p v-if="rule?.reason" class="soft">{{ rule.reason }}</p>
        <p v-if="rule?.remedy" class="soft">{{ rule.remedy }}</p>
        <p>
          {{ current.apiTitle }} {{ current.version }}, {{ current.stage }}, {{ current.group }}
        </p>
        <p v-if="current.waiver">
          <NuxtLink :to="{ path: '/findings/waivers', query: { waiver: current.waiver } }"
            >Waived until {{ current.until }}</NuxtLink
          >
        </p>
        <div class="bar">
          <NuxtLink class="fill" :to="to(current)">Open the placement</NuxtLink>
          <button v-if="!current.waiver" class="ghost" @click="waiving = current">
            Ask for a waiver
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
.said {
  overflow-wrap: anywhere;
  min-width: 110px;
}
</style>
