<script setup lang="ts">
import type { MediaType } from '~~/core/contract/model'

/** The media types of a body: one schema tree, and the examples beside it. */
const props = defineProps<{ content: MediaType[] }>()
const chosen = ref(0)
const media = computed(() => props.content[Math.min(chosen.value, props.content.length - 1)])
const schema = computed(() => media.value?.schema ?? media.value?.itemSchema)
const show = (value: unknown) =>
  typeof value === 'string' ? value : JSON.stringify(value, null, 2)
</script>

<template>
  <div v-if="media" class="media">
    <div class="types">
      <button
        v-for="(item, i) in content"
        :key="item.type"
        class="mono"
        :class="{ on: item === media }"
        @click="chosen = i"
      >
        {{ item.type }}
      </button>
    </div>
    <SchemaTree v-if="schema !== undefined" :schema="schema" open />
    <p v-else class="soft">No schema is given.</p>
    <p v-for="part in media.encoding" :key="part.property" class="soft small">
      <code>{{ part.property }}</code> travels as {{ part.contentType ?? 'its type says' }}
    </p>
    <details v-for="example in media.examples" :key="example.name">
      <summary>
        Example<template v-if="example.name !== 'example'"> {{ example.name }}</template
        ><span v-if="example.summary" class="soft">: {{ example.summary }}</span>
      </summary>
      <pre>{{ example.externalValue ?? show(example.value) }}</pre>
    </details>
  </div>
</template>

<style scoped>
.types {
  display: flex;
  gap: 4px;
  flex-wrap: wrap;
  margin-bottom: 3px;
}
.types button {
  border: 1px solid var(--rule);
  border-radius: 4px;
  background: none;
  padding: 1px 7px;
  font-size: 11.5px;
  color: var(--soft);
  cursor: pointer;
}
.types button.on {
  color: var(--ink);
  border-color: var(--line);
  background: var(--faint);
}
pre {
  background: var(--paper);
  border: 1px solid var(--rule);
  border-radius: 6px;
  padding: 8px 10px;
  margin: 4px 0;
  max-height: 320px;
  overflow: auto;
  font: 11.5px/1.5 var(--mono);
}
summary {
  cursor: pointer;
  font-weight: 600;
  margin-top: 4px;
}
</style>
