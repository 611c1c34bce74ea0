<script setup lang="ts">
/** The page before one is in: a leaf of its own on the board. */
defineProps<{ title: string }>()
</script>

<template>
  <div class="cover">
    <main class="page">
      <div class="brand">
        <LeafMark :height="27" />
        <h1>{{ title }}</h1>
      </div>
      <slot />
    </main>
  </div>
</template>

<style scoped>
.cover {
  min-height: 100vh;
  display: grid;
  place-items: center;
  background: var(--board);
}
.page {
  background: var(--page);
  border: 1px solid var(--rule);
  border-radius: 10px;
  width: 380px;
  padding: 30px 34px 26px 40px;
  position: relative;
}
.page::before {
  content: '';
  position: absolute;
  left: 14px;
  top: 0;
  bottom: 0;
  width: 3px;
  border-left: 1px solid var(--double);
  border-right: 1px solid var(--double);
}
.brand {
  display: flex;
  gap: 11px;
  align-items: center;
}
.page :deep(.fill) {
  width: 100%;
  padding: 8px;
  margin: 6px 0 4px;
}
</style>
