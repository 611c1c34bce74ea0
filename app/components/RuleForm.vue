<script setup lang="ts">
import { formatNames } from '~~/core/contract/model'
import type { RuleFields } from '~~/core/rules/draft'
import { audiences, subjectKinds, type Rule, type RuleGroup } from '~~/core/rules/model'
import { useSession } from '~/stores/session'

/** One rule as a form. What is typed goes into the rulebook's text a moment later; the text stays the truth. */
const props = defineProps<{ rule: Rule; groups: RuleGroup[]; locked: boolean }>()
const emit = defineEmits<{
  change: [fields: RuleFields]
  samples: [samples: { passes: string[]; breaks: string[] }]
  remove: []
}>()
const session = useSession()

/** What was typed and has not come back from the text yet. */
const pending = ref<RuleFields>({})
watch(
  () => props.rule.id,
  () => (pending.value = {}),
)
const shown = computed(() => ({ ...props.rule, ...pending.value }))
let waiting: ReturnType<typeof setTimeout> | undefined
function put<K extends keyof RuleFields>(name: K, value: RuleFields[K], delay = 300) {
  pending.value = { ...pending.value, [name]: value }
  clearTimeout(waiting)
  waiting = setTimeout(flush, delay)
}
function flush() {
  clearTimeout(waiting)
  if (Object.keys(pending.value).length === 0) return
  const fields = pending.value
  pending.value = {}
  emit('change', fields)
}
onBeforeUnmount(flush)

const textOf = (event: Event) => (event.target as HTMLInputElement).value
const binds = computed(() => shown.value.binds ?? {})
function bind(change: Partial<NonNullable<Rule['binds']>>) {
  const next = Object.fromEntries(
    Object.entries({ ...binds.value, ...change }).filter(
      ([, value]) =>
        value !== undefined && value !== '' && !(Array.isArray(value) && value.length === 0),
    ),
  )
  put('binds', Object.keys(next).length > 0 ? next : undefined, 0)
}
const samples = computed(() => ({
  passes: props.rule.samples.passes.map(({ text }) => text),
  breaks: props.rule.samples.breaks.map(({ text }) => text),
}))
/** Samples that carry facts of the register are written in the text. */
const plain = computed(() =>
  [...props.rule.samples.passes, ...props.rule.samples.breaks].every(
    ({ facts, elsewhere }) => !facts && !elsewhere,
  ),
)
function sample(kind: 'passes' | 'breaks', index: number, text: string) {
  const list = [...samples.value[kind]]
  if (text.trim() === '') list.splice(index, 1)
  else list[index] = text
  emit('samples', { ...samples.value, [kind]: list })
}
const lines = (text: string) =>
  Math.min(12, Math.max(2, text.split('\n').length, Math.ceil(text.length / 44)))
</script>

