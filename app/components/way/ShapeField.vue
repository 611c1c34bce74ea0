<script setup lang="ts">
import type { Member, ObjectShape, Shape } from '~~/core/runtime/fields'

/** The form of a shape: a control for each thing it may say, and forms within it for objects and lists of them. */
const value = defineModel<unknown>({ required: true })
const props = defineProps<{
  shape: Shape
  /** Where it stands: `anyOf.0.allOf.1.name`. */
  at: string
  /** What is wrong, by where it stands. */
  faults: ReadonlyMap<string, string>
  optional?: boolean
}>()

const fault = computed(() => props.faults.get(props.at))
/** What is wrong with it and its items. */
const within = computed(() =>
  [...props.faults].flatMap(([where, text]) =>
    where === props.at || where.startsWith(`${props.at}.`) ? [text] : [],
  ),
)
const below = (name: string | number) => (props.at === '' ? `${name}` : `${props.at}.${name}`)
const label = computed(() =>
  props.shape.kind === 'whole' && props.shape.unit
    ? `${props.shape.label}, in ${props.shape.unit}`
    : props.shape.label,
)
const membersOf = (shape: ObjectShape): [string, Member][] => Object.entries(shape.members)
const current = computed(() =>
  props.shape.kind === 'variants'
    ? props.shape.of[String(asValues(value.value)['kind'])]
    : undefined,
)
const setMember = (name: string, member: Member, next: unknown) => {
  value.value = withMember(value.value, name, member, next)
}
const setItem = (index: number, next: unknown) => {
  value.value = asItems(value.value).map((item, i) => (i === index ? next : item))
}
const add = (of: Shape) => {
  value.value = [...asItems(value.value), emptyValue(of)]
}
const remove = (index: number) => {
  value.value = asItems(value.value).filter((_, i) => i !== index)
}
const toggle = (option: string, on: boolean, options: readonly { value: string }[]) => {
  const chosen = asItems(value.value)
  const next = on ? [...chosen, option] : chosen.filter((item) => item !== option)
  value.value = options.map((one) => one.value).filter((one) => next.includes(one))
}
</script>

