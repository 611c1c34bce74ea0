<script setup lang="ts">
const id = String(useRoute().params['rollout'])
const {
  data: rollout,
  refusal,
  reload,
} = useLoad(() => api.getRollout({ rollout: id }), ['rollout'])
const { busy, refusal: actRefusal, act } = useAct()
const cancel = async () => {
  await act(() => api.cancelRollout({ rollout: id }))
  await reload()
}
const pause = async () => {
  await act(() => api.pauseRollout({ rollout: id }))
  await reload()
}
const resume = async () => {
  await act(() => api.resumeRollout({ rollout: id }))
  await reload()
}
const confirmed = computed(
  () =>
    rollout.value?.steps.filter(({ state, share }) => state === 'confirmed' && !share).length ?? 0,
)
</script>

<template>
  <Leaf>
    <Trouble :refusal="refusal" />
    <template v-if="rollout">
      <div class="crumb"><NuxtLink to="/rollouts">Rollouts</NuxtLink> / {{ rollout.id }}</div>
      <h1>{{ rollout.title }}</h1>
      <p class="sentence" role="status">
        Wanted by {{ rollout.by }} {{ ago(rollout.at) }}, {{ rolloutWord(rollout.state) }}:
        {{ confirmed }} of {{ count(rollout.steps.length, 'gateway has', 'gateways have') }}
        confirmed.
      </p>
      <p v-if="rollout.trouble" class="trouble">{{ rollout.trouble }}</p>
      <p v-if="rollout.held" class="held" role="status">It waits. {{ rollout.held }}.</p>
      <h3>Gateway by gateway</h3>
      <RolloutSteps :rollout="rollout" />
      <h3>Placements</h3>
      <p v-for="placement in rollout.placements" :key="placement">
        <NuxtLink class="plain" :to="{ path: '/drift', query: { placement } }">{{
          placement
        }}</NuxtLink>
      </p>
      <p class="soft">
        Each gateway is read, written, and read again. When one refuses, those before it are put
        back. Where no reply came, nobody knows what the gateway has until it is read again.
      </p>
    </template>
    <template #margin>
      <template v-if="rollout">
        <h2>{{ rollout.endedAt ? 'It has ended' : 'Under way' }}</h2>
        <p v-if="rollout.endedAt" class="soft">
          {{
            rollout.state === 'done'
              ? 'What was wanted is approved and runs.'
              : 'What ran before runs again, and nothing was approved.'
          }}
          Ended {{ ago(rollout.endedAt) }}.
        </p>
        <template v-else>
          <p class="soft">
            It goes on by itself, also when this page is left or a process ends in between.
          </p>
          <div v-if="rollout.state === 'running'" class="bar">
            <button v-if="rollout.pausedBy" class="fill" :disabled="busy" @click="resume()">
              Go on
            </button>
            <button v-else class="ghost" :disabled="busy" @click="pause()">
              Stop before the next gateway
            </button>
            <button class="ghost" :disabled="busy" @click="cancel()">Cancel and put back</button>
          </div>
        </template>
        <Trouble :refusal="actRefusal" />
        <p v-if="rollout.release">
          <NuxtLink class="plain" :to="`/promotions/releases/${rollout.release}`"
            >The release, with the evidence of each version</NuxtLink
          >
        </p>
        <p v-else-if="rollout.promotion">
          <NuxtLink class="plain" :to="`/promotions/${rollout.promotion}`"
            >The request it carries out</NuxtLink
          >
        </p>
        <p v-else>
          <NuxtLink class="plain" :to="`/rollouts/${id}/evidence`">Evidence</NuxtLink>
        </p>
        <p>
          <NuxtLink
            class="plain"
            :to="{ path: '/ledger', query: { search: rollout.placements[0] ?? '' } }"
            >What the ledger says</NuxtLink
          >
        </p>
      </template>
    </template>
  </Leaf>
</template>

<style scoped>
.held {
  color: var(--ochre);
}
</style>
