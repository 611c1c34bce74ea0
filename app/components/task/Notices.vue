<script setup lang="ts">
import type { NotificationChange } from '~~/shared/api/tasks'
import { taskKinds, type TaskKind, type TaskTime } from '~~/shared/words'

/** How somebody is told of what waits for them. */
const { data: kept, refusal, reload } = useLoad(() => api.getNotifications(), ['task'])
const draft = ref<NotificationChange>()
const zone = Intl.DateTimeFormat().resolvedOptions().timeZone
const { busy, refusal: refused, act } = useAct()
const secret = ref('')
const said = ref('')
const isSet = computed(() => Boolean(kept.value?.mail || kept.value?.webhook))

function begin() {
  const { mail, webhook, kinds, when, hour } = kept.value!
  draft.value = { mail, webhook, kinds: [...kinds], when, hour, timeZone: zone }
}
const times: { value: TaskTime; label: string }[] = [
  { value: 'at-once', label: 'at once' },
  { value: 'daily', label: 'once a day' },
]
async function save() {
  const { hour, ...rest } = draft.value!
  const done = await act(() => api.updateNotifications({}, { ...rest, hour: Number(hour) }))
  if (!done) return
  secret.value = done.secret ?? ''
  draft.value = undefined
  await reload()
}
async function test() {
  const done = await act(() => api.testNotifications({}))
  said.value = done ? 'A test is on its way.' : ''
  await reload()
}
const has = (kind: TaskKind) => draft.value!.kinds.includes(kind)
const toggle = (kind: TaskKind) => {
  const { kinds } = draft.value!
  draft.value!.kinds = has(kind) ? kinds.filter((one) => one !== kind) : [...kinds, kind]
}
</script>

<template>
  <section v-if="kept" aria-label="How you are told">
    <h3>How you are told</h3>
    <Trouble :refusal="refusal ?? (draft ? undefined : refused)" />
    <p class="soft">
      <template v-if="isSet"
        >{{ kept.when === 'daily' ? `Once a day at ${kept.hour}:00` : 'At once' }},
        {{ [kept.mail, kept.webhook && 'a webhook'].filter(Boolean).join(' and ') }}.
        <template v-if="kept.toldAt">Last {{ ago(kept.toldAt) }}.</template></template
      >
      <template v-else>Nobody tells you of what comes to wait for you.</template>
    </p>
    <p v-if="kept.trouble" class="copper-text">It could not be delivered: {{ kept.trouble }}</p>
    <p v-if="secret" class="good" role="status">
      What the webhook is signed with, shown this once: <code>{{ secret }}</code>
    </p>
    <p v-if="said" class="good" role="status">{{ said }}</p>
    <div class="bar">
      <button class="ghost" @click="begin()">{{ isSet ? 'Change' : 'Tell me' }}</button>
      <button v-if="isSet" class="ghost" :disabled="busy" @click="test()">Send a test</button>
    </div>
    <Dialog
      :visible="draft !== undefined"
      modal
      header="How you are told"
      :style="{ width: '520px' }"
      @update:visible="draft = undefined"
    >
      <template v-if="draft">
        <label class="field"
          ><span>Mail address</span
          ><InputText v-model="draft.mail" placeholder="ruth@brackenmere.example"
        /></label>
        <label class="field"
          ><span>Webhook</span
          ><InputText v-model="draft.webhook" placeholder="https://hooks.brackenmere.example/ruth"
        /></label>
        <div class="row">
          <label class="field"
            ><span>When</span><Choice v-model="draft.when" :options="times"
          /></label>
          <label v-if="draft.when === 'daily'" class="field"
            ><span>At the hour ({{ draft.timeZone }})</span
            ><input v-model.number="draft.hour" type="number" min="0" max="23"
          /></label>
        </div>
        <fieldset>
          <legend>Of what</legend>
          <label v-for="kind in taskKinds" :key="kind"
            ><input type="checkbox" :checked="has(kind)" @change="toggle(kind)" />{{
              taskWord(kind)
            }}</label
          >
        </fieldset>
        <Trouble :refusal="refused" />
      </template>
      <template #footer>
        <button class="ghost" @click="draft = undefined">Cancel</button>
        <button class="fill" :disabled="busy" @click="save()">Save</button>
      </template>
    </Dialog>
  </section>
</template>

<style scoped>
section {
  border-top: 1px solid var(--rule);
  margin-top: 18px;
  overflow-wrap: anywhere;
}
.row {
  display: flex;
  gap: 12px;
}
.row .field {
  flex: 1;
}
fieldset {
  border: 0;
  padding: 0;
  margin: 4px 0 0;
  display: grid;
  grid-template-columns: 1fr 1fr;
}
legend {
  padding: 0 0 4px;
}
fieldset label {
  display: flex;
  gap: 7px;
  align-items: center;
  min-height: 26px;
}
</style>
