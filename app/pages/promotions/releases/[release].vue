<script setup lang="ts">
import type { PromotionDetail } from '~~/shared/api/promotions'
import { useSession } from '~/stores/session'

/** A release: its versions, what each waits for, and the acts for all of them. */
const id = String(useRoute('promotions-releases-release').params.release)
const {
  data: release,
  refusal,
  reload,
} = useLoad(
  () => api.getRelease({ release: id }),
  ['promotion', 'request', 'rollout', 'placement', 'comparison'],
)
const session = useSession()
const role = computed(() => session.person?.role ?? '')
const { busy, refusal: refused, act } = useAct()
const rows = computed(() => release.value?.promotions ?? [])
const { selected, current } = useRows(() => rows.value, {
  open: (row) => navigateTo(`/promotions/${row.id}`),
})
const note = ref('')
const asking = ref(false)
const cancelling = ref(false)
const waits = computed(() => release.value?.state === 'waiting')
const allOpen = computed(() => release.value && release.value.open === release.value.versions)
const wentBack = computed(() => rows.value.find((row) => row.wentBack)?.wentBack)
const automatic = computed(() => rows.value.every((row) => row.automatic) && !wentBack.value)
const openIn = ({ gates }: PromotionDetail) =>
  `${gates.filter(({ state }) => state === 'passed').length} of ${gates.length}`

const after = async (work: () => Promise<unknown>) => {
  const done = await act(work)
  await reload()
  return done
}
const approve = () =>
  after(() =>
    api.approveRelease({ release: id }, { note: note.value, digest: release.value?.digest ?? '' }),
  )
const promote = () => {
  asking.value = false
  return after(() => api.promoteRelease({ release: id }))
}
const takeOut = async (promotion: number) => {
  const isLast = rows.value.length <= 2
  const done = await act(async () => {
    await api.removeFromRelease({ release: id, promotion })
    return true
  })
  if (done && isLast) await navigateTo('/promotions')
  else await reload()
}
async function cancel() {
  cancelling.value = false
  const done = await act(async () => {
    await api.cancelRelease({ release: id })
    return true
  })
  if (done) await navigateTo('/promotions/releases')
}
</script>

<template>
  <Leaf>
    <Trouble :refusal="refusal" />
    <template v-if="release">
      <div class="crumb">
        <NuxtLink to="/promotions/releases">Releases</NuxtLink> / {{ release.title }}
      </div>
      <h1>Release {{ release.title }} into {{ release.to }}</h1>
      <p class="sentence">
        {{ count(release.versions, 'version') }} from {{ release.from }}, put together by
        {{ release.by }} {{ ago(release.at) }}. {{ release.note }}
      </p>
      <p v-if="release.state === 'done'" class="good" role="status">
        Done: all of them run in {{ release.to }}.
        <NuxtLink v-if="release.rollout" class="plain" :to="`/rollouts/${release.rollout}`"
          >The rollout</NuxtLink
        >
      </p>
      <p v-else-if="release.state === 'under-way'" class="good" role="status">
        It is being carried out.
        <NuxtLink v-if="release.rollout" class="plain" :to="`/rollouts/${release.rollout}`"
          >See how far it is</NuxtLink
        >
      </p>
      <table class="ruled">
        <thead>
          <tr>
            <th>API</th>
            <th>Version</th>
            <th>In place of</th>
            <th>Gates</th>
            <th>Approved by</th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="(row, index) in rows"
            :key="row.id"
            :class="{ on: index === selected }"
            @click="selected = index"
          >
            <td>
              <NuxtLink :to="`/promotions/${row.id}`"
                ><b>{{ row.title }}</b></NuxtLink
              >
              <div class="soft small">{{ row.team }}, asked by {{ row.requestedBy }}</div>
            </td>
            <td class="mono">{{ row.version }}</td>
            <td class="mono">{{ row.plan[0]?.replaces || 'nothing' }}</td>
            <td class="mono">{{ openIn(row) }}</td>
            <td>{{ row.approvals.map(({ by }) => by).join(', ') || 'nobody yet' }}</td>
          </tr>
        </tbody>
      </table>
      <section v-if="current" :key="current.id">
        <h2>{{ requestTitle(current) }}</h2>
        <PromotionPlan :promotion="current" />
      </section>
    </template>
    <template #margin>
      <template v-if="release">
        <template v-if="waits">
          <h2>The act</h2>
          <p v-if="wentBack" class="copper-text">
            {{ wentBack }} What is done next is somebody’s decision.
          </p>
          <p v-else-if="automatic" class="soft">
            Nobody has to do anything: it is carried out as soon as every gate is open.
          </p>
          <p class="soft">
            {{
              allOpen
                ? 'Every gate of every version is open.'
                : `${release.open} of ${count(release.versions, 'version')} have every gate open.`
            }}
          </p>
          <div class="bar">
            <button class="fill" :disabled="busy || !allOpen" @click="asking = true">
              Promote all to {{ release.to }}
            </button>
            <button class="ghost" :disabled="busy" @click="cancelling = true">Cancel it</button>
          </div>
          <Trouble :refusal="refused" />
          <template v-if="role === 'governance' || role === 'reviewer'">
            <h3>Approve all of it</h3>
            <form @submit.prevent="approve()">
              <Textarea
                v-model="note"
                rows="2"
                placeholder="What you looked at"
                aria-label="What you looked at"
              /><button class="ghost" :disabled="busy">Approve all</button>
            </form>
          </template>
        </template>
        <template v-if="current">
          <h3>
            <NuxtLink :to="`/promotions/${current.id}`"
              >{{ current.title }} {{ current.version }}</NuxtLink
            >
            <small>{{ openIn(current) }}</small>
          </h3>
          <Gates :gates="current.gates" />
          <button v-if="waits" class="plain" :disabled="busy" @click="takeOut(current.id)">
            Have it wait on its own
          </button>
          <NuxtLink v-else class="plain" :to="`/promotions/${current.id}/evidence`"
            >Its evidence</NuxtLink
          >
        </template>
        <Dialog
          v-model:visible="asking"
          modal
          :header="`Promote all to ${release.to}`"
          :style="{ width: '480px' }"
        >
          <p>
            {{ rows.map(({ title, version }) => `${title} ${version}`).join(', ') }} enter
            {{ release.to }} in one rollout. Where a gateway does not take one of them, all of them
            go back. Callers notice at once.
          </p>
          <template #footer>
            <button class="ghost" @click="asking = false">Cancel</button>
            <button class="fill" :disabled="busy" @click="promote()">Promote all</button>
          </template>
        </Dialog>
        <Dialog
          v-model:visible="cancelling"
          modal
          header="Cancel the release"
          :style="{ width: '480px' }"
        >
          <p>
            Its versions wait on their own from then on, with the approvals they have. Nothing is
            withdrawn.
          </p>
          <template #footer>
            <button class="ghost" @click="cancelling = false">Keep it</button>
            <button class="fill" :disabled="busy" @click="cancel()">Cancel it</button>
          </template>
        </Dialog>
      </template>
    </template>
  </Leaf>
</template>

<style scoped>
section {
  margin-top: 20px;
}
form :deep(textarea) {
  width: 100%;
  margin-bottom: 6px;
}
</style>
