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
/** So much of a value is read at a glance; of longer ones what is around the first difference. */
const most = 400
const isLong = computed(() => Math.max(difference.ledger.length, difference.gateway.length) > most)
const whole = ref(false)
const shown = computed(() => {
  const { ledger, gateway } = difference
  return whole.value || !isLong.value
    ? { ledger, gateway }
    : {
        ledger: excerptBeside(ledger, gateway, most),
        gateway: excerptBeside(gateway, ledger, most),
      }
})
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
      <dd class="ledger">{{ shown.ledger }}</dd>
      <dt>{{ seenIn }}</dt>
      <dd class="gateway">{{ shown.gateway }}</dd>
    </dl>
    <button v-if="isLong" type="button" class="plain" @click="whole = !whole">
      {{ whole ? 'Only where they differ first' : 'All of it' }}
    </button>
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
