<script setup lang="ts">
import { rowName } from '~~/core/runtime/placement'
import type { RevisionDetail } from '~~/shared/api/catalog'
import type { PlacementDraft, SpecBody } from '~~/shared/api/placements'

const slug = String(useRoute().params['api'])
const { data: detail } = useLoad(() => api.getApi({ api: slug }), ['revision'])
const { data: groups } = useLoad(() => api.listGatewayGroups(), ['gateway'])
const draft = shallowRef<PlacementDraft>()
const revision = shallowRef<RevisionDetail>()
const spec = ref<SpecBody>()
const version = ref('')
const group = ref('')
const drafting = useAct()
const { busy, refusal, act } = useAct()

async function propose() {
  await drafting.act(async () => {
    const made = await api.getPlacementDraft({
      api: slug,
      version: version.value,
      group: group.value,
    })
    revision.value = await api.getRevision({ api: slug, revision: made.revision })
    draft.value = made
    version.value = made.version
    group.value = made.group
    spec.value = made.spec
  })
}
void propose()
const versions = computed(() =>
  [...new Set([detail.value?.latest.version ?? '', ...(detail.value?.versions ?? [])])].filter(
    Boolean,
  ),
)
const undecided = computed(
  () => spec.value?.routes.filter(({ treatment }) => treatment.kind === 'undecided').length ?? 0,
)
const members = computed(
  () => groups.value?.items.find(({ name }) => name === group.value)?.members.join(', ') ?? '',
)
const outer = computed(() => draft.value?.outer ?? [])
const soap = computed(
  () =>
    new Set(revision.value?.operations.flatMap((one) => (one.soap ? [rowName(one)] : [])) ?? []),
)
const way = useWay(spec, outer, soap)
const view = ref('routes')
const views = [
  { value: 'routes', label: 'Address, backends and routes' },
  { value: 'way', label: 'The way' },
]
const isProtected = computed(() =>
  way.items.value.some(
    ({ policy, text }) => policy === 'authentication' && text !== 'no credential',
  ),
)
/** What stops it, apart from operations that are undecided, which have a line of their own. */
const troubles = computed(() =>
  way.complaints.value.filter(({ message }) => !message.includes('undecided')),
)
const must = computed(() => revision.value?.findings.must ?? 0)

async function place() {
  const placed = await act(() =>
    api.createPlacement(
      {},
      {
        api: slug,
        version: version.value,
        group: group.value,
        spec: spec.value!,
      },
    ),
  )
  if (isUnderWay(placed)) await navigateTo(`/rollouts/${placed.id}`)
  else if (placed)
    await navigateTo({ path: `/apis/${slug}/placements`, query: { placed: placed.id } })
}
</script>

<template>
  <Leaf>
    <div class="crumb">
      <NuxtLink to="/">Register</NuxtLink> /
      <NuxtLink :to="`/apis/${slug}`">{{ detail?.title }}</NuxtLink> / Place
    </div>
    <h1>Place {{ version }} in {{ draft?.stage }}</h1>
    <p class="sentence">
      Later stages are reached by promotion. What is filled in comes from the definition, the stage
      and what stands there already.
    </p>
    <Trouble :refusal="drafting.refusal.value" />
    <template v-if="spec && draft && revision">
      <div class="bar">
        <FilterChip
          label="Version"
          any="newest"
          :model-value="version"
          :options="versions.map((value) => ({ value, label: value }))"
          @update:model-value="((version = $event), propose())"
        />
        <FilterChip
          label="Gateway group"
          any="proposed"
          :model-value="group"
          :options="
            (groups?.items ?? []).map(({ name, members }) => ({
              value: name,
              label: `${name}: ${members.join(', ')}`,
            }))
          "
          @update:model-value="((group = $event), propose())"
        />
      </div>
      <PlacementTabs v-model="view" :views="views" />
      <WayView v-if="view === 'way'" :way="way" :spec="spec" editable />
      <PlacementForm
        v-else
        v-model="spec"
        :operations="revision.operations"
        :faults="refusal?.faults.map(({ field }) => field.replace(/^spec\./, '')) ?? []"
      />
    </template>
    <template #margin>
      <WayPolicyForm
        v-if="view === 'way' && way.policy.value"
        :key="`${way.policy.value} ${way.operation.value}`"
        v-model="way.current.value"
        :policy="way.policy.value"
        :now="way.now.value"
        :here="way.operation.value || 'this placement'"
        editable
      />
      <h2>Before it is applied</h2>
      <div class="gate">
        <i :class="undecided ? 'failed' : 'passed'">{{ undecided ? '✕' : '✓' }}</i><span
          >Every operation is decided about<small v-if="undecided"
            >{{ count(undecided, 'operation is', 'operations are') }} undecided: route, mock or
            withhold each</small
          ></span
        >
      </div>
      <div class="gate">
        <i :class="must ? 'waiting' : 'passed'">{{ must ? '…' : '✓' }}</i><span
          >No finding at MUST<small v-if="must"
            >{{ must }} now. It may be placed in {{ draft?.stage }}, but not promoted</small
          ></span
        >
      </div>
      <div class="gate">
        <i :class="isProtected ? 'passed' : 'waiting'">{{ isProtected ? '✓' : '…' }}</i><span
          >A credential is asked for<small v-if="!isProtected"
            >Without one it stands open; the reason goes into the ledger</small
          ></span
        >
      </div>
      <PlacementFindings
        v-if="spec && draft"
        :slug="slug"
        :title="detail?.title ?? slug"
        :version="version"
        :stage="draft.stage"
        :group="group"
        :spec="spec"
      />
      <div v-for="{ field, message } in troubles.slice(0, 5)" :key="field + message" class="gate">
        <i class="failed">✕</i><span>{{ message }}</span>
      </div>
      <p class="soft">
        Placing writes the configuration of every gateway of {{ group }} ({{ members }}), reads it
        again, and confirms. When one refuses, the others are put back.
      </p>
      <Trouble :refusal="refusal" />
      <button class="fill" :disabled="busy || !spec || undecided > 0" @click="place()">
        {{ busy ? 'Applying …' : `Place on ${group}` }}
      </button>
      <p v-if="undecided" class="soft small">
        {{ undecided }} undecided {{ undecided === 1 ? 'operation stops' : 'operations stop' }} the
        placement.
      </p>
    </template>
  </Leaf>
</template>
