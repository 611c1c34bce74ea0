<script setup lang="ts">
import { isRemote } from '~~/core/text/location'
import type { DriftDetail, DriftItem } from '~~/shared/api/drift'
import type { PlacementItem } from '~~/shared/api/placements'

/** One difference: the three accounts of it, its likely cause, who calls it, and the ways out. */
const props = defineProps<{ item: DriftItem; placement: PlacementItem | undefined }>()
const emit = defineEmits<{ resolved: [] }>()

const { act: load, refusal: unread } = useLatest()
const detail = shallowRef<DriftDetail>()
watch(
  () => [props.item.drift, props.item.changedAt, props.item.state] as const,
  ([id], before) => {
    if (before?.[0] !== id) detail.value = undefined
    void load(
      () => api.getDrift({ difference: id }),
      (found) => (detail.value = found),
    )
  },
  { immediate: true },
)
const effects = computed(() =>
  Object.fromEntries((detail.value?.ways ?? []).map(({ way, effect }) => [way, effect])),
)
const traffic = computed(() => ({
  path: '/traffic',
  query: {
    placement: props.item.placement,
    ...(props.item.gateway && { gateway: props.item.gateway }),
    by: 'client',
  },
}))

const accepting = ref(false)
const until = ref(dayFromNow(14))
const reason = ref('')
const { busy, refusal, act } = useAct()
async function accept() {
  const body = { until: until.value, reason: reason.value.trim() }
  const done = await act(() => api.acceptDrift({ difference: props.item.drift }, body))
  if (!done) return
  accepting.value = false
  reason.value = ''
  emit('resolved')
}
const removing = ref(false)
async function takeOff() {
  const done = await act(() => api.takeRouteOff({ difference: props.item.drift }))
  if (!done) return
  removing.value = false
  if (isUnderWay(done)) await navigateTo(`/rollouts/${done.id}`)
  else emit('resolved')
}
async function endAcceptance() {
  const done = await act(async () => {
    await api.endDriftAcceptance({ difference: props.item.drift })
    return true
  })
  if (done) emit('resolved')
}
</script>

