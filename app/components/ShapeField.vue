<script lang="ts">
/** Where the shape of a body comes from. */
export interface Shape {
  from: 'none' | 'example' | 'schema'
  example: string
  schema: string
}
</script>

<script setup lang="ts">
/** Asks for the shape of a body: an example to take it from, or a schema that exists. */
const shape = defineModel<Shape>({ required: true })
const props = defineProps<{
  label: string
  schemas: string[]
  fault: string
  placeholder?: string
}>()
const what = computed(() => `of the ${props.label.toLowerCase()}`)
const choices: { value: Shape['from']; label: string }[] = [
  { value: 'none', label: 'none' },
  { value: 'example', label: 'from an example' },
  { value: 'schema', label: 'a schema that exists' },
]
</script>

<template>
  <div class="row">
    <slot />
    <select v-model="shape.from" :aria-label="label">
      <option v-for="item in choices" :key="item.value" :value="item.value">
        {{ item.label }}
      </option>
    </select>
    <select v-if="shape.from === 'schema'" v-model="shape.schema" :aria-label="`Schema ${what}`">
      <option v-for="name in schemas" :key="name">{{ name }}</option>
    </select>
  </div>
  <textarea
    v-if="shape.from === 'example'"
    v-model="shape.example"
    class="mono"
    rows="5"
    :placeholder="placeholder"
    :aria-label="`Example ${what}`"
  />
  <small v-if="fault" class="wrong">{{ fault }}</small>
</template>
