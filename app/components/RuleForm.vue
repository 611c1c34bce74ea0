<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import { formatNames } from '~~/core/contract/model'
import type { RuleFields } from '~~/core/rules/draft'
import {
  audiences,
  levels,
  subjectKinds,
  type Rule,
  type RuleGroup,
  type Sample,
} from '~~/core/rules/model'
import { useSession } from '~/stores/session'

/** One rule as a form. What is typed goes into the rulebook's text a moment later; the text stays the truth. */
const props = defineProps<{ rule: Rule; groups: RuleGroup[]; locked: boolean }>()
const emit = defineEmits<{
  change: [fields: RuleFields]
  samples: [samples: Rule['samples']]
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
const flushSoon = useDebounceFn(flush, 300)
function put<K extends keyof RuleFields>(name: K, value: RuleFields[K], delay = 300) {
  pending.value = { ...pending.value, [name]: value }
  if (delay > 0) void flushSoon()
  else void nextTick(flush)
}
function flush() {
  if (Object.keys(pending.value).length === 0) return
  const fields = pending.value
  pending.value = {}
  emit('change', fields)
}
onBeforeUnmount(flush)

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
/** Puts a sample in the place of another, or behind the last one; an empty one goes. */
function sample(kind: 'passes' | 'breaks', index: number, next: Sample | undefined) {
  const list = [...props.rule.samples[kind]]
  if (!next || next.text.trim() === '') list.splice(index, 1)
  else list[index] = next
  emit('samples', { ...props.rule.samples, [kind]: list })
}
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
            <option v-for="level in levels" :key="level">{{ level }}</option>
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
      <ConditionEditor
        label="Where"
        :value="shown.where ?? ''"
        :about="shown.about"
        :locked="locked"
        :placeholder="`every ${aboutWords(shown.about)}`"
        @input="put('where', $event)"
      />
      <ConditionEditor
        label="Expect"
        :value="shown.expect"
        :about="shown.about"
        :locked="locked"
        @input="put('expect', $event)"
        >In CEL; Ctrl+Space suggests.
        <NuxtLink to="/rulebook/words" class="plain" target="_blank"
          >What a condition can ask</NuxtLink
        ></ConditionEditor
      >
      <LongText label="What the author reads" :value="shown.message" @input="put('message', $event)"
        >Expressions in braces are filled in.</LongText
      >
      <LongText label="Why" :value="shown.reason" @input="put('reason', $event)" />
      <LongText label="How to fix it" :value="shown.remedy" @input="put('remedy', $event)" />
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
        <Ticks :options="formatNames" :chosen="shown.formats" @change="put('formats', $event, 0)" />
      </div>
      <div class="ticks">
        <b>Binds only</b>
        <Ticks
          :options="audiences"
          :chosen="binds.audiences"
          @change="bind({ audiences: $event })"
        />
        <Ticks
          :options="session.shell?.teams ?? []"
          :chosen="binds.teams"
          @change="bind({ teams: $event })"
        />
      </div>
      <template v-for="kind in ['passes', 'breaks'] as const" :key="kind">
        <h3>{{ kind === 'passes' ? 'Keeps it' : 'Breaks it' }}</h3>
        <SampleForm
          v-for="(item, index) in rule.samples[kind]"
          :key="index"
          :sample="item"
          :label="`Sample ${index + 1} that ${kind === 'passes' ? 'keeps' : 'breaks'} it`"
          @change="sample(kind, index, $event)"
          @remove="sample(kind, index, undefined)"
        />
        <button
          type="button"
          class="plain"
          @click="sample(kind, rule.samples[kind].length, { text: begunSample })"
        >
          Add a sample
        </button>
      </template>
      <p class="end">
        <button type="button" class="ghost" @click="emit('remove')">Delete this rule</button>
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
.p-inputtext {
  width: 100%;
}
.ticks {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  margin-bottom: 8px;
  font-size: 12.5px;
}
.end {
  margin-top: 20px;
}
</style>
