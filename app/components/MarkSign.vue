<script setup lang="ts">
/** How a placement stands, as its sign; the words are in the title and for readers of the screen. */
defineProps<{ placement: { mark: 'in-step' | 'differs' | 'unseen'; differences: unknown[] } }>()
</script>

<template>
  <span
    class="sign"
    :class="placement.mark"
    :title="markWords(placement.mark, placement.differences.length)"
    >{{ markSign(placement.mark, placement.differences.length) }}</span
  >
</template>

<style scoped>
.sign {
  font: 700 13px var(--mono);
  color: var(--elm);
  white-space: nowrap;
}
.differs {
  color: var(--copper);
}
.unseen {
  color: var(--soft);
}
</style>
