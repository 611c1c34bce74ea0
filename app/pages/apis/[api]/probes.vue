<script setup lang="ts">
import { probeEtag } from '~~/shared/etags'
import { probeClient } from '~~/shared/words'
import type { ProbeBody, ProbeItem } from '~~/shared/api/probes'
import { useSession } from '~/stores/session'

/** The probes of an API: what they ask, how they went last, and the acts that write and send them. */
const slug = String(useRoute().params['api'])
const session = useSession()
const { filters, set } = useFilters(['probe', 'only'] as const)
const { data: detail } = useLoad(() => api.getApi({ api: slug }), ['api', 'revision'])
const {
  data: page,
  refusal,
  reload,
} = useLoad(() => api.listProbes({ api: slug }), ['probe', 'api', 'revision', 'placement'])
const { data: placed } = useLoad(() => api.listPlacements({ api: slug }), ['placement', 'key'])
const items = computed(() => page.value?.items ?? [])
const placements = computed(() => placed.value?.items ?? [])
const isFailing = ({ last, problems }: ProbeItem) =>
  problems.length > 0 || last.some(({ passed }) => !passed)
const isUnsent = ({ last }: ProbeItem) => last.length === 0
const failing = computed(() => items.value.filter(isFailing).length)
const unsent = computed(() => items.value.filter(isUnsent).length)
const shown = computed(() =>
  filters.value.only === 'failing'
    ? items.value.filter(isFailing)
    : filters.value.only === 'unsent'
      ? items.value.filter(isUnsent)
      : items.value,
)
const toggleOnly = (only: string) => set({ only: filters.value.only === only ? '' : only })
const { selected, current } = useRows(() => shown.value, {
  naming: { key: (row) => String(row.probe), wanted: () => filters.value.probe },
})
const mayWrite = computed(
  () =>
    ['governance', 'operator'].includes(session.person?.role ?? 'reader') ||
    (session.person?.role === 'owner' && session.person.team === detail.value?.team),
)
const maySend = computed(() => (session.person?.role ?? 'reader') !== 'reader')

/** What is being written; the number of the probe where it is there already. */
const draft = ref<ProbeBody & { probe?: number; edition?: number }>()
const left = ref<string[]>([])
const writing = useAct()
const stages = computed(() => session.shell?.stages ?? [])
const example = `arazzo: 1.0.1
info: { title: What is asked, version: 1.0.0 }
sourceDescriptions:
  - { name: definition, url: openapi.yaml, type: openapi }
workflows:
  - workflowId: probe
    steps:
      - stepId: first
        operationId: listMeters
        successCriteria:
          - condition: $statusCode == 200
`
function begin(text: string, title = '') {
  draft.value = { title, text, every: 15, stages: stages.value.slice(-1) }
}
async function fromExamples() {
  const made = await writing.act(() => api.getProbeDraft({ api: slug }))
  if (!made) return
  left.value = made.left
  begin(made.text, 'What can be read')
}
function edit({ probe, edition, title, text, every, stages: where }: ProbeItem) {
  left.value = []
  draft.value = { probe, edition, title, text, every, stages: [...where] }
}
async function keep() {
  const { probe, edition, ...body } = draft.value!
  const kept = await writing.act(() =>
    probe === undefined
      ? api.createProbe({ api: slug }, body)
      : api.updateProbe({ probe }, body, { ifMatch: probeEtag({ edition: edition! }) }),
  )
  if (!kept) return
  draft.value = undefined
  await reload()
  await set({ probe: String(kept.probe), only: '' })
}

const acting = useAct()
const target = ref<string>()
watch(placements, (list) => (target.value ??= list[0]?.id))
async function send() {
  await acting.act(() =>
    api.runProbe({ probe: current.value!.probe }, { placement: target.value! }),
  )
  await reload()
}
const lacksKey = computed(() =>
  placements.value.find(
    ({ id, takesKeys, keys }) => id === target.value && takesKeys && !keys.includes(probeClient),
  ),
)
async function giveKey() {
  await acting.act(() => api.issueProbeKey({ placement: target.value! }))
  await reload()
}
const removing = ref(false)
async function remove() {
  removing.value = false
  await acting.act(() => api.removeProbe({ probe: current.value!.probe }))
  await reload()
}
const everyWords = ({ every, stages: where }: ProbeItem) =>
  every === 0 ? 'by hand' : `every ${count(every, 'minute')} in ${where.join(', ') || 'no stage'}`