<template>
  <h2>
    <NuxtLink
      v-if="item.api"
      :to="item.placement ? `/placements/${item.placement}` : `/apis/${item.api}`"
      >{{ item.title }}</NuxtLink
    >
    <template v-else>A route nobody placed</template>
  </h2>
  <p class="soft">
    <template v-if="item.version">{{ item.version }} in {{ item.stage }} · </template
    >{{ item.gateway || item.group }} · for {{ stood(item) }}
  </p>
  <h3>
    Three accounts of it <small>{{ item.what }}</small>
  </h3>
  <div class="difference">
    <div>{{ item.where }}</div>
    <dl>
      <dt>ledger</dt>
      <dd class="ledger">{{ item.ledger }}</dd>
      <template v-if="item.account === 'source'">
        <dt>source</dt>
        <dd class="gateway">{{ item.runs }}</dd>
      </template>
      <template v-else>
        <dt>running</dt>
        <dd v-if="item.account === 'gateway'" class="gateway">{{ item.runs }}</dd>
        <dd v-else>as approved, as far as it is read</dd>
        <dt>traffic</dt>
        <dd v-if="item.account === 'gateway'">{{ callsOf(item) }}</dd>
        <dd v-else class="gateway">{{ item.runs }}; {{ callsOf(item) }}</dd>
      </template>
    </dl>
  </div>
  <Trouble :refusal="unread" />
  <p v-if="item.halted" class="trouble" role="status">{{ item.halted }}</p>
  <h3>Likely cause</h3>
  <p>{{ item.cause }}</p>
  <ul v-if="detail?.evidence.length" class="evidence">
    <li v-for="(fact, index) in detail.evidence" :key="index">
      <span v-if="fact.at" class="mono soft">{{ moment(fact.at) }}</span>
      <NuxtLink v-if="fact.rollout" :to="`/rollouts/${fact.rollout}`">{{ fact.text }}</NuxtLink>
      <span v-else>{{ fact.text }}</span>
    </li>
  </ul>
  <template v-if="detail?.callers.length">
    <h3>
      Whose calls <small><NuxtLink :to="traffic">24 hours</NuxtLink></small>
    </h3>
    <div v-for="{ client, calls } in detail.callers" :key="client" class="pair">
      <span>{{ client || 'without a name' }}</span><b>{{ figure(calls) }}</b>
    </div>
  </template>
  <template v-if="item.state === 'accepted'">
    <h3>
      Accepted <small>until {{ item.acceptedUntil }}</small>
    </h3>
    <p>
      {{ item.acceptedWhy }} <span class="soft">{{ item.acceptedBy }}</span>
    </p>
    <button class="ghost" :disabled="busy" @click="endAcceptance()">Have it count again</button>
  </template>
  <template v-else-if="detail?.ways.length">
    <h3>Ways out</h3>
    <DriftActs
      v-if="placement && item.account === 'gateway'"
      :placement="placement"
      :effects="effects"
      :unkeepable="effects['keep'] === undefined"
      @resolved="emit('resolved')"
    />
    <div v-if="effects['take-off']" class="way">
      <button class="ghost" @click="removing = true">Take it off the gateway</button>
      <p class="soft">{{ effects['take-off'] }}</p>
    </div>
    <div v-if="effects['revise']" class="way">
      <NuxtLink
        v-if="item.account === 'source' && isRemote(item.where)"
        class="ghost"
        :to="{ path: '/bring-in', query: { address: item.where } }"
        >Bring in what is there</NuxtLink
      >
      <NuxtLink
        v-else-if="item.account === 'source'"
        class="ghost"
        :to="`/promotions/repositories/${item.where.split('@')[0]}`"
        >Open its repository</NuxtLink
      >
      <NuxtLink v-else class="ghost" :to="`/apis/${item.api}/source`">Open the definition</NuxtLink>
      <p class="soft">{{ effects['revise'] }}</p>
    </div>
    <div class="way">
      <button class="ghost" @click="accepting = true">Accept until a day</button>
      <p class="soft">{{ effects['accept'] }}</p>
    </div>
    <p v-if="!item.api && item.account === 'gateway' && item.what === 'route'" class="soft">
      Nobody placed it, so nothing can be put back.
      {{
        effects['take-off']
          ? 'An API that is placed at this address takes its place.'
          : `Place an API at this address, or have whoever runs ${item.gateway} take it off.`
      }}
    </p>
  </template>
  <Trouble :refusal="refusal" />
  <template v-if="detail?.events.length">
    <h3>What became of it</h3>
    <div v-for="event in detail.events" :key="event.entry" class="pair">
      <NuxtLink :to="{ path: '/ledger', query: { entry: event.entry } }">{{
        actionWords(event.action)
      }}</NuxtLink><b>{{ moment(event.at) }}</b>
    </div>
  </template>
  <Dialog
    v-model:visible="removing"
    modal
    header="Take it off the gateway"
    :style="{ width: '520px' }"
  >
    <p>
      {{ item.where }}, {{ item.runs }} on {{ item.gateway }}. {{ effects['take-off'] }} A rollout
      does it, and the ledger tells.
    </p>
    <Trouble :refusal="refusal" />
    <template #footer>
      <button class="ghost" @click="removing = false">Cancel</button>
      <button class="fill" :disabled="busy" @click="takeOff()">Take it off</button>
    </template>
  </Dialog>
  <Dialog v-model:visible="accepting" modal header="Accept until a day" :style="{ width: '520px' }">
    <p>
      {{ item.where }}, {{ item.what }}: “{{ item.runs }}” instead of “{{ item.ledger }}”. Nothing
      changes at the gateway. It counts as drift again after that day, and as soon as it changes.
    </p>
    <label class="field"
      ><span>Its last day</span>
      <input v-model="until" type="date" :min="dayFromNow(0)" :max="dayFromNow(365)" />
    </label>
    <label class="field"
      ><span>Why</span><Textarea v-model="reason" rows="3" maxlength="500"
    /></label>
    <Trouble :refusal="refusal" />
    <template #footer>
      <button class="ghost" @click="accepting = false">Cancel</button>
      <button class="fill" :disabled="busy || reason.trim().length < 3" @click="accept()">
        Accept
      </button>
    </template>
  </Dialog>
</template>

<style scoped>
.evidence {
  list-style: none;
  margin: 6px 0 0;
  padding: 0;
  font-size: 12.5px;
}
.evidence li {
  display: flex;
  gap: 8px;
  padding: 3px 0;
  border-top: 1px dotted var(--rule);
}
.evidence .mono {
  flex: 0 0 92px;
  font-size: 11.5px;
}
.way p {
  margin: 3px 0 6px;
  font-size: 12px;
}
</style>
