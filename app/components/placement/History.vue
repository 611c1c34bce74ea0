<script setup lang="ts">
import { valueChanges } from '~~/core/ledger/differences'
import type { LedgerEntry } from '~~/shared/api/ledger'
import type { PlacementDetail, SpecBody } from '~~/shared/api/placements'
import { placementEtag } from '~~/shared/etags'
import { useSession } from '~/stores/session'

/** Every approved state of a placement, what each changed, and the way back to one. */
const props = defineProps<{ placement: PlacementDetail; reviewed: boolean }>()
const emit = defineEmits<{ bringBack: [SpecBody] }>()
const { data: page, refusal } = useLoad(
  () => api.listLedgerEntries({ search: props.placement.id, limit: 500 }),
  ['placement', 'drift'],
)

/** A state that was approved: the entry says all of it. */
interface State {
  entry: LedgerEntry
  spec: SpecBody
  changes: ReturnType<typeof valueChanges>
}
const specOf = (value: unknown): SpecBody | undefined => {
  const { spec } = asValues(value)
  return typeof asValues(spec)['policies'] === 'object' ? (spec as SpecBody) : undefined
}
const states = computed(() =>
  (page.value?.items ?? []).flatMap((entry): State[] => {
    const spec = entry.subject === props.placement.id ? specOf(entry.after) : undefined
    if (!spec || !/^(?:placement|drift)\./.test(entry.action)) return []
    return [{ entry, spec, changes: valueChanges(asValues(entry.before)['spec'], spec) }]
  }),
)
const chosen = ref<number>()
const current = computed(
  () => states.value.find(({ entry }) => entry.number === chosen.value) ?? states.value[0],
)
const session = useSession()
const mayRollBack = computed(() =>
  ['governance', 'operator'].includes(session.person?.role ?? 'reader'),
)
function changeText({ entry, changes }: State): string {
  const before = asValues(entry.before)
  if (!before['spec']) return 'placed'
  const now = String(asValues(entry.after)['version'])
  const version = before['version'] === now ? [] : [`${String(before['version'])} to ${now}`]
  const values = changes.length > 0 || version.length === 0 ? [count(changes.length, 'value')] : []
  return [...version, ...values].join(', ')
}
const returning = shallowRef<State>()
const reason = ref('')
const { busy, refusal: refused, act } = useAct()
const versionOf = ({ entry }: State) => String(asValues(entry.after)['version'] ?? '')
async function rollBack() {
  const { entry } = returning.value!
  returning.value = undefined
  const done = await act(() =>
    api.restorePlacement(
      { placement: props.placement.id },
      { entry: entry.number, reason: reason.value },
      { ifMatch: placementEtag(props.placement) },
    ),
  )
  if (isUnderWay(done)) await navigateTo(`/rollouts/${done.id}`)
  else if (done) reason.value = ''
}
const isNow = (state: State) =>
  versionOf(state) === props.placement.version &&
  JSON.stringify(state.spec) === JSON.stringify(props.placement.spec)
const shown = (value: unknown) =>
  value === undefined ? 'nothing' : typeof value === 'string' ? value : JSON.stringify(value)
</script>

<template>
  <div>
    <Trouble :refusal="refusal" />
    <p v-if="page && !states.length" class="soft">No state of it stands in the ledger yet.</p>
    <table v-else class="ruled">
      <thead>
        <tr>
          <th class="right">Entry</th>
          <th>When</th>
          <th>By</th>
          <th>Act</th>
          <th>What changed</th>
          <th />
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="state in states"
          :key="state.entry.number"
          :class="{ on: state === current }"
          @click="chosen = state.entry.number"
        >
          <td class="right mono">
            <NuxtLink
              class="plain"
              :to="{ path: '/ledger', query: { entry: state.entry.number } }"
              >{{ state.entry.number }}</NuxtLink
            >
          </td>
          <td class="nowrap">{{ moment(state.entry.at) }}</td>
          <td>{{ state.entry.actor }}</td>
          <td class="mono small">{{ state.entry.action }}</td>
          <td>
            <button class="plain" @click="chosen = state.entry.number">
              {{ changeText(state) }}
            </button>
          </td>
          <td class="right">
            <span v-if="isNow(state)" class="soft small">as it stands</span>
            <template v-else>
              <button v-if="mayRollBack" class="ghost" @click="returning = state">
                Roll back to it
              </button>
              <button class="plain" @click="emit('bringBack', state.spec)">
                Write it into the form
              </button>
            </template>
          </td>
        </tr>
      </tbody>
    </table>
    <template v-if="current && asValues(current.entry.before)['spec']">
      <h3>What entry {{ current.entry.number }} changed</h3>
      <table class="ruled">
        <thead>
          <tr>
            <th>Value</th>
            <th>Before</th>
            <th>After</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="change in current.changes.slice(0, 100)" :key="change.path">
            <td class="mono small">{{ change.path }}</td>
            <td class="mono small value">{{ shown(change.before) }}</td>
            <td class="mono small value">{{ shown(change.after) }}</td>
          </tr>
        </tbody>
      </table>
    </template>
    <p v-if="states.length" class="soft small">
      Written into the form, an earlier state
      {{ reviewed ? 'is asked for like any change' : 'is applied like any change' }}. To roll back
      is one act: version and all as it was approved then.
    </p>
    <Trouble :refusal="refused" />
    <Dialog
      :visible="returning !== undefined"
      modal
      header="Roll back"
      :style="{ width: '480px' }"
      @update:visible="returning = undefined"
    >
      <p v-if="returning">
        {{ placement.id }} runs again as entry {{ returning.entry.number }} says, of
        {{ moment(returning.entry.at) }}: version <b>{{ versionOf(returning) }}</b>{{
          versionOf(returning) === placement.version ? '' : `, in place of ${placement.version}`
        }}. Callers notice at once.
      </p>
      <label class="field"><span>Why</span><Textarea v-model="reason" rows="2" /></label>
      <template #footer>
        <button class="ghost" @click="returning = undefined">Cancel</button>
        <button class="fill" :disabled="busy || reason.trim().length < 3" @click="rollBack()">
          Roll back
        </button>
      </template>
    </Dialog>
  </div>
</template>

<style scoped>
.value {
  overflow-wrap: anywhere;
}
h3 {
  margin-top: 18px;
}
</style>