/** How a probe went last, by where, in the order of the stages. */
const results = ({ last }: ProbeItem) =>
  placements.value
    .map(({ id }) => last.filter(({ placement }) => placement === id))
    .filter(({ length }) => length > 0)
</script>

<template>
  <Leaf>
    <Trouble :refusal="refusal" />
    <template v-if="detail">
      <ApiHead :detail="detail" />
      <p v-if="page" class="sentence">
        {{ items.length === 0 ? 'No probe' : count(items.length, 'probe')
        }}<template v-if="items.length"
          >,
          <button
            class="copper"
            :aria-pressed="filters.only === 'failing'"
            @click="toggleOnly('failing')"
          >
            {{ failing }} failing</button
          >,
          <button :aria-pressed="filters.only === 'unsent'" @click="toggleOnly('unsent')">
            {{ unsent }} never sent
          </button></template
        >.
      </p>
      <form v-if="draft" @submit.prevent="keep()">
        <h3>{{ draft.probe === undefined ? 'A new probe' : 'Change the probe' }}</h3>
        <div class="fields">
          <label class="field"
            ><span>Title</span><InputText v-model="draft.title" maxlength="100" required
          /></label>
          <label class="field"
            ><span>Sent by itself every … minutes; 0 for never</span
            ><input v-model.number="draft.every" type="number" min="0" max="10080"
          /></label>
          <fieldset>
            <legend>In these stages</legend>
            <label v-for="stage in stages" :key="stage"
              ><input v-model="draft.stages" type="checkbox" :value="stage" /> {{ stage }}</label
            >
          </fieldset>
        </div>
        <label class="field"
          ><span>Arazzo 1.0</span
          ><Textarea v-model="draft.text" class="mono" rows="18" spellcheck="false"
        /></label>
        <details v-if="left.length" class="soft">
          <summary>{{ count(left.length, 'operation is', 'operations are') }} left out</summary>
          <p v-for="line in left" :key="line" class="small mono">{{ line }}</p>
        </details>
        <Trouble :refusal="writing.refusal.value" />
        <div class="bar">
          <button class="fill" :disabled="writing.busy.value">Save</button>
          <button type="button" class="ghost" @click="draft = undefined">Cancel</button>
        </div>
      </form>
      <template v-else>
        <div v-if="mayWrite" class="bar">
          <button class="ghost" :disabled="writing.busy.value" @click="fromExamples()">
            Make one from the definition
          </button>
          <button class="ghost" @click="begin(example)">Write one</button>
          <NuxtLink
            v-if="placements[0]"
            class="plain"
            :to="{ path: '/desk', query: { placement: placements[0].id } }"
            >Save one at the request desk</NuxtLink
          >
        </div>
        <Trouble :refusal="writing.refusal.value" />
        <div v-if="page && !shown.length" class="empty">
          <p>
            {{
              items.length
                ? 'No probe is so.'
                : 'A probe is a sequence of requests with checks, sent through the gateways of a stage: by hand, on a schedule, before a version goes on, and after each gateway that has it.'
            }}
          </p>
        </div>
        <table v-else-if="page" class="ruled">
          <thead>
            <tr>
              <th>Probe</th>
              <th>Sent</th>
              <th>Last results</th>
            </tr>
          </thead>
          <tbody>
            <tr
              v-for="(item, index) in shown"
              :key="item.probe"
              :class="{ on: index === selected }"
              @click="selected = index"
            >
              <td>
                <button class="name" @click="selected = index">{{ item.title }}</button>
                <div class="soft small">{{ count(item.steps, 'request') }}</div>
              </td>
              <td class="soft">{{ everyWords(item) }}</td>
              <td>
                <p v-for="runs in results(item)" :key="runs[0]!.placement" class="result">
                  {{ runs[0]!.version }} in {{ runs[0]!.stage }}
                  <span
                    v-for="run in runs"
                    :key="run.gateway"
                    :class="run.passed ? 'elm-text' : 'copper-text'"
                    :title="`${run.says}, ${ago(run.at)}`"
                    >{{ run.passed ? '✓' : '✕' }} {{ run.gateway }}</span
                  >
                </p>
                <p v-if="item.problems.length" class="copper-text small">
                  It does not fit the newest revision: {{ item.problems[0]!.message }}
                </p>
                <span v-else-if="!item.last.length" class="soft">never sent</span>
              </td>
            </tr>
          </tbody>
        </table>
      </template>
    </template>
    <template #margin>
      <template v-if="current && !draft">
        <h2>{{ current.title }}</h2>
        <p class="soft small">
          Set by {{ current.setBy }}, {{ moment(current.setAt) }}; {{ everyWords(current) }}.
        </p>
        <div v-if="maySend && placements.length" class="bar">
          <Choice
            v-model="target"
            :options="
              placements.map(({ id, version, stage }) => ({
                value: id,
                label: `${version} in ${stage}`,
              }))
            "
            aria-label="Where it is sent"
          />
          <button class="fill" :disabled="acting.busy.value" @click="send()">
            {{ acting.busy.value ? 'Sending …' : 'Send now' }}
          </button>
        </div>
        <p v-if="lacksKey && mayWrite" class="small">
          {{ lacksKey.stage }} asks for a key, and probes have none there.
          <button class="plain" :disabled="acting.busy.value" @click="giveKey()">
            Give them one
          </button>
        </p>
        <Trouble :refusal="acting.refusal.value" />
        <template v-for="runs in results(current)" :key="runs[0]!.placement">
          <h3>
            {{ runs[0]!.version }} in {{ runs[0]!.stage }} <small>{{ ago(runs[0]!.at) }}</small>
          </h3>
          <details v-for="run in runs" :key="run.run" :open="!run.passed">
            <summary :class="run.passed ? 'elm-text' : 'copper-text'">
              {{ run.passed ? '✓' : '✕' }} {{ run.gateway }}: {{ run.says }}
            </summary>
            <div v-for="step in run.steps" :key="step.step" class="gate">
              <i :class="step.passed ? 'passed' : 'failed'">{{ step.passed ? '✓' : '✕' }}</i>
              <span
                ><code>{{ step.operation }}</code
                ><small>{{ step.trouble || `answered ${step.status} in ${step.ms} ms` }}</small
                ><small v-for="check in step.checks" :key="check.says"
                  >{{ check.passed ? '✓' : '✕' }} {{ check.says }}</small
                ><small v-for="line in step.contract" :key="line" class="copper-text"
                  >✕ {{ line }}</small
                ></span
              >
            </div>
          </details>
        </template>
        <div v-if="mayWrite" class="bar">
          <button class="ghost" @click="edit(current)">Change</button>
          <button class="plain" @click="removing = true">Remove</button>
        </div>
        <Dialog
          v-model:visible="removing"
          modal
          header="Remove the probe"
          :style="{ width: '420px' }"
        >
          <p>
            {{ current.title }} and its results are taken away. Gates that ask for probes look at
            the others.
          </p>
          <template #footer
            ><button class="ghost" @click="removing = false">Cancel</button
            ><button class="fill" @click="remove()">Remove</button></template
          >
        </Dialog>
      </template>
      <p v-else-if="draft" class="soft">
        Steps name an operation by operationId or operationPath. Each answer is held against the
        definition besides what successCriteria ask: conditions such as
        <code>$statusCode == 200</code> and <code>$response.body#/items/0/id != null</code>, joined
        by <code>&amp;&amp;</code> and <code>||</code>, or patterns of <code>type: regex</code>.
        Outputs of a step are <code>$steps.first.outputs.id</code> in later ones; the key is sent by
        itself.
      </p>
    </template>
  </Leaf>
</template>

<style scoped>
.fields {
  display: flex;
  flex-wrap: wrap;
  gap: 14px;
  align-items: flex-end;
}
fieldset {
  border: 0;
  padding: 0;
  margin: 0 0 10px;
  display: flex;
  gap: 12px;
}
legend {
  font-size: 12px;
  color: var(--soft);
}
summary {
  min-height: 24px;
}
.result {
  margin: 0;
}
.result span {
  margin-left: 8px;
  white-space: nowrap;
}
form :deep(textarea) {
  width: 100%;
}
</style>
