<script setup lang="ts">
import type { GroupRole, SettingsItem, SignOnTest } from '~~/shared/api/settings'
import { roles } from '~~/shared/words'

/** Who comes in by what: single sign-on with its groups, and passwords. */
const props = defineProps<{ settings: SettingsItem }>()
const emit = defineEmits<{ changed: [] }>()
const session = useSession()
const { busy, refusal, act } = useAct()

const uses = ref(false)
const local = ref(true)
const form = reactive({ issuer: '', clientId: '', clientSecret: '', groupsClaim: 'groups' })
const groups = ref<GroupRole[]>([])
watch(
  () => props.settings,
  ({ signOn, localAccounts }) => {
    uses.value = signOn !== undefined
    local.value = localAccounts
    if (!signOn) return
    const { issuer, clientId, groupsClaim } = signOn
    Object.assign(form, { issuer, clientId, groupsClaim, clientSecret: '' })
    groups.value = signOn.groups.map((group) => ({ ...group }))
  },
  { immediate: true },
)
const teams = computed(() => session.shell?.teams ?? [])
const body = () => ({
  ...form,
  clientSecret: form.clientSecret || undefined,
  groups: groups.value.map(({ group, role, team }) => ({
    group,
    role,
    ...(role === 'owner' && { team: team ?? teams.value[0] }),
  })),
})
const tested = ref<SignOnTest>()
const saved = ref(false)
async function test() {
  tested.value = await act(() => api.testSignOn({}, body()))
}
async function save() {
  const done = await act(async () => {
    await api.updateSignIn(
      {},
      { ...(uses.value && { signOn: body() }), localAccounts: local.value },
    )
    return true
  })
  saved.value = done === true
  if (done) emit('changed')
}
</script>

<template>
  <form class="sign-in" @submit.prevent="save()">
    <Trouble :refusal="refusal" />
    <p v-if="saved" class="good" role="status">Saved.</p>
    <p>
      <label><input v-model="uses" type="checkbox" /> Single sign-on (OpenID Connect)</label>
    </p>
    <template v-if="uses">
      <div class="pairing">
        <label class="field"
          ><span>Issuer</span
          ><InputText v-model="form.issuer" placeholder="https://login.example" required
        /></label>
        <label class="field"
          ><span>Client ID</span><InputText v-model="form.clientId" required
        /></label>
        <label class="field"
          ><span>Client secret</span
          ><InputText
            v-model="form.clientSecret"
            type="password"
            autocomplete="off"
            :placeholder="settings.signOn ? 'stays as it is' : ''"
        /></label>
        <label class="field"
          ><span>Claim with the groups</span><InputText v-model="form.groupsClaim" required
        /></label>
      </div>
      <p class="soft small">
        Register this redirect URI with the issuer: <code>{{ settings.returnAddress }}</code>
      </p>
      <p>
        <button type="button" class="ghost" :disabled="busy || !form.issuer" @click="test()">
          Test the issuer
        </button>
        <span
          v-if="tested"
          role="status"
          class="said"
          :class="tested.answers ? 'good-text' : 'bad-text'"
        >
          {{ tested.says }}</span
        >
      </p>
      <h3>Groups and roles</h3>
      <p class="soft small">
        The first group that a person is in decides, each time they sign in. Who is in none of them
        does not come in.
      </p>
      <table class="ruled">
        <thead>
          <tr>
            <th>Group</th>
            <th>Role</th>
            <th>Team</th>
            <th />
          </tr>
        </thead>
        <tbody>
          <tr v-for="(row, index) in groups" :key="index">
            <td>
              <InputText v-model="row.group" :aria-label="`Group ${index + 1}`" required />
            </td>
            <td>
              <select v-model="row.role" :aria-label="`Role of group ${index + 1}`">
                <option v-for="role in roles" :key="role">{{ role }}</option>
              </select>
            </td>
            <td>
              <select
                v-if="row.role === 'owner'"
                v-model="row.team"
                :aria-label="`Team of group ${index + 1}`"
              >
                <option v-for="team in teams" :key="team">{{ team }}</option>
              </select>
            </td>
            <td class="right">
              <button
                type="button"
                class="plain"
                :aria-label="`Remove group ${index + 1}`"
                @click="groups.splice(index, 1)"
              >
                Remove
              </button>
            </td>
          </tr>
        </tbody>
      </table>
      <p>
        <button
          type="button"
          class="ghost"
          @click="groups.push({ group: '', role: 'reader', team: teams[0] })"
        >
          Add a group
        </button>
      </p>
    </template>
    <h3>Local accounts</h3>
    <p>
      <label><input v-model="local" type="checkbox" /> A name and a password let people in</label>
    </p>
    <p v-if="!local" class="soft small">
      Everybody with a local account is signed out and comes in by single sign-on from then on. You
      have to have come in by it yourself.
    </p>
    <button class="fill" :disabled="busy">Save</button>
  </form>
</template>

<style scoped>
.sign-in {
  max-width: 760px;
}
.pairing {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(260px, 1fr));
  column-gap: 20px;
}
.said {
  margin-left: 12px;
}
.good-text {
  color: var(--elm);
}
.bad-text {
  color: var(--copper);
}
</style>