<template>
  <div v-if="shape.kind === 'whole'" class="cell short">
    <label class="field"
      ><span>{{ label }}</span
      ><InputNumber
        :model-value="typeof value === 'number' ? value : null"
        :min="shape.min"
        :max="shape.max"
        :invalid="!!fault"
        :placeholder="optional ? 'none' : ''"
        @update:model-value="value = $event ?? undefined"
    /></label>
    <small v-if="fault" class="bad">{{ fault }}</small>
  </div>
  <div v-else-if="shape.kind === 'text'" class="cell">
    <label class="field"
      ><span>{{ label }}</span
      ><InputText
        :model-value="String(value ?? '')"
        class="mono"
        :placeholder="shape.example"
        :invalid="!!fault"
        @update:model-value="value = $event"
    /></label>
    <small v-if="fault" class="bad">{{ fault }}</small>
  </div>
  <label v-else-if="shape.kind === 'flag'" class="toggle"
    ><ToggleSwitch :model-value="value === true" @update:model-value="value = $event" />{{
      shape.label
    }}</label
  >
  <div v-else-if="shape.kind === 'choice'" class="cell short">
    <label class="field"
      ><span>{{ label }}</span
      ><Choice
        :model-value="String(value ?? '')"
        :options="optional ? [{ value: '', label: 'as it came' }, ...shape.of] : shape.of"
        @update:model-value="value = $event"
    /></label>
    <small v-if="fault" class="bad">{{ fault }}</small>
  </div>
  <template v-else-if="shape.kind === 'list'">
    <fieldset v-if="shape.of.kind === 'choice'" class="ticks">
      <legend>{{ shape.label }}</legend>
      <label v-for="option in shape.of.of" :key="option.value" class="tick"
        ><input
          type="checkbox"
          :checked="asItems(value).includes(option.value)"
          @change="toggle(option.value, ($event.target as HTMLInputElement).checked, shape.of.of)"
        />{{ option.label }}</label
      >
      <small v-if="fault" class="bad">{{ fault }}</small>
    </fieldset>
    <div v-else-if="shape.of.kind === 'text' || shape.of.kind === 'whole'" class="cell">
      <WayLinesField
        v-model="value"
        :label="shape.label"
        :of="shape.of"
        :invalid="within.length > 0"
      />
      <small v-for="text in within" :key="text" class="bad">{{ text }}</small>
    </div>
    <div v-else class="items">
      <div v-for="(item, index) in asItems(value)" :key="index" class="item">
        <div class="head">
          <b>{{ shape.of.label }}</b>
          <button
            v-if="asItems(value).length > shape.min"
            type="button"
            class="plain"
            :aria-label="`Remove ${shape.of.label} ${index + 1}`"
            @click="remove(index)"
          >
            Remove
          </button>
        </div>
        <WayShapeField
          :model-value="item"
          :shape="shape.of"
          :at="below(index)"
          :faults="faults"
          @update:model-value="setItem(index, $event)"
        />
      </div>
      <button
        v-if="asItems(value).length < shape.max"
        type="button"
        class="ghost small"
        @click="add(shape.of)"
      >
        Add: {{ shape.of.label.toLowerCase() }}
      </button>
      <small v-if="fault" class="bad">{{ fault }}</small>
    </div>
  </template>
  <div v-else class="members">
    <label v-if="shape.kind === 'variants'" class="field"
      ><span>{{ shape.label }}</span
      ><Choice
        :model-value="String(asValues(value)['kind'] ?? '')"
        :options="Object.entries(shape.of).map(([kind, of]) => ({ value: kind, label: of.label }))"
        @update:model-value="value = ofKind(shape, value, String($event))"
    /></label>
    <small v-if="faults.get(below('kind'))" class="bad">{{ faults.get(below('kind')) }}</small>
    <label v-if="optional && shape.kind === 'object'" class="toggle"
      ><ToggleSwitch
        :model-value="value !== undefined"
        @update:model-value="value = $event ? emptyValue(shape) : undefined"
      />{{ shape.label }}</label
    >
    <WayShapeField
      v-for="[name, member] in shape.kind === 'object'
        ? optional && value === undefined
          ? []
          : membersOf(shape)
        : current
          ? membersOf(current)
          : []"
      :key="name"
      :model-value="asValues(value)[name]"
      :shape="member.shape"
      :at="below(name)"
      :faults="faults"
      :optional="member.optional"
      @update:model-value="setMember(name, member, $event)"
    />
    <small v-if="fault" class="bad">{{ fault }}</small>
  </div>
</template>

<style scoped>
.members {
  display: grid;
  grid-template-columns: repeat(2, minmax(0, 1fr));
  column-gap: 8px;
  align-items: start;
}
.members > :deep(*) {
  grid-column: 1 / -1;
}
.members > :deep(.short) {
  grid-column: auto;
}
.items {
  display: flex;
  flex-direction: column;
}
.item {
  border: 1px solid var(--rule);
  border-radius: 6px;
  padding: 7px 9px 0;
  margin-bottom: 7px;
  background: var(--page);
}
.head {
  display: flex;
  justify-content: space-between;
  font-size: 12px;
  margin-bottom: 5px;
}
.toggle {
  display: flex;
  gap: 8px;
  align-items: center;
  font-weight: 600;
  font-size: 12.5px;
  padding: 2px 0 12px;
}
.ticks {
  border: 0;
  padding: 0;
  margin: 0 0 12px;
  display: flex;
  flex-wrap: wrap;
  gap: 3px 12px;
}
.ticks legend {
  font-weight: 600;
  font-size: 11.5px;
  padding: 0;
  margin-bottom: 3px;
}
.tick {
  display: flex;
  gap: 5px;
  align-items: center;
}
.bad {
  display: block;
  color: var(--copper);
  margin: -8px 0 10px;
  overflow-wrap: anywhere;
}
.items > .ghost {
  align-self: flex-start;
  margin-bottom: 12px;
}
</style>
