<script setup lang="ts">
import { outsideAddress, rowName } from '~~/core/routing/placement'
import type { OperationItem } from '~~/shared/api/catalog'
import type { RouteRowBody, SpecBody } from '~~/shared/api/placements'

/** How a version is served at one place: address, backends, protection, and what becomes of every operation. */
const spec = defineModel<SpecBody>({ required: true })
const props = defineProps<{ operations: OperationItem[]; faults: string[] }>()

const known = computed(
  () => new Map(props.operations.map((operation) => [rowName(operation), operation])),
)
const about = (row: RouteRowBody) => known.value.get(rowName(row))
const wordsOf = (row: { method: string; path: string }) => {
  const { summary = '', soap } = known.value.get(rowName(row)) ?? {}
  return [rowName(row), summary, soap?.portType, soap?.operation, soap?.action].join(' ')
}
const words = ref('')
const show = ref('')
const rows = computed(() =>
  spec.value.routes.filter(
    ({ method, path, treatment }) =>
      (!show.value || treatment.kind === show.value) &&
      wordsOf({ method, path }).toLowerCase().includes(words.value.toLowerCase()),
  ),
)
const numbers = computed(() => {
  const of = (kind: string) =>
    spec.value.routes.filter(({ treatment }) => treatment.kind === kind).length
  return {
    route: of('route'),
    mock: of('mock'),
    withheld: of('withheld'),
    undecided: of('undecided'),
  }
})
const choices = computed(() => [
  { value: 'undecided', label: 'undecided' },
  ...spec.value.backends.map(({ name }) => ({ value: `route:${name}`, label: `to ${name}` })),
  { value: 'mock', label: 'mocked' },
  { value: 'withheld', label: 'withheld' },
])
const choiceOf = ({ treatment }: RouteRowBody) =>
  treatment.kind === 'route' ? `route:${treatment.backend}` : treatment.kind
function decide(row: RouteRowBody, choice: string) {
  row.treatment = choice.startsWith('route:')
    ? { kind: 'route', backend: choice.slice(6) }
    : choice === 'withheld'
      ? { kind: 'withheld', reason: '' }
      : { kind: choice as 'mock' | 'undecided' }
}
const undecided = computed(() =>
  rows.value.filter(({ treatment }) => treatment.kind === 'undecided'),
)
function decideRest(choice: string) {
  for (const row of undecided.value) decide(row, choice)
}

function addBackend() {
  const used = new Set(spec.value.backends.map(({ name }) => name))
  let n = spec.value.backends.length
  let name = n === 0 ? 'main' : `backend-${n + 1}`
  while (used.has(name)) name = `backend-${++n + 1}`
  spec.value.backends.push({ name, url: '', timeoutMs: 5000 })
}
function rename(index: number, name: string) {
  const backend = spec.value.backends[index]!
  for (const { treatment } of spec.value.routes)
    if (treatment.kind === 'route' && treatment.backend === backend.name) treatment.backend = name
  backend.name = name
}
function removeBackend(index: number) {
  const [gone] = spec.value.backends.splice(index, 1)
  for (const row of spec.value.routes)
    if (row.treatment.kind === 'route' && row.treatment.backend === gone?.name)
      row.treatment = { kind: 'undecided' }
}
const prefixKind = computed({
  get: () => spec.value.prefix.kind,
  set: (kind) => {
    spec.value.prefix = kind === 'replace' ? { kind, with: '' } : { kind }
  },
})
/** What was written stays where somebody turns the switch there and back. */
const written = { header: 'X-Api-Key', reason: '' }
const keyRequired = computed({
  get: () => spec.value.key.required,
  set: (required) => {
    Object.assign(written, spec.value.key)
    const { header, reason } = written
    spec.value.key = required ? { required, header } : { required, reason }
  },
})
const inside = computed(() => {
  const { basePath, prefix } = spec.value
  const path =
    prefix.kind === 'keep' ? `${basePath}/…` : prefix.kind === 'replace' ? `${prefix.with}/…` : '/…'
  return `${basePath}/… is sent on as ${path}`
})
const windows = [
  { value: 1, label: 'a second' },
  { value: 60, label: 'a minute' },
  { value: 3600, label: 'an hour' },
  { value: 86400, label: 'a day' },
]
</script>

