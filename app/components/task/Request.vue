<script setup lang="ts">
import type { TaskProps } from '~/utils/tasks'

/** What a request would change, and what is asked of whoever reads this: an approval, agreement, or the act. */
const { task, finished } = defineProps<TaskProps>()
const {
  data: promotion,
  refusal,
  reload,
} = useLoad(
  () => api.getPromotion({ promotion: task.subject }),
  ['promotion', 'request', 'placement'],
)
const { busy, refusal: refused, act } = useAct()
const note = ref('')
const waived = computed(() => promotion.value?.gates.filter(({ waiver }) => waiver === 'asked'))
const isPromotion = computed(() => promotion.value?.kind === 'promotion')

async function finish(work: () => Promise<unknown>) {
  if ((await act(work)) !== undefined) void finished(task)
  await reload()
}
const at = { promotion: task.subject }
const approve = () =>
  finish(() =>
    api.approvePromotion(at, { note: note.value, digest: promotion.value?.digest ?? '' }),
  )
</script>

<template>
  <div>
    <Trouble :refusal="refusal ?? refused" />
    <template v-if="promotion">
      <p class="soft">
        {{ promotion.requestedBy }} asked {{ ago(promotion.requestedAt) }}.
        <template v-if="promotion.override"
          >{{ promotion.override.name }} went past the approval:
          {{ promotion.override.reason }}</template
        >
      </p>
      <PromotionPlan :promotion="promotion" />
      <h3>Gates</h3>
      <Gates v-slot="{ gate }" :gates="promotion.gates">
        <button
          v-if="task.kind === 'gate-waiver' && gate.waiver === 'asked'"
          class="ghost agree"
          :disabled="busy"
          @click="finish(() => api.approveGateWaiver({ ...at, gate: gate.id }))"
        >
          Agree to waive it
        </button>
      </Gates>
      <p v-if="task.kind === 'gate-waiver' && !waived?.length" class="soft">
        Nobody would waive a gate any more.
      </p>
      <form v-if="task.kind === 'approval'" @submit.prevent="approve()">
        <label class="field"
          ><span>What you looked at</span><Textarea v-model="note" rows="3"
        /></label>
        <button class="fill" :disabled="busy">Approve</button>
      </form>
      <div v-else-if="task.kind === 'ready'" class="bar">
        <button class="fill" :disabled="busy" @click="finish(() => api.promoteVersion(at))">
          {{ isPromotion ? `Promote to ${promotion.to}` : 'Carry it out' }}
        </button>
      </div>
      <div v-else-if="task.kind === 'emergency'" class="bar">
        <button class="fill" :disabled="busy" @click="finish(() => api.confirmOverride(at))">
          Confirm the emergency
        </button>
      </div>
    </template>
  </div>
</template>

<style scoped>
.agree {
  margin-top: 6px;
}
</style>
