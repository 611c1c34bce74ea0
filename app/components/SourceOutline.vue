<script setup lang="ts">
import { calledBy } from '~~/shared/operation-name'
import type { DefinitionSummary } from '~~/core/definition'
import type { Finding } from '~~/core/rules/model'

/** Operations by tag, schemas and webhooks, each with what is found in it. */
type Outline = Pick<DefinitionSummary, 'schemas' | 'webhooks'> & {
  operations: Pick<
    DefinitionSummary['operations'][number],
    'method' | 'path' | 'tags' | 'file' | 'line' | 'summary' | 'deprecated' | 'soap'
  >[]
}
const props = defineProps<{ summary: Outline; findings: Finding[]; file: string; line: number }>()
const emit = defineEmits<{ go: [line: number, file: string] }>()
const words = ref('')

interface Entry {
  key: string
  method?: string
  label: string
  file: string
  line: number
  title?: string
  deprecated?: boolean
}
/** The end of a long path tells more than its beginning. */
function shortened(path: string): string {
  const parts = path.split('/')
  return path.length > 21 && parts.length > 2
    ? `…/${parts.slice(parts.length > 3 && parts.at(-1)!.length < 12 ? -2 : -1).join('/')}`
    : path
}

const groups = computed(() => {
  const byTag = new Map<string, Entry[]>()
  for (const operation of props.summary.operations) {
    const { tags, file, line, summary, deprecated, soap } = operation
    const { method, name } = calledBy(operation)
    const tag = tags[0] ?? soap?.portType ?? 'Operations'
    const entry: Entry = {
      key: `${method} ${name}`,
      method,
      label: soap ? soap.operation : shortened(name),
      file,
      line,
      deprecated,
      ...(summary && { title: summary }),
    }
    byTag.set(tag, [...(byTag.get(tag) ?? []), entry])
  }
  const named = (list: { name: string; file: string; line: number }[]): Entry[] =>
    list.map(({ name, file, line }) => ({ key: name, label: name, file, line }))
  return [
    ...byTag,
    ['Webhooks', named(props.summary.webhooks)] as const,
    ['Schemas', named(props.summary.schemas)] as const,
  ]
    .map(([name, entries]) => ({
      name,
      entries: entries.filter(({ key }) => key.toLowerCase().includes(words.value.toLowerCase())),
    }))
    .filter(({ entries }) => entries.length > 0)
})
/** Where parts begin, by file. */
const starts = computed(() => {
  const byFile = new Map<string, number[]>()
  const { operations, schemas, webhooks } = props.summary
  for (const { file, line } of [...operations, ...schemas, ...webhooks]) {
    byFile.set(file, [...(byFile.get(file) ?? []), line])
  }
  for (const lines of byFile.values()) lines.sort((a, b) => a - b)
  return byFile
})
/** The part a line belongs to, by the place where it begins. */
function startOf(file: string, line: number): string {
  const lines = starts.value.get(file) ?? []
  let low = -1
  let high = lines.length - 1
  while (low < high) {
    const middle = (low + high + 1) >> 1
    if (lines[middle]! <= line) low = middle
    else high = middle - 1
  }
  return low === -1 ? '' : `${file}:${lines[low]!}`
}
const found = computed(() => {
  const counts = new Map<string, { n: number; level: string }>()
  const order = ['MAY', 'SHOULD', 'MUST']
  for (const { file, line, level } of props.findings) {
    const start = startOf(file, line)
    const known = counts.get(start) ?? { n: 0, level: 'MAY' }
    counts.set(start, {
      n: known.n + 1,
      level: order.indexOf(level) > order.indexOf(known.level) ? level : known.level,
    })
  }
  return counts
})
const here = computed(() => startOf(props.file, props.line))
const placeOf = ({ file, line }: Entry) => `${file}:${line}`
</script>

<template>
  <div class="outline">
    <input
      v-model="words"
      type="search"
      placeholder="Filter the outline"
      aria-label="Filter the outline"
    />
    <div class="list">
      <template v-for="group in groups" :key="group.name">
        <h6>{{ group.name }}</h6>
        <button
          v-for="entry in group.entries"
          :key="entry.key"
          :class="{ on: placeOf(entry) === here }"
          :title="entry.title ?? entry.key"
          @click="emit('go', entry.line, entry.file)"
        >
          <span v-if="entry.method" class="method">{{ entry.method }}</span>
          <span class="label" :class="{ gone: entry.deprecated }">{{ entry.label }}</span>
          <span
            v-if="found.get(placeOf(entry))"
            class="n"
            :class="found.get(placeOf(entry))!.level"
            >{{ found.get(placeOf(entry))!.n }}</span
          >
        </button>
      </template>
      <p v-if="!groups.length" class="soft">Nothing by that name.</p>
    </div>
  </div>
</template>

<style scoped>
.outline {
  border-right: 1px solid var(--rule);
  padding: 8px 8px 0 0;
  font-size: 12px;
  display: flex;
  flex-direction: column;
  min-height: 0;
}
input {
  font: 12px var(--body);
  border: 1px solid var(--rule);
  border-radius: 5px;
  background: var(--paper);
  color: var(--ink);
  padding: 3px 7px;
  margin: 0 0 4px 2px;
}
.list {
  overflow: auto;
  flex: 1;
  min-height: 0;
  padding-bottom: 20px;
}
h6 {
  margin: 10px 6px 3px;
  font: 600 10.5px var(--body);
  color: var(--soft);
}
button {
  padding: 3.5px 6px;
  border-radius: 4px;
  display: flex;
  gap: 5px;
  align-items: center;
  border: 0;
  background: none;
  width: 100%;
  text-align: left;
  cursor: pointer;
}
button:hover {
  background: var(--faint);
}
button.on {
  background: var(--elm-wash);
}
.method {
  width: 44px;
  flex: none;
}
.label {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.gone {
  text-decoration: line-through;
}
.n {
  margin-left: auto;
  font: 700 10.5px var(--mono);
  color: var(--slate);
}
.n.MUST {
  color: var(--copper);
}
.n.SHOULD {
  color: var(--ochre);
}
</style>
