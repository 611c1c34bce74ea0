<script setup lang="ts">
import { placementEtag } from '~~/shared/etags'
import type { PlacementItem } from '~~/shared/api/placements'

/** The two ways to have a placement and its gateways agree again, each shown before it is done. */
const props = defineProps<{
  placement: PlacementItem
  /** What each would do to who calls. */
  effects?: Partial<Record<'put-back' | 'keep', string>>
  /** Whether what runs cannot be kept: no definition has it. */
  unkeepable?: boolean
}>()
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
/** What requests show is no gateway's to put right. */
const onGateways = computed(() =>
  props.placement.differences.filter(({ account }) => account === 'gateway'),
)
</script>

<template>
  <div>
    <div class="acts">
      <div>
        <button class="ghost" :disabled="busy" @click="asking = 'put-back'">
          Put the ledger back
        </button>
        <p v-if="effects?.['put-back']" class="soft">{{ effects['put-back'] }}</p>
      </div>
      <div v-if="!unkeepable">
        <button class="ghost" :disabled="busy" @click="asking = 'keep'">Keep the gateway’s</button>
        <p v-if="effects?.keep" class="soft">{{ effects.keep }}</p>
      </div>
      <slot />
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
        v-for="difference in onGateways"
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
.acts p {
  margin: 3px 0 6px;
  font-size: 12px;
}
.acts div:has(p) {
  flex-basis: 100%;
}
</style>
