<script setup lang="ts">
const promotion = String(useRoute().params['promotion'])
const { data: request, refusal } = useLoad(() => api.getPromotion({ promotion }), ['promotion'])
const { data: evidence, refusal: refused } = useLoad(
  () => api.getPromotionEvidence({ promotion }),
  ['promotion', 'request', 'rollout'],
)
</script>

<template>
  <Leaf>
    <div v-if="request" class="crumb">
      <NuxtLink to="/promotions">Promotions</NuxtLink> /
      <NuxtLink :to="`/promotions/${promotion}`">{{ requestTitle(request) }}</NuxtLink> / evidence
    </div>
    <Trouble :refusal="refusal ?? refused" />
    <EvidenceView
      v-if="request && evidence"
      :evidence="evidence"
      :title="requestTitle(request)"
      :source="`/api/v1/promotions/${promotion}/evidence`"
      :file="`promotion-${promotion}.json`"
    />
  </Leaf>
</template>
