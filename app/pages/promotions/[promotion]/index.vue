<script setup lang="ts">
import type { RouteLocationRaw } from 'vue-router'
import { isWaivable } from '~~/core/pipeline/gate-waivers'
import type { AnnouncementRequest } from '~~/shared/api/endings'
import type { GateItem } from '~~/shared/api/promotions'
const id = String(useRoute().params['promotion'])
const { data: promotion, refusal, reload } = useLoad(() => api.getPromotion({ promotion: id }))
const { busy, refusal: actRefusal, act } = useAct()
const note = ref('')
const asking = ref(false)
const allOpen = computed(
  () => promotion.value?.gates.every(({ state }) => state === 'passed') ?? false,
)
const awaitsApproval = computed(() =>
  promotion.value?.gates.some(({ id: gate, state }) => gate === 'approval' && state !== 'passed'),
)
const reason = ref('')
const overriding = ref(false)
const session = useSession()
const isPromotion = computed(() => promotion.value?.kind === 'promotion')
async function override() {
  overriding.value = false
  await act(() =>
    api.skipApproval(
      { promotion: id },
      {
        reason: reason.value,
        digest: promotion.value!.digest ?? '',
      },
    ),
  )
  await reload()
}
const acts = {
  promote: api.promoteVersion,
  withdraw: api.withdrawPromotion,
  confirm: api.confirmOverride,
}
const mayWaive = computed(() => ['governance', 'reviewer'].includes(session.person?.role ?? ''))
/** The gate that somebody would waive; empty where nobody does. */
const waiving = ref('')
async function waive() {
  const body = { gate: waiving.value, reason: reason.value, digest: promotion.value?.digest ?? '' }
  waiving.value = ''
  if (await act(() => api.createGateWaiver({ promotion: id }, body))) reason.value = ''
  await reload()
}
async function agree(gate: string) {
  await act(() => api.approveGateWaiver({ promotion: id, gate }))
  await reload()
}
/** Where it is seen what a gate asks, and what opens it. */
function linkOf({ id: gate, state }: GateItem) {
  const { api: slug = '', from = '', version = '', plan = [] } = promotion.value ?? {}
  if (state === 'passed') return undefined
  const before = plan.find(({ replaces }) => replaces !== '')?.replaces
  const links: Record<string, { to: RouteLocationRaw; label: string } | undefined> = {
    findings: { to: { path: '/findings', query: { api: slug } }, label: 'Findings' },
    drift: { to: { path: '/drift', query: { api: slug } }, label: 'Drift' },
    soak: {
      to: { path: '/traffic', query: { api: `${slug}@${version}`, stage: from } },
      label: 'Traffic',
    },
    version: before
      ? {
          to: {
            path: `/apis/${slug}/compare`,
            query: { from: `version ${before}`, to: `version ${version}` },
          },
          label: 'Compare',
        }
      : undefined,
    callers: { to: { hash: '#callers' }, label: 'Callers' },
    outside: { to: '/promotions/pipelines', label: 'Sources' },
    probes: { to: `/apis/${slug}/probes`, label: 'Probes' },
    condition: { to: '/promotions/pipelines', label: 'Pipelines' },
    freeze: { to: '/promotions/pipelines', label: 'Pipelines' },
    window: { to: '/promotions/pipelines', label: 'Pipelines' },
    quota: { to: '/promotions', label: 'Promotions' },
  }
  return links[gate]
}
/** Who calls what it breaks or takes away. */
const callers = useLoad(
  () => api.listPromotionCallers({ promotion: id }),
  ['promotion', 'announcement', 'key', 'comparison'],
)
const announce = async (body: AnnouncementRequest) => {
  await api.sendPromotionAnnouncement({ promotion: id }, body)
  await reload()
}
const suggestion = computed(() => {
  const { title = '', version = '', to = '', plan = [] } = promotion.value ?? {}
  const addresses = plan.filter(({ spec }) => spec).map(({ address }) => address)
  return `${title} ${version} comes to ${to}, at ${addresses.join(' and ')}. What you call changes with it; please look at what is new before then.`
})
async function doIt(what: keyof typeof acts) {
  asking.value = false
  await act(() => acts[what]({ promotion: id }))
  await reload()
}
async function approve() {
  await act(() =>
    api.approvePromotion(
      { promotion: id },
      { note: note.value, digest: promotion.value!.digest ?? '' },
    ),
  )
  await reload()
}
</script>

