<script setup lang="ts">
import type { SoapOperation } from '~~/shared/api/catalog'
import { calledBy } from '~~/shared/operation-name'

const props = defineProps<{ method: string; path: string; soap?: SoapOperation | undefined }>()
const called = computed(() => calledBy(props))
</script>

<template>
  <span
    ><span class="method">{{ called.method }}</span> <code>{{ called.name }}</code>
    <span v-if="soap?.action" class="soft small mono action">{{ soap.action }}</span></span
  >
</template>

<style scoped>
.action {
  display: block;
}
</style>
