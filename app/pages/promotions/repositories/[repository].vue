<script setup lang="ts">
import type { RepositoryItem, RepositoryRequest } from '~~/shared/api/repositories'
import { audiences } from '~~/shared/words'
import { repositoryEtag } from '~~/shared/etags'
import { useSession } from '~/stores/session'

const session = useSession()
const slug = String(useRoute().params['repository'])
const isNew = slug === 'new'
/** As it stands, and as the form was written from: a save names that state, so that it takes nothing from anybody. */
const shown = ref<RepositoryItem>()
const kept = ref<RepositoryItem>()
const { refusal: loading, reload } = useLoad(async () => {
  if (isNew) return
  const item = await api.getRepository({ repository: slug })
  shown.value = item
  // What somebody is writing is not taken from under them.
  if (!isChanged.value || !kept.value) begin(item)
}, ['repository'])
const { data: register } = useLoad(() => api.listApis(), ['api'])
const { data: jobs } = useLoad(
  async () => (isNew ? undefined : api.listRepositoryJobs({ repository: slug, limit: 20 })),
  ['repository'],
)

type Form = Omit<RepositoryRequest, 'token' | 'webhook'> & {
  token: string
  webhook: NonNullable<RepositoryRequest['webhook']>
}
const webhookChoices = [
  { value: 'standard', label: 'Standard Webhooks' },
  { value: 'hmac-sha256', label: 'HMAC-SHA256 of the body' },
  { value: 'token', label: 'Shared token' },
]
const formOf = (item?: RepositoryItem): Form =>
  item
    ? {
        ...{ title: item.title, url: item.url, statusUrl: item.statusUrl, team: item.team },
        ...{ audience: item.audience, token: '' },
        webhook: item.webhook ? { ...item.webhook } : { kind: 'standard', header: '' },
        refs: item.refs.map((rule) => ({ ...rule })),
        definitions: item.definitions.map((definition) => ({ ...definition })),
      }
    : {
        ...{ title: '', url: '', statusUrl: '', token: '', audience: 'partner' },
        webhook: { kind: 'standard', header: '' },
        team: session.person?.team ?? session.shell?.teams[0] ?? '',
        refs: [{ kind: 'branch', name: 'main', stage: session.shell?.stages[0] ?? '' }],
        definitions: [{ path: 'openapi.yaml', api: '' }],
      }
const form = ref<Form>(formOf())
function begin(item: RepositoryItem) {
  if (kept.value && repositoryEtag(kept.value) === repositoryEtag(item)) return
  kept.value = item
  form.value = formOf(item)
}
const isChanged = computed(
  () => !kept.value || JSON.stringify(form.value) !== JSON.stringify(formOf(kept.value)),
)
/** Without a token another one is kept. */
const dropsToken = ref(false)
const secret = ref('')
const { busy, refusal, act } = useAct()
const may = computed(() => {
  const { role, team } = session.person ?? {}
  return role === 'governance' || (role === 'owner' && (isNew || team === kept.value?.team))
})

async function save() {
  const { token, ...rest } = form.value
  const body: RepositoryRequest = {
    ...rest,
    ...(isNew || token !== '' || dropsToken.value ? { token } : {}),
  }
  const saved = await act(() =>
    kept.value
      ? api.updateRepository({ repository: slug }, body, { ifMatch: repositoryEtag(kept.value) })
      : api.connectRepository({}, body),
  )
  if (!saved) return
  dropsToken.value = false
  shown.value = saved
  begin(saved)
  if ('secret' in saved) {
    secret.value = String(saved.secret)
    made.value = saved.repository
  }
}
/** Where a new repository lives from then on. */
const made = ref('')
const repository = computed(() => (isNew ? made.value : slug))
const deliveries = computed(
  () => `${location.origin}/api/v1/repositories/${repository.value}/deliveries`,
)
async function renew() {
  const renewed = await act(() => api.renewRepositorySecret({ repository: slug }))
  if (renewed) secret.value = renewed.secret
}
const look = () => act(() => api.readRepositoryBranches({ repository: slug })).then(reload)
async function disconnect() {
  const gone = await act(() => api.removeRepository({ repository: slug }).then(() => true))
  if (gone) await navigateTo('/promotions/repositories')
}
const asks = ref(false)
const stages = computed(() => session.shell?.stages ?? [])
const apiChoices = computed(() => [
  { value: '', label: 'a new API' },
  ...choicesOfApis(register.value?.items),
])
</script>

