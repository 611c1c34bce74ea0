<script setup lang="ts">
import { placementEtag } from '~~/shared/etags'
import type { HandEdit } from '~~/shared/api/placements'
import { outsideAddress, rowName } from '~~/core/runtime/placement'
import type { IssuedKey, PlacementItem } from '~~/shared/api/placements'

const route = useRoute()
const slug = String(route.params['api'])
const session = useSession()
const { data: detail, refusal } = useLoad(() => api.getApi({ api: slug }))
const { data: page, reload } = useLoad(() => api.listPlacements({ api: slug }))
const placements = computed(() => page.value?.items ?? [])
const chosen = ref(String(route.query['placed'] ?? ''))
const current = computed(
  () =>
    placements.value.find(({ id }) => id === chosen.value) ??
    placements.value.find(({ mark }) => mark === 'differs') ??
    placements.value[0],
)
const { busy, refusal: actRefusal, act } = useAct()

const keyName = ref('')
const contact = ref('')
const issued = ref<IssuedKey>()
async function issue() {
  const made = await act(() =>
    api.issueKey(
      { placement: current.value!.id },
      {
        name: keyName.value,
        ...(contact.value.trim() !== '' && { contact: contact.value.trim() }),
      },
    ),
  )
  if (!made) return
  issued.value = made
  keyName.value = contact.value = ''
  sessionStorage.setItem(`key:${current.value!.id}`, made.secret)
  await reload()
}
async function withdraw(name: string) {
  await act(() => api.withdrawKey({ placement: current.value!.id, key: name }))
  await reload()
}
const removing = ref(false)
/** Beyond the first stage removal is asked for, and somebody else approves it. */
const reviewed = computed(() => current.value?.stage !== session.shell?.stages[0])
async function remove() {
  const { id } = current.value!
  if (reviewed.value) {
    const ifMatch = placementEtag(current.value!)
    const body = { kind: 'removal' as const, note: note.value }
    const asked = await act(() => api.requestChange({ placement: id }, body, { ifMatch }))
    removing.value = false
    if (asked) await navigateTo(`/promotions/${asked.id}`)
    return
  }
  await act(() => api.removePlacement({ placement: id }))
  removing.value = false
  await reload()
}
const asking = ref(false)
const note = ref('')
const neededBy = ref('')
const nextStage = computed(() => {
  const stages = session.shell?.stages ?? []
  return stages[stages.indexOf(current.value?.stage ?? '') + 1]
})
async function ask() {
  const { version, stage } = current.value!
  const made = await act(() =>
    api.requestPromotion(
      {},
      {
        ...{ api: slug, version, from: stage, note: note.value },
        ...(neededBy.value && { neededBy: neededBy.value }),
      },
    ),
  )
  asking.value = false
  if (made) await navigateTo(`/promotions/${made.id}`)
}
async function handEdit(kind: HandEdit['kind']) {
  await act(() => api.changeByHand({ placement: current.value!.id }, { kind }))
  await reload()
}
const { data: whole } = useLoad(
  async () => current.value && api.getPlacement({ placement: current.value.id }),
  ['placement', 'drift'],
  () => current.value?.id,
)
const soapNames = computed(() => new Map(whole.value?.soap.map((row) => [rowName(row), row])))
const total = ({ routes }: PlacementItem) =>
  routes.route + routes.mock + routes.withheld + routes.undecided
const withheld = computed(
  () =>
    whole.value?.spec.routes.flatMap(({ method, path, treatment }) =>
      treatment.kind === 'withheld' ? [{ method, path, reason: treatment.reason }] : [],
    ) ?? [],
)
watch(
  () => current.value?.id,
  () => (issued.value = undefined),
)
</script>

