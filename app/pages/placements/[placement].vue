<script setup lang="ts">
import { placementEtag } from '~~/shared/etags'
import { rowName } from '~~/core/runtime/placement'
import type { WayItem } from '~~/core/runtime/way'
import type { RevisionDetail } from '~~/shared/api/catalog'
import type { PlacementDetail, SpecBody } from '~~/shared/api/placements'

const id = String(useRoute().params['placement'])
const { filters, set } = useFilters(['view', 'on', 'policy'] as const)
const view = computed({
  get: () => filters.value.view || 'way',
  set: (value) => void set({ view: value === 'way' ? '' : value }),
})
const on = computed({
  get: () => filters.value.on,
  set: (value) => void set({ on: value }),
})
const placement = shallowRef<PlacementDetail>()
const revision = shallowRef<RevisionDetail>()
const spec = ref<SpecBody>()
const loading = useAct()
const { busy, refusal, act } = useAct()

async function load() {
  await loading.act(async () => {
    placement.value = await api.getPlacement({ placement: id })
    revision.value = await api.getRevision({
      api: placement.value.api,
      revision: placement.value.revision,
    })
    spec.value = structuredClone(placement.value.spec)
  })
}
void load()
const changed = computed(() => JSON.stringify(spec.value) !== JSON.stringify(placement.value?.spec))
/** What gateways run changes while somebody looks; what they write stays. */
useChanges(async () => {
  const now = await api.getPlacement({ placement: id }).catch(() => undefined)
  if (!now || !placement.value) return
  if (now.generation === placement.value.generation) placement.value = now
  else if (!changed.value) await load()
}, ['placement', 'drift', 'gateway', 'policy', 'rollout'])

const outer = computed(() => placement.value?.outer ?? [])
const soap = computed(() => new Set(placement.value?.soap.map(rowName)))
const way = useWay(spec, outer, soap)
const { items, selected, policy, now, current, operation, complaints } = way
selected.value = filters.value.policy || undefined
const session = useSession()
const editable = computed(() =>
  ['governance', 'operator', 'owner'].includes(session.person?.role ?? ''),
)
const here = computed(() => operation.value || 'this placement')

const sites = computed(() => [
  ...new Set(placement.value?.differences.flatMap(({ on: site }) => (site ? [site] : [])) ?? []),
])
const differences = computed(() =>
  (placement.value?.differences ?? []).filter(
    (difference) => !on.value || difference.on === on.value,
  ),
)
const differing = computed(() => differingOf(differences.value, items.value))
const about = computed(() =>
  differences.value.filter((difference) => itemOf(difference, items.value) === selected.value),
)
const outside = computed(() =>
  items.value.filter(({ from }) => from && !['placement', 'operation'].includes(from.kind)),
)
const bound = computed(() => items.value.filter(({ boundBy }) => boundBy))
const numbered = computed(() => new Set(items.value.map(({ step }) => step)).size)
const views = computed(() => [
  { value: 'way', label: 'The way' },
  { value: 'routes', label: 'Address, backends and routes' },
  { value: 'callers', label: 'Callers and end' },
  { value: 'history', label: 'History' },
])
const first = (list: readonly WayItem[]) => {
  if (list[0]) selected.value = wayKey(list[0])
}

/** Beyond the first stage nothing changes without review. */
const reviewed = computed(() => placement.value?.stage !== session.shell?.stages[0])
const note = ref('')
const ifMatch = computed(() => placement.value && placementEtag(placement.value))
async function apply() {
  const { api: slug } = placement.value!
  if (reviewed.value) {
    const body = { kind: 'change' as const, spec: spec.value, note: note.value }
    const asked = await act(() =>
      api.requestChange({ placement: id }, body, { ifMatch: ifMatch.value }),
    )
    if (asked) await navigateTo(`/promotions/${asked.id}`)
    return
  }
  const done = await act(() =>
    api.updatePlacement({ placement: id }, spec.value!, { ifMatch: ifMatch.value }),
  )
  if (isUnderWay(done)) await navigateTo(`/rollouts/${done.id}`)
  else if (done) await navigateTo({ path: `/apis/${slug}/placements`, query: { placed: id } })
}
const undo = () => {
  spec.value = structuredClone(placement.value?.spec)
}
/** An earlier state is written again, to be looked at and applied as any change. */
function bringBack(earlier: SpecBody) {
  spec.value = structuredClone(toRaw(earlier))
  view.value = 'way'
}
</script>

