<script setup lang="ts">
import { audiences, roles } from '~~/shared/words'
import type { GatewayItem, GroupItem } from '~~/shared/api/gateways'
import type { GatewayTest, HostItem, StageItem } from '~~/shared/api/administration'
import type { Invitation, MemberItem } from '~~/shared/api/people'

type Paged<T> = { items: T[]; nextCursor?: string }
const session = useSession()
const topics = [
  'person',
  'organisation',
  'stages',
  'host',
  'gateway',
  'group',
  'product',
  'session',
]
const {
  data: people,
  reload,
  refusal,
} = useLoad(() => api.all<Paged<MemberItem>>('/people'), topics)
const { data: stages } = useLoad(() => api.all<Paged<StageItem>>('/stages'), topics)
const { data: hosts } = useLoad(() => api.all<Paged<HostItem>>('/hosts'), topics)
const { data: gateways } = useLoad(() => api.all<Paged<GatewayItem>>('/gateways'), topics)
const { data: groups } = useLoad(() => api.all<Paged<GroupItem>>('/gateway-groups'), topics)
const { busy, refusal: actRefusal, act } = useAct()

const { filters, set } = useFilters(['part'] as const)
const parts = ['People', 'Organisation', 'Stages and hosts', 'Gateways'] as const
const part = computed(() => parts.find((name) => name === filters.value.part) ?? 'People')
const all = computed(() => people.value?.items ?? [])
const count_ = (state: string) => all.value.filter((person) => person.state === state).length

const ending = ref<MemberItem>()
async function end() {
  const { name } = ending.value!
  ending.value = undefined
  await change(name, { ended: true })
}
const starting = ref(false)
const start = reactive({ name: '', displayName: '', role: 'owner', team: '' })
const invitation = ref<Invitation>()
const link = computed(() =>
  invitation.value ? new URL(invitation.value.path, location.origin).href : '',
)
const teamOf = (role: string, team: string) => (role === 'owner' ? { team } : {})
async function add() {
  const { name, displayName, role, team } = start
  const made = await act(() =>
    api.post<Invitation>('/people', { name, displayName, role, ...teamOf(role, team) }),
  )
  if (!made) return
  invitation.value = made
  starting.value = false
  Object.assign(start, { name: '', displayName: '' })
  await reload()
}
async function invite(name: string) {
  invitation.value = await act(() => api.post<Invitation>(`/people/${name}/invitation`))
  await reload()
}
async function change(name: string, body: object) {
  await act(() => api.patch(`/people/${name}`, body))
  await reload()
}

const organisation = ref('')
const teams = ref('')
watch(
  () => session.shell,
  (shell) => {
    organisation.value = shell?.organisation ?? ''
    teams.value = (shell?.teams ?? []).join('\n')
  },
  { immediate: true },
)
const lines = (text: string) =>
  text
    .split('\n')
    .map((line) => line.trim())
    .filter(Boolean)
const keepOrganisation = () =>
  act(async () => {
    const body = { organisation: organisation.value, teams: lines(teams.value) }
    await api.put('/organisation', body, {})
    await session.refresh()
  })

const stageText = ref<StageItem[]>([])
watch(stages, (page) => (stageText.value = structuredClone(toRaw(page?.items ?? []))))
const keepStages = () =>
  act(async () => {
    await api.put('/stages', { stages: stageText.value }, {})
    await session.refresh()
  })
const addStage = () =>
  stageText.value.push({
    name: '',
    schemes: ['https'],
    backendHosts: ['*'],
    networks: ['10.0.0.0/8'],
  })

const host = reactive<HostItem>({ name: '', stage: '', audiences: ['partner'] })
const keepHost = () =>
  act(() => {
    const { stage, audiences: of } = host
    const name = encodeURIComponent(host.name.trim().toLowerCase())
    return api.put(`/hosts/${name}`, { stage, audiences: of }, {})
  })
const removeHost = (name: string) => act(() => api.delete(`/hosts/${encodeURIComponent(name)}`))

const group = reactive({ name: '', serves: '', audiences: ['partner'] as string[] })
const keepGroup = () =>
  act(() =>
    api.put(
      `/gateway-groups/${group.name}`,
      { serves: group.serves, audiences: group.audiences },
      {},
    ),
  )
const gateway = reactive({ name: '', group: '', serves: '', dataUrl: '', adminUrl: '' })
const gatewayBody = computed(() => {
  const { group: of, serves, dataUrl, adminUrl } = gateway
  return { group: of, serves, dataUrl, adminUrl }
})
const tested = ref<GatewayTest>()
const test = async () => {
  tested.value = await act(() => api.post<GatewayTest>('/gateway-tests', gatewayBody.value))
}
const keepGateway = () => act(() => api.put(`/gateways/${gateway.name}`, gatewayBody.value, {}))
const removeGateway = (name: string) => act(() => api.delete(`/gateways/${name}`))
</script>

