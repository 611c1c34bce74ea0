<script setup lang="ts">
import { applyChanges, EditFault, type Change } from '~~/core/edit/change'
import { swapItems } from '~~/core/edit/items'
import { carryOutConfig } from '~~/core/pipeline/carrying-out'
import { gateKinds, gateNames, gateTitle, type GateName } from '~~/core/pipeline/gates'
import { carryingText, checkPipeline, takers } from '~~/core/pipeline/pipeline'
import { predecessorConfig } from '~~/core/pipeline/succession'
import { withDefaults, withoutDefaults, type Field } from '~~/core/runtime/fields'
import { readText } from '~~/core/text/read'
import { useSession } from '~/stores/session'

/** The form of a pipeline's text; what is said in it goes into the text, of which everything else stays. */
const props = defineProps<{ text: string; locked: boolean }>()
const emit = defineEmits<{ change: [text: string] }>()
const session = useSession()
const known = computed(() => session.shell?.stages ?? [])

const reading = computed(() => readText({ file: 'pipeline.yaml', text: props.text }))
const written = computed(() => {
  const found = reading.value
  if (!found.readable || found.syntax === 'xml') return undefined
  const value = asValues(found.value)
  return Array.isArray(value['stages']) ? value : undefined
})
const checked = computed(() => checkPipeline(written.value, known.value))
const faults = computed(
  () => new Map(checked.value.misfits.map(({ field, message }) => [field, message])),
)
const stages = computed(() => asItems(written.value?.['stages']).map(asValues))
const free = computed(() =>
  known.value.filter((name) => !stages.value.some((stage) => stage['name'] === name)),
)
const gatesOf = (stage: Values) =>
  gateNames.filter((name) => asValues(stage['gates'])[name] !== undefined)
const addable = (stage: Values) =>
  gateNames
    .filter((name) => asValues(stage['gates'])[name] === undefined)
    .map((name) => ({ value: name, label: gateKinds[name].config.shape.label }))
/** What stands beside the gates of a stage, each said or not. */
const beside = [
  {
    name: 'carryOut',
    title: 'Carrying out',
    config: carryOutConfig,
    usual: 'By hand, and at once.',
  },
  {
    ...{ name: 'predecessor', title: 'Earlier versions beside it' },
    ...{ config: predecessorConfig, usual: 'They stay as they are.' },
  },
] as const

const trouble = ref('')
function edit(work: (text: string, syntax: 'json' | 'yaml') => string) {
  const { syntax } = reading.value
  trouble.value = ''
  try {
    if (syntax !== 'xml') emit('change', work(props.text, syntax))
  } catch (error) {
    if (!(error instanceof EditFault)) throw error
    trouble.value = `${error.message}. Change it in the text.`
  }
}
const change = (...changes: Change[]) => edit((text, syntax) => applyChanges(text, syntax, changes))
const set = (at: string, value: unknown) => change({ kind: 'set', at, value })
const remove = (at: string) => change({ kind: 'remove', at })
const write = (
  at: string,
  { shape }: Pick<Field<unknown>, 'shape'>,
  next: unknown,
  said: unknown,
) => set(at, withoutDefaults(shape, next, said))

const opened = ref('')
const toggle = (at: string) => (opened.value = opened.value === at ? '' : at)
function addGate(index: number, name: GateName) {
  const { shape } = gateKinds[name].config
  set(`/stages/${index}/gates/${name}`, withoutDefaults(shape, emptyValue(shape), {}))
  opened.value = `stages.${index}.gates.${name}`
}
function say(index: number, { name, config: { shape } }: (typeof beside)[number]) {
  set(`/stages/${index}/${name}`, withoutDefaults(shape, emptyValue(shape), {}))
  opened.value = `stages.${index}.${name}`
}
/** Faults below a place, for the row of what is folded. */
const faultBelow = (at: string) =>
  [...faults.value].find(([where]) => where === at || where.startsWith(`${at}.`))?.[1]
