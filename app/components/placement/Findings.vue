<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import type { PlacementFinding, SpecBody } from '~~/shared/api/placements'

/** What the rules about what runs say of a placement as it is being written. */
const props = defineProps<{
  slug: string
  /** The API as people call it. */
  title: string
  version: string
  stage: string
  group: string
  spec: SpecBody
}>()
const findings = shallowRef<PlacementFinding[]>()
const { refusal, act } = useLatest()
const check = useDebounceFn(() => {
  const { slug, title: _, ...rest } = props
  return act(
    () => api.checkPlacement({}, { api: slug, ...rest }),
    ({ items }) => (findings.value = items),
  )
}, 400)
watch(() => [props.version, props.group, JSON.stringify(props.spec)], check)
void check()

const counted = computed(() => (findings.value ?? []).filter(({ waiver }) => waiver === undefined))
const excused = computed(() => (findings.value ?? []).length - counted.value.length)
const musts = computed(() => counted.value.filter(({ level }) => level === 'MUST').length)
/** What cannot be read cannot be judged: the form itself says what is wrong with it. */
const unreadable = computed(() => refusal.value?.status === 422)
const state = computed(() =>
  !findings.value || unreadable.value ? 'waiting' : musts.value ? 'failed' : 'passed',
)
const said = computed(() => {
  if (unreadable.value) return 'not known as it is written now'
  if (!findings.value) return 'being checked'
  const found = counted.value.length
  return [
    found === 0 ? 'nothing is found' : count(found, 'finding'),
    ...(found > 0 ? [musts.value > 0 ? `${musts.value} at MUST` : 'none at MUST'] : []),
    ...(excused.value > 0 ? [`${excused.value} waived`] : []),
  ].join(', ')
})
const all = ref(false)
const shown = computed(() => (all.value ? counted.value : counted.value.slice(0, 4)))
/** The finding that somebody asks an exception for, and what came of it. */
const waiving = shallowRef<PlacementFinding>()
const told = ref('')
const excusing = computed(() => [excusable(waiving.value!, props.slug, props.title)])
function tell(says: string) {
  waiving.value = undefined
  told.value = says
}
const toRule = ({ rule }: PlacementFinding) => ({ path: '/rulebook', query: { rule } })
</script>

<template>
  <div class="rules">
    <div class="gate">
      <i :class="state">{{ { waiting: '…', failed: '✕', passed: '✓' }[state] }}</i><span
        >Rules about what runs<small v-if="said">{{ said }}</small></span
      >
    </div>
    <p v-for="finding in shown" :key="finding.key" class="finding">
      <NuxtLink class="level" :class="finding.level" :to="toRule(finding)" :title="finding.title">{{
        finding.level
      }}</NuxtLink>
      {{ finding.message }}
      <button type="button" class="plain" @click="waiving = finding">Ask for a waiver</button>
    </p>
    <button v-if="counted.length > 4" type="button" class="plain" @click="all = !all">
      {{ all ? 'Show the gravest only' : `Show all ${counted.length}` }}
    </button>
    <p v-if="told" class="good finding" role="status">{{ told }}</p>
    <WaiverDialog v-if="waiving" :findings="excusing" @close="waiving = undefined" @asked="tell" />
    <Trouble v-if="!unreadable" :refusal="refusal" />
  </div>
</template>

<style scoped>
.rules {
  margin-bottom: 10px;
}
.finding {
  margin: 0 0 6px 22px;
  font-size: 12.5px;
  overflow-wrap: anywhere;
}
.level {
  font: 650 10px var(--mono);
  margin-right: 4px;
  text-decoration: none;
  color: var(--soft);
}
.level.MUST {
  color: var(--copper);
}
.rules > .plain {
  margin-left: 22px;
}
</style>
