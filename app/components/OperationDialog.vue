<script setup lang="ts">
import { errorText } from '~~/core/text/values'
import {
  draftFaults,
  pathParameters,
  proposedId,
  type BodyDraft,
  type OperationDraft,
  type ParameterDraft,
} from '~~/core/edit/draft'
import type { FormatName } from '~~/core/contract/model'
import { insertOperation } from '~~/core/edit/operation'
import { EditFault } from '~~/core/edit/tree'
import { representedElements } from '~~/core/formats/wadl/insert'
import type { Syntax } from '~~/core/text/read'
import type { Shape } from './ShapeField.vue'

/** Writes a new operation into the text at its place; the text stays the truth. */
interface Outline {
  syntax: Syntax
  operations: { method: string; path: string; tags: string[] }[]
  schemas: { name: string }[]
}
const props = defineProps<{
  text: string
  format: FormatName
  label: string
  outline: Outline
}>()
const emit = defineEmits<{ close: []; write: [text: string, line: number] }>()

const method = ref('get')
const path = ref('/')
const id = ref('')
const idTouched = ref(false)
const summary = ref('')
const tag = ref('')
const status = ref('200')
const others = ref<ParameterDraft[]>([])
const body = ref<Shape>({ from: 'none', example: '', schema: '' })
const answer = ref<Shape>({ from: 'none', example: '', schema: '' })
const fault = ref('')

const methods = ['get', 'post', 'put', 'patch', 'delete', 'head', 'options']
const types = ['string', 'integer', 'number', 'boolean']
const paths = computed(() => [...new Set(props.outline.operations.map((item) => item.path))])
const tags = computed(() => [...new Set(props.outline.operations.flatMap((item) => item.tags))])
/** A WADL speaks of elements, not of their types. */
const schemas = computed(() =>
  props.format === 'WADL'
    ? representedElements(props.text)
    : props.outline.schemas.map(({ name }) => name),
)
const takesTag = computed(() => props.format === 'OpenAPI' || props.format === 'Swagger')
const inPath = computed(() => pathParameters(path.value))
const pathTypes = ref<Record<string, string>>({})
const takesBody = computed(() => ['post', 'put', 'patch'].includes(method.value))

watch([method, path], () => {
  if (!idTouched.value) id.value = path.value.length > 1 ? proposedId(method.value, path.value) : ''
})
watch(method, (now) => {
  status.value = now === 'post' ? '201' : now === 'delete' ? '204' : '200'
})

function draftOf({ from, example, schema }: Shape): BodyDraft | undefined {
  if (from === 'schema' && schema !== '') return { kind: 'schema', name: schema }
  if (from !== 'example' || example.trim() === '') return undefined
  return { kind: 'example', value: JSON.parse(example) }
}
function exampleFault({ from, example }: Shape): string {
  if (from !== 'example' || example.trim() === '') return ''
  try {
    JSON.parse(example)
    return ''
  } catch (error) {
    return `The example is not JSON: ${errorText(error)}`
  }
}
const exampleFaults = computed(() => ({
  body: exampleFault(body.value),
  answer: exampleFault(answer.value),
}))
const draft = computed<OperationDraft | undefined>(() => {
  if (exampleFaults.value.body || exampleFaults.value.answer) return undefined
  const own = inPath.value.map((name): ParameterDraft => ({
    name,
    in: 'path',
    type: pathTypes.value[name] ?? 'string',
    required: true,
    description: '',
  }))
  return {
    method: method.value,
    path: path.value.trim(),
    id: id.value.trim(),
    summary: summary.value.trim(),
    tag: tag.value.trim(),
    parameters: [...own, ...others.value],
    body: takesBody.value ? draftOf(body.value) : undefined,
    status: status.value,
    answer: draftOf(answer.value),
  }
})
const faults = computed(() => (draft.value ? draftFaults(draft.value) : {}))
const ready = computed(
  () => draft.value && Object.keys(faults.value).length === 0 && path.value.length > 1,
)

function write() {
  if (!draft.value) return
  try {
    const { syntax } = props.outline
    const modern = /3\.[12]/.test(props.label)
    const text = insertOperation(props.text, syntax, props.format, draft.value, modern)
    let at = 0
    while (at < text.length && text[at] === props.text[at]) at++
    emit('write', text, text.slice(0, at).split('\n').length)
  } catch (error) {
    if (!(error instanceof EditFault)) throw error
    fault.value = error.message
  }
}
const addParameter = () =>
  others.value.push({ name: '', in: 'query', type: 'string', required: false, description: '' })
</script>

