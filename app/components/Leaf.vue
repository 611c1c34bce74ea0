<script setup lang="ts">
/** The white page, and behind the double rule its margin, where it has one. */
defineProps<{ flush?: boolean }>()
const slots = defineSlots<{ default(): unknown; margin?(): unknown }>()
</script>

<template>
  <div class="spread" :class="{ wide: !slots.margin }">
    <main :class="{ flush }"><slot /></main>
    <aside v-if="slots.margin" id="margin" tabindex="0" aria-label="Margin">
      <slot name="margin" />
    </aside>
  </div>
</template>

<style scoped>
.spread {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 316px;
  min-height: 0;
}
.spread.wide {
  grid-template-columns: minmax(0, 1fr);
}
main {
  background: var(--page);
  padding: 18px 26px 24px;
  border: 1px solid var(--rule);
  border-right: 0;
  border-bottom: 0;
  border-top-left-radius: 10px;
  overflow: auto;
  min-height: 0;
  display: flex;
  flex-direction: column;
}
main.flush {
  padding: 14px 0 0 26px;
  overflow: hidden;
}
aside {
  background: var(--paper);
  border-top: 1px solid var(--rule);
  border-left: 1px solid var(--double);
  padding: 18px;
  overflow: auto;
  font-size: 12.5px;
  position: relative;
  outline: none;
}
aside::before {
  content: '';
  position: absolute;
  left: 3px;
  top: 0;
  bottom: 0;
  border-left: 1px solid var(--double);
}
</style>
