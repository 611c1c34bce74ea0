<script setup lang="ts">
import { placementEtag } from '~~/shared/etags'
import type { RevisionDetail } from '~~/shared/api/catalog'
import type { PlacementDetail, SpecBody } from '~~/shared/api/placements'

const id = String(useRoute().params['placement'])
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
const undecided = computed(
  () => spec.value?.routes.filter(({ treatment }) => treatment.kind === 'undecided').length ?? 0,
)
const changed = computed(() => JSON.stringify(spec.value) !== JSON.stringify(placement.value?.spec))
const session = useSession()
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
</script>

<template>
  <Leaf>
    <Trouble :refusal="loading.refusal.value" />
    <template v-if="placement && spec && revision">
      <div class="crumb">
        <NuxtLink to="/">Register</NuxtLink> /
        <NuxtLink :to="`/apis/${placement.api}/placements`">{{ placement.title }}</NuxtLink> /
        {{ placement.stage }}
      </div>
      <h1>Change how {{ placement.version }} is served in {{ placement.stage }}</h1>
      <p class="sentence">
        {{
          reviewed
            ? `${placement.stage} changes by review only: this asks for the change, and somebody else approves it.`
            : `The gateways of ${placement.group} take the change one after the other, or all keep what they run; the ledger keeps both states.`
        }}
      </p>
      <PlacementForm
        v-model="spec"
        :operations="revision.operations"
        :faults="refusal?.faults.map(({ field }) => field.replace(/^spec\./, '')) ?? []"
      />
    </template>
    <template #margin>
      <h2>The change</h2>
      <p class="soft">
        {{ changed ? 'Not applied yet.' : 'Nothing is changed.'
        }}<template v-if="undecided"> {{ undecided }} operations are undecided.</template>
      </p>
      <label v-if="reviewed" class="field"
        ><span>What reviewers should know</span><Textarea v-model="note" rows="3"
      /></label>
      <Trouble :refusal="refusal" />
      <p v-if="refusal?.status === 412">
        <button class="ghost" @click="load()">Look at what stands now</button>
      </p>
      <div class="bar">
        <button class="fill" :disabled="busy || !changed || undecided > 0" @click="apply()">
          {{ busy ? 'Applying …' : reviewed ? 'Ask for the change' : 'Apply the change' }}
        </button>
        <NuxtLink v-if="placement" class="ghost" :to="`/apis/${placement.api}/placements`"
          >Cancel</NuxtLink
        >
      </div>
    </template>
  </Leaf>
</template>