/** What a part of a stage says in a line, as far as it says something that can be read. */
function lineOf(
  index: number,
  part: { gates?: object; carryOut?: unknown; predecessor?: unknown },
) {
  const { pipeline } = checkPipeline(
    { pipeline: 1, stages: [{ name: known.value[0] }, { name: known.value[1], ...part }] },
    known.value,
  )
  const stage = pipeline?.stages[1]
  if (!stage) return ''
  const from = String(stages.value[index - 1]?.['name'] ?? '')
  return [
    ...gateNames.flatMap((name) => gateTitle(name, stage.gates, from) ?? []),
    ...carryingText(stage),
  ].join('; ')
}
</script>

<template>
  <p v-if="!written" class="soft">
    The text has to be a pipeline with its stages before a form can be made of it.
  </p>
  <fieldset v-else class="bare" :disabled="locked">
    <p v-if="trouble" class="copper-text" role="alert">{{ trouble }}</p>
    <section class="takers">
      <h2>Whose versions take it <small>all where nothing is said</small></h2>
      <WayShapeField
        :model-value="asValues(written['for'])"
        :shape="takers.shape"
        at="for"
        :faults="faults"
        @update:model-value="write('/for', takers, $event, written['for'])"
      />
    </section>
    <section v-for="(stage, index) in stages" :key="index" class="stage">
      <h2>
        <span class="mono soft">{{ index + 1 }}</span>
        <select
          :value="String(stage['name'] ?? '')"
          :aria-label="`Stage ${index + 1}`"
          @change="set(`/stages/${index}/name`, textOf($event))"
        >
          <option v-for="name in [String(stage['name'] ?? ''), ...free]" :key="name">
            {{ name }}
          </option>
        </select>
        <span v-if="!locked" class="end">
          <button
            type="button"
            class="plain"
            :disabled="index === 0"
            :aria-label="`Move stage ${index + 1} up`"
            @click="edit((text, syntax) => swapItems(text, syntax, '/stages', [index, index - 1]))"
          >
            Up
          </button>
          <button
            type="button"
            class="plain"
            :disabled="index === stages.length - 1"
            :aria-label="`Move stage ${index + 1} down`"
            @click="edit((text, syntax) => swapItems(text, syntax, '/stages', [index, index + 1]))"
          >
            Down
          </button>
          <button
            type="button"
            class="plain"
            :disabled="stages.length === 1"
            :aria-label="`Remove stage ${index + 1}`"
            @click="remove(`/stages/${index}`)"
          >
            Remove
          </button>
        </span>
      </h2>
      <small v-if="faults.get(`stages.${index}.name`)" class="copper-text">{{
        faults.get(`stages.${index}.name`)
      }}</small>
      <p v-if="index === 0 && gatesOf(stage).length === 0" class="soft">
        Nothing stands before it: versions are placed there.
      </p>
      <div v-for="name in gatesOf(stage)" :key="name" class="row">
        <button
          type="button"
          class="line"
          :aria-expanded="opened === `stages.${index}.gates.${name}`"
          @click="toggle(`stages.${index}.gates.${name}`)"
        >
          <b>{{ gateKinds[name].config.shape.label }}</b>
          <span v-if="faultBelow(`stages.${index}.gates.${name}`)" class="copper-text">{{
            faultBelow(`stages.${index}.gates.${name}`)
          }}</span>
          <span v-else class="soft">{{
            lineOf(index, { gates: { [name]: asValues(stage['gates'])[name] } })
          }}</span>
        </button>
        <button
          v-if="!locked"
          type="button"
          class="plain"
          :aria-label="`Remove the gate ${gateKinds[name].config.shape.label} of stage ${index + 1}`"
          @click="remove(`/stages/${index}/gates/${name}`)"
        >
          Remove
        </button>
        <div v-if="opened === `stages.${index}.gates.${name}`" class="config">
          <p class="soft">{{ gateKinds[name].says }}</p>
          <WayShapeField
            :model-value="
              withDefaults(gateKinds[name].config.shape, asValues(stage['gates'])[name])
            "
            :shape="gateKinds[name].config.shape"
            :at="`stages.${index}.gates.${name}`"
            :faults="faults"
            @update:model-value="
              write(
                `/stages/${index}/gates/${name}`,
                gateKinds[name].config,
                $event,
                asValues(stage['gates'])[name],
              )
            "
          />
        </div>
      </div>
      <select
        v-if="!locked && index > 0 && addable(stage).length"
        class="add"
        :aria-label="`Add a gate before stage ${index + 1}`"
        value=""
        @change="addGate(index, textOf($event) as GateName)"
      >
        <option value="" disabled>Add a gate</option>
        <option v-for="one in addable(stage)" :key="one.value" :value="one.value">
          {{ one.label }}
        </option>
      </select>
      <template v-for="part in index > 0 ? beside : []" :key="part.name">
        <div class="row">
          <button
            v-if="stage[part.name] !== undefined"
            type="button"
            class="line"
            :aria-expanded="opened === `stages.${index}.${part.name}`"
            @click="toggle(`stages.${index}.${part.name}`)"
          >
            <b>{{ part.title }}</b>
            <span v-if="faultBelow(`stages.${index}.${part.name}`)" class="copper-text">{{
              faultBelow(`stages.${index}.${part.name}`)
            }}</span>
            <span v-else class="soft">{{
              lineOf(index, { [part.name]: stage[part.name] }) || part.usual
            }}</span>
          </button>
          <span v-else class="line"
            ><b>{{ part.title }}</b> <span class="soft">{{ part.usual }}</span></span
          >
          <button
            v-if="!locked"
            type="button"
            class="plain"
            :aria-label="`${stage[part.name] === undefined ? 'Say' : 'Remove'}: ${part.title} of stage ${index + 1}`"
            @click="
              stage[part.name] === undefined
                ? say(index, part)
                : remove(`/stages/${index}/${part.name}`)
            "
          >
            {{ stage[part.name] === undefined ? 'Say otherwise' : 'Remove' }}
          </button>
          <div v-if="opened === `stages.${index}.${part.name}`" class="config">
            <p class="soft">{{ part.config.shape.says }}</p>
            <WayShapeField
              :model-value="withDefaults(part.config.shape, stage[part.name])"
              :shape="part.config.shape"
              :at="`stages.${index}.${part.name}`"
              :faults="faults"
              @update:model-value="
                write(`/stages/${index}/${part.name}`, part.config, $event, stage[part.name])
              "
            />
          </div>
        </div>
      </template>
    </section>
    <select
      v-if="!locked && free.length"
      class="add"
      aria-label="Add a stage"
      value=""
      @change="set(`/stages/${stages.length}`, { name: textOf($event) })"
    >
      <option value="" disabled>Add a stage</option>
      <option v-for="name in free" :key="name">{{ name }}</option>
    </select>
  </fieldset>
