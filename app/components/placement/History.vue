<script setup lang="ts">
import { valueChanges } from '~~/core/ledger/differences'
import type { LedgerEntry } from '~~/shared/api/ledger'
import type { PlacementDetail, SpecBody } from '~~/shared/api/placements'

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
const isNow = (state: State) => JSON.stringify(state.spec) === JSON.stringify(props.placement.spec)
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
              {{
                asValues(state.entry.before)['spec']
                  ? count(state.changes.length, 'value')
                  : 'placed'
              }}
            </button>
          </td>
          <td class="right">
            <span v-if="isNow(state)" class="soft small">as it stands</span>
            <button v-else class="ghost" @click="emit('bringBack', state.spec)">
              Go back to it
            </button>
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
      Going back writes an earlier state into the form;
      {{ reviewed ? 'it is asked for like any change' : 'it is applied like any change' }}.
    </p>
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
