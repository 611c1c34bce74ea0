<script setup lang="ts">
import type { GateItem } from '~~/shared/api/promotions'

defineProps<{ gates: GateItem[] }>()
const slots = defineSlots<{ default?(of: { gate: GateItem }): unknown }>()
const signs = { passed: '✓', failed: '✕', waiting: '…' }
</script>

<template>
  <div v-for="gate in gates" :key="gate.id" class="gate">
    <i :class="gate.state" :title="gate.state">{{ signs[gate.state] }}</i>
    <span
      >{{ gate.title }}<small>{{ gate.text }}</small
      ><component :is="slots.default" v-if="slots.default" :gate="gate"
    /></span>
  </div>
</template>
