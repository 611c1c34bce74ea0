<script setup lang="ts">
import { calledBy } from '~~/shared/operation-name'
import { joinPaths } from '~~/core/routing/placement'
import type { DeskResponse } from '~~/shared/api/desk'
import type { PlacementItem, RouteRowBody } from '~~/shared/api/placements'

const route = useRoute()
const { data: page, refusal: loadRefusal } = useLoad(
  () => api.listPlacements(),
  ['placement', 'drift', 'key'],
)
const placements = computed(() => page.value?.items ?? [])
const placementId = ref(String(route.query['placement'] ?? ''))
watch(placements, (list) => {
  if (!list.some(({ id }) => id === placementId.value) && list[0]) placementId.value = list[0].id
})
const { data: placement, refusal: placementRefusal } = useLoad(
  async () => (placementId.value ? api.getPlacement({ placement: placementId.value }) : undefined),
  ['placement', 'drift', 'key'],
  () => placementId.value,
)
const operation = ref('')
const method = ref('GET')
const path = ref('')
const key = ref('')
const body = ref('')
const { busy, refusal, act } = useAct()
const answer = ref<DeskResponse>()
const sentTo = ref('')

const operations = computed(() => placement.value?.spec.routes ?? [])
const nameOf = (row: { method: string; path: string }) => `${row.method} ${row.path}`
// What was typed stays when the same placement is read again.
watch(
  () => placement.value?.id,
  () => {
    const now = placement.value
    if (!now) return
    key.value = sessionStorage.getItem(`key:${now.id}`) ?? ''
    const first =
      now.spec.routes.find(
        (row) =>
          row.method === 'GET' && !row.path.includes('{') && row.treatment.kind !== 'withheld',
      ) ?? now.spec.routes[0]
    if (first) pick(nameOf(first))
    answer.value = undefined
  },
  { immediate: true },
)
function pick(name: string) {
  operation.value = name
  const row = operations.value.find((candidate) => nameOf(candidate) === name)
  if (!row || !placement.value) return
  method.value = row.method
  path.value = joinPaths(placement.value.basePath, row.path)
  if (row.method === 'GET' || row.method === 'DELETE') body.value = ''
  else if (!body.value) body.value = '{}'
}
/** What the definition says of the operation, until there is a response to look at. */
const { data: described } = useLoad(
  async () => {
    const now = placement.value
    if (!now) return
    const place = { api: now.api, revision: now.revision }
    const { operations: known } = await api.getRevision(place)
    const position = known.findIndex((item) => nameOf(item) === operation.value)
    if (position === -1) return
    return (await api.getOperation({ ...place, operation: position })).detail
  },
  ['placement'],
  () => `${placement.value?.id} ${placement.value?.revision} ${operation.value}`,
)
const open = computed(() => /\{[^}]*\}/.exec(path.value)?.[0])
async function send() {
  if (placement.value) sessionStorage.setItem(`key:${placement.value.id}`, key.value)
  sentTo.value = placement.value ? `https://${placement.value.host}${path.value}` : ''
  answer.value = await act(() =>
    api.sendRequest(
      {},
      {
        placement: placementId.value,
        method: method.value,
        path: path.value,
        ...(key.value && { key: key.value }),
        ...(body.value && { body: body.value, mediaType: 'application/json' }),
      },
    ),
  )
}
const pretty = computed(() => {
  const text = answer.value?.body ?? ''
  try {
    return JSON.stringify(JSON.parse(text), null, 2)
  } catch {
    return text
  }
})
const placementLabel = ({ title, version, stage, group }: PlacementItem) =>
  `${title} ${version} in ${stage}, ${group}`
const chosenRow = computed(() => operations.value.find((row) => nameOf(row) === operation.value))
const soapNames = computed(() => new Map(placement.value?.soap.map((row) => [nameOf(row), row])))
function operationLabel(row: RouteRowBody): string {
  const { method: called, name } = calledBy({ ...row, soap: soapNames.value.get(nameOf(row)) })
  return `${called} ${name}${row.treatment.kind === 'withheld' ? ' (withheld)' : ''}`
}
const labels: Record<string, string> = {
  request: 'Request',
  host: 'Host',
  route: 'Route',
  key: 'Key',
  limit: 'Limit',
  rewrite: 'Rewriting',
  backend: 'Backend',
  mock: 'Mock',
}
const quote = (value: string) => `'${value.replaceAll("'", String.raw`'\''`)}'`
const command = computed(
  () =>
    placement.value &&
    [
      'curl',
      method.value === 'GET' ? '' : `-X ${method.value}`,
      quote(`https://${placement.value.host}${path.value}`),
      placement.value.keyHeader
        ? `-H ${quote(`${placement.value.keyHeader}: ${key.value || '…'}`)}`
        : '',
      body.value ? `-H 'Content-Type: application/json' -d ${quote(body.value)}` : '',
    ]
      .filter(Boolean)
      .join(' '),
)
</script>

