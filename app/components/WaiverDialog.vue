<script setup lang="ts">
import type { FindingItem } from '~~/shared/api/rules'

/** Asks for an exception for findings, as narrow as they are or wider. */
type Excused = Pick<FindingItem, 'rule' | 'api' | 'title' | 'operation' | 'key' | 'message'>
const props = defineProps<{ findings: readonly Excused[] }>()
const emit = defineEmits<{ close: []; asked: [says: string] }>()

type Reach = 'place' | 'operation' | 'api' | 'rule'
const reach = ref<Reach>('place')
const reason = ref('')
const until = ref(dayFromNow(90))
const { busy, refusal, act } = useAct()
const first = computed(() => props.findings[0]!)
const reaches = computed(() => {
  const [one] = props.findings
  const same = (pick: (finding: Excused) => string) =>
    props.findings.every((finding) => pick(finding) === pick(one!))
  return [
    {
      value: 'place' as const,
      label: props.findings.length === 1 ? 'only this finding' : 'only these findings',
    },
    ...(one!.operation && same(({ api: slug, operation }) => slug + operation)
      ? [{ value: 'operation' as const, label: `all of ${one!.operation}` }]
      : []),
    ...(same(({ api: slug }) => slug)
      ? [{ value: 'api' as const, label: `all of ${one!.title}` }]
      : []),
    { value: 'rule' as const, label: 'every API' },
  ]
})

/** One request for each exception that the choice comes down to. */
const requests = computed(() => {
  const common = { reason: reason.value.trim(), until: until.value }
  const made = props.findings.map(({ rule, api: slug, operation, key }) =>
    reach.value === 'place'
      ? { rule, api: slug, key }
      : reach.value === 'operation'
        ? { rule, api: slug, operation }
        : reach.value === 'api'
          ? { rule, api: slug }
          : { rule },
  )
  return [
    ...new Map(
      made.map((request) => [JSON.stringify(request), { ...request, ...common }]),
    ).values(),
  ]
})

async function ask() {
  const done = await act(async () => {
    for (const request of requests.value) await api.createWaiver({}, request)
    return true
  })
  if (done)
    emit('asked', `${count(requests.value.length, 'waiver')} asked for; somebody else decides.`)
}
</script>

<template>
  <Dialog
    :visible="true"
    modal
    header="Ask for a waiver"
    :style="{ width: '520px' }"
    @update:visible="emit('close')"
  >
    <p class="what">
      {{ first.message }}
      <span v-if="findings.length > 1" class="soft">and {{ findings.length - 1 }} more</span>
    </p>
    <label class="field"
      ><span>It is for</span>
      <Choice v-model="reach" :options="reaches" />
    </label>
    <label class="field"
      ><span>Why</span>
      <Textarea
        v-model="reason"
        rows="3"
        placeholder="What makes this an exception, and what will end it"
      />
    </label>
    <label class="field"
      ><span>Until</span>
      <input v-model="until" type="date" :min="dayFromNow(0)" :max="dayFromNow(730)" />
      <small>On the day after, the finding counts again. Two years at most.</small>
    </label>
    <Trouble :refusal="refusal" />
    <div class="bar">
      <button class="fill" :disabled="busy || reason.trim().length < 10" @click="ask()">
        {{ busy ? 'Asking …' : 'Ask for it' }}
      </button>
      <button class="ghost" @click="emit('close')">Cancel</button>
      <span class="soft small">Somebody else approves it.</span>
    </div>
  </Dialog>
</template>

<style scoped>
.what {
  margin: 0 0 12px;
  overflow-wrap: anywhere;
}
</style>