<template>
  <Leaf>
    <h1>Administration</h1>
    <p v-if="people" class="sentence">
      {{ count(count_('active'), 'person may', 'people may') }} sign in,
      {{ count(count_('invited'), 'has', 'have') }} a link to use, and {{ count_('ended') }} may not
      any more; {{ count(stages?.items.length ?? 0, 'stage') }},
      {{ count(hosts?.items.length ?? 0, 'host') }},
      {{ count(gateways?.items.length ?? 0, 'gateway') }}.
    </p>
    <Trouble :refusal="refusal ?? actRefusal" />
    <div class="bar" role="tablist" aria-label="Parts of administration">
      <button
        v-for="name in parts"
        :key="name"
        role="tab"
        class="ghost"
        :aria-selected="part === name"
        @click="set({ part: name })"
      >
        {{ name }}
      </button>
      <button v-if="part === 'People'" class="fill end" @click="starting = true">
        Add a person
      </button>
    </div>

    <template v-if="part === 'People'">
      <div v-if="invitation" class="good" role="status">
        The link for {{ invitation.name }}, shown this once; it works until
        {{ moment(invitation.until) }}:<br /><code class="secret">{{ link }}</code>
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
          <tr v-for="person in all" :key="person.name">
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
                    role: ($event.target as HTMLSelectElement).value,
                    ...teamOf(
                      ($event.target as HTMLSelectElement).value,
                      person.team ?? session.shell?.teams[0] ?? '',
                    ),
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
                @change="change(person.name, { team: ($event.target as HTMLSelectElement).value })"
              >
                <option v-for="team in session.shell?.teams ?? []" :key="team">{{ team }}</option>
              </select>
            </td>
            <td class="right mono">{{ person.sessions }}</td>
            <td>
              {{ person.state
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
                class="plain end-access"
                :disabled="busy"
                :aria-label="`${person.state === 'ended' ? 'Give access to' : 'End access of'} ${person.displayName}`"
                @click="
                  person.state === 'ended'
                    ? change(person.name, { ended: false })
                    : (ending = person)
                "
              >
                {{ person.state === 'ended' ? 'Give access' : 'End access' }}
              </button>
            </td>
          </tr>
        </tbody>
      </table>
    </template>

    <form v-else-if="part === 'Organisation'" class="narrow" @submit.prevent="keepOrganisation()">
      <label class="field"><span>Organisation</span><InputText v-model="organisation" /></label>
      <label class="field"
        ><span>Teams, one in each line</span><Textarea v-model="teams" rows="9"
      /></label>
      <button class="fill" :disabled="busy">Save</button>
    </form>

    <template v-else-if="part === 'Stages and hosts'">
      <form @submit.prevent="keepStages()">
        <table class="ruled">
          <thead>
            <tr>
              <th>Stage, from first to last</th>
              <th>Backends speak</th>
              <th>Their names</th>
              <th>Their networks</th>
              <th />
            </tr>
          </thead>
          <tbody>
            <tr v-for="(stage, index) in stageText" :key="index">
              <td><InputText v-model="stage.name" :aria-label="`Name of stage ${index + 1}`" /></td>
              <td class="nowrap">
                <label v-for="scheme in ['http', 'https'] as const" :key="scheme" class="tick"
                  ><input v-model="stage.schemes" type="checkbox" :value="scheme" />
                  {{ scheme }}</label
                >
              </td>
              <td>
                <Textarea
                  :model-value="stage.backendHosts.join('\n')"
                  rows="2"
                  :aria-label="`Names of backends of ${stage.name}`"
                  @update:model-value="stage.backendHosts = lines(String($event))"
                />
              </td>
              <td>
                <Textarea
                  :model-value="stage.networks.join('\n')"
                  rows="2"
                  :aria-label="`Networks of backends of ${stage.name}`"
                  @update:model-value="stage.networks = lines(String($event))"
                />
              </td>
              <td class="right">
                <button type="button" class="plain" @click="stageText.splice(index, 1)">
                  Remove
                </button>
              </td>
            </tr>
          </tbody>
        </table>
        <div class="bar">
          <button type="button" class="ghost" @click="addStage()">Add a stage</button>
          <button class="fill" :disabled="busy">Save the stages</button>
        </div>
      </form>
      <h3>
        Hosts <small>{{ hosts?.items.length }}</small>
      </h3>
      <table class="ruled">
        <tbody>
          <tr v-for="item in hosts?.items ?? []" :key="item.name">
            <td class="mono">{{ item.name }}</td>
            <td>{{ item.stage }}</td>
            <td>{{ item.audiences.join(', ') }}</td>
            <td class="right">
              <button class="plain" :disabled="busy" @click="removeHost(item.name)">Remove</button>
            </td>
          </tr>
        </tbody>
      </table>
      <form class="bar" @submit.prevent="keepHost()">
        <InputText v-model="host.name" placeholder="api.example.org" aria-label="Host" />
        <select v-model="host.stage" aria-label="Stage of the host">
          <option value="" disabled>Stage</option>
          <option v-for="stage in stages?.items ?? []" :key="stage.name">{{ stage.name }}</option>
        </select>
        <label v-for="audience in audiences" :key="audience" class="tick"
          ><input v-model="host.audiences" type="checkbox" :value="audience" />
          {{ audience }}</label
        >
        <button class="ghost" :disabled="busy || !host.name || !host.stage">Set the host</button>
      </form>
    </template>

    <template v-else>
      <table class="ruled">
        <thead>
          <tr>
            <th>Gateway</th>
            <th>Group</th>
            <th>Traffic goes in at</th>
            <th />
          </tr>
        </thead>
        <tbody>
          <tr v-for="item in gateways?.items ?? []" :key="item.name">
            <td>
              <button class="plain" @click="Object.assign(gateway, item)">{{ item.name }}</button>
              <div class="soft small">{{ item.serves }}</div>
            </td>
            <td>{{ item.group }}</td>
            <td class="mono small">{{ item.dataUrl }}</td>
            <td class="right">
              <button class="plain" :disabled="busy" @click="removeGateway(item.name)">
                Remove
              </button>
            </td>
          </tr>
        </tbody>
      </table>
      <h3>Add or change a gateway</h3>
      <form class="narrow" @submit.prevent="keepGateway()">
        <label class="field"><span>Name</span><InputText v-model="gateway.name" /></label>
        <label class="field"
          ><span>Group</span
          ><select v-model="gateway.group">
            <option v-for="item in groups?.items ?? []" :key="item.name">{{ item.name }}</option>
          </select></label
        >
        <label class="field"
          ><span>What it serves</span><InputText v-model="gateway.serves"
        /></label>
        <label class="field"
          ><span>Traffic goes in at</span
          ><InputText v-model="gateway.dataUrl" placeholder="https://gateway.example.org"
        /></label>
        <label class="field"
          ><span>Admin API</span
          ><InputText v-model="gateway.adminUrl" placeholder="https://gateway.example.org:8443"
        /></label>
        <p v-if="tested" :class="tested.answers ? 'good' : 'trouble'" role="status">
          {{ tested.says }}, {{ tested.ms }} ms
        </p>
        <div class="bar">
          <button type="button" class="ghost" :disabled="busy || !gateway.adminUrl" @click="test()">
            Test the connection
          </button>
          <button class="fill" :disabled="busy || !gateway.name || !gateway.group">Save</button>
        </div>
      </form>
      <h3>
        Groups <small>{{ groups?.items.length }}</small>
      </h3>
      <p class="soft">What is placed on a group runs on all its gateways.</p>
      <table class="ruled">
        <tbody>
          <tr v-for="item in groups?.items ?? []" :key="item.name">
            <td>
              <b>{{ item.name }}</b>
            </td>
            <td>{{ item.serves }}</td>
            <td>{{ item.members.join(', ') || 'no gateway yet' }}</td>
          </tr>
        </tbody>
      </table>
      <form class="bar" @submit.prevent="keepGroup()">
        <InputText v-model="group.name" placeholder="edge" aria-label="Name of the group" />
        <InputText
          v-model="group.serves"
          placeholder="Public traffic"
          aria-label="What the group serves"
        />
        <label v-for="audience in audiences" :key="audience" class="tick"
          ><input v-model="group.audiences" type="checkbox" :value="audience" />
          {{ audience }}</label
        >
        <button class="ghost" :disabled="busy || !group.name">Set the group</button>
      </form>
    </template>

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
        ><button class="ghost" @click="ending = undefined">Not now</button
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
      <Trouble :refusal="actRefusal" />
      <template #footer
        ><button class="ghost" @click="starting = false">Not now</button
        ><button class="fill" :disabled="busy || !start.name || !start.displayName" @click="add()">
          Add and make a link
        </button></template
      >
    </Dialog>
  </Leaf>
</template>

<style scoped>
.narrow {
  max-width: 480px;
}
.end-access {
  margin-left: 14px;
}
table + .bar {
  margin-top: 10px;
}
.tick {
  margin-right: 10px;
  white-space: nowrap;
}
.secret {
  overflow-wrap: anywhere;
  user-select: all;
}
button[aria-selected='true'] {
  background: var(--faint);
  font-weight: 620;
}
td :deep(textarea) {
  width: 100%;
}
</style>