<template>
  <div class="form">
    <fieldset>
      <legend>Address outside</legend>
      <div class="line">
        <label class="field host"
          ><span>Host</span
          ><InputText v-model="spec.host" class="mono" :invalid="faults.includes('host')"
        /></label>
        <label class="field"
          ><span>Base path</span
          ><InputText v-model="spec.basePath" class="mono" :invalid="faults.includes('basePath')"
        /></label>
        <label class="field"
          ><span>Base path to the backend</span>
          <Choice v-model="prefixKind" :options="['strip', 'keep', 'replace']" />
        </label>
        <label v-if="spec.prefix.kind === 'replace'" class="field"
          ><span>Replace with</span
          ><InputText
            v-model="spec.prefix.with"
            class="mono"
            placeholder="/v2"
            :invalid="faults.includes('prefix')"
        /></label>
      </div>
      <small class="soft mono">{{ inside }}</small>
    </fieldset>
    <fieldset>
      <legend>Backends</legend>
      <div v-for="(backend, index) in spec.backends" :key="index" class="line">
        <label class="field name"
          ><span>Name</span
          ><InputText
            :model-value="backend.name"
            class="mono"
            @update:model-value="rename(index, $event ?? '')"
        /></label>
        <label class="field host"
          ><span>Address inside</span
          ><InputText
            v-model="backend.url"
            class="mono"
            placeholder="http://host:port/path"
            :invalid="faults.some((field) => field.startsWith(`backends.${index}`))"
        /></label>
        <label class="field time"
          ><span>Timeout, in ms</span
          ><InputNumber v-model="backend.timeoutMs" :min="50" :max="120000"
        /></label>
        <button type="button" class="plain" @click="removeBackend(index)">Remove</button>
      </div>
      <p v-if="!spec.backends.length" class="soft none">
        No backend is known yet. Operations can be mocked from their own examples meanwhile.
      </p>
      <button type="button" class="ghost" @click="addBackend()">Add a backend</button>
    </fieldset>
    <fieldset>
      <legend>Protection</legend>
      <div class="line">
        <label class="toggle"><ToggleSwitch v-model="keyRequired" /> API key required</label>
        <label v-if="spec.key.required" class="field"
          ><span>Header of the key</span
          ><InputText v-model="spec.key.header" class="mono" placeholder="X-Api-Key"
        /></label>
        <label v-else class="field host"
          ><span>Why not</span
          ><InputText
            v-model="spec.key.reason"
            placeholder="A reason, for the record"
            :invalid="faults.includes('key')"
        /></label>
      </div>
      <div class="line">
        <label class="toggle"
          ><ToggleSwitch
            :model-value="spec.limit !== undefined"
            @update:model-value="spec.limit = $event ? { requests: 60, seconds: 60 } : undefined"
          />
          Requests are limited</label
        >
        <template v-if="spec.limit">
          <label class="field time"
            ><span>Most requests</span
            ><InputNumber
              v-model="spec.limit.requests"
              :min="1"
              :max="1000000"
              aria-label="Most requests"
          /></label>
          <label class="field"
            ><span>In</span><Choice v-model="spec.limit.seconds" :options="windows"
          /></label>
          <span class="soft per"
            >for each {{ spec.key.required ? 'key' : 'caller’s address' }}</span
          >
        </template>
      </div>
    </fieldset>
    <fieldset>
      <legend>Route table</legend>
      <p class="sentence">
        <button
          type="button"
          class="elm"
          :aria-pressed="show === 'route'"
          @click="show = show === 'route' ? '' : 'route'"
        >
          {{ numbers.route }} routed</button
        >,
        <button
          type="button"
          :aria-pressed="show === 'mock'"
          @click="show = show === 'mock' ? '' : 'mock'"
        >
          {{ numbers.mock }} mocked</button
        >,
        <button
          type="button"
          :aria-pressed="show === 'withheld'"
          @click="show = show === 'withheld' ? '' : 'withheld'"
        >
          {{ numbers.withheld }} withheld</button
        >,
        <button
          type="button"
          class="copper"
          :aria-pressed="show === 'undecided'"
          @click="show = show === 'undecided' ? '' : 'undecided'"
        >
          {{ numbers.undecided }} undecided</button
        >.
      </p>
      <div class="bar">
        <InputText
          v-model="words"
          type="search"
          placeholder="Filter operations"
          aria-label="Filter operations"
        />
        <template v-if="undecided.length">
          <span class="soft">{{
            undecided.length === 1
              ? 'The undecided one becomes'
              : `All ${undecided.length} undecided${words || show ? ' shown' : ''} become`
          }}</span>
          <button
            v-for="choice in choices.filter(
              ({ value }) => value.startsWith('route') || value === 'mock',
            )"
            :key="choice.value"
            type="button"
            class="ghost"
            @click="decideRest(choice.value)"
          >
            {{ choice.value === 'mock' ? 'mocked' : `routed ${choice.label}` }}
          </button>
        </template>
      </div>
      <table class="ruled">
        <thead>
          <tr>
            <th>Operation</th>
            <th>Outside</th>
            <th>Treatment</th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="row in rows"
            :key="row.method + row.path"
            :class="{ on: row.treatment.kind === 'undecided' }"
          >
            <td>
              <OperationName :method="row.method" :path="row.path" :soap="about(row)?.soap" />
              <div class="soft small">{{ about(row)?.summary }}</div>
            </td>
            <td class="mono outside" :class="{ gone: row.treatment.kind === 'withheld' }">
              {{
                row.treatment.kind === 'withheld' ? 'not served' : outsideAddress(spec, row.path)
              }}
            </td>
            <td class="treat">
              <select
                :value="choiceOf(row)"
                :aria-label="`Treatment of ${row.method} ${row.path}`"
                :class="row.treatment.kind"
                @change="decide(row, textOf($event))"
              >
                <option v-for="choice in choices" :key="choice.value" :value="choice.value">
                  {{ choice.label }}
                </option>
              </select>
              <input
                v-if="row.treatment.kind === 'withheld'"
                v-model="row.treatment.reason"
                class="reason"
                placeholder="Why is it withheld"
                :aria-label="`Why ${row.method} ${row.path} is withheld`"
              />
            </td>
          </tr>
        </tbody>
      </table>
    </fieldset>
  </div>
