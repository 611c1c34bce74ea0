<script setup lang="ts">
import { countLevels } from '~~/core/definition'
import type { Finding, Rule } from '~~/core/rules/model'
import type { Diagnostic } from '~~/core/text/diagnostic'

/** What is to be said about the lines in sight, each note beside its line as far as there is room. */
interface EditorWindow {
  first: number
  last: number
  top: (line: number) => number
}
const props = defineProps<{
  findings: Finding[]
  diagnostics: Diagnostic[]
  rules: Rule[]
  edition: number
  window: () => EditorWindow
  tick: number
  offset: number
  checking: boolean
  locked: boolean
}>()
const emit = defineEmits<{ go: [line: number]; fix: [finding: Finding] }>()

interface Note {
  key: string
  /** How it is coloured, and what it is called. */
  level: string
  label: string
  message: string
  rule: string
  line: number
  reason: string
  finding?: Finding
}
const byId = computed(() => new Map(props.rules.map((rule) => [rule.id, rule])))
const canFix = ({ finding }: Note) => (byId.value.get(finding?.rule ?? '')?.fixes?.length ?? 0) > 0
const notes = computed<Note[]>(() =>
  [
    ...props.diagnostics.map(({ message, line, column, severity }, i) => ({
      key: `p${i}`,
      level: severity === 'error' ? 'MUST' : 'SHOULD',
      label: severity === 'error' ? 'ERROR' : 'SHOULD',
      message,
      rule: `${severity}, column ${column}`,
      line,
      reason: '',
    })),
    ...props.findings.map((finding) => ({
      key: finding.key,
      level: finding.level,
      label: finding.level,
      message: finding.message,
      rule: finding.becomes
        ? `${finding.rule}, ${finding.becomes} from ${finding.since}`
        : finding.rule,
      line: finding.line,
      reason: byId.value.get(finding.rule)?.reason ?? '',
      finding,
    })),
  ].sort((a, b) => a.line - b.line),
)
const counts = computed(() => countLevels(props.findings))

const list = ref<HTMLElement>()
const heights = new Map<string, number>()
const placed = shallowRef<{ note: Note; top: number }[]>([])

async function layOut() {
  const { first, last, top } = props.window()
  const visible = notes.value.filter(({ line }) => line >= first && line <= last).slice(0, 60)
  const arrange = () => {
    let free = 0
    placed.value = visible.map((note) => {
      const at = Math.max(free, top(note.line) + props.offset)
      free = at + (heights.get(note.key) ?? 58) + 6
      return { note, top: at }
    })
  }
  arrange()
  await nextTick()
  let changed = false
  for (const element of list.value?.querySelectorAll<HTMLElement>('.note') ?? []) {
    const key = element.dataset['key']!
    if (heights.get(key) === element.offsetHeight) continue
    heights.set(key, element.offsetHeight)
    changed = true
  }
  if (changed) arrange()
}
watch([notes, () => props.tick, () => props.offset], () => void layOut(), {
  immediate: true,
  flush: 'post',
})

const next = computed(() =>
  notes.value.find(({ line }) => line > props.window().last && props.tick >= 0),
)
</script>

<template>
  <div class="margin">
    <h3>
      Margin
      <small>{{
        checking ? 'checking …' : `${count(findings.length, 'finding')} · edition ${edition}`
      }}</small>
    </h3>
    <p class="soft counts">
      <template v-if="diagnostics.some(({ severity }) => severity === 'error')"
        >The text is not a readable definition yet:
        {{ count(diagnostics.length, 'problem') }}.</template
      >
      <template v-else-if="findings.length"
        >{{ counts.must }} must, {{ counts.should }} should, {{ counts.may }} may.</template
      >
      <template v-else-if="!checking">It keeps every rule.</template>
      <button v-if="next" class="plain" @click="emit('go', next.line)">
        Next at line {{ next.line }}
      </button>
    </p>
    <div ref="list" class="notes">
      <div
        v-for="{ note, top } in placed"
        :key="note.key"
        class="note"
        :class="note.level"
        :data-key="note.key"
        :style="{ top: `${top}px` }"
        :title="note.reason"
        tabindex="0"
        @click="emit('go', note.line)"
        @keydown.enter="emit('go', note.line)"
      >
        <span class="level" :class="note.level">{{ note.label }}</span>
        {{ note.message }}
        <div class="rule">
          {{ note.rule }} · line {{ note.line }}
          <button
            v-if="!locked && canFix(note)"
            class="plain"
            @click.stop="emit('fix', note.finding!)"
          >
            Fix …
          </button>
        </div>
      </div>
    </div>
  </div>
</template>

<style scoped>
.margin {
  position: absolute;
  inset: 0 12px 0 16px;
  overflow: hidden;
}
h3 {
  margin-top: 16px;
}
.counts {
  margin: 0;
  display: flex;
  justify-content: space-between;
  gap: 8px;
  background: var(--paper);
  position: relative;
  z-index: 1;
  padding-bottom: 4px;
}
.notes {
  position: absolute;
  inset: 0;
  pointer-events: none;
  clip-path: inset(66px 0 0 0);
}
.note {
  pointer-events: auto;
  position: absolute;
  left: 0;
  right: 0;
  background: var(--page);
  border: 1px solid var(--rule);
  border-left: 3px solid var(--slate);
  border-radius: 4px;
  padding: 6px 9px;
  font-size: 12px;
  cursor: pointer;
  overflow-wrap: anywhere;
}
.note.MUST {
  border-left-color: var(--copper);
}
.note.SHOULD {
  border-left-color: var(--ochre);
}
button.plain {
  float: right;
  font: 600 11.5px var(--body);
}
.rule {
  color: var(--soft);
  font: 10.5px var(--mono);
}
</style>