</template>

<style scoped>
.bare {
  border: 0;
  padding: 0;
  margin: 0;
  min-width: 0;
}
section {
  border-top: 1px solid var(--rule);
  padding: 10px 0 12px;
}
.takers {
  border: 0;
  padding-top: 0;
}
.takers > :deep(.members) {
  max-width: 560px;
}
h2 small {
  font: 400 12.5px var(--body);
  color: var(--soft);
}
button.plain:disabled {
  visibility: hidden;
}
.stage {
  border-top: 2px solid var(--ink);
}
h2 {
  display: flex;
  align-items: baseline;
  gap: 8px;
  margin: 0 0 6px;
}
h2 .end {
  margin-left: auto;
  display: flex;
  gap: 10px;
  font-family: var(--body);
  font-size: 12.5px;
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 0 10px;
  align-items: baseline;
  border-top: 1px dotted var(--rule);
}
.line {
  flex: 1;
  display: flex;
  flex-wrap: wrap;
  gap: 0 10px;
  min-height: 30px;
  align-items: baseline;
  text-align: left;
  border: 0;
  background: none;
  padding: 5px 0;
  font: inherit;
  color: inherit;
}
button.line {
  cursor: pointer;
}
.line b {
  flex: 0 0 190px;
}
.line span {
  flex: 1;
}
.config {
  flex: 0 0 100%;
  padding: 2px 0 8px;
}
.config > * {
  max-width: 560px;
}
.config p {
  margin: 0 0 8px;
}
.add {
  margin: 8px 0;
}
</style>