</template>

<style scoped>
fieldset {
  border: 0;
  border-top: 1px solid var(--rule);
  margin: 0 0 6px;
  padding: 10px 0 6px;
}
legend {
  font: 650 12px var(--body);
  padding: 0 8px 0 0;
}
.line {
  display: flex;
  gap: 12px;
  align-items: flex-end;
  flex-wrap: wrap;
}
.line .plain {
  margin-bottom: 16px;
}
.field {
  flex: 0 1 190px;
}
.host {
  flex: 1 1 260px;
}
.name,
.time {
  flex: 0 1 120px;
}
.toggle {
  display: flex;
  gap: 8px;
  align-items: center;
  font-weight: 600;
  min-width: 190px;
  padding-bottom: 16px;
}
.per {
  padding-bottom: 16px;
}
.none {
  margin: 0 0 8px;
}
.outside {
  font-size: 11px;
  overflow-wrap: anywhere;
  color: var(--soft);
}
.gone {
  font-style: italic;
}
.treat {
  min-width: 150px;
}
.treat select,
.reason {
  font: 12.5px var(--body);
  border: 1px solid var(--rule);
  border-radius: 5px;
  background: var(--paper);
  color: var(--ink);
  padding: 3px 6px;
  width: 100%;
}
.treat select.undecided {
  border-color: var(--copper);
  color: var(--copper);
}
.reason {
  margin-top: 4px;
}
</style>