<template>
  <Leaf>
    <Trouble :refusal="refusal" />
    <template v-if="detail">
      <ApiHead :detail="detail"
        ><NuxtLink class="fill" :to="`/apis/${slug}/place`">Place a version</NuxtLink></ApiHead
      >
      <p v-if="route.query['placed']" class="good" role="status">
        Placed, loaded and confirmed: {{ current?.group }} runs {{ current?.version }} as approved.
        <NuxtLink class="plain" :to="{ path: '/desk', query: { placement: current?.id } }"
          >Try it</NuxtLink
        >
      </p>
      <p v-if="current?.rollout" class="good" role="status">
        A change is being carried out here:
        <NuxtLink class="plain" :to="`/rollouts/${current.rollout}`"
          >rollout {{ current.rollout }}</NuxtLink
        >.
      </p>
      <div v-if="page && !placements.length" class="empty">
        <p>
          A placement says where a version is served: gateway, host, base path, and what becomes of
          each operation. This API has none yet.
        </p>
        <NuxtLink class="ghost" :to="`/apis/${slug}/place`"
          >Place {{ detail.latest.version }}</NuxtLink
        >
      </div>
      <table v-else class="ruled">
        <thead>
          <tr>
            <th>Stage</th>
            <th>Version</th>
            <th>Gateways</th>
            <th>Address outside</th>
            <th>Served</th>
            <th>Protection</th>
            <th>State</th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="placement in placements"
            :key="placement.id"
            :class="{ on: placement.id === current?.id }"
            @click="chosen = placement.id"
          >
            <td>
              <button class="plain" @click="chosen = placement.id">{{ placement.stage }}</button>
            </td>
            <td class="mono">
              {{ placement.version }}
              <span class="soft small rev">revision {{ placement.revision }}</span>
            </td>
            <td class="nowrap">{{ placement.group }}</td>
            <td class="mono small">https://{{ placement.host }}{{ placement.basePath }}</td>
            <td>
              {{ placement.routes.route + placement.routes.mock }} of {{ total(placement)
              }}<span v-if="placement.routes.mock" class="soft small"
                >, {{ placement.routes.mock }} mocked</span
              >
            </td>
            <td class="small nowrap">
              {{ placement.credential }}<br />{{ placement.limit ?? 'no limit' }}
            </td>
            <td>
              <MarkSign :placement="placement" />
            </td>
          </tr>
        </tbody>
      </table>
      <template v-if="current">
        <h3>
          Operations in {{ current.stage }} <small>{{ current.id }}</small>
        </h3>
        <table class="ruled">
          <thead>
            <tr>
              <th>Operation</th>
              <th>Address outside</th>
              <th>Goes to</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="row in whole?.spec.routes" :key="row.method + row.path">
              <td><OperationName v-bind="row" :soap="soapNames.get(rowName(row))" /></td>
              <td class="mono small" :class="{ soft: row.treatment.kind === 'withheld' }">
                {{
                  row.treatment.kind === 'withheld'
                    ? 'not served'
                    : outsideAddress(current, soapNames.has(rowName(row)) ? undefined : row.path)
                }}
              </td>
              <td>
                {{ row.treatment.kind === 'route' ? row.treatment.backend : row.treatment.kind }}
                <div v-if="row.treatment.kind === 'withheld'" class="soft small">
                  {{ row.treatment.reason }}
                </div>
              </td>
            </tr>
          </tbody>
        </table>
      </template>
    </template>
    <template #margin>
      <template v-if="current">
        <h2>{{ current.version }} in {{ current.stage }}</h2>
        <p class="soft">
          {{ current.group }} · {{ markWords(current.mark, current.differences.length)
          }}<template v-if="current.checkedAt">, read {{ moment(current.checkedAt) }}</template
          >. Applied {{ ago(current.appliedAt) }} by {{ current.appliedBy }}.
        </p>
        <div class="bar">
          <NuxtLink class="ghost" :to="{ path: '/desk', query: { placement: current.id } }"
            >Try it</NuxtLink
          >
          <NuxtLink class="ghost" :to="`/placements/${current.id}`">The way</NuxtLink>
          <button v-if="nextStage" class="ghost" @click="asking = true">
            Promote to {{ nextStage }}
          </button>
          <button class="ghost" @click="removing = true">Remove</button>
        </div>
        <Trouble :refusal="actRefusal" />
        <template v-if="current.differences.length">
          <h3>
            What differs <small>{{ current.group }}</small>
          </h3>
          <DriftResolve :placement="current" @resolved="reload()" />
        </template>
        <template v-if="withheld.length">
          <h3>
            Withheld on purpose <small>{{ withheld.length }}</small>
          </h3>
          <p v-for="row in withheld" :key="row.method + row.path" class="withheld">
            <code>{{ row.method }} {{ row.path }}</code
            ><br />{{ row.reason }}
          </p>
        </template>
        <template v-if="current.takesKeys">
          <h3>
            Keys that work here <small>{{ current.keys.length }}</small>
          </h3>
          <div v-for="name in current.keys" :key="name" class="key">
            <span>{{ name }}</span><button
              class="plain"
              :disabled="busy"
              :aria-label="`Withdraw the key of ${name}`"
              @click="withdraw(name)"
            >
              Withdraw
            </button>
          </div>
          <div v-if="issued" class="good" role="status">
            The key of {{ issued.name }}, shown this once:<br /><code class="secret">{{
              issued.secret
            }}</code>
            <template v-if="issued.rollout"
              ><br />It works once
              <NuxtLink class="plain" :to="`/rollouts/${issued.rollout}`"
                >rollout {{ issued.rollout }}</NuxtLink
              >
              is done.</template
            >
          </div>
          <form class="issue" @submit.prevent="issue()">
            <InputText
              v-model="keyName"
              placeholder="Client the key is for"
              aria-label="Client the key is for"
            /><InputText
              v-model="contact"
              type="email"
              placeholder="Mail address, to be told of changes"
              aria-label="Where the client is told of changes"
            /><button class="ghost" :disabled="busy || keyName.trim().length < 2">
              Issue a key
            </button>
          </form>
        </template>
        <template v-if="session.shell?.demo">
          <h3>Demo: a hand on the gateway</h3>
          <p class="soft">
            Changes what {{ current.group }} runs past the ledger, as somebody with its admin secret
            would.
          </p>
          <div class="bar">
            <button class="ghost" :disabled="busy || !current.limit" @click="handEdit('limit')">
              Raise the limit
            </button>
            <button class="ghost" :disabled="busy || !withheld.length" @click="handEdit('route')">
              Serve a withheld one
            </button>
            <button
              class="ghost"
              :disabled="busy || current.routes.route === 0"
              @click="handEdit('backend')"
            >
              Point it at a laptop
            </button>
          </div>
        </template>
      </template>
      <Dialog
        v-model:visible="removing"
        modal
        header="Remove the placement"
        :style="{ width: '480px' }"
      >
        <p v-if="current">
          {{ current.group }} stops serving
          {{ current.routes.route + current.routes.mock }} operations at https://{{ current.host
          }}{{ current.basePath }}. Callers get a 404 from then on. The ledger keeps what was
          approved.
        </p>
        <label v-if="reviewed" class="field"
          ><span>What reviewers should know</span><Textarea v-model="note" rows="3"
        /></label>
        <template #footer
          ><button class="ghost" @click="removing = false">Cancel</button
          ><button class="fill" :disabled="busy" @click="remove()">
            {{ reviewed ? 'Ask for removal' : 'Remove' }}
          </button></template
        >
      </Dialog>
      <Dialog
        v-model:visible="asking"
        modal
        :header="`Ask to promote ${current?.version} to ${nextStage}`"
        :style="{ width: '480px' }"
      >
        <label class="field"
          ><span>What reviewers should know</span><Textarea v-model="note" rows="4"
        /></label>
        <label class="field"
          ><span>Needed by, if there is a day</span
          ><input v-model="neededBy" type="date" :min="dayFromNow(0)"
        /></label>
        <template #footer
          ><button class="ghost" @click="asking = false">Cancel</button
          ><button class="fill" :disabled="busy" @click="ask()">Ask for promotion</button></template
        >
      </Dialog>
    </template>
  </Leaf>
</template>

<style scoped>
.key {
  display: flex;
  justify-content: space-between;
  padding: 3px 0;
  border-bottom: 1px dotted var(--rule);
}
.issue {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin-top: 8px;
}
.issue :deep(input) {
  min-width: 0;
  flex: 1 1 100%;
}
.secret {
  overflow-wrap: anywhere;
  user-select: all;
}
.withheld {
  margin: 0 0 6px;
}
.rev {
  display: block;
  white-space: nowrap;
}
td.mono,
td code {
  overflow-wrap: anywhere;
}
tbody tr {
  cursor: default;
}
</style>
