<script setup lang="ts">
import { placementEtag } from '~~/shared/etags'
import type { PlacementItem } from '~~/shared/api/placements'

/** What differs at one placement, and the two ways to put it right. */
const props = defineProps<{ placement: PlacementItem; most?: number }>()
const emit = defineEmits<{ resolved: [] }>()
const { busy, refusal, act } = useAct()
const asking = ref<'put-back' | 'keep'>()

const session = useSession()
/** Beyond the first stage this is asked for, and somebody else approves it. */
const reviewed = computed(() => props.placement.stage !== session.shell?.stages[0])
const note = ref('')

async function resolve() {
  const kind = asking.value!
  const { id } = props.placement
  if (reviewed.value) {
    const ifMatch = placementEtag(props.placement)
    const asked = await act(() =>
      api.requestChange({ placement: id }, { kind, note: note.value }, { ifMatch }),
    )
    asking.value = undefined
    if (asked) await navigateTo(`/promotions/${asked.id}`)
    return
  }
  const done = await act(() =>
    kind === 'keep' ? api.keepRunning({ placement: id }) : api.putLedgerBack({ placement: id }),
  )
  asking.value = undefined
  if (isUnderWay(done)) await navigateTo(`/rollouts/${done.id}`)
  else if (done) emit('resolved')
}
const shown = computed(() => props.placement.differences.slice(0, props.most ?? 5))
</script>

<template>
  <div>
    <DifferenceBox
      v-for="difference in shown"
      :key="`${difference.on} ${difference.where} ${difference.what}`"
      :difference="difference"
    />
    <NuxtLink v-if="shown.length < placement.differences.length" class="plain" to="/drift"
      >{{ placement.differences.length - shown.length }} more</NuxtLink
    >
    <div class="acts">
      <button class="ghost" :disabled="busy" @click="asking = 'put-back'">
        Put the ledger back
      </button>
      <button class="ghost" :disabled="busy" @click="asking = 'keep'">Keep the gateway’s</button>
    </div>
    <Trouble :refusal="refusal" />
    <Dialog
      :visible="asking !== undefined"
      modal
      :header="asking === 'keep' ? 'Keep the gateway’s' : 'Put the ledger back'"
      :style="{ width: '520px' }"
      @update:visible="asking = undefined"
    >
      <p v-if="asking === 'keep'">
        What {{ placement.group }} runs becomes the approved placement of {{ placement.title }}
        {{ placement.version }} in {{ placement.stage }}. The ledger records it with both values.
      </p>
      <p v-else>
        {{ placement.group }} is made to run what was approved for {{ placement.title }}
        {{ placement.version }} in {{ placement.stage }}. Calls notice at once.
      </p>
      <DifferenceBox
        v-for="difference in placement.differences"
        :key="`${difference.on} ${difference.where} ${difference.what}`"
        :difference="difference"
      />
      <label v-if="reviewed" class="field"
        ><span>What reviewers should know</span><Textarea v-model="note" rows="3"
      /></label>
      <template #footer>
        <button class="ghost" @click="asking = undefined">Cancel</button>
        <button class="fill" :disabled="busy" @click="resolve()">
          {{
            reviewed
              ? 'Ask for it'
              : asking === 'keep'
                ? 'Keep the gateway’s'
                : 'Put the ledger back'
          }}
        </button>
      </template>
    </Dialog>
  </div>
</template>

<style scoped>
.acts {
  display: flex;
  gap: 6px;
  margin-top: 8px;
  flex-wrap: wrap;
}
</style>
