<script setup lang="ts">
/** A part of the form of a placement. */
defineProps<{ title: string }>()
</script>

<template>
  <fieldset>
    <legend>{{ title }}</legend>
    <slot />
  </fieldset>
</template>

<style scoped>
fieldset {
  border: 0;
  border-top: 1px solid var(--rule);
  margin: 0 0 6px;
  padding: 10px 0 6px;
}
legend {
  font: 650 12px var(--body);
  padding: 0 8px 0 0;
}
</style>