<template>
  <Leaf>
    <div class="crumb">
      <NuxtLink to="/promotions/repositories">Repositories</NuxtLink> /
      {{ isNew ? 'new' : (kept?.title ?? slug) }}
    </div>
    <h1>{{ isNew ? 'Connect a repository' : (kept?.title ?? slug) }}</h1>
    <p v-if="kept && !isNew" class="sentence">
      Set by {{ kept.setBy }}, whom its jobs act as.
      <template v-if="shown?.readAt">Looked at {{ ago(shown.readAt) }}.</template>
      <span v-if="shown?.trouble" class="copper-text"> {{ shown.trouble }}</span>
    </p>
    <Trouble :refusal="loading ?? refusal" />
    <p v-if="refusal?.status === 412 && shown">
      <button class="ghost" @click="begin(shown)">Look at what stands now</button>
    </p>
    <section v-if="secret" class="secret" role="status">
      <p class="good">
        Give the host this webhook. The secret is shown this once; another one can be made here.
      </p>
      <p>
        Address <code>{{ deliveries }}</code>
      </p>
      <p>
        Secret <code>{{ secret }}</code>
      </p>
      <NuxtLink v-if="isNew" class="fill" :to="`/promotions/repositories/${made}`"
        >Go to the repository</NuxtLink
      >
    </section>
    <form v-if="(isNew && !made) || (!isNew && kept)" @submit.prevent="save()">
      <fieldset :disabled="!may">
        <div class="row">
          <label class="field"><span>Name</span><InputText v-model="form.title" required /></label>
          <label class="field"
            ><span>Team</span><Choice v-model="form.team" :options="session.shell?.teams ?? []"
          /></label>
          <label class="field"
            ><span>New APIs are for</span><Choice v-model="form.audience" :options="audiences"
          /></label>
        </div>
        <label class="field"
          ><span>Address that git reads</span
          ><InputText
            v-model="form.url"
            required
            placeholder="https://git.brackenmere.example/meter-readings.git"
        /></label>
        <div class="row">
          <label class="field"
            ><span>{{ kept?.hasToken ? 'Token (one is kept)' : 'Token, if it asks for one' }}</span
            ><InputText v-model="form.token" type="password" autocomplete="off"
          /></label>
          <label v-if="kept?.hasToken" class="tick"
            ><input v-model="dropsToken" type="checkbox" :disabled="form.token !== ''" /> Read it
            without one</label
          >
        </div>
        <label class="field"
          ><span>Where the state of a commit is told, with {commit} in it; may be empty</span
          ><InputText
            v-model="form.statusUrl"
            placeholder="https://git.brackenmere.example/meter-readings/statuses/{commit}"
        /></label>
        <h3>Webhook</h3>
        <div class="row">
          <label class="field"
            ><span>Signed with</span><Choice v-model="form.webhook.kind" :options="webhookChoices"
          /></label>
          <label v-if="form.webhook.kind !== 'standard'" class="field"
            ><span>Header</span
            ><InputText v-model="form.webhook.header" required placeholder="X-Signature-256"
          /></label>
        </div>
        <p v-if="shown?.refusedAt" class="soft small">
          The last message was refused {{ ago(shown.refusedAt) }}: {{ shown.refusedWhy }}
        </p>
        <h3>Branches and tags</h3>
        <div v-for="(rule, index) in form.refs" :key="index" class="row">
          <label class="field narrow"
            ><span>Kind</span><Choice v-model="rule.kind" :options="['branch', 'tag']"
          /></label>
          <label class="field"
            ><span>Name; * stands for anything</span><InputText v-model="rule.name" required
          /></label>
          <label class="field"
            ><span>Stage</span><Choice v-model="rule.stage" :options="stages"
          /></label>
          <button
            type="button"
            class="ghost"
            :aria-label="`Remove ${rule.kind} ${rule.name}`"
            @click="form.refs.splice(index, 1)"
          >
            Remove
          </button>
        </div>
        <button
          type="button"
          class="ghost"
          @click="form.refs.push({ kind: 'branch', name: '', stage: stages[0] ?? '' })"
        >
          Add a branch or tag
        </button>
        <h3>Definitions</h3>
        <div v-for="(definition, index) in form.definitions" :key="index" class="row">
          <label class="field"
            ><span>Main file, from the top of the repository</span
            ><InputText v-model="definition.path" required
          /></label>
          <label class="field"
            ><span>API</span><Choice v-model="definition.api" :options="apiChoices"
          /></label>
          <button
            type="button"
            class="ghost"
            :aria-label="`Remove ${definition.path}`"
            @click="form.definitions.splice(index, 1)"
          >
            Remove
          </button>
        </div>
        <button type="button" class="ghost" @click="form.definitions.push({ path: '', api: '' })">
          Add a definition
        </button>
      </fieldset>
      <div v-if="may" class="bar">
        <button class="fill" :disabled="busy || !(isChanged || dropsToken)">
          {{ isNew ? 'Connect' : 'Save' }}
        </button>
        <span v-if="busy" class="soft" role="status">Reading its branches …</span>
      </div>
    </form>
    <template #margin>
      <template v-if="isNew && !made">
        <h2>What happens then</h2>
        <p>
          Its branches are read at once, and a job brings in what stands in your definitions. You
          get the address and the secret of a webhook for the host.
        </p>
        <p class="soft">
          Jobs act in your name: they may do what you may. A new API is entered with the first
          commit; where it has operations that nobody has decided about, you place it once by hand.
        </p>
      </template>
      <template v-else-if="!isNew">
        <h2>Jobs</h2>
        <p v-if="jobs && !jobs.items.length" class="soft">None yet.</p>
        <div v-for="job in jobs?.items" :key="job.job" class="job">
          <NuxtLink :to="`/promotions/jobs/${job.job}`"
            >{{ job.job }} ·
            <span :class="jobTint(job.state)">{{ jobWord(job.state) }}</span></NuxtLink
          >
          <small class="soft">{{ ago(job.at) }}</small>
          <div class="small">{{ job.message }}</div>
        </div>
        <template v-if="may">
          <h3>Its webhook</h3>
          <p class="small">
            <code>{{ deliveries }}</code>
          </p>
          <p class="soft small">
            <template v-if="!shown?.webhook">Signed as Standard Webhooks 1.0 says</template>
            <template v-else-if="shown.webhook.kind === 'token'"
              >The secret itself in <code>{{ shown.webhook.header }}</code></template
            >
            <template v-else
              >An HMAC-SHA256 of the body in <code>{{ shown.webhook.header }}</code></template
            >, with <code>ref</code> in the body.
          </p>
          <div class="bar">
            <button class="ghost" :disabled="busy" @click="renew()">Make another secret</button>
            <button class="ghost" :disabled="busy" @click="look()">Look for pushes now</button>
          </div>
          <h3>Disconnect</h3>
          <p class="soft small">Its jobs are forgotten; what came from it stays.</p>
          <button v-if="!asks" class="ghost" @click="asks = true">Disconnect …</button>
          <div v-else class="bar">
            <button class="ghost" :disabled="busy" @click="disconnect()">
              Yes, disconnect {{ kept?.title }}
            </button>
            <button class="ghost" @click="asks = false">Keep it</button>
          </div>
        </template>
      </template>
    </template>
  </Leaf>
</template>

<style scoped>
fieldset {
  border: 0;
  margin: 0;
  padding: 0;
}
.row {
  display: flex;
  gap: 12px;
  flex-wrap: wrap;
  align-items: end;
}
.row .field {
  flex: 1 1 180px;
}
.row .narrow {
  flex: 0 1 110px;
}
.job small {
  margin-left: 6px;
}
form > .bar {
  margin-top: 16px;
}
.row .ghost,
.tick {
  margin-bottom: 12px;
}
.secret code,
.small code {
  overflow-wrap: anywhere;
}
.secret {
  margin-bottom: 18px;
}
.job {
  padding: 5px 0;
  border-bottom: 1px dotted var(--rule);
  overflow-wrap: anywhere;
}
</style>
