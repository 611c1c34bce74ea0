<script setup lang="ts">
import type { Syntax } from '~~/core/text/read'
import { MergeView } from '@codemirror/merge'

/** A text before and after a change, side by side; what stays the same is folded. */
const props = defineProps<{ before: string; after: string; syntax: Syntax }>()
const host = ref<HTMLElement>()
let view: MergeView | undefined

function draw() {
  view?.destroy()
  const side = (doc: string) => ({ doc, extensions: [base(props.syntax), readOnly] })
  view = new MergeView({
    parent: host.value!,
    a: side(props.before),
    b: side(props.after),
    collapseUnchanged: { margin: 3, minSize: 6 },
  })
}
onMounted(draw)
watch(() => [props.before, props.after], draw)
onUnmounted(() => view?.destroy())
</script>

<template>
  <div ref="host" class="merge" tabindex="0" role="region" aria-label="Before and after" />
</template>

<style scoped>
.merge {
  max-height: 46vh;
  overflow: auto;
  border: 1px solid var(--rule);
  border-radius: 5px;
}
.merge :deep(.cm-collapsedLines) {
  background: var(--faint);
  color: var(--soft);
  font: 11.5px var(--body);
}
.merge :deep(.cm-collapsedLines::before),
.merge :deep(.cm-collapsedLines::after) {
  content: '…';
  margin: 0 6px;
}
</style>
