<script setup lang="ts">
/** What is wrong with a text, each with its line. */
defineProps<{ faults: readonly { message: string; line: number }[] }>()
const emit = defineEmits<{ open: [line: number] }>()
</script>

<template>
  <h2>{{ count(faults.length, 'fault') }}</h2>
  <button
    v-for="fault in faults"
    :key="fault.line + fault.message"
    class="fault"
    @click="emit('open', fault.line)"
  >
    {{ fault.message }} <code>line {{ fault.line }}</code>
  </button>
</template>

<style scoped>
.fault {
  display: block;
  width: 100%;
  text-align: left;
  border: 0;
  border-left: 3px solid var(--copper);
  background: var(--page);
  padding: 5px 8px;
  margin-bottom: 5px;
  cursor: pointer;
  overflow-wrap: anywhere;
}
</style>
