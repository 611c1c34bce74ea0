<script setup lang="ts">
import { rowName } from '~~/core/runtime/placement'
import type { SpecBody } from '~~/shared/api/placements'
import type { Way } from '~/composables/useWay'

/** The way of a placement: for which operation, step by step, and what could be added. */
const props = defineProps<{
  way: Way
  spec: SpecBody
  differing?: ReadonlyMap<string, number>
  seen?: boolean
  editable: boolean
}>()
const { operation, selected, items, own } = props.way
const operations = computed(() => props.spec.routes.map(rowName))
const chosen = computed({
  get: () => operation.value || null,
  set: (name) => (operation.value = name ?? ''),
})
const taken = computed(() => items.value.flatMap(({ policy }) => policy ?? []))
</script>

<template>
  <div>
    <div class="scope">
      <label class="for"
        >For
        <Select
          v-model="chosen"
          :options="operations"
          filter
          placeholder="every operation"
          show-clear
          aria-label="For which operation"
          :virtual-scroller-options="{ itemSize: 32 }"
        />
      </label>
      <slot />
      <span v-if="own.length" class="own"
        >{{ count(own.length, 'operation has', 'operations have') }} policies of
        {{ own.length === 1 ? 'its' : 'their' }} own:
        <template v-for="(name, index) in own.slice(0, 3)" :key="name"
          >{{ index ? ', ' : ''
          }}<button type="button" class="plain" @click="operation = name">
            {{ name }}
          </button></template
        ><template v-if="own.length > 3"> and {{ own.length - 3 }} more</template></span
      >
    </div>
    <WayLadder
      v-model:selected="selected"
      :items="items"
      v-bind="{ ...(differing && { differing }), seen: seen ?? false }"
    >
      <WayAddPolicy v-if="editable" :taken="taken" @add="selected = $event" />
    </WayLadder>
  </div>
</template>

<style scoped>
.scope {
  display: flex;
  gap: 12px;
  align-items: center;
  flex-wrap: wrap;
  margin: 0 0 6px;
  font-size: 12.5px;
  color: var(--soft);
}
.for {
  display: flex;
  gap: 7px;
  align-items: center;
}
.for :deep(.p-select) {
  max-width: 300px;
}
.own {
  margin-left: auto;
}
</style>
