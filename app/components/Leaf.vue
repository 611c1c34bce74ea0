<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
/** The white page, and behind the double rule its margin, where it has one. */
defineProps<{ flush?: boolean }>()
const slots = defineSlots<{ default(): unknown; margin?(): unknown }>()

/** Where there is no room beside the page, the margin is a drawer. */
const opened = ref(false)
const margin = ref<HTMLElement>()
async function open() {
  opened.value = true
  await nextTick()
  margin.value?.focus()
}
const onKey = (event: KeyboardEvent) => {
  if (event.key === 'Escape') opened.value = false
  else if (event.key === 'm' && isPlainKey(event)) void open()
}
useEventListener(window, 'keydown', onKey)
</script>

<template>
  <div class="spread" :class="{ wide: !slots.margin }">
    <main :class="{ flush }"><slot /></main>
    <button
      v-if="slots.margin"
      class="handle ghost"
      :aria-expanded="opened"
      aria-controls="margin"
      @click="opened ? (opened = false) : open()"
    >
      {{ opened ? 'Close' : 'Details and actions' }}
    </button>
    <aside
      v-if="slots.margin"
      id="margin"
      ref="margin"
      tabindex="0"
      aria-label="Margin"
      :class="{ opened }"
    >
      <slot name="margin" />
    </aside>
  </div>
</template>

<style scoped>
.spread {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 316px;
  min-height: 0;
  position: relative;
  overflow: hidden;
}
.handle {
  display: none;
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
@media (max-width: 1099px) {
  .spread {
    grid-template-columns: minmax(0, 1fr);
  }
  main {
    padding-top: 44px;
  }
  main.flush {
    padding-top: 44px;
  }
  .handle {
    display: block;
    position: absolute;
    top: 10px;
    right: 16px;
    z-index: 3;
  }
  aside {
    position: absolute;
    inset: 0 0 0 auto;
    width: min(340px, 92%);
    padding-top: 52px;
    z-index: 2;
    visibility: hidden;
  }
  aside.opened {
    visibility: visible;
    box-shadow: -1px 0 0 var(--rule);
  }
}
</style>
