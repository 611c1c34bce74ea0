<script setup lang="ts">
/** The leaves of one tab, with what can be done to all of them at the end. */
defineProps<{
  leaves: { to: string; label: string; number?: number | undefined; says?: string }[]
}>()
const route = useRoute()
</script>

<template>
  <div class="leaves">
    <NuxtLink
      v-for="leaf in leaves"
      :key="leaf.to"
      :to="leaf.to"
      :class="{ on: route.path === leaf.to }"
      >{{ leaf.label }}
      <small v-if="leaf.number" class="mono soft" :title="leaf.says">{{
        leaf.number
      }}</small></NuxtLink
    >
    <span class="end"><slot /></span>
  </div>
</template>

<style scoped>
.leaves {
  margin: 0 0 14px;
}
</style>
