<script setup lang="ts">
import type { FindingTotals } from '~~/shared/api/catalog'

defineProps<{ counts: FindingTotals }>()
</script>

<template>
  <span class="counts" :title="`${counts.must} must, ${counts.should} should, ${counts.may} may`">
    <b :class="{ zero: !counts.must }">{{ short(counts.must) }}</b><i
      :class="{ zero: !counts.should }"
      >{{ short(counts.should) }}</i
    ><span :class="{ zero: !counts.may }">{{ short(counts.may) }}</span>
  </span>
</template>

<style scoped>
.counts {
  display: inline-grid;
  grid-template-columns: repeat(3, 32px);
  font: 11.5px var(--mono);
  color: var(--slate);
}
b {
  color: var(--copper);
}
i {
  color: var(--ochre);
  font-style: normal;
  font-weight: 600;
}
.zero {
  color: var(--quiet);
  opacity: 0.75;
  font-weight: 400;
}
</style>
