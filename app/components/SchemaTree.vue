<script setup lang="ts">
import type { Schema } from '~~/core/contract/model'
import { joined } from '~~/core/contract/schemas'
import { textOf } from '~~/core/text/values'

/** A schema as a tree that opens level by level; a named schema is loaded when it is opened. */
const props = defineProps<{
  schema: Schema
  label?: string
  required?: boolean
  open?: boolean
  depth?: number
}>()
const resolve = useSchemas()
const opened = ref(props.open ?? false)
const target = shallowRef<Schema>()
const refusal = ref<Refusal>()

const reference = computed(() =>
  typeof props.schema === 'object' && '$ref' in props.schema ? props.schema : undefined,
)
/** What a reference leads to is not known before it is opened; what stands beside it is. */
const shown = computed<Schema>(
  () => target.value ?? (reference.value ? joined(reference.value, true) : props.schema),
)
const children = computed(() => childrenOf(shown.value))
const opens = computed(() => reference.value !== undefined || children.value.length > 0)
/** What it says of itself; one that allows everything or nothing says no more. */
const said = computed(() => (typeof shown.value === 'object' ? shown.value : {}))
const facts = computed(() => constraintsOf(said.value))
const examples = computed(() => examplesIn(said.value).slice(0, 2))
const about = computed(() => textOf(said.value['description']) ?? '')
const extras = computed(() => Object.entries(said.value).filter(([key]) => key.startsWith('x-')))

watch(
  [opened, () => props.schema],
  async ([now]) => {
    if (!now || !reference.value) return
    try {
      target.value = await resolve(props.schema)
    } catch (error) {
      refusal.value = asRefusal(error)
    }
  },
  { immediate: true },
)
</script>

<template>
  <div class="node">
    <div class="line">
      <button
        v-if="opens"
        class="twist"
        :aria-expanded="opened"
        :aria-label="`${opened ? 'Close' : 'Open'} ${label ?? typeWords(schema)}`"
        @click="opened = !opened"
      >
        {{ opened ? '▾' : '▸' }}
      </button>
      <span v-else class="twist" />
      <code v-if="label" class="name">{{ label }}</code>
      <span class="type">{{ typeWords(schema) }}</span>
      <span v-if="required" class="must">required</span>
      <span v-for="fact in facts" :key="fact" class="fact">{{ fact }}</span>
    </div>
    <p v-if="about" class="about">{{ about }}</p>
    <p v-for="(example, i) in examples" :key="i" class="about">
      e.g. <code>{{ JSON.stringify(example)?.slice(0, 160) }}</code>
    </p>
    <p v-for="[key, value] in extras" :key="key" class="about">
      <code>{{ key }}: {{ JSON.stringify(value)?.slice(0, 160) }}</code>
    </p>
    <Trouble :refusal="refusal" />
    <div v-if="opened && (depth ?? 0) < 30" class="inside">
      <SchemaTree
        v-for="child in children"
        :key="child.key"
        :schema="child.schema"
        :label="child.label"
        :required="child.required"
        :depth="(depth ?? 0) + 1"
        :open="child.label === 'with' || child.label === 'each item'"
      />
    </div>
  </div>
</template>

<style scoped>
.line {
  display: flex;
  gap: 7px;
  align-items: baseline;
  flex-wrap: wrap;
  padding: 0;
}
.twist {
  border: 0;
  background: none;
  width: 24px;
  flex: none;
  padding: 0;
  cursor: pointer;
  color: var(--soft);
}
button.twist {
  min-height: 24px;
}
.name {
  font-weight: 600;
}
.type {
  color: var(--slate);
}
.must {
  color: var(--copper);
  font-size: 11.5px;
}
.fact {
  color: var(--soft);
  font-size: 11.5px;
  overflow-wrap: anywhere;
}
.about {
  margin: 0 0 2px 31px;
  color: var(--soft);
  font-size: 12px;
  max-width: 78ch;
  white-space: pre-line;
}
.inside {
  margin-left: 11px;
  padding-left: 6px;
  border-left: 1px solid var(--rule);
}
</style>
