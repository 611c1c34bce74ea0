<script setup lang="ts">
/** APIs by name, each a way there. */
defineProps<{ apis: readonly string[] }>()
</script>

<template>
  <p class="names">
    <NuxtLink v-for="name in apis" :key="name" class="plain" :to="`/apis/${name}`">{{
      name
    }}</NuxtLink>
  </p>
</template>

<style scoped>
.names {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  margin: 0 0 8px;
  font-size: 12.5px;
  line-height: 26px;
}
.names a {
  display: inline-block;
  min-width: 26px;
}
</style>
