<script setup lang="ts">
import { callerName } from '~~/core/pipeline/affected'
import type { AnnouncementRequest, CallerItem } from '~~/shared/api/endings'
import { useSession } from '~/stores/session'

/** Who calls something that breaks or ends, where they are told, and what they were told: with the acts that tell them. */
const { callers, suggestion, announce } = defineProps<{
  callers: readonly CallerItem[]
  /** What they are told, until somebody writes something else. */
  suggestion: string
  /** Tells some of them; absent where there is nothing to tell. */
  announce?: ((body: AnnouncementRequest) => Promise<unknown>) | undefined
}>()
const emit = defineEmits<{ changed: [] }>()
const session = useSession()
const mayTell = computed(() =>
  ['governance', 'operator', 'owner'].includes(session.person?.role ?? 'reader'),
)
const isUntold = ({ told }: CallerItem) => !told || told.state === 'failed'
const untold = computed(() => callers.filter(isUntold))
const withContact = computed(() => untold.value.filter(({ contact }) => contact !== ''))
const { busy, refusal, act } = useAct()

/** The clients that are being told, and how. */
const telling = ref<{ how: 'mail' | 'other'; clients: string[] }>()
const says = ref('')
function begin(how: 'mail' | 'other', some: readonly CallerItem[]) {
  telling.value = { how, clients: some.map(({ client }) => client) }
  says.value = how === 'mail' ? suggestion : ''
}
async function tell() {
  const body = { ...telling.value!, says: says.value }
  telling.value = undefined
  await act(() => announce!(body))
  emit('changed')
}

/** Whose contact is being written. */
const changing = ref<CallerItem>()
const contact = ref('')
function beginContact(caller: CallerItem) {
  changing.value = caller
  contact.value = caller.contact
}
async function keepContact() {
  const { client, placements } = changing.value!
  changing.value = undefined
  await act(() =>
    api.updateKeyContact({ placement: placements[0]!, key: client }, { contact: contact.value }),
  )
  emit('changed')
}
const stateWord = ({ told }: CallerItem) =>
  !told
    ? 'not told'
    : told.state === 'failed'
      ? `mail failed: ${told.trouble}`
      : told.state === 'on-its-way'
        ? 'mail on its way'
        : `told ${told.how === 'mail' ? 'by mail' : 'otherwise'} by ${told.by}, ${moment(told.at)}`
</script>

<template>
  <div>
    <table class="ruled">
      <thead>
        <tr>
          <th>Caller</th>
          <th class="right">Calls</th>
          <th>Contact</th>
          <th v-if="announce">Told</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="caller in callers" :key="caller.client">
          <td>
            <NuxtLink
              v-if="caller.client"
              class="plain"
              :to="{ path: '/traffic', query: { client: caller.client } }"
              >{{ caller.client }}</NuxtLink><span v-else class="soft">{{ callerName('') }}</span>
            <div class="soft small mono" :title="caller.operations.join('\n')">
              {{ caller.operations.slice(0, 2).join(', ')
              }}{{ caller.operations.length > 2 ? `, ${caller.operations.length - 2} more` : '' }}
            </div>
          </td>
          <td class="right mono">{{ figure(caller.calls) }}</td>
          <td>
            <span class="small mono contact">{{ caller.contact }}</span>
            <button v-if="mayTell && caller.client" class="plain" @click="beginContact(caller)">
              {{ caller.contact ? 'Change' : 'Add a contact' }}
            </button>
          </td>
          <td v-if="announce" :class="{ 'copper-text': isUntold(caller) }">
            {{ stateWord(caller) }}
            <button
              v-if="mayTell && isUntold(caller)"
              class="plain"
              :disabled="busy"
              @click="begin('other', [caller])"
            >
              Told otherwise
            </button>
          </td>
        </tr>
      </tbody>
    </table>
    <Trouble :refusal="refusal" />
    <p v-if="announce && mayTell && untold.length" class="bar">
      <button
        class="ghost"
        :disabled="busy || !withContact.length"
        @click="begin('mail', withContact)"
      >
        Tell {{ count(withContact.length, 'caller') }} by mail
      </button>
      <span v-if="withContact.length < untold.length" class="soft small">
        {{
          count(
            untold.length - withContact.length,
            'caller has no contact',
            'callers have no contact',
          )
        }}
      </span>
    </p>
    <Dialog
      :visible="telling !== undefined"
      modal
      :header="telling?.how === 'mail' ? 'Tell by mail' : 'Told otherwise'"
      :style="{ width: '560px' }"
      @update:visible="telling = undefined"
    >
      <p>
        {{
          telling?.how === 'mail'
            ? 'A mail goes to the contact of each:'
            : 'It is kept in the ledger that you told:'
        }}
        {{ telling?.clients.map(callerName).join(', ') }}.
      </p>
      <label class="field"
        ><span>{{ telling?.how === 'mail' ? 'What they are told' : 'How, and what' }}</span
        ><Textarea v-model="says" rows="7"
      /></label>
      <template #footer
        ><button class="ghost" @click="telling = undefined">Cancel</button
        ><button class="fill" :disabled="busy || says.trim().length < 10" @click="tell()">
          {{ telling?.how === 'mail' ? 'Send' : 'Keep it' }}
        </button></template
      >
    </Dialog>
    <Dialog
      :visible="changing !== undefined"
      modal
      header="Contact"
      :style="{ width: '420px' }"
      @update:visible="changing = undefined"
    >
      <label class="field"
        ><span>Where {{ changing?.client }} is told</span
        ><InputText v-model="contact" type="email" placeholder="api@client.example"
      /></label>
      <template #footer
        ><button class="ghost" @click="changing = undefined">Cancel</button
        ><button class="fill" :disabled="busy" @click="keepContact()">Save</button></template
      >
    </Dialog>
  </div>
</template>

<style scoped>
.contact {
  margin-right: 8px;
  overflow-wrap: anywhere;
}
</style>
