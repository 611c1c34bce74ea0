<script setup lang="ts">
import type { SampleResult } from '~~/core/rules/samples'

/** How a rule does on its own samples. */
defineProps<{ samples: readonly SampleResult[]; reading: boolean }>()
</script>

<template>
  <h3>
    Samples <small>{{ reading ? 'running …' : `${samples.length}` }}</small>
  </h3>
  <p v-if="!samples.length" class="soft">
    A rule is tested by what keeps it and what breaks it. Add samples below the form.
  </p>
  <div v-for="sample in samples" :key="sample.kind + sample.number" class="sample">
    <i :class="sample.wrong === undefined ? 'passed' : 'failed'">{{
      sample.wrong === undefined ? '✓' : '✗'
    }}</i>
    <span>
      {{ sample.kind === 'passes' ? 'keeps it' : 'breaks it' }}, {{ sample.number }}
      <small v-if="sample.wrong">{{ sample.wrong }}</small>
      <small v-else-if="sample.findings[0]">{{ sample.findings[0].message }}</small>
    </span>
  </div>
</template>

<style scoped>
.sample {
  display: grid;
  grid-template-columns: 18px 1fr;
  padding: 2px 0;
}
.sample i {
  font: 700 12px var(--mono);
}
.sample .passed {
  color: var(--elm);
}
.sample .failed {
  color: var(--copper);
}
.sample small {
  display: block;
  color: var(--soft);
  font-size: 11.5px;
  overflow-wrap: anywhere;
}
</style>
