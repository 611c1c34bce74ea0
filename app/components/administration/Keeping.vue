<script setup lang="ts">
import type { Retention, SettingsItem } from '~~/shared/api/settings'

/** For how many days what is not evidence is kept, and where the product is reached. */
const props = defineProps<{ settings: SettingsItem }>()
const emit = defineEmits<{ changed: [] }>()
const { busy, refusal, act } = useAct()
const kept: { name: keyof Retention; label: string; most?: number; unit?: string }[] = [
  { name: 'snapshots', label: 'Snapshots of gateways; the newest stays' },
  { name: 'checks', label: 'Checked texts and their reports' },
  { name: 'intakes', label: 'Texts and archives brought in' },
  { name: 'impacts', label: 'Impact runs of rulebooks' },
  { name: 'requests', label: 'Single requests at gateways; their counts stay', most: 90 },
  {
    name: 'requestPercent',
    label: 'Of requests that went well, so many are kept; all others always',
    most: 100,
    unit: 'in a hundred',
  },
]
const days = reactive<Retention>({ ...props.settings.retention })
const address = ref(props.settings.publicAddress)
const said = ref('')
async function save(what: string, put: () => Promise<unknown>) {
  said.value = ''
  const done = await act(async () => {
    await put()
    return true
  })
  if (!done) return
  said.value = `${what} saved.`
  emit('changed')
}
</script>

<template>
  <div class="narrow">
    <Trouble :refusal="refusal" />
    <p v-if="said" class="good" role="status">{{ said }}</p>
    <form @submit.prevent="save('Retention', () => api.updateRetention({}, days))">
      <h3>Retention</h3>
      <p class="soft small">
        The ledger, revisions, promotions and rollouts are evidence and are never removed.
      </p>
      <label v-for="{ name, label, most, unit } in kept" :key="name" class="days"
        ><span>{{ label }}</span>
        <input
          v-model.number="days[name]"
          type="number"
          :min="unit ? 0 : 1"
          :max="most ?? 3650"
          required
        />
        {{ unit ?? 'days' }}</label
      >
      <button class="fill" :disabled="busy">Save</button>
    </form>
    <form
      @submit.prevent="
        save('Public address', () => api.updatePublicAddress({}, { publicAddress: address.trim() }))
      "
    >
      <h3>Public address</h3>
      <p class="soft small">
        Where people reach the product. With https, cookies and browsers insist on it. Open the
        product there and set it from there.
      </p>
      <label class="field"
        ><span>Address</span><InputText v-model="address" placeholder="https://ledger.example"
      /></label>
      <button class="fill" :disabled="busy">Save</button>
    </form>
  </div>
</template>

<style scoped>
.narrow {
  max-width: 480px;
}
.days {
  display: flex;
  align-items: baseline;
  gap: 6px;
  margin-bottom: 8px;
}
.days span {
  flex: 1;
}
.days input {
  width: 76px;
  text-align: right;
}
</style>
