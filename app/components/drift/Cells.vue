<script setup lang="ts">
import type { DriftItem } from '~~/shared/api/drift'

/** What drift is of, what it is and where it was seen: the first cells of its row. */
defineProps<{ item: DriftItem; most: number }>()
const emit = defineEmits<{ select: [] }>()
</script>

<template>
  <td>
    <button class="name" @click="emit('select')">{{ item.title ?? 'Nobody’s' }}</button>
    <div class="soft small">
      <span class="mono">{{ item.version }}</span> {{ item.stage }}
    </div>
  </td>
  <td class="what">
    <b>{{ item.what }}</b> <span class="mono tiny">{{ item.where }}</span>
    <div class="small">
      <span class="approved">{{ clipped(item.ledger, most) }}</span> →
      <span class="copper-text">{{ clipped(item.runs, most) }}</span>
    </div>
    <slot />
  </td>
  <td class="small">{{ item.gateway || accountWords[item.account] }}</td>
</template>

<style scoped>
.what {
  overflow-wrap: anywhere;
}
.approved {
  color: var(--elm);
}
.tiny {
  font-size: 11.5px;
}
</style>
