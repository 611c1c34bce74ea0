<script setup lang="ts">
import type { Intake } from '~~/shared/api/catalog'

/** Why a text is no definition, problem by problem at its place. */
defineProps<{ intake: Intake }>()
defineEmits<{ back: [] }>()
</script>

<template>
  <div>
    <div class="trouble" role="alert">
      <b>{{ intake.source }} is not a readable definition.</b>
      {{ count(intake.diagnostics.length, 'problem') }}. The text is kept; fix it here or at its
      source.
    </div>
    <table class="ruled problems">
      <thead>
        <tr>
          <th>Place</th>
          <th>Problem</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(problem, i) in intake.diagnostics" :key="i">
          <td class="mono place">{{ problem.file }}:{{ problem.line }}:{{ problem.column }}</td>
          <td>
            {{ problem.message }}
            <pre v-if="problem.excerpt" tabindex="0">{{ problem.excerpt }}</pre>
          </td>
        </tr>
      </tbody>
    </table>
    <p><button class="ghost" @click="$emit('back')">Go back to the text</button></p>
  </div>
</template>

<style scoped>
.problems {
  max-width: 900px;
}
.problems pre {
  font: 11.5px/1.5 var(--mono);
  color: var(--soft);
  margin: 4px 0 2px;
  overflow-x: auto;
}
.place {
  white-space: nowrap;
}
</style>
