<script setup lang="ts">
import type { Level } from '~~/core/rules/model'

/** How many findings there are at each level, in a sentence whose numbers are filters. */
defineProps<{ must: number; should: number; may: number; level: string }>()
const emit = defineEmits<{ toggle: [level: Level] }>()
</script>

<template>
  <p class="sentence">
    <slot />
    <button class="copper" :aria-pressed="level === 'MUST'" @click="emit('toggle', 'MUST')">
      {{ figure(must) }} at MUST</button
    >,
    <button class="ochre" :aria-pressed="level === 'SHOULD'" @click="emit('toggle', 'SHOULD')">
      {{ figure(should) }} at SHOULD
    </button>
    and
    <button :aria-pressed="level === 'MAY'" @click="emit('toggle', 'MAY')">
      {{ figure(may) }} at MAY</button
    >.
  </p>
</template>
