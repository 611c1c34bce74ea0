<script setup lang="ts">
import type { NuxtError } from '#app'

defineProps<{ error: NuxtError }>()
</script>

<template>
  <main class="cover">
    <h1>
      {{
        error.statusCode === 404 ? 'There is no such page' : 'The ledger cannot be read just now'
      }}
    </h1>
    <p class="soft">
      {{ error.statusCode === 404 ? 'The address names nothing here.' : error.message }}
    </p>
    <button class="fill" @click="clearError({ redirect: '/' })">Go to the register</button>
  </main>
</template>

<style scoped>
.cover {
  height: 100vh;
  display: grid;
  place-content: center;
  justify-items: start;
  gap: 8px;
}
</style>
