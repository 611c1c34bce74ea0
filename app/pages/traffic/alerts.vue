<script setup lang="ts">
import { alertKind, alertKinds, type AlertKind } from '~~/core/traffic/alerts'
import type { AlertChange, AlertItem } from '~~/shared/api/alerts'
import { useSession } from '~/stores/session'

const session = useSession()
const { data, refusal, reload } = useLoad(() => api.listAlerts(), ['alert'])
const items = computed(() => data.value?.items ?? [])
const wrong = computed(() => items.value.filter(({ beganAt }) => beganAt))
const { filters, toggle } = useFilters(['state'] as const)
const shown = computed(() => (filters.value.state === 'wrong' ? wrong.value : items.value))
const { selected, current } = useRows(() => shown.value, {
  open: (row) => edit(row),
  naming: { key: (row) => String(row.alert) },
})
const { data: register } = useLoad(() => api.listApis(), ['api'])
const { data: gateways } = useLoad(() => api.listGateways(), ['gateway'])
const may = computed(() =>
  ['governance', 'operator', 'owner'].includes(session.person?.role ?? 'reader'),
)

type Draft = Omit<AlertChange, 'mails' | 'quiet'> & {
  mails: string
  isQuiet: boolean
  from: string
  to: string
}
const draft = ref<Draft>()
const editing = ref<number>()
const { busy, refusal: refused, act } = useAct()
const zone = Intl.DateTimeFormat().resolvedOptions().timeZone

function begin(kind: AlertKind = 'errors') {
  editing.value = undefined
  const { usual, title } = alertKind[kind]
  draft.value = {
    ...{ title, kind, threshold: usual, minutes: 15, mails: '', webhook: '' },
    ...{ api: '', stage: '', gateway: '', until: '' },
    ...{ isQuiet: false, from: '22:00', to: '06:00' },
  }
}
function edit(item: AlertItem) {
  if (!may.value) return
  editing.value = item.alert
  const { title, kind, threshold, minutes, mails, webhook, quiet } = item
  draft.value = {
    ...{ title, kind, threshold, minutes, webhook, mails: mails.join('\n') },
    ...{ api: item.api ?? '', stage: item.stage ?? '', gateway: item.gateway ?? '' },
    until: item.until ?? '',
    ...{ isQuiet: quiet !== undefined, from: quiet?.from ?? '22:00', to: quiet?.to ?? '06:00' },
  }
}
/** Another kind has another threshold; a title that nobody has written follows it. */
function choose(kind: AlertKind) {
  const before = draft.value!
  const title = before.title === alertKind[before.kind].title ? alertKind[kind].title : before.title
  draft.value = { ...before, kind, title, threshold: alertKind[kind].usual }
}
const secret = ref('')
async function save() {
  const { mails, isQuiet, from, to, ...rest } = draft.value!
  const said = Object.entries(rest).filter(([, value]) => value !== '')
  const body = {
    ...Object.fromEntries(said),
    webhook: rest.webhook.trim(),
    threshold: Number(rest.threshold),
    minutes: Number(rest.minutes),
    mails: linesOf(mails),
    ...(isQuiet && { quiet: { from, to, timeZone: zone } }),
  } as AlertChange
  const done = await act(() =>
    editing.value === undefined
      ? api.createAlert({}, body)
      : api.updateAlert({ alert: editing.value }, body),
  )
  if (!done) return
  secret.value = 'secret' in done ? String(done.secret) : ''
  draft.value = undefined
  await reload()
}
const said = ref('')
async function test(item: AlertItem) {
  said.value = ''
  const done = await act(() => api.testAlert({ alert: item.alert }))
  if (done) said.value = 'A test is on its way; what becomes of it stands below.'
  await reload()
}
async function remove(item: AlertItem) {
  await act(() => api.removeAlert({ alert: item.alert }))
  await reload()
}
const about = ({ api: slug, stage, gateway }: AlertItem) =>
  [register.value?.items.find((row) => row.api === slug)?.title ?? slug, stage, gateway]
    .filter(Boolean)
    .join(', ') || 'everything'