<template>
  <form class="rule" @submit.prevent>
    <fieldset :disabled="locked">
      <label class="field"
        ><span>What it asks, in one line</span>
        <input
          class="p-inputtext"
          :value="shown.title"
          maxlength="120"
          @input="put('title', textOf($event))"
        />
      </label>
      <div class="row">
        <label class="field"
          ><span>Level</span>
          <select
            class="p-inputtext"
            :value="shown.level"
            @change="put('level', textOf($event) as Rule['level'], 0)"
          >
            <option v-for="level in levelOptions" :key="level.value">{{ level.value }}</option>
          </select>
        </label>
        <label class="field"
          ><span>Group</span>
          <select
            class="p-inputtext"
            :value="shown.group"
            @change="put('group', textOf($event), 0)"
          >
            <option v-for="group in groups" :key="group.id" :value="group.id">
              {{ group.title }}
            </option>
          </select>
        </label>
        <label class="field"
          ><span>About every</span>
          <select
            class="p-inputtext"
            :value="shown.about"
            @change="put('about', textOf($event) as Rule['about'], 0)"
          >
            <option v-for="kind in subjectKinds" :key="kind" :value="kind">
              {{ aboutWords(kind) }}
            </option>
          </select>
        </label>
      </div>
      <label class="field"
        ><span>Where</span>
        <textarea
          class="p-textarea mono"
          :rows="lines(shown.where ?? '')"
          spellcheck="false"
          :value="shown.where ?? ''"
          :placeholder="`every ${aboutWords(shown.about)}`"
          @input="put('where', textOf($event))"
        />
      </label>
      <label class="field"
        ><span>Expect</span>
        <textarea
          class="p-textarea mono"
          :rows="lines(shown.expect)"
          spellcheck="false"
          :value="shown.expect"
          @input="put('expect', textOf($event))"
        />
        <small
          >In CEL.
          <NuxtLink to="/rulebook/words" class="plain" target="_blank"
            >What a condition can ask</NuxtLink
          ></small
        >
      </label>
      <label class="field"
        ><span>What the author reads</span>
        <textarea
          class="p-textarea"
          :rows="lines(shown.message)"
          :value="shown.message"
          @input="put('message', textOf($event))"
        />
        <small>Expressions in braces are filled in.</small>
      </label>
      <label class="field"
        ><span>Why</span>
        <textarea
          class="p-textarea"
          :rows="lines(shown.reason)"
          :value="shown.reason"
          @input="put('reason', textOf($event))"
        />
      </label>
      <label class="field"
        ><span>How to mend it</span>
        <textarea
          class="p-textarea"
          :rows="lines(shown.remedy ?? '')"
          :value="shown.remedy ?? ''"
          @input="put('remedy', textOf($event))"
        />
      </label>
      <div class="row">
        <label class="field"
          ><span>Binds from</span>
          <input
            class="p-inputtext"
            type="date"
            :value="binds.from ?? ''"
            @change="bind({ from: textOf($event) || undefined })"
          />
        </label>
        <label class="field"
          ><span>Only what was begun since</span>
          <select
            class="p-inputtext"
            :value="binds.onlyNew ?? ''"
            @change="bind({ onlyNew: (textOf($event) || undefined) as 'versions' | undefined })"
          >
            <option value="">old and new</option>
            <option value="versions">new versions</option>
            <option value="apis">new APIs</option>
          </select>
        </label>
        <label class="field"
          ><span>Points at</span>
          <input
            class="p-inputtext mono"
            :value="shown.part ?? ''"
            placeholder="the whole of it"
            @input="put('part', textOf($event))"
          />
        </label>
      </div>
      <div class="ticks">
        <b>Only for</b>
        <label v-for="format in formatNames" :key="format"
          ><input
            type="checkbox"
            :checked="shown.formats?.includes(format)"
            @change="
              put(
                'formats',
                formatNames.filter((name) =>
                  name === format
                    ? ($event.target as HTMLInputElement).checked
                    : shown.formats?.includes(name),
                ),
                0,
              )
            "
          />{{ format }}</label
        >
      </div>
      <div class="ticks">
        <b>Binds only</b>
        <label v-for="audience in audiences" :key="audience"
          ><input
            type="checkbox"
            :checked="binds.audiences?.includes(audience)"
            @change="
              bind({
                audiences: audiences.filter((name) =>
                  name === audience
                    ? ($event.target as HTMLInputElement).checked
                    : binds.audiences?.includes(name),
                ),
              })
            "
          />{{ audience }}</label
        >
        <label v-for="team in session.shell?.teams ?? []" :key="team"
          ><input
            type="checkbox"
            :checked="binds.teams?.includes(team)"
            @change="
              bind({
                teams: (session.shell?.teams ?? []).filter((name) =>
                  name === team
                    ? ($event.target as HTMLInputElement).checked
                    : binds.teams?.includes(name),
                ),
              })
            "
          />{{ team }}</label
        >
      </div>
      <template v-for="kind in ['passes', 'breaks'] as const" :key="kind">
        <h3>{{ kind === 'passes' ? 'Keeps it' : 'Breaks it' }}</h3>
        <p v-if="!plain" class="soft small">
          Some of its samples carry facts of the register; they are changed in the text.
        </p>
        <template v-else>
          <textarea
            v-for="(text, index) in samples[kind]"
            :key="index"
            class="p-textarea mono sample"
            :rows="lines(text)"
            spellcheck="false"
            :value="text"
            :aria-label="`Sample ${index + 1} that ${kind === 'passes' ? 'keeps' : 'breaks'} it`"
            @change="sample(kind, index, textOf($event))"
          />
          <button
            type="button"
            class="plain"
            @click="
              sample(kind, samples[kind].length, 'paths: { /things: { get: { responses: {} } } }')
            "
          >
            Add a sample
          </button>
        </template>
      </template>
      <p class="end">
        <button type="button" class="ghost" @click="emit('remove')">Take this rule away</button>
      </p>
    </fieldset>
  </form>
</template>

<style scoped>
.rule {
  overflow: auto;
  padding: 14px 22px 24px 18px;
  min-height: 0;
}
fieldset {
  border: 0;
  padding: 0;
  margin: 0;
  min-width: 0;
}
.row {
  display: grid;
  grid-template-columns: 1fr 1fr 1fr;
  gap: 12px;
}
.p-textarea,
.p-inputtext {
  width: 100%;
}
select.p-inputtext {
  height: 31px;
  padding: 0 8px;
  appearance: auto;
  background: var(--paper);
}
input[type='checkbox'] {
  margin: 0;
}
.ticks {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  margin-bottom: 8px;
  font-size: 12.5px;
}
.ticks label {
  display: flex;
  gap: 4px;
  align-items: center;
}
.sample {
  margin-bottom: 6px;
}
.end {
  margin-top: 20px;
}
</style>
