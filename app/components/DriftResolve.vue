<script setup lang="ts">
import type { PlacementItem } from '~~/shared/api/placements'

/** What differs at one placement, and the ways to put it right. */
const props = defineProps<{ placement: PlacementItem; most?: number }>()
const emit = defineEmits<{ resolved: [] }>()
const shown = computed(() => props.placement.differences.slice(0, props.most ?? 5))
</script>

<template>
  <div>
    <DifferenceBox
      v-for="difference in shown"
      :key="`${difference.on} ${difference.where} ${difference.what}`"
      :difference="difference"
    />
    <NuxtLink class="plain" :to="{ path: '/drift', query: { placement: placement.id } }">{{
      shown.length < placement.differences.length
        ? `${placement.differences.length - shown.length} more, with causes`
        : 'Causes, and who calls'
    }}</NuxtLink>
    <DriftActs
      v-if="placement.differences.some(({ account }) => account === 'gateway')"
      :placement="placement"
      @resolved="emit('resolved')"
    />
  </div>
</template>
