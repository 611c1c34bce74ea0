<script setup lang="ts">
import type { ApiDetail } from '~~/shared/api/catalog'
import { useSession } from '~/stores/session'

/** The head of an API's leaves: where it is, its versions and how far they have come. */
const props = defineProps<{ detail: ApiDetail }>()
const session = useSession()
const route = useRoute()
const stages = computed(() => session.shell?.stages ?? [])
const runs = computed(() =>
  runsOf(stages.value, props.detail.cells).filter((run) => 'version' in run),
)
const writing = computed(
  () => !props.detail.cells.some((cell) => cell.version === props.detail.latest.version),
)
const leaves = computed(() => [
  { to: `/apis/${props.detail.api}`, label: 'Summary' },
  { to: `/apis/${props.detail.api}/source`, label: 'Source' },
  { to: `/apis/${props.detail.api}/operations`, label: 'Operations' },
  { to: `/apis/${props.detail.api}/versions`, label: 'Versions' },
  { to: `/apis/${props.detail.api}/compare`, label: 'Compare' },
  { to: `/apis/${props.detail.api}/placements`, label: 'Placements' },
  { to: `/apis/${props.detail.api}/probes`, label: 'Probes' },
])
</script>

<template>
  <div class="head">
    <div class="crumb">
      <NuxtLink to="/">Register</NuxtLink> /
      <NuxtLink :to="{ path: '/', query: { team: detail.team } }">{{ detail.team }}</NuxtLink>
      <NuxtLink
        v-if="detail.proposals"
        class="plain"
        :to="{ path: '/findings/fixes', query: { api: detail.api, state: 'waiting' } }"
        >{{ count(detail.proposals, 'proposed fix', 'proposed fixes') }}</NuxtLink
      >
      <NuxtLink
        v-if="detail.endingWaivers"
        class="plain ochre-text"
        :to="{ path: '/findings/waivers', query: { state: 'ending', api: detail.api } }"
        >{{ count(detail.endingWaivers, 'waiver') }}
        {{ detail.endingWaivers === 1 ? 'ends' : 'end' }} soon</NuxtLink
      >
    </div>
    <div class="top">
      <h1>{{ detail.title }}</h1>
      <span class="fmt">{{ detail.latest.format }}</span>
      <span v-if="detail.lifecycle !== 'active'" class="level SHOULD">{{ detail.lifecycle }}</span>
      <span
        v-if="detail.confidential"
        class="level waived"
        title="Only its team, governance and the people named see it"
        >confidential</span
      >
      <div class="track">
        <span v-if="writing" class="run writing">{{ detail.latest.version }} <b>writing</b></span>
        <template v-for="run in runs" :key="'from' in run ? run.from : ''">
          <NuxtLink
            v-if="'version' in run"
            class="run"
            :class="[run.mark, { mocked: run.mocked }]"
            :to="`/apis/${detail.api}/placements`"
          >
            {{ run.version }}
            <b
              >{{ stages.slice(run.from, run.to + 1).join(', ') }}
              {{ markSign(run.mark, run.differences) }}</b
            >
          </NuxtLink>
        </template>
      </div>
    </div>
    <div class="leaves">
      <NuxtLink
        v-for="leaf in leaves"
        :key="leaf.to"
        :to="leaf.to"
        :class="{ on: route.path === leaf.to }"
        >{{ leaf.label }}</NuxtLink
      >
      <span class="end"><slot /></span>
    </div>
  </div>
</template>

<style scoped>
.crumb .plain {
  margin-left: 12px;
}
.head {
  flex: none;
}
.top {
  display: flex;
  align-items: center;
  gap: 10px;
  flex-wrap: wrap;
}
h1 {
  font-size: 22px;
  white-space: nowrap;
}
.track {
  margin-left: auto;
  display: flex;
  gap: 4px;
  flex-wrap: wrap;
}
.run {
  height: 22px;
  line-height: 20px;
  border-radius: 11px;
  padding: 0 8px;
  font: 12px/20px var(--mono);
  background: var(--elm-wash);
  color: var(--elm-deep);
  border: 1px solid var(--elm-edge);
  white-space: nowrap;
}
.run b {
  font-size: 11px;
  margin-left: 4px;
}
.differs {
  background: var(--copper-wash);
  border-color: var(--copper-edge);
  color: var(--copper);
}
.unseen,
.mocked,
.writing {
  background: var(--page);
  border: 1px dashed var(--line);
  color: var(--soft);
}
</style>
