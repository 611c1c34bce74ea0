<script setup lang="ts">
/** The sides of a placement: what happens to a request, where it goes, and how that came about. */
const view = defineModel<string>({ required: true })
defineProps<{ views: readonly { value: string; label: string; number?: number }[] }>()
</script>

<template>
  <div class="tabs" role="tablist">
    <button
      v-for="one in views"
      :key="one.value"
      type="button"
      role="tab"
      :aria-selected="view === one.value"
      :class="{ on: view === one.value }"
      @click="view = one.value"
    >
      {{ one.label }}<span v-if="one.number">{{ one.number }}</span>
    </button>
  </div>
</template>

<style scoped>
.tabs {
  display: flex;
  gap: 20px;
  border-bottom: 1px solid var(--rule);
  margin: 12px 0;
}
.tabs button {
  border: 0;
  background: none;
  font: 500 13px var(--body);
  color: var(--soft);
  padding: 0 0 8px;
  cursor: pointer;
}
.tabs .on {
  color: var(--ink);
  font-weight: 650;
  border-bottom: 3px solid var(--elm);
}
.tabs span {
  font: 11px var(--mono);
  margin-left: 5px;
}
</style>
