<script setup lang="ts">
import type { Syntax } from '~~/core/text/read'
import { EditorState } from '@codemirror/state'
import { EditorView } from '@codemirror/view'

/** The text of a definition. Tells where its lines are on screen, so that the margin can stand beside them. */
const props = defineProps<{
  text: string
  syntax: Syntax
  locked: boolean
  lines: LineTint[]
  label?: string
  /** What may be written at an offset. */
  suggest?: Suggest
  /** What is said of a line. */
  notes?: (line: number) => LineNote[]
}>()
const emit = defineEmits<{
  change: []
  moved: []
  save: []
  cursor: [line: number]
  fix: [line: number]
  next: [from: number, step: 1 | -1]
}>()
const host = ref<HTMLElement>()
let view: EditorView | undefined

onMounted(() => {
  view = new EditorView({ parent: host.value! })
  open(props.text)
  view.scrollDOM.addEventListener('scroll', () => emit('moved'), { passive: true })
})
onUnmounted(() => view?.destroy())

function open(text: string) {
  view?.setState(
    EditorState.create({
      doc: text,
      extensions: [
        base(props.syntax),
        tints,
        props.locked ? readOnly : [],
        props.suggest && !props.locked ? suggesting(props.suggest, props.syntax) : [],
        props.notes ? explaining(props.notes) : [],
        EditorView.contentAttributes.of({
          'aria-label': props.label ?? 'Source of the definition',
        }),
        EditorView.domEventHandlers({
          keydown: (event, editor) => {
            const line = editor.state.doc.lineAt(editor.state.selection.main.head).number
            const held = event.ctrlKey || event.metaKey
            if (held && event.key === 's') emit('save')
            else if (held && event.key === '.') emit('fix', line)
            else if (event.key === 'F8') emit('next', line, event.shiftKey ? -1 : 1)
            else return false
            event.preventDefault()
            return true
          },
        }),
        EditorView.updateListener.of((update) => {
          if (update.docChanged) emit('change')
          if (update.selectionSet)
            emit('cursor', update.state.doc.lineAt(update.state.selection.main.head).number)
          if (update.geometryChanged || update.docChanged) emit('moved')
        }),
      ],
    }),
  )
  tint()
}

const tint = () => view?.dispatch({ effects: setTints.of(props.lines) })
watch(() => props.text, open)
watch(() => props.lines, tint)

defineExpose({
  /** The text as it stands now. */
  current: () => view?.state.doc.toString() ?? props.text,
  /** The lines in sight, and the offset of a line from the top of the editor. */
  window() {
    if (!view) return { first: 1, last: 1, top: () => 0 }
    const { scrollTop, clientHeight } = view.scrollDOM
    const lineAt = (height: number) =>
      view!.state.doc.lineAt(view!.lineBlockAtHeight(height).from).number
    return {
      first: lineAt(scrollTop),
      last: lineAt(scrollTop + clientHeight),
      top: (line: number) =>
        view!.lineBlockAt(view!.state.doc.line(Math.min(line, view!.state.doc.lines)).from).top -
        scrollTop,
    }
  },
  goTo(line: number) {
    if (!view) return
    const { from } = view.state.doc.line(Math.max(1, Math.min(line, view.state.doc.lines)))
    view.dispatch({
      selection: { anchor: from },
      effects: EditorView.scrollIntoView(from, { y: 'start', yMargin: 60 }),
    })
    view.focus()
  },
})
</script>

<template><div ref="host" class="host" /></template>

<style scoped>
.host {
  height: 100%;
  min-height: 0;
  overflow: hidden;
}
</style>
