<script setup lang="ts">
const { start } = useTheme()
start()
</script>

<template>
  <NuxtLayout>
    <NuxtPage />
  </NuxtLayout>
</template>
