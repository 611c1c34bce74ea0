<script setup lang="ts">
import { refText } from '~~/core/pipeline/refs'
import type { JobLine } from '~~/shared/api/repositories'
import { useSession } from '~/stores/session'

const session = useSession()
const id = String(useRoute().params['job'])
const lines = ref<JobLine[]>([])
const {
  data: job,
  refusal,
  reload,
} = useLoad(async () => {
  // The state is read first: what it says has ended has all of its lines.
  const read = await api.getRepositoryJob({ job: id })
  const { items } = await api.listRepositoryJobLines({
    job: id,
    after: lines.value.at(-1)?.number ?? 0,
  })
  lines.value.push(...items.filter(({ number }) => number > (lines.value.at(-1)?.number ?? 0)))
  return read
}, ['repository'])
const { data: repository } = useLoad(
  async () => job.value && api.getRepository({ repository: job.value.repository }),
  ['repository'],
  () => job.value?.repository,
)
const { busy, refusal: refused, act } = useAct()
const may = computed(() => {
  const { role, team } = session.person ?? {}
  return role === 'governance' || (role === 'owner' && team === repository.value?.team)
})
const isOpen = computed(() => job.value?.state === 'waiting' || job.value?.state === 'running')
const cancel = () => act(() => api.cancelRepositoryJob({ job: id })).then(reload)
async function repeat() {
  const next = await act(() => api.retryRepositoryJob({ job: id }))
  if (next) await navigateTo(`/promotions/jobs/${next.job}`)
}
const signs = { step: '', command: '$', good: '=', bad: '≠' } as const
const clock = (at: string) => new Date(at).toLocaleTimeString('en-GB')
</script>

<template>
  <Leaf>
    <div v-if="job" class="crumb">
      <NuxtLink to="/promotions/repositories">Repositories</NuxtLink> /
      <NuxtLink :to="`/promotions/repositories/${job.repository}`">{{
        repository?.title ?? job.repository
      }}</NuxtLink>
      / job {{ job.job }}
    </div>
    <Trouble :refusal="refusal ?? refused" />
    <template v-if="job">
      <h1>{{ job.message || refText(job.ref) }}</h1>
      <p class="sentence" role="status">
        <span :class="jobTint(job.state)">{{ jobWord(job.state) }}</span>:
        <span class="mono">{{ refText(job.ref) }} {{ shortCommit(job.commit) }}</span
        >{{ job.author && ` by ${job.author}` }}, for {{ job.stage }}; {{ causeWord(job.cause) }},
        {{ ago(job.at) }}.
      </p>
      <ol class="log" aria-label="Log">
        <li v-for="line in lines" :key="line.number" :class="`is-${line.kind}`">
          <time :datetime="line.at">{{ clock(line.at) }}</time>
          <span class="sign" aria-hidden="true">{{ signs[line.kind] }}</span>
          <span>{{ line.text }}</span>
        </li>
        <li v-if="isOpen">
          <time /><span class="sign" aria-hidden="true">…</span>
          <span class="soft">{{
            job.state === 'waiting' ? 'waiting for a worker' : 'at work'
          }}</span>
        </li>
      </ol>
    </template>
    <template #margin>
      <template v-if="job">
        <h2>{{ isOpen ? 'Under way' : 'What it came to' }}</h2>
        <p v-if="job.says">{{ job.says }}.</p>
        <div v-for="outcome in job.outcomes" :key="outcome.path" class="outcome">
          <div class="mono small">{{ outcome.path }}</div>
          <NuxtLink
            v-if="outcome.revision"
            class="plain"
            :to="{ path: `/apis/${outcome.api}/source`, query: { revision: outcome.revision } }"
            >Revision {{ outcome.revision }}, version {{ outcome.version }}</NuxtLink
          >
          <NuxtLink v-if="outcome.rollout" class="plain" :to="`/rollouts/${outcome.rollout}`"
            >Rollout {{ outcome.rollout }}</NuxtLink
          >
          <NuxtLink v-if="outcome.promotion" class="plain" :to="`/promotions/${outcome.promotion}`"
            >Promotion {{ outcome.promotion }}</NuxtLink
          >
          <NuxtLink
            v-if="outcome.state === 'failed' && outcome.api"
            class="plain"
            :to="`/apis/${outcome.api}/place`"
            >Decide about its operations</NuxtLink
          >
        </div>
        <p v-if="job.reported" class="soft small">Its commit is told: {{ job.reported }}.</p>
        <p v-if="job.reportTrouble" class="copper-text small">
          Its commit could not be told. {{ job.reportTrouble }}
        </p>
        <div v-if="may" class="bar">
          <button v-if="isOpen" class="ghost" :disabled="busy" @click="cancel()">Cancel</button>
          <button v-else class="ghost" :disabled="busy" @click="repeat()">Do it once more</button>
        </div>
        <p v-if="isOpen && may" class="soft small">
          It stops before its next step; what it has done by then stays.
        </p>
      </template>
    </template>
  </Leaf>
</template>

<style scoped>
.log {
  list-style: none;
  margin: 0;
  padding: 0;
  font: 12px/1.55 var(--mono);
}
.log li {
  display: grid;
  grid-template-columns: 62px 14px 1fr;
  gap: 6px;
  padding: 3px 0;
  border-bottom: 1px dotted var(--rule);
}
.log li > span:last-child {
  overflow-wrap: anywhere;
  white-space: pre-wrap;
}
.log time,
.is-command {
  color: var(--soft);
}
.is-good .sign {
  color: var(--elm);
}
.is-bad {
  color: var(--copper);
}
.outcome {
  padding: 6px 0;
  border-bottom: 1px dotted var(--rule);
}
.outcome a {
  display: block;
  padding: 3px 0;
}
</style>