<template>
  <Leaf>
    <h1>Request desk</h1>
    <p class="sentence">
      Send a request through a gateway as a consumer would, and see what became of it, step by step.
    </p>
    <Trouble :refusal="loadRefusal ?? placementRefusal" />
    <div v-if="page && !placements.length" class="empty">
      <p>Requests go through placements, and there is none yet.</p>
      <NuxtLink class="ghost" to="/">Choose an API to place</NuxtLink>
    </div>
    <form v-else-if="placement" @submit.prevent="send()">
      <div class="line">
        <label class="field wide"
          ><span>Placement</span>
          <Select
            v-model="placementId"
            :options="placements"
            option-value="id"
            filter
            :option-label="placementLabel"
            aria-label="Placement"
          />
        </label>
        <label class="field wide"
          ><span>Operation</span>
          <Select
            :model-value="operation"
            :options="operations"
            filter
            :option-label="operationLabel"
            :option-value="nameOf"
            aria-label="Operation"
            class="mono"
            @update:model-value="pick($event)"
          />
        </label>
      </div>
      <div class="line">
        <label class="field method-box"
          ><span>Method</span><InputText v-model="method" class="mono" aria-label="Method"
        /></label>
        <label class="field grow"
          ><span>Path and query</span
          ><InputText
            v-model="path"
            class="mono"
            aria-label="Path and query"
            :invalid="!!open"
          /><small v-if="open"
            >Put a value in place of <code>{{ open }}</code></small
          ></label
        >
        <label class="field"
          ><span>Key</span
          ><InputText
            v-model="key"
            class="mono"
            autocomplete="off"
            :placeholder="placement.keyHeader ? `in ${placement.keyHeader}` : 'none is asked for'"
        /></label>
      </div>
      <label v-if="body || !['GET', 'DELETE', 'HEAD'].includes(method)" class="field"
        ><span>Body, as JSON</span
        ><Textarea v-model="body" class="mono" rows="5" spellcheck="false"
      /></label>
      <div class="bar">
        <button class="fill" :disabled="busy || !path">{{ busy ? 'Sending …' : 'Send' }}</button>
        <code class="soft address">{{ method }} https://{{ placement.host }}{{ path }}</code>
      </div>
      <details class="soft small">
        <summary>The same from a terminal</summary>
        <code>{{ command }}</code>
      </details>
    </form>
    <Trouble :refusal="refusal" />
    <section v-if="answer" class="answer" aria-live="polite">
      <h3>
        <span
          >Response
          <b class="status" :class="{ bad: answer.status >= 400 }">{{ answer.status }}</b></span
        >
        <small>{{ answer.ms }} ms · {{ sentTo }}</small>
      </h3>
      <pre tabindex="0">{{ pretty }}</pre>
      <p v-if="answer.cut" class="soft">The body is longer than a megabyte and was cut.</p>
      <details>
        <summary>{{ count(answer.headers.length, 'header') }}</summary>
        <table class="ruled">
          <tbody>
            <tr v-for="header in answer.headers" :key="header.name">
              <td class="mono">{{ header.name }}</td>
              <td class="mono">{{ header.value }}</td>
            </tr>
          </tbody>
        </table>
      </details>
    </section>
    <section v-else-if="described && chosenRow" class="described">
      <h3>{{ operationLabel(chosenRow) }} <small>as the definition has it</small></h3>
      <OperationView :operation="described" />
    </section>
    <template #margin>
      <h2>The request’s way</h2>
      <p v-if="!answer" class="soft">
        Each step stands here when a request has been sent: host, route, key, limit, rewriting,
        backend.
      </p>
      <template v-else>
        <p class="verdict" :class="{ bad: answer.steps.some((step) => !step.passed) }">
          {{ answer.verdict }}
        </p>
        <ol class="way">
          <li v-for="step in answer.steps" :key="step.name" :class="{ stopped: !step.passed }">
            <b>{{ labels[step.name] ?? step.name }}</b> <i>{{ step.passed ? '✓' : '✕' }}</i>
            <div>{{ step.text }}</div>
          </li>
        </ol>
      </template>
      <template v-if="placement">
        <h3>This placement</h3>
        <p class="soft">
          <code>{{ `https://${placement.host}${placement.basePath}` }}</code><br /><NuxtLink
            class="plain"
            :to="`/apis/${placement.api}/placements`"
            >{{ placement.title }} {{ placement.version }},
            {{ markWords(placement.mark, placement.differences.length) }}</NuxtLink
          >
        </p>
      </template>
    </template>
  </Leaf>
</template>

<style scoped>
.line {
  display: flex;
  gap: 12px;
  flex-wrap: wrap;
}
.wide {
  flex: 1 1 300px;
  min-width: 0;
}
.grow {
  flex: 1 1 280px;
}
.method-box {
  flex: 0 0 84px;
}
.wide :deep(.p-select) {
  max-width: 100%;
}
.address {
  overflow-wrap: anywhere;
}
details code,
p code {
  overflow-wrap: anywhere;
}
.answer pre {
  background: var(--paper);
  border: 1px solid var(--rule);
  border-radius: 6px;
  padding: 10px 12px;
  font: 12px/1.5 var(--mono);
  margin: 0 0 8px;
  max-height: 340px;
  overflow: auto;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
.status {
  color: var(--elm);
  font: 700 13px var(--mono);
}
.status.bad {
  color: var(--copper);
}
.verdict {
  border-left: 3px solid var(--elm);
  padding-left: 9px;
  overflow-wrap: anywhere;
}
.verdict.bad {
  border-color: var(--copper);
}
.way {
  list-style: none;
  margin: 0;
  padding: 0;
}
.way li {
  padding: 7px 0 7px 14px;
  border-left: 1px solid var(--elm-edge);
  margin-left: 4px;
  overflow-wrap: anywhere;
  position: relative;
}
.way li::before {
  content: '';
  position: absolute;
  left: -4px;
  top: 13px;
  width: 7px;
  height: 7px;
  border-radius: 50%;
  background: var(--elm);
}
.way li.stopped::before {
  background: var(--copper);
}
.way i {
  font-style: normal;
  color: var(--elm);
}
.stopped i,
.stopped b {
  color: var(--copper);
}
</style>
