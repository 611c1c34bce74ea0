<script setup lang="ts">
import { roles, type Role } from '~~/shared/words'
import type { Invitation, MemberItem } from '~~/shared/api/people'

/** Everybody, what they may do, and the links by which they come in. */
defineProps<{ people: MemberItem[] }>()
const emit = defineEmits<{ changed: [] }>()
const session = useSession()
const { busy, refusal, act } = useAct()

const starting = ref(false)
const start = reactive({
  name: '',
  displayName: '',
  role: 'owner' as Role,
  team: '',
  signOn: false,
})
const invitation = ref<Invitation>()
const link = computed(() =>
  invitation.value?.path ? new URL(invitation.value.path, location.origin).href : '',
)
const teamOf = (role: string, team: string) => (role === 'owner' ? { team } : {})
async function add() {
  const { name, displayName, role, team, signOn } = start
  const made = await act(() =>
    api.addPerson({}, { name, displayName, role, signOn, ...teamOf(role, team) }),
  )
  if (!made) return
  invitation.value = made
  starting.value = false
  Object.assign(start, { name: '', displayName: '' })
  emit('changed')
}
async function invite(name: string) {
  invitation.value = await act(() => api.invitePerson({ person: name }))
  emit('changed')
}
async function change(name: string, body: object) {
  await act(() => api.changePerson({ person: name }, body))
  emit('changed')
}
const ending = ref<MemberItem>()
async function end() {
  const { name } = ending.value!
  ending.value = undefined
  await change(name, { ended: true })
}
</script>

<template>
  <div>
    <Trouble :refusal="refusal" />
    <div class="bar">
      <button class="fill end" @click="starting = true">Add a person</button>
    </div>
    <div v-if="invitation && !link" class="good" role="status">
      {{ invitation.name }} is expected: they come in by single sign-on.
    </div>
    <div v-if="invitation && link" class="good" role="status">
      The link for {{ invitation.name }}, shown this once; it works until
      {{ moment(invitation.until ?? '') }}:<br /><code class="secret">{{ link }}</code>
    </div>
    <table class="ruled">
      <thead>
        <tr>
          <th>Name</th>
          <th>Account</th>
          <th>Role</th>
          <th>Team</th>
          <th class="right">Sessions</th>
          <th>Access</th>
          <th />
        </tr>
      </thead>
      <tbody>
        <tr v-for="person in people" :key="person.name">
          <td>
            <b>{{ person.displayName }}</b>
          </td>
          <td class="mono">{{ person.name }}</td>
          <td>
            <select
              :value="person.role"
              :aria-label="`Role of ${person.displayName}`"
              :disabled="busy"
              @change="
                change(person.name, {
                  role: textOf($event),
                  ...teamOf(textOf($event), person.team ?? session.shell?.teams[0] ?? ''),
                })
              "
            >
              <option v-for="role in roles" :key="role">{{ role }}</option>
            </select>
          </td>
          <td>
            <select
              v-if="person.role === 'owner'"
              :value="person.team"
              :aria-label="`Team of ${person.displayName}`"
              :disabled="busy"
              @change="change(person.name, { team: textOf($event) })"
            >
              <option v-for="team in session.shell?.teams ?? []" :key="team">{{ team }}</option>
            </select>
          </td>
          <td class="right mono">{{ person.sessions }}</td>
          <td>
            {{ person.state }}{{ person.signOn ? ', by sign-on' : ''
            }}<span v-if="person.endedAt" class="soft small">, {{ moment(person.endedAt) }}</span>
          </td>
          <td class="right">
            <button
              v-if="person.state !== 'ended'"
              class="plain"
              :disabled="busy"
              :aria-label="`New password for ${person.displayName}`"
              @click="invite(person.name)"
            >
              New password
            </button>
            <button
              v-if="person.state !== 'ended' && person.state !== 'expected' && !person.signOn"
              class="plain end-access"
              :disabled="busy"
              :aria-label="`Expect ${person.displayName} by single sign-on`"
              title="The next single sign-on with this name makes the account theirs; the password stops working"
              @click="change(person.name, { signOn: true })"
            >
              Expect by sign-on
            </button>
            <button
              class="plain end-access"
              :disabled="busy"
              :aria-label="`${person.state === 'ended' ? 'Give access to' : 'End access of'} ${person.displayName}`"
              @click="
                person.state === 'ended' ? change(person.name, { ended: false }) : (ending = person)
              "
            >
              {{ person.state === 'ended' ? 'Give access' : 'End access' }}
            </button>
          </td>
        </tr>
      </tbody>
    </table>
    <Dialog
      :visible="ending !== undefined"
      modal
      header="End access"
      :style="{ width: '440px' }"
      @update:visible="ending = undefined"
    >
      <p v-if="ending">
        {{ ending.displayName }} is signed out everywhere
        {{ ending.sessions ? `(${count(ending.sessions, 'session')})` : '' }} and cannot sign in any
        more; tokens they made stop working. What they did stays in the ledger. Access can be given
        again.
      </p>
      <template #footer
        ><button class="ghost" @click="ending = undefined">Cancel</button
        ><button class="fill" :disabled="busy" @click="end()">End access</button></template
      >
    </Dialog>
    <Dialog v-model:visible="starting" modal header="Add a person" :style="{ width: '460px' }">
      <label class="field"><span>Name</span><InputText v-model="start.displayName" /></label>
      <label class="field"><span>Account name</span><InputText v-model="start.name" /></label>
      <label class="field"
        ><span>Role</span
        ><select v-model="start.role">
          <option v-for="role in roles" :key="role">{{ role }}</option>
        </select></label
      >
      <label v-if="start.role === 'owner'" class="field"
        ><span>Team</span
        ><select v-model="start.team">
          <option v-for="team in session.shell?.teams ?? []" :key="team">{{ team }}</option>
        </select></label
      >
      <p>
        <label
          ><input v-model="start.signOn" type="checkbox" /> comes in by single sign-on, without a
          link</label
        >
      </p>
      <Trouble :refusal="refusal" />
      <template #footer
        ><button class="ghost" @click="starting = false">Cancel</button
        ><button class="fill" :disabled="busy || !start.name || !start.displayName" @click="add()">
          {{ start.signOn ? 'Add' : 'Add and make a link' }}
        </button></template
      >
    </Dialog>
  </div>
</template>

<style scoped>
.secret {
  overflow-wrap: anywhere;
  user-select: all;
}
.end-access {
  margin-left: 14px;
}
</style>
