<script setup lang="ts">
import type { DifferenceItem } from '~~/shared/api/placements'

const {
  difference,
  left = 'ledger',
  right,
} = defineProps<{
  difference: DifferenceItem
  left?: string
  right?: string
}>()
const seenIn = computed(
  () => right ?? (difference.account === undefined ? 'gateway' : accountSides[difference.account]),
)
</script>

<template>
  <div class="difference">
    <div>
      {{ difference.where }} · {{ difference.what
      }}<span v-if="difference.on" class="on">, on {{ difference.on }}</span>
    </div>
    <dl>
      <dt>{{ left }}</dt>
      <dd class="ledger">{{ difference.ledger }}</dd>
      <dt>{{ seenIn }}</dt>
      <dd class="gateway">{{ difference.gateway }}</dd>
    </dl>
    <div v-if="difference.cause && left === 'ledger'" class="cause">{{ difference.cause }}</div>
  </div>
</template>

<style scoped>
.on {
  color: var(--soft);
}
.cause {
  font: 11.5px var(--body);
  color: var(--soft);
}
</style>
