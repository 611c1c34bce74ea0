<script setup lang="ts">
const id = String(useRoute().params['rollout'])
const { data: rollout, refusal } = useLoad(() => api.getRollout({ rollout: id }), ['rollout'])
const { data: evidence, refusal: refused } = useLoad(
  () => api.getRolloutEvidence({ rollout: id }),
  ['rollout'],
)
</script>

<template>
  <Leaf>
    <div class="crumb">
      <NuxtLink to="/rollouts">Rollouts</NuxtLink> /
      <NuxtLink :to="`/rollouts/${id}`">{{ id }}</NuxtLink> / evidence
    </div>
    <Trouble :refusal="refusal ?? refused" />
    <EvidenceView
      v-if="rollout && evidence"
      :evidence="evidence"
      :title="rollout.title"
      :source="`/api/v1/rollouts/${id}/evidence`"
      :file="`rollout-${id}.json`"
    />
  </Leaf>
</template>
