<script setup lang="ts">
import { EditorState } from '@codemirror/state'
import { EditorView } from '@codemirror/view'
import { conditionFault } from '~~/core/rules/complete'
import type { SubjectKind } from '~~/core/rules/model'

/** A condition of a rule: coloured, completed, and told what is wrong with it. */
const props = defineProps<{
  label: string
  value: string
  about: SubjectKind
  locked: boolean
  placeholder?: string
}>()
const emit = defineEmits<{ input: [text: string] }>()
const host = ref<HTMLElement>()
let view: EditorView | undefined

onMounted(() => {
  view = new EditorView({
    parent: host.value!,
    state: EditorState.create({
      doc: props.value,
      extensions: [
        conditionEditor(() => props.about, props.label, props.placeholder ?? ''),
        EditorView.updateListener.of((update) => {
          const text = update.state.doc.toString()
          if (update.docChanged && text !== props.value) emit('input', text)
        }),
        EditorState.readOnly.of(props.locked),
      ],
    }),
  })
})
onUnmounted(() => view?.destroy())

/** What came from elsewhere takes the place of what stands there. */
watch(
  () => props.value,
  (value) => {
    const known = view?.state.doc.toString()
    if (known === undefined || known === value) return
    view!.dispatch({ changes: { from: 0, to: known.length, insert: value } })
  },
)
const fault = computed(() =>
  props.value.trim() === '' ? undefined : conditionFault(props.value, props.about),
)
</script>

<template>
  <div class="field">
    <span class="name">{{ label }}</span>
    <div ref="host" />
    <small v-if="fault" class="fault" role="status">{{ fault.message }}</small>
    <small v-if="$slots.default"><slot /></small>
  </div>
</template>

<style scoped>
.field {
  margin-bottom: 12px;
}
.fault {
  color: var(--copper);
  overflow-wrap: anywhere;
}
</style>
