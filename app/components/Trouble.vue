<script setup lang="ts">
/** What went wrong: what happened, where, and what to do, in the server's own words. */
defineProps<{ refusal: Refusal | undefined }>()
</script>

<template>
  <div v-if="refusal" class="trouble" role="alert">
    <b>{{ refusal.title }}.</b> {{ refusal.message }}
    <ul v-if="refusal.faults.length > 1 || refusal.faults[0]?.line">
      <li v-for="fault in refusal.faults.slice(0, 12)" :key="fault.field + fault.message">
        <code v-if="fault.line">{{ fault.field }}:{{ fault.line }}:{{ fault.column }}</code>
        {{ fault.message }}
      </li>
    </ul>
  </div>
</template>