const whom = ({ mails, webhook }: AlertItem) =>
  [...mails, webhook && 'a webhook'].filter(Boolean).join(', ')
const kinds = alertKinds.map((value) => ({ value, label: alertKind[value].title }))
const choices = (values: readonly string[], any: string) => [
  { value: '', label: any },
  ...values.map((value) => ({ value, label: value })),
]
</script>

<template>
  <Leaf>
    <h1>Traffic</h1>
    <p v-if="data" class="sentence">
      {{ count(items.length, 'alert')
      }}<template v-if="items.length"
        >,
        <button
          class="copper"
          :aria-pressed="filters.state === 'wrong'"
          @click="toggle('state', 'wrong')"
        >
          {{ wrong.length }} of them {{ wrong.length === 1 ? 'tells' : 'tell' }} of something now
        </button></template
      >. Whoever an alert is for is told when something begins, and when it is over.
    </p>
    <Leaves :leaves="trafficLeaves" />
    <Trouble :refusal="refusal ?? (draft ? undefined : refused)" />
    <p v-if="secret" class="good" role="status">
      What the webhook is signed with, shown this once: <code>{{ secret }}</code>
    </p>
    <div v-if="may" class="bar">
      <button class="fill end" @click="begin()">Add an alert</button>
    </div>
    <div v-if="data && !shown.length" class="empty">
      <p>
        {{
          items.length
            ? 'Nothing is wrong by any of the alerts.'
            : 'Nobody is told of anything yet. An alert watches errors, latency, silence, limits, calls before a sunset, or drift.'
        }}
      </p>
    </div>
    <table v-else-if="data" class="ruled">
      <thead>
        <tr>
          <th>Alert</th>
          <th>About</th>
          <th>From</th>
          <th>Tells</th>
          <th>State</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="(item, index) in shown"
          :key="item.alert"
          :class="{ on: index === selected }"
          @click="selected = index"
        >
          <td>
            <button class="name" @click="selected = index">{{ item.title }}</button>
            <div class="soft small">{{ alertKind[item.kind].title }}</div>
          </td>
          <td class="small">{{ about(item) }}</td>
          <td class="small">{{ figure(item.threshold) }} {{ alertKind[item.kind].unit }}</td>
          <td class="small who">{{ whom(item) }}</td>
          <td class="small" :class="item.beganAt ? 'copper-text' : 'soft'">
            <template v-if="item.beganAt"
              >{{ item.says }}, since {{ moment(item.beganAt) }}</template
            >
            <template v-else-if="item.checkedAt"
              >nothing; looked {{ ago(item.checkedAt) }}</template
            >
            <template v-else>not looked yet</template>
          </td>
        </tr>
      </tbody>
    </table>
    <template #margin>
      <template v-if="current">
        <h2>{{ current.title }}</h2>
        <p class="soft">
          {{ alertKind[current.kind].title }}, about {{ about(current)
          }}<template v-if="current.kind !== 'sunset'"
            >, over {{ count(current.minutes, 'minute') }}</template
          >; set by {{ current.setBy }}
        </p>
        <p v-if="current.beganAt" class="copper-text">{{ current.says }}.</p>
        <p v-if="current.quiet" class="soft">
          Quiet from {{ current.quiet.from }} to {{ current.quiet.to }} ({{
            current.quiet.timeZone
          }}): what comes up then is told afterwards.
        </p>
        <p v-if="current.until" class="soft">Watches until {{ current.until }}.</p>
        <div v-if="may" class="bar">
          <button class="ghost" :disabled="busy" @click="test(current)">Send a test</button>
          <button class="ghost" @click="edit(current)">Change</button>
          <button class="ghost" :disabled="busy" @click="remove(current)">Remove</button>
        </div>
        <p v-if="said" class="good" role="status">{{ said }}</p>
        <h3>What was told <small>last ten</small></h3>
        <p v-if="!current.notices.length" class="soft">Nothing yet.</p>
        <div v-for="(notice, index) in current.notices" :key="index" class="notice">
          <b>{{ notice.event }}</b> <span class="soft">{{ moment(notice.at) }}</span>
          <div>{{ notice.says }}</div>
          <div class="small" :class="notice.trouble ? 'copper-text' : 'soft'">
            {{ notice.recipient }}:
            {{
              notice.sentAt
                ? `delivered ${moment(notice.sentAt)}`
                : notice.failed
                  ? `given up. ${notice.trouble}`
                  : notice.trouble
                    ? `tried again. ${notice.trouble}`
                    : 'on its way'
            }}
          </div>
        </div>
      </template>
      <template v-else>
        <h2>Alerts</h2>
        <p>
          What is counted is looked at every fifteen seconds. A mail or a signed POST tells when
          something begins and when it is over, outside of quiet hours.
        </p>
      </template>
    </template>
    <Dialog
      :visible="draft !== undefined"
      modal
      :header="editing === undefined ? 'Add an alert' : 'Change the alert'"
      :style="{ width: '560px' }"
      @update:visible="draft = undefined"
    >
      <template v-if="draft">
        <label class="field"
          ><span>What it watches for</span>
          <Choice
            :model-value="draft.kind"
            :options="kinds"
            @update:model-value="$event && choose($event)"
        /></label>
        <label class="field"><span>Title</span><InputText v-model="draft.title" /></label>
        <div class="row">
          <label class="field"
            ><span>From ({{ alertKind[draft.kind].unit }})</span
            ><input
              v-model.number="draft.threshold"
              type="number"
              :min="alertKind[draft.kind].least"
              :max="alertKind[draft.kind].most"
          /></label>
          <label class="field"
            ><span>Over so many minutes</span
            ><input v-model.number="draft.minutes" type="number" min="1" max="1440"
          /></label>
        </div>
        <div class="row">
          <label class="field"
            ><span>API</span>
            <Choice
              v-model="draft.api"
              :options="[{ value: '', label: 'any' }, ...choicesOfApis(register?.items)]"
          /></label>
          <label class="field"
            ><span>Stage</span>
            <Choice v-model="draft.stage" :options="choices(session.shell?.stages ?? [], 'any')"
          /></label>
          <label class="field"
            ><span>Gateway</span>
            <Choice
              v-model="draft.gateway"
              :options="
                choices(
                  (gateways?.items ?? []).map(({ name }) => name),
                  'any',
                )
              "
          /></label>
        </div>
        <label class="field"
          ><span>Mail addresses, one in each line</span><Textarea v-model="draft.mails" rows="2"
        /></label>
        <label class="field"
          ><span>Webhook</span
          ><InputText
            v-model="draft.webhook"
            placeholder="https://hooks.brackenmere.example/ledger"
        /></label>
        <div class="row">
          <label class="tick"
            ><input v-model="draft.isQuiet" type="checkbox" /> Quiet hours ({{ zone }})</label
          >
          <template v-if="draft.isQuiet">
            <label class="field"><span>From</span><input v-model="draft.from" type="time" /></label>
            <label class="field"><span>To</span><input v-model="draft.to" type="time" /></label>
          </template>
          <label class="field"
            ><span>Last day, if it has one</span><input v-model="draft.until" type="date"
          /></label>
        </div>
        <Trouble :refusal="refused" />
      </template>
      <template #footer>
        <button class="ghost" @click="draft = undefined">Cancel</button>
        <button class="fill" :disabled="busy" @click="save()">Save</button>
      </template>
    </Dialog>
  </Leaf>
</template>

<style scoped>
.who {
  overflow-wrap: anywhere;
}
.row {
  display: flex;
  gap: 12px;
  flex-wrap: wrap;
  align-items: end;
}
.row .field {
  flex: 1 1 120px;
}
.tick {
  padding-bottom: 10px;
}
.notice {
  padding: 6px 0;
  border-bottom: 1px dotted var(--rule);
  overflow-wrap: anywhere;
}
</style>
