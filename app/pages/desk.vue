<script setup lang="ts">
import { scopesOf } from '~~/core/runtime/placement'
import { credentialFields, isOpen } from '~~/core/runtime/policies/authenticate'
import { resolvePolicies } from '~~/core/runtime/resolve'
import { calledBy } from '~~/shared/operation-name'
import { joinPaths } from '~~/core/runtime/placement'
import { until } from '@vueuse/core'
import { writeProbe } from '~~/core/probes/arazzo'
import type { ProbeItem } from '~~/shared/api/probes'
import type { DeskResponse, HeaderLine } from '~~/shared/api/desk'
import type { PlacementItem, RouteRowBody } from '~~/shared/api/placements'
import type { BodySample } from '~~/shared/api/reading'
import type { SentRequest } from '~/composables/useDeskHistory'

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
const mediaType = ref('application/json')
const headers = ref<HeaderLine[]>([])
/** The gateway it is sent through; the first of its group where nobody chose. */
const gateway = ref('')
/** As the placement asks for where nobody chose. */
const scheme = ref<'' | 'http' | 'https'>('')
const { sent, add, clear } = useDeskHistory()
const { data: groups } = useLoad(() => api.listGatewayGroups(), ['gateway'])
const sites = computed(
  () => groups.value?.items.find(({ name }) => name === placement.value?.group)?.members ?? [],
)
const { busy, refusal, act } = useAct()
const answer = ref<DeskResponse>()
/** The request that was answered, whatever is written meanwhile. */
const answered = shallowRef<SentRequest>()
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
  const soap = soapNames.value.get(name)
  path.value = soap ? placement.value.basePath : joinPaths(placement.value.basePath, row.path)
  body.value = ''
  headers.value = soap?.action ? [{ name: 'SOAPAction', value: `"${soap.action}"` }] : []
}
/** What the definition says of the operation, until there is a response to look at. */
const { data: described } = useLoad(
  async () => {
    const now = placement.value
    if (!now) return
    const place = { api: now.api, revision: now.revision }
    const { operations: known, format } = await api.getRevision(place)
    const position = known.findIndex((item) => nameOf(item) === operation.value)
    if (position === -1) return
    const [{ detail }, samples] = await Promise.all([
      api.getOperation({ ...place, operation: position }),
      api.listBodySamples({ ...place, operation: position }),
    ])
    return { detail, samples: samples.items, format }
  },
  ['placement'],
  () => `${placement.value?.id} ${placement.value?.revision} ${operation.value}`,
)
const samples = computed(() => {
  const all = described.value?.samples ?? []
  const now = placement.value
  if (!now?.soap.length) return all
  // Envelopes for whoever speaks SOAP, JSON for the REST face.
  return all.filter(({ mediaType: type }) => type.includes('json') === (now.spec.face === 'rest'))
})
const sampleLabel = ({ mediaType: type, example }: BodySample) =>
  example === undefined ? `made from the schema, ${type}` : `${example}, ${type}`
function fill(sample: BodySample | undefined) {
  if (!sample) return
  body.value = readable(sample.body)
  mediaType.value = sample.mediaType
}
// What somebody wrote stays; an empty body begins with the first that the definition has.
watch(samples, (list) => {
  if (!body.value) fill(list[0])
})
const open = computed(() => /\{[^}]*\}/.exec(path.value)?.[0])
const written = computed(() => headers.value.filter(({ name }) => name.trim() !== ''))
/** A request that was sent before, to be changed or sent again. */
async function again(request: SentRequest) {
  if (placementId.value !== request.placement) {
    placementId.value = request.placement
    await until(() => placement.value?.id).toBe(request.placement)
    await nextTick()
  }
  operation.value = request.operation
  method.value = request.method
  path.value = request.path
  gateway.value = request.gateway
  scheme.value = request.scheme ?? ''
  headers.value = request.headers.map((line) => ({ ...line }))
  mediaType.value = request.mediaType
  body.value = request.body
  answer.value = request.response
  answered.value = request
}
async function send() {
  const now = placement.value
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
        ...(gateway.value && { gateway: gateway.value }),
        ...(scheme.value && { scheme: scheme.value }),
        ...(written.value.length > 0 && { headers: written.value }),
        ...(body.value && { body: body.value, mediaType: mediaType.value }),
      },
    ),
  )
  if (!answer.value || !now) return
  answered.value = add({
    placement: now.id,
    label: placementLabel(now),
    operation: operation.value,
    method: method.value,
    path: path.value,
    gateway: gateway.value,
    scheme: scheme.value,
    headers: written.value,
    mediaType: mediaType.value,
    body: body.value,
    response: answer.value,
  })
}
const pretty = computed(() => readable(answer.value?.body ?? ''))
const placementLabel = ({ title, version, stage, group }: PlacementItem) =>
  `${title} ${version} in ${stage}, ${group}`