<template>
  <Leaf>
    <Trouble :refusal="loading.refusal.value" />
    <template v-if="placement && spec && revision">
      <div class="crumb">
        <NuxtLink to="/">Register</NuxtLink> / {{ placement.team }} /
        <NuxtLink :to="`/apis/${placement.api}/placements`">{{ placement.title }}</NuxtLink>
      </div>
      <h1>
        {{ placement.version }} in {{ placement.stage }}
        <span class="tag">{{ placement.group }}</span>
        <button v-if="placement.ending" class="tag" @click="view = 'callers'">
          {{ placement.ending.as }}, until {{ placement.ending.until }}
        </button>
      </h1>
      <p class="sentence">
        A request takes {{ spelled(numbered).toLowerCase() }} steps<template v-if="outside.length"
          >;
          <button type="button" @click="first(outside)">
            {{ outside.length === 1 ? '1 policy comes' : `${outside.length} policies come` }} from
            outside this placement</button
          ><template v-if="bound.length"
            >,
            <button type="button" @click="first(bound)">
              {{
                bound.length === outside.length
                  ? bound.length === 1
                    ? 'which is binding'
                    : 'all of them binding'
                  : `${bound.length} of them binding`
              }}
            </button></template
          ></template
        ><template v-if="placement.differences.length"
          >,
          <button
            type="button"
            class="copper"
            @click="first(items.filter((item) => differing.has(wayKey(item))))"
          >
            {{ count(placement.differences.length, 'thing runs', 'things run') }} differently
          </button>
          {{ sites.length ? `on ${sites.join(' and ')}` : 'from what it is meant to' }}</template
        ><template v-else>, and {{ markWords(placement.mark) }}</template
        >.
      </p>
      <PlacementTabs v-model="view" :views="views" />
      <template v-if="view === 'way'">
        <WayView
          :way="way"
          :spec="spec"
          :differing="differing"
          :seen="placement.mark !== 'unseen'"
          :editable="editable"
        >
          <FilterChip
            v-if="sites.length"
            v-model="on"
            label="Compared with"
            any="every gateway"
            :options="sites.map((value) => ({ value, label: value }))"
          />
        </WayView>
      </template>
      <PlacementForm
        v-else-if="view === 'routes'"
        v-model="spec"
        :operations="revision.operations"
        :faults="refusal?.faults.map(({ field }) => field.replace(/^spec\./, '')) ?? []"
      />
      <PlacementEnding v-else-if="view === 'callers'" :placement="placement" :reviewed="reviewed" />
      <PlacementHistory
        v-else
        :placement="placement"
        :reviewed="reviewed"
        @bring-back="bringBack($event)"
      />
    </template>
    <template #margin>
      <template v-if="placement && spec">
        <template v-if="about.length">
          <h2>What differs</h2>
          <DifferenceBox
            v-for="difference in about.slice(0, 5)"
            :key="`${difference.on} ${difference.where} ${difference.what}`"
            :difference="difference"
          />
          <p><NuxtLink class="plain" to="/drift">Put it right under Drift</NuxtLink></p>
        </template>
        <template v-if="policy">
          <WayPolicyForm
            :key="`${policy} ${operation}`"
            v-model="current"
            :policy="policy"
            :now="now"
            :here="here"
            :editable="editable"
          />
          <template v-if="policy === 'authentication' && placement.disagreements.length">
            <h3>Beside the definition</h3>
            <p v-for="text in placement.disagreements" :key="text" class="small">{{ text }}.</p>
          </template>
          <p v-if="now && !['placement', 'operation'].includes(now.from.kind)">
            <NuxtLink class="plain" :to="scopeLink(now.from)">Open where it is said</NuxtLink>
          </p>
        </template>
        <template v-else-if="selected">
          <h2>{{ selected.split(' ')[0] }}</h2>
          <p class="soft">Addresses, backends and routes are written in the table.</p>
          <button class="ghost" @click="view = 'routes'">Open the table</button>
        </template>
        <template v-else>
          <h2>The way</h2>
          <p class="soft">
            Choose a step to see what it does, where it comes from, and to say something else.
          </p>
        </template>
        <h3>Before it is applied</h3>
        <div
          v-for="{ field, message } in complaints.slice(0, 6)"
          :key="field + message"
          class="gate"
        >
          <i class="failed">✕</i><span>{{ message }}</span>
        </div>
        <div v-if="!complaints.length" class="gate">
          <i class="passed">✓</i
          ><span>{{ changed ? 'It can be placed as it is written' : 'Nothing is changed' }}</span>
        </div>
        <PlacementFindings
          :slug="placement.api"
          :title="placement.title"
          :version="placement.version"
          :stage="placement.stage"
          :group="placement.group"
          :spec="spec"
        />
        <label v-if="reviewed && changed" class="field"
          ><span>What reviewers should know</span><Textarea v-model="note" rows="3"
        /></label>
        <Trouble :refusal="refusal" />
        <p v-if="refusal?.status === 412">
          <button class="ghost" @click="load()">Look at what stands now</button>
        </p>
        <div v-if="editable" class="bar">
          <button
            class="fill"
            :disabled="busy || !changed || complaints.length > 0"
            @click="apply()"
          >
            {{ busy ? 'Applying …' : reviewed ? 'Ask for the change' : 'Apply the change' }}
          </button>
          <button v-if="changed" class="ghost" @click="undo()">Undo</button>
        </div>
        <EquivalentCall
          v-if="changed"
          :method="reviewed ? 'POST' : 'PUT'"
          :path="reviewed ? `/placements/${id}/requests` : `/placements/${id}`"
          :body="reviewed ? { kind: 'change', spec, note } : spec"
          :if-match="ifMatch"
        />
      </template>
    </template>
  </Leaf>
</template>

<style scoped>
.tag {
  font: 11px var(--mono);
  color: var(--slate);
  border: 1px solid var(--slate-wash);
  border-radius: 3px;
  padding: 1px 5px;
  vertical-align: 4px;
}
</style>