<template>
  <Leaf>
    <Trouble :refusal="refusal" />
    <template v-if="promotion">
      <div class="crumb">
        <NuxtLink to="/promotions">Promotions</NuxtLink> / {{ promotion.title }}
      </div>
      <h1>{{ requestTitle(promotion) }}</h1>
      <p class="sentence">
        Asked for by {{ promotion.requestedBy }} {{ ago(promotion.requestedAt)
        }}{{ isPromotion ? `, from ${promotion.from}` : `, for ${promotion.placement}` }}.
        {{ promotion.note }}
        <template v-if="promotion.neededBy && promotion.state === 'waiting'"
          >Needed by {{ promotion.neededBy }}, {{ dueWords(promotion.neededBy) }}.</template
        >
      </p>
      <p v-if="promotion.state === 'done'" class="good" role="status">
        {{
          isPromotion
            ? `Done: ${promotion.version} runs in ${promotion.to}.`
            : 'Done: it runs as it was approved.'
        }}
        <NuxtLink class="plain" :to="`/apis/${promotion.api}/placements`"
          >See where it stands</NuxtLink
        >
      </p>
      <p v-else-if="promotion.state === 'withdrawn'" class="good">This request was withdrawn.</p>
      <p v-else-if="promotion.state === 'under-way'" class="good" role="status">
        It is being carried out. <NuxtLink class="plain" to="/rollouts">See how far it is</NuxtLink>
      </p>
      <p v-if="promotion.override" class="trouble">
        {{ promotion.override.name }} went past the approval in an emergency,
        {{ moment(promotion.override.at) }}: {{ promotion.override.reason }}.
        {{
          promotion.unconfirmed
            ? 'Nobody has confirmed that yet.'
            : 'A second person has confirmed it.'
        }}
        <button
          v-if="promotion.unconfirmed"
          class="plain"
          :disabled="busy"
          @click="doIt('confirm')"
        >
          Confirm it
        </button>
      </p>
      <PromotionPlan :promotion="promotion" />
      <template v-if="callers.data.value?.items.length">
        <h3 id="callers">
          Who calls what breaks <small>{{ callers.data.value.items.length }}</small>
        </h3>
        <CallerList
          :callers="callers.data.value.items"
          :suggestion="suggestion"
          :announce="promotion.state === 'waiting' ? announce : undefined"
          @changed="callers.reload()"
        />
      </template>
      <h3>
        Approvals <small>{{ promotion.approvals.length }}</small>
      </h3>
      <p v-for="approval in promotion.approvals" :key="approval.by">
        {{ approval.by }}, {{ moment(approval.at) }}. <span class="soft">{{ approval.note }}</span>
      </p>
      <p v-if="!promotion.approvals.length" class="soft">Nobody has approved yet.</p>
    </template>
    <template #margin>
      <template v-if="promotion?.state === 'waiting'">
        <h2>Gates</h2>
        <Gates v-slot="{ gate }" :gates="promotion.gates">
          <span class="acts">
            <NuxtLink v-if="linkOf(gate)" class="plain" :to="linkOf(gate)!.to">{{
              linkOf(gate)!.label
            }}</NuxtLink>
            <template v-if="mayWaive && isWaivable(gate)">
              <button
                v-if="gate.waiver === 'asked'"
                class="plain"
                :disabled="busy"
                @click="agree(gate.id)"
              >
                Agree to waive it
              </button>
              <button v-else class="plain" @click="waiving = gate.id">Waive it once</button>
            </template>
          </span>
        </Gates>
        <Trouble :refusal="actRefusal" />
        <h3>The act</h3>
        <p v-if="promotion.wentBack" class="copper-text">
          {{ promotion.wentBack }} What is done next is somebody’s decision.
        </p>
        <p v-else-if="promotion.automatic" class="soft">
          Nobody has to do anything: it is carried out as soon as every gate is open.
        </p>
        <p v-if="promotion.release">
          It goes together with others:
          <NuxtLink class="plain" :to="`/promotions/releases/${promotion.release}`"
            >release {{ promotion.release }}</NuxtLink
          >
        </p>
        <div class="bar">
          <button
            v-if="!promotion.release"
            class="fill"
            :disabled="busy || !allOpen"
            @click="asking = true"
          >
            {{ isPromotion ? `Promote to ${promotion.to}` : 'Carry it out' }}
          </button>
          <button class="ghost" :disabled="busy" @click="doIt('withdraw')">Withdraw</button>
        </div>
        <p v-if="!allOpen" class="soft small">A gate is shut; what opens it stands beside it.</p>
        <template v-if="session.person?.role === 'governance' && awaitsApproval">
          <button class="plain" @click="overriding = true">It cannot wait for an approval</button>
        </template>
        <h3>Approve</h3>
        <form @submit.prevent="approve()">
          <Textarea
            v-model="note"
            rows="3"
            placeholder="What you looked at"
            aria-label="What you looked at"
          /><button class="ghost" :disabled="busy">Approve</button>
        </form>
      </template>
      <template v-else-if="promotion"
        ><h2>
          {{
            promotion.state === 'withdrawn'
              ? 'Withdrawn'
              : promotion.state === 'under-way'
                ? 'Under way'
                : 'Done'
          }}
        </h2>
        <Trouble :refusal="actRefusal" />
        <p class="soft">
          The plan, the gates as they stood, who approved and what the gateways confirmed, provably
          as it was:
        </p>
        <NuxtLink class="ghost" :to="`/promotions/${id}/evidence`">Evidence</NuxtLink></template
      >
      <Dialog
        v-model:visible="asking"
        modal
        :header="isPromotion ? `Promote to ${promotion?.to}` : 'Carry it out'"
        :style="{ width: '480px' }"
      >
        <p v-for="plan in promotion?.plan ?? []" :key="plan.group + plan.address">
          <template v-if="plan.becomes"
            >{{ plan.replaces }} at {{ plan.address }} is {{ plan.becomes.as
            }}{{ plan.becomes.until ? ` until ${plan.becomes.until}` : '' }}.</template
          ><template v-else-if="isPromotion"
            >{{ plan.group }} begins to serve {{ promotion?.version }} at {{ plan.address
            }}{{ plan.replaces ? `, in place of ${plan.replaces}` : '' }}.</template
          ><template v-else-if="plan.spec"
            >{{ plan.group }} is changed at {{ plan.address }}.</template
          ><template v-else>{{ plan.group }} stops serving {{ plan.address }}.</template>
          <template v-if="!plan.becomes || plan.becomes.as === 'removed'"
            >Callers notice at once.</template
          >
        </p>
        <template #footer
          ><button class="ghost" @click="asking = false">Cancel</button
          ><button class="fill" :disabled="busy" @click="doIt('promote')">
            {{ isPromotion ? 'Promote' : 'Carry it out' }}
          </button></template
        >
      </Dialog>
      <Dialog
        :visible="waiving !== ''"
        modal
        header="Waive a gate once"
        :style="{ width: '480px' }"
        @update:visible="waiving = ''"
      >
        <p>
          For this request as it stands, and for what shuts the gate now. It opens when a second
          person agrees, who did not ask for this either.
        </p>
        <label class="field"
          ><span>Why it may pass this once</span><Textarea v-model="reason" rows="3"
        /></label>
        <template #footer
          ><button class="ghost" @click="waiving = ''">Cancel</button
          ><button class="fill" :disabled="busy || reason.trim().length < 10" @click="waive()">
            Ask for it
          </button></template
        >
      </Dialog>
      <Dialog
        v-model:visible="overriding"
        modal
        header="Go past the approval"
        :style="{ width: '480px' }"
      >
        <p>
          For emergencies. It shows as one, with your reason, until a second person has confirmed
          it.
        </p>
        <label class="field"
          ><span>Why it cannot wait</span><Textarea v-model="reason" rows="3"
        /></label>
        <template #footer
          ><button class="ghost" @click="overriding = false">Cancel</button
          ><button class="fill" :disabled="busy || reason.trim().length < 10" @click="override()">
            Go past it
          </button></template
        >
      </Dialog>
    </template>
  </Leaf>
</template>

<style scoped>
.acts {
  display: flex;
  gap: 16px;
  font-size: 12px;
}
.acts > * {
  min-height: 24px;
}
form :deep(textarea) {
  width: 100%;
  margin-bottom: 6px;
}
</style>
