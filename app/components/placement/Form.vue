<script setup lang="ts">
import { faceDocument, outsideAddress, rowName } from '~~/core/runtime/placement'
import type { OperationItem } from '~~/shared/api/catalog'
import type { BackendBody, RouteRowBody, SpecBody } from '~~/shared/api/placements'

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
/** Whether SOAP is spoken, and whether callers do. */
const hasSoap = computed(() => props.operations.some(({ soap }) => soap))
const face = computed({
  get: () => spec.value.face ?? 'soap',
  set: (chosen) => {
    if (chosen === 'rest') spec.value.face = 'rest'
    else delete spec.value.face
  },
})
const documentAddress = computed(() =>
  face.value === 'rest'
    ? outsideAddress(spec.value, faceDocument)
    : `${outsideAddress(spec.value)}?wsdl`,
)
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
  for (const { treatment } of [...spec.value.routes, ...(spec.value.furtherRoutes ?? [])])
    if (treatment.kind === 'route' && treatment.backend === backend.name) treatment.backend = name
  backend.name = name
}
function removeBackend(index: number) {
  const [gone] = spec.value.backends.splice(index, 1)
  for (const row of spec.value.routes)
    if (row.treatment.kind === 'route' && row.treatment.backend === gone?.name)
      row.treatment = { kind: 'undecided' }
  for (const { treatment } of spec.value.furtherRoutes ?? [])
    if (treatment.kind === 'route' && treatment.backend === gone?.name) treatment.backend = ''
}
const prefixKind = computed({
  get: () => spec.value.prefix.kind,
  set: (kind) => {
    spec.value.prefix = kind === 'replace' ? { kind, with: '' } : { kind }
  },
})
const inside = computed(() => {
  const { basePath, prefix } = spec.value
  const path =
    prefix.kind === 'keep' ? `${basePath}/…` : prefix.kind === 'replace' ? `${prefix.with}/…` : '/…'
  return `${basePath}/… is sent on as ${path}`
})
const otherPaths = computed({
  get: () => (spec.value.otherBasePaths ?? []).join('\n'),
  set: (text) => {
    const paths = linesOf(text)
    if (paths.length > 0) spec.value.otherBasePaths = paths
    else delete spec.value.otherBasePaths
  },
})
function addTarget(backend: BackendBody) {
  backend.others = [...(backend.others ?? []), { url: '', weight: 1 }]
}
function removeTarget(backend: BackendBody, index: number) {
  const left = (backend.others ?? []).filter((_, i) => i !== index)
  if (left.length > 0) backend.others = left
  else delete backend.others
}
</script>

<template>
  <div class="form">
    <PlacementSection title="Address outside">
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
      <label class="field also"
        ><span>Also served at, one base path on a line</span
        ><Textarea
          v-model="otherPaths"
          class="mono"
          rows="1"
          auto-resize
          spellcheck="false"
          :invalid="faults.some((field) => field.startsWith('otherBasePaths'))"
      /></label>
      <label v-if="hasSoap" class="field"
        ><span>Served as</span>
        <select v-model="face" :class="{ wrong: faults.includes('face') }">
          <option value="soap">SOAP, with its WSDL</option>
          <option value="rest">JSON over HTTP (REST face), with an OpenAPI definition</option>
        </select></label
      >
      <small class="soft mono">{{ inside }}</small>
      <small v-if="hasSoap" class="soft"
        >Its definition is served at <code>{{ documentAddress }}</code></small
      >
    </PlacementSection>
    <PlacementSection title="Backends">
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
        <button type="button" class="plain" @click="addTarget(backend)">Add a target</button>
        <button type="button" class="plain" @click="removeBackend(index)">Remove</button>
        <div v-if="backend.others?.length" class="line targets">
          <label class="field time"
            ><span>Weight of the first</span
            ><InputNumber
              :model-value="backend.weight ?? 1"
              :min="1"
              :max="1000000"
              @update:model-value="backend.weight = $event ?? 1"
          /></label>
        </div>
        <div v-for="(target, place) in backend.others" :key="place" class="line targets">
          <label class="field host"
            ><span>Another address inside</span
            ><InputText v-model="target.url" class="mono" placeholder="http://host:port/path"
          /></label>
          <label class="field time"
            ><span>Weight</span
            ><InputNumber
              :model-value="target.weight ?? 1"
              :min="1"
              :max="1000000"
              @update:model-value="target.weight = $event ?? 1"
          /></label>
          <label class="field time"
            ><span>Only on gateway</span
            ><InputText
              :model-value="target.gateway ?? ''"
              class="mono"
              placeholder="every one"
              @update:model-value="target.gateway = $event || undefined"
          /></label>
          <button type="button" class="plain" @click="removeTarget(backend, place)">
            Remove target
          </button>
        </div>
      </div>
      <p v-if="!spec.backends.length" class="soft none">
        No backend is known yet. Operations can be mocked from their own examples meanwhile.
      </p>
      <button type="button" class="ghost" @click="addBackend()">Add a backend</button>
    </PlacementSection>
    <PlacementSection title="Route table">
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
                row.treatment.kind === 'withheld'
                  ? 'not served'
                  : outsideAddress(spec, about(row)?.soap && !spec.face ? undefined : row.path)
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
    </PlacementSection>
    <PlacementFurtherRoutes v-model="spec" :faults="faults" />
  </div>
</template>

<style scoped>
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
.targets {
  flex: 1 0 100%;
  padding-left: 22px;
}
.also {
  max-width: 420px;
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
