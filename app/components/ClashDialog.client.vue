<script setup lang="ts">
import type { Syntax } from '~~/core/text/read'
import { MergeView } from '@codemirror/merge'

/** Two people saved: both texts side by side, the right one to be finished by hand. */
const props = defineProps<{
  theirs: string
  mine: string
  revision: number
  syntax: Syntax
}>()
const emit = defineEmits<{ close: []; theirs: []; merged: [text: string] }>()
const host = ref<HTMLElement>()
let view: MergeView | undefined

function show() {
  view = new MergeView({
    parent: host.value!,
    a: { doc: props.theirs, extensions: [base(props.syntax), readOnly] },
    b: { doc: props.mine, extensions: [base(props.syntax)] },
    collapseUnchanged: { margin: 3, minSize: 6 },
    revertControls: 'a-to-b',
  })
}
onUnmounted(() => view?.destroy())
</script>

<template>
  <Dialog
    visible
    modal
    header="Somebody saved while you were writing"
    :style="{ width: '1100px', maxWidth: '94vw' }"
    @show="show()"
    @update:visible="emit('close')"
  >
    <p class="soft">
      Revision {{ revision }} was saved on top of the one you began with. Nothing is lost: theirs is
      on the left, yours on the right. Take over what you want with the arrows, then save the right
      side.
    </p>
    <div class="names">
      <b>Revision {{ revision }}</b
      ><b>Yours</b>
    </div>
    <div ref="host" class="merge" />
    <template #footer>
      <button class="ghost" @click="emit('theirs')">Drop mine, take revision {{ revision }}</button>
      <button class="ghost" @click="emit('close')">Go on writing</button>
      <button class="fill" @click="emit('merged', view!.b.state.doc.toString())">
        Save the right side as revision {{ revision + 1 }}
      </button>
    </template>
  </Dialog>
</template>

<style scoped>
.names {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 30px;
}
.merge {
  height: 52vh;
  overflow: auto;
  border: 1px solid var(--rule);
  border-radius: 5px;
}
</style>
