<script setup lang="ts">
import type { RegisterRow } from '~~/shared/api/catalog'
import type { FindingItem } from '~~/shared/api/rules'
import type { PromotionItem } from '~~/shared/api/promotions'

const props = defineProps<{ row: RegisterRow }>()
const placements = useLoad(() => api.listPlacements({ api: props.row.api }))
const promotions = useLoad(() => api.listPromotions({ api: props.row.api, state: 'waiting' }))
const findings = useLoad(() =>
  api.listFindings({ api: props.row.api, status: 'open', first: 'level', limit: 300 }),
)

const differing = computed(
  () => placements.data.value?.items.filter((placement) => placement.mark === 'differs') ?? [],
)
const order = ['MUST', 'SHOULD', 'MAY']
const grouped = computed(() => {
  const groups = new Map<string, FindingItem[]>()
  for (const finding of findings.data.value?.items ?? [])
    groups.set(finding.rule, [...(groups.get(finding.rule) ?? []), finding])
  return [...groups.values()]
    .sort((a, b) => order.indexOf(a[0]!.level) - order.indexOf(b[0]!.level))
    .slice(0, 6)
})
const total = computed(
  () => props.row.findings.must + props.row.findings.should + props.row.findings.may,
)
const state = computed(() => {
  const cell = props.row.cells.find(({ mark }) => mark === 'differs') ?? props.row.cells.at(-1)
  if (!cell) return `${props.row.version} is being written; no version is placed yet.`
  if (cell.mark === 'differs')
    return `${cell.version} in ${cell.stage} · differs from what was approved`
  return `${cell.version} in ${cell.stage} · ${markWords(cell.mark)}`
})
const passed = (promotion: PromotionItem) =>
  promotion.gates.filter((gate) => gate.state === 'passed').length
</script>

<template>
  <h2>
    <NuxtLink :to="`/apis/${row.api}`">{{ row.title }}</NuxtLink>
  </h2>
  <p class="soft sub">{{ state }}</p>
  <template v-for="placement in differing" :key="placement.id">
    <h3>
      What differs in {{ placement.stage }}
      <small
        >{{ placement.group
        }}{{ placement.checkedAt ? `, ${moment(placement.checkedAt)}` : '' }}</small
      >
    </h3>
    <DriftResolve :placement="placement" @resolved="placements.reload()" />
  </template>
  <template v-for="promotion in promotions.data.value?.items ?? []" :key="promotion.id">
    <h3>
      <NuxtLink :to="`/promotions/${promotion.id}`"
        >{{ promotion.version }} → {{ promotion.to }}</NuxtLink
      >
      <small>{{ passed(promotion) }} of {{ promotion.gates.length }} gates</small>
    </h3>
    <Gates :gates="promotion.gates" />
  </template>
  <h3>
    Findings in {{ row.version }}
    <small
      ><NuxtLink :to="{ path: '/findings', query: { api: row.api } }">{{ total }}</NuxtLink></small
    >
  </h3>
  <p v-if="!total" class="soft">It keeps every rule.</p>
  <NuxtLink
    v-for="group in grouped"
    :key="group[0]!.rule"
    class="finding"
    :to="{ path: `/apis/${row.api}/source`, query: { line: group[0]!.line } }"
  >
    <span class="level" :class="group[0]!.level">{{ group[0]!.level }}</span>
    {{ group[0]!.message }}
    <code>{{
      group.length === 1
        ? `${group[0]!.rule} · line ${group[0]!.line}`
        : `${group[0]!.rule} · ${count(group.length, 'place')}`
    }}</code>
  </NuxtLink>
  <p v-if="!row.cells.length">
    <NuxtLink class="ghost" :to="`/apis/${row.api}/place`">Place {{ row.version }}</NuxtLink>
  </p>
</template>

<style scoped>
.sub {
  margin: 2px 0 12px;
}
.finding {
  display: block;
  padding: 4px 0;
  border-bottom: 1px dotted var(--rule);
  overflow-wrap: anywhere;
}
.finding code {
  display: block;
  font-size: 11px;
  color: var(--soft);
}
</style>
