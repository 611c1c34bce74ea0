<script setup lang="ts">
import type { Counts } from '~~/shared/api/catalog'

defineProps<{ counts: Counts }>()
</script>

<template>
  <span class="counts" :title="`${counts.MUST} must, ${counts.SHOULD} should, ${counts.MAY} may`">
    <b :class="{ zero: !counts.MUST }">{{ counts.MUST }}</b><i :class="{ zero: !counts.SHOULD }">{{
      counts.SHOULD
    }}</i
    ><span :class="{ zero: !counts.MAY }">{{ counts.MAY }}</span>
  </span>
</template>

<style scoped>
.counts {
  display: inline-grid;
  grid-template-columns: repeat(3, 22px);
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