const chosenRow = computed(() => operations.value.find((row) => nameOf(row) === operation.value))
/** What is called by SOAP; nothing of it where callers speak JSON. */
const soapNames = computed(
  () =>
    new Map(
      placement.value?.spec.face ? [] : placement.value?.soap.map((row) => [nameOf(row), row]),
    ),
)
function operationLabel(row: RouteRowBody): string {
  const { method: called, name } = calledBy({ ...row, soap: soapNames.value.get(nameOf(row)) })
  return `${called} ${name}${row.treatment.kind === 'withheld' ? ' (withheld)' : ''}`
}
/** Which credential is asked for, from whichever scope. */
const resolved = computed(() => {
  if (!placement.value) return undefined
  const { spec, outer } = placement.value
  return resolvePolicies(scopesOf(spec, outer))
})
const authentication = computed(() => resolved.value?.authentication?.config)
const usualScheme = computed(() =>
  (resolved.value?.transport?.config.plain ?? 'served') === 'served' ? 'http' : 'https',
)
const schemes = ['https', 'http'].map((value) => ({ value, label: value }))
const shownKey = computed(() =>
  isOpen(authentication.value)
    ? { headers: {} as Record<string, string>, query: undefined }
    : { query: undefined, ...credentialFields(authentication.value, key.value || '…') },
)
/** Where the OpenAPI definition of what is called can be read; nowhere where it is described in another format. */
const definitionUrl = computed(() => {
  const now = placement.value
  if (!now || !described.value) return
  if (now.spec.face === 'rest')
    return `https://${now.host}${joinPaths(now.basePath, '/openapi.json')}`
  if (!/^(?:OpenAPI|Swagger) /.test(described.value.format)) return
  return `${location.origin}/api/v1/apis/${now.api}/revisions/${now.revision}/text`
})
const keeping = useAct()
const kept = shallowRef<ProbeItem>()
/** Keeps what was sent as a probe of the API, to be sent by hand until somebody says more. */
async function keepProbe() {
  const { api: slug } = placement.value!
  const [text, row] = [probe.value!, chosenRow.value!]
  const title = `${nameOf(row)}, as sent ${stamp(new Date().toISOString())}`.slice(0, 100)
  kept.value = await keeping.act(() =>
    api.createProbe({ api: slug }, { title, text, every: 0, stages: [] }),
  )
}
const probe = computed(() => {
  const now = placement.value
  const request = answered.value
  const row = chosenRow.value
  if (!now || !definitionUrl.value || !row || request?.operation !== nameOf(row)) return
  if (request.placement !== now.id) return
  const given = isOpen(authentication.value)
    ? undefined
    : credentialFields(authentication.value, '{$inputs.credential}')
  return writeProbe({
    title: request.label,
    source: definitionUrl.value,
    operation: row,
    path: request.path.slice(now.basePath === '/' ? 0 : now.basePath.length),
    headers: request.headers,
    credential: [
      ...Object.entries(given?.headers ?? {}).map(([name, value]) => ({
        name,
        in: 'header' as const,
        value,
      })),
      ...(given?.query ? [{ ...given.query, in: 'query' as const }] : []),
    ],
    body: request.body ? { mediaType: request.mediaType, text: request.body } : undefined,
    status: request.response.status,
  })
})
const quote = (value: string) => `'${value.replaceAll("'", String.raw`'\''`)}'`
const command = computed(
  () =>
    placement.value &&
    [
      'curl',
      method.value === 'GET' ? '' : `-X ${method.value}`,
      quote(
        `${scheme.value || 'https'}://${placement.value.host}${path.value}${shownKey.value.query ? `${path.value.includes('?') ? '&' : '?'}${shownKey.value.query.name}=${shownKey.value.query.value}` : ''}`,
      ),
      ...Object.entries(shownKey.value.headers).map(
        ([name, value]) => `-H ${quote(`${name}: ${value}`)}`,
      ),
      ...written.value.map(({ name, value }) => `-H ${quote(`${name}: ${value}`)}`),
      body.value
        ? `-H ${quote(`Content-Type: ${mediaType.value}`)} --data-binary ${quote(body.value)}`
        : '',
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
          ><span>Credential</span
          ><InputText
            v-model="key"
            class="mono"
            autocomplete="off"
            :placeholder="placement.credential"
        /></label>
      </div>
      <DeskHeaders v-model="headers" />
      <template v-if="body || !['GET', 'DELETE', 'HEAD'].includes(method)">
        <label class="field"
          ><span>Body</span><Textarea v-model="body" class="mono" rows="6" spellcheck="false"
        /></label>
        <div class="line">
          <label class="field"
            ><span>Media type of the body</span><InputText v-model="mediaType" class="mono"
          /></label>
          <label v-if="samples.length" class="field wide"
            ><span>Fill the body from</span>
            <select @change="fill(samples[Number(textOf($event))])">
              <option v-for="(sample, index) in samples" :key="index" :value="index">
                {{ sampleLabel(sample) }}
              </option>
            </select>
          </label>
        </div>
      </template>
      <div class="bar">
        <button class="fill" :disabled="busy || !path">{{ busy ? 'Sending …' : 'Send' }}</button>
        <FilterChip
          v-if="sites.length > 1"
          v-model="gateway"
          label="Through"
          :any="sites[0]!"
          :options="sites.map((value) => ({ value, label: value }))"
        />
        <FilterChip
          v-model="scheme"
          label="Scheme"
          :any="`as placed (${usualScheme})`"
          :options="schemes"
        />
        <code class="soft address"
          >{{ method }} {{ scheme || 'https' }}://{{ placement.host }}{{ path }}</code
        >
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
      <div v-if="probe" class="bar save">
        <button
          type="button"
          class="ghost"
          title="The request and its status, as a probe of the API"
          :disabled="keeping.busy.value"
          @click="keepProbe()"
        >
          Save as a probe
        </button>
        <button
          type="button"
          class="plain"
          title="The same as an Arazzo workflow, without the credential"
          @click="offer(probe, `${placementId}.arazzo.yaml`)"
        >
          Download as Arazzo
        </button>
        <NuxtLink
          v-if="kept"
          class="plain"
          :to="{ path: `/apis/${kept.api}/probes`, query: { probe: String(kept.probe) } }"
          >Saved: {{ kept.title }}</NuxtLink
        >
      </div>
      <Trouble :refusal="keeping.refusal.value" />
    </section>
    <section v-else-if="described && chosenRow" class="described">
      <h3>{{ operationLabel(chosenRow) }} <small>as the definition has it</small></h3>
      <OperationView :operation="described.detail" />
    </section>
    <DeskHistory v-if="sent.length" :sent="sent" @again="again($event)" @clear="clear()" />
    <template #margin>
      <h2>The request’s way</h2>
      <p v-if="!answer" class="soft">
        Each step stands here when a request has been sent, with the policy behind it.
      </p>
      <template v-else>
        <p class="verdict" :class="{ bad: answer.steps.some((step) => !step.passed) }">
          {{ answer.verdict }}
        </p>
        <ol class="way">
          <li v-for="(step, index) in answer.steps" :key="index" :class="{ stopped: !step.passed }">
            <b>{{ stepTitle(step.name) }}</b> <i>{{ step.passed ? '✓' : '✕' }}</i>
            <div>{{ step.text }}</div>
            <NuxtLink
              v-if="step.policy && placement"
              class="plain small"
              :to="{ path: `/placements/${placement.id}`, query: { policy: step.policy } }"
              >{{ policyTitle(step.policy) }}</NuxtLink
            >
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
.save {
  margin-top: 10px;
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
