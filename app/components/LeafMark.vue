<script setup lang="ts">
/** The elm leaf. */
const { height = 22 } = defineProps<{ height?: number }>()
</script>

<template>
  <svg :height="height" viewBox="0 0 18 22" aria-hidden="true">
    <path
      d="M9 21V9M9 14C4 13 2 9 3 2c5 1 7 5 6 12M9 12c4-.5 6-3 6-8-4 .5-6.4 3.4-6 8"
      fill="none"
      stroke="var(--elm)"
      stroke-width="1.7"
      stroke-linecap="round"
      stroke-linejoin="round"
    />
  </svg>
</template>
