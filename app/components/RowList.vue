<script setup lang="ts" generic="T">
/** The rows of a list, of which only those in sight are drawn; the selected one is kept in sight. */
const { items, size, selected, label } = defineProps<{
  items: readonly T[]
  /** Height of a row in pixels; all are as high. */
  size: number
  selected: number
  /** What the rows are, for readers of the screen. */
  label: string
}>()
defineSlots<{ default(row: { item: T; index: number; on: boolean }): unknown }>()

const scroller = ref<{ scrollInView?: (index: number, to: string) => void }>()
const root = ref<HTMLElement>()
watch(
  () => selected,
  (index) => {
    const row = root.value?.querySelector(`[data-row="${index}"]`)
    if (row) row.scrollIntoView({ block: 'nearest' })
    else scroller.value?.scrollInView?.(index, 'to-start')
  },
)
</script>

<template>
  <div ref="root" class="rows">
    <VirtualScroller
      ref="scroller"
      class="scroller"
      :items="[...items]"
      :item-size="size"
      :pt="{ root: { role: 'list', 'aria-label': label } }"
    >
      <template #item="{ item, options: { index } }">
        <div :data-row="index" role="listitem">
          <slot :item="item" :index="index" :on="index === selected" />
        </div>
      </template>
    </VirtualScroller>
  </div>
</template>

<style scoped>
.rows {
  flex: 1;
  min-height: 180px;
  display: flex;
  flex-direction: column;
}
.scroller {
  flex: 1;
  min-height: 0;
}
</style>