<template>
  <Dialog
    visible
    modal
    header="Add an operation"
    :style="{ width: '720px' }"
    @update:visible="emit('close')"
  >
    <form class="operation" @submit.prevent="write()">
      <div class="row">
        <label class="field"
          ><span>Method</span
          ><select v-model="method" aria-label="Method">
            <option v-for="item in methods" :key="item" :value="item">
              {{ item.toUpperCase() }}
            </option>
          </select></label
        >
        <label class="field grow"
          ><span>Path</span
          ><input v-model="path" class="mono" list="known-paths" aria-label="Path" /><datalist
            id="known-paths"
          >
            <option v-for="item in paths" :key="item" :value="item" />
          </datalist>
          <small :class="{ wrong: faults['path'] }">{{
            faults['path'] ?? 'Parameters in braces: /hydrants/{hydrantId}'
          }}</small></label
        >
      </div>
      <div v-if="inPath.length" class="row">
        <label v-for="name in inPath" :key="name" class="field"
          ><span class="mono">{{ name }}</span
          ><select
            :value="pathTypes[name] ?? 'string'"
            :aria-label="`Type of ${name}`"
            @change="pathTypes[name] = textOf($event)"
          >
            <option v-for="type in types" :key="type">{{ type }}</option>
          </select></label
        >
      </div>
      <div class="row">
        <label v-if="format !== 'RAML'" class="field grow"
          ><span>Identifier</span
          ><input
            v-model="id"
            class="mono"
            aria-label="Identifier"
            @input="idTouched = true"
          /><small v-if="faults['id']" class="wrong">{{ faults['id'] }}</small></label
        >
        <label class="field grow"
          ><span>Summary</span><input v-model="summary" aria-label="Summary"
        /></label>
        <label v-if="takesTag" class="field"
          ><span>Tag</span><input v-model="tag" list="known-tags" aria-label="Tag" /><datalist
            id="known-tags"
          >
            <option v-for="item in tags" :key="item" :value="item" /></datalist
        ></label>
      </div>
      <fieldset>
        <legend>Other parameters</legend>
        <div v-for="(parameter, i) in others" :key="i" class="row">
          <input v-model="parameter.name" class="mono grow" placeholder="name" aria-label="Name" />
          <select v-model="parameter.in" aria-label="Where">
            <option>query</option>
            <option>header</option>
          </select>
          <select v-model="parameter.type" aria-label="Type">
            <option v-for="type in types" :key="type">{{ type }}</option>
          </select>
          <label class="check"
            ><input v-model="parameter.required" type="checkbox" /> required</label
          >
          <button type="button" class="plain" @click="others.splice(i, 1)">Remove</button>
        </div>
        <small v-if="faults['parameters']" class="wrong">{{ faults['parameters'] }}</small>
        <button type="button" class="ghost" @click="addParameter()">Add a parameter</button>
      </fieldset>
      <fieldset v-if="takesBody">
        <legend>Body</legend>
        <ShapeField
          v-model="body"
          label="Body"
          :schemas="schemas"
          :fault="exampleFaults.body"
          placeholder='{ "pressure": 3.2 }'
        />
      </fieldset>
      <fieldset>
        <legend>Response</legend>
        <ShapeField
          v-model="answer"
          label="Answer"
          :schemas="schemas"
          :fault="exampleFaults.answer"
        >
          <input v-model="status" class="mono status" aria-label="Status" />
        </ShapeField>
        <small v-if="faults['status']" class="wrong">{{ faults['status'] }}</small>
      </fieldset>
      <p v-if="fault" class="trouble" role="alert">{{ fault }}</p>
      <div class="bar">
        <button class="fill" :disabled="!ready">Write it into the source</button>
        <button type="button" class="ghost" @click="emit('close')">Cancel</button>
        <span class="soft small">Everything else in the text stays as it is.</span>
      </div>
    </form>
  </Dialog>
</template>

<style scoped>
/* What is asked in the parts of the form looks the same in all of them. */
.operation {
  display: grid;
  gap: 10px;
}
.operation :deep(.row) {
  display: flex;
  gap: 10px;
  align-items: start;
  flex-wrap: wrap;
}
.grow {
  flex: 1;
  min-width: 160px;
}
.field {
  margin: 0;
}
.operation :deep(input:not([type='checkbox'])),
.operation :deep(select),
.operation :deep(textarea) {
  width: 100%;
  border: 1px solid var(--line);
  border-radius: 5px;
  background: var(--paper);
  color: var(--ink);
  padding: 4px 8px;
  font-size: 12.5px;
}
.operation :deep(.row > select) {
  width: auto;
}
.status {
  max-width: 70px;
}
fieldset {
  border: 1px solid var(--rule);
  border-radius: 6px;
  padding: 8px 10px 10px;
  display: grid;
  gap: 7px;
  justify-items: start;
}
fieldset :deep(.row),
fieldset :deep(textarea) {
  width: 100%;
}
legend {
  font-weight: 600;
  padding: 0 4px;
}
.check {
  display: inline-flex;
  gap: 4px;
  align-items: center;
}
.operation :deep(.wrong) {
  color: var(--copper);
}
</style>
